"""Where on its shape a source gives birth. Places are found in the shape's own space, so that they move with it."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.births.directions import seed_field, unit_vectors
from hailridge.core.kinds.births.lattices import (
    LatticeTooFine,
    inside_points,
    kept_apart,
    lattice,
    shuffled,
)
from hailridge.core.scene.moment import Moment
from hailridge.core.space.geometry import Geometry
from hailridge.core.space.joining import joined
from hailridge.core.state.randomness import Keys, uniforms, upward
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Placement

Ordinals = NDArray[np.int64]

NO_INSIDE = "a source's shape has no inside to be born in; its surface is used. Choose a closed shape, or 'on the surface'."

ORDERS = {"in_order": "in order", "any": "in any order"}


class Surface(Placement):
    title: ClassVar[str] = "on the surface"
    also: ClassVar[str] = "on skin over"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "on the surface"
    help: ClassVar[str] = "Anywhere on the surface, evenly by area: a large triangle gets as many for its size as a small one. On a path: by length."

    kind: Literal["surface"] = "surface"
    seed: ItemSeed = seed_field()

    def place(self, moment: Moment, geometry: Geometry, keys: Keys, ordinals: Ordinals) -> Any:
        return geometry.on_surface(uniforms(keys, self.item, 0, moment.scene.seed))


class Inside(Placement):
    title: ClassVar[str] = "inside"
    also: ClassVar[str] = "fill volume"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "inside"
    help: ClassVar[str] = (
        "Anywhere inside, evenly by volume. A shape that encloses nothing (a plane, an open tube, a path) has no inside: its surface is used, "
        "and an advisory says so."
    )

    kind: Literal["inside"] = "inside"
    seed: ItemSeed = seed_field()

    def place(self, moment: Moment, geometry: Geometry, keys: Keys, ordinals: Ordinals) -> Any:
        if not geometry.has_inside:
            moment.find("advice", self.address, NO_INSIDE, key="inside")
            return geometry.on_surface(uniforms(keys, self.item, 0, moment.scene.seed))
        if geometry.ball is not None:
            points = geometry.ball_inside(uniforms(keys, self.item, 0, moment.scene.seed))
            return points, unit_vectors(points - geometry.ball[0], upward(len(points)))
        points, all_found = inside_points(geometry, keys, self.item, moment.scene.seed)
        if not all_found:
            moment.find("advice", self.address, "a source's shape is so thin that some of its newborns were put on the surface", key="thin")
        return points, upward(len(points))


class Centre(Placement):
    title: ClassVar[str] = "at the centre"
    also: ClassVar[str] = "middle one point"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "at the centre"
    help: ClassVar[str] = "All in one place: where the shape stands."

    kind: Literal["centre"] = "centre"

    def place(self, moment: Moment, geometry: Geometry, keys: Keys, ordinals: Ordinals) -> Any:
        return np.zeros((len(keys), 3), np.float32), upward(len(keys))


class Along(Placement):
    title: ClassVar[str] = "along the path"
    also: ClassVar[str] = "line path"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "{spacing} along the path[, from {start}][ to {end}]"
    help: ClassVar[str] = (
        "On a path, between two parts of its length: anywhere, or evenly, one after the other, with as many places as *places* says. "
        "With keyframes on its ends a line can be drawn."
    )

    kind: Literal["along"] = "along"
    spacing: Literal["any", "even"] = fields.choice("any", {"any": "anywhere", "even": "evenly"}, label="How")
    number: int = fields.number(100, low=1, high=1_000_000, soft=(2, 1000), whole=True, label="Places (evenly)", unit="count")
    start: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="From")
    end: float = fields.number(100.0, unit="percent", low=0, high=100, soft=(0, 100), label="To")
    seed: ItemSeed = seed_field()

    def place(self, moment: Moment, geometry: Geometry, keys: Keys, ordinals: Ordinals) -> Any:
        u = uniforms(keys, self.item, 0, moment.scene.seed)
        if not geometry.line:
            text = "a source gives birth 'along the path', but its shape is no path; its surface is used"
            moment.find("advice", self.address, text, key="along")
            return geometry.on_surface(u)
        shares = u[:, 0].astype(np.float64) if self.spacing == "any" else (ordinals % self.number) / max(1, self.number - 1)
        return geometry.along(self.start / 100 + shares * (self.end - self.start) / 100, u[:, 1])

    def places(self, moment: Moment, geometry: Geometry) -> int | None:
        return self.number if self.spacing == "even" else None


class Listed(Placement):
    """Placements with a list of places, made once for each geometry; births take them in turn, or in any order."""

    def listed(self, moment: Moment, geometry: Geometry) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """All places and normals, (m, 3) each."""
        raise NotImplementedError

    def _ready(self, moment: Moment, geometry: Geometry) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        kept: dict[Any, Any] = geometry.__dict__.setdefault("listed places", {})
        # Whatever decides the places is part of the key as it is now, so that keyframes on a spacing work.
        wanted = (self.item, *(getattr(self, name) for name in type(self).model_fields))
        if wanted not in kept:
            kept.clear()
            kept[wanted] = self.listed(moment, geometry)
        found: tuple[NDArray[np.float32], NDArray[np.float32]] = kept[wanted]
        return found

    def place(self, moment: Moment, geometry: Geometry, keys: Keys, ordinals: Ordinals) -> Any:
        places, normals = self._ready(moment, geometry)
        if len(places) == 0:
            return geometry.on_surface(uniforms(keys, self.item, 0, moment.scene.seed))
        turn = ordinals % len(places)
        if getattr(self, "order", "in_order") == "any":
            turn = shuffled(len(places), self.item, moment.scene.seed)[turn]
        return places[turn], normals[turn]

    def places(self, moment: Moment, geometry: Geometry) -> int | None:
        return len(self._ready(moment, geometry)[0])


class Faces(Listed):
    title: ClassVar[str] = "in the middle of its faces"
    also: ClassVar[str] = "triangles polygons"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "in the middle of its faces, {order}"
    help: ClassVar[str] = "In the middle of each triangle of the shape, one after the other or in any order."

    kind: Literal["faces"] = "faces"
    order: Literal["in_order", "any"] = fields.choice("in_order", ORDERS, label="Order")

    def listed(self, moment: Moment, geometry: Geometry) -> Any:
        return geometry.corners.mean(axis=1).astype(np.float32), geometry.normals


class Points(Listed):
    title: ClassVar[str] = "on its points"
    also: ClassVar[str] = "vertices corners"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "on its points, {order}"
    help: ClassVar[str] = "On the corners of the shape's triangles, or the points that a path is drawn through."

    kind: Literal["points"] = "points"
    order: Literal["in_order", "any"] = fields.choice("in_order", ORDERS, label="Order")

    def listed(self, moment: Moment, geometry: Geometry) -> Any:
        first = np.sort(joined(geometry.vertices, 6)[0])
        return geometry.vertices[first], geometry.vertex_normals[first]


class Lattice(Listed):
    title: ClassVar[str] = "on a lattice inside"
    also: ClassVar[str] = "grid rows regular"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "on a lattice inside, a point every {spacing}[, jittered by {jitter}], {order}"
    help: ClassVar[str] = (
        "Points in even rows that fill the inside (of a flat shape: its surface). Jitter moves each within its own cell: 0 is a regular "
        "lattice, 100 fills evenly without rows. The cell has to be small against the shape, or nothing appears."
    )

    kind: Literal["lattice"] = "lattice"
    spacing: float = fields.number(0.1, unit="m", low=1e-4, high=1e4, soft=(0.01, 1), label="Cell")
    jitter: float = fields.number(0.0, unit="percent", low=0, high=100, soft=(0, 100), label="Jitter")
    order: Literal["in_order", "any"] = fields.choice("in_order", ORDERS, label="Order")
    seed: ItemSeed = seed_field()

    def listed(self, moment: Moment, geometry: Geometry) -> Any:
        try:
            points = lattice(geometry, self.spacing, self.jitter / 100, self.item, moment.scene.seed)
        except LatticeTooFine as error:
            moment.find("warning", self.address, str(error), key="lattice")
            points = np.empty((0, 3), np.float32)
        return points, upward(len(points))


class Apart(Listed):
    title: ClassVar[str] = "kept apart"
    also: ClassVar[str] = "even spacing poisson"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "at places {distance} apart, {where}"
    help: ClassVar[str] = (
        "Scattered without order, yet never nearer to one another than this distance: even, but not in rows. As many places as there is "
        "room for."
    )

    kind: Literal["apart"] = "apart"
    distance: float = fields.number(0.1, unit="m", low=1e-4, high=1e4, soft=(0.01, 1), label="Distance")
    where: Literal["surface", "inside"] = fields.choice("surface", {"surface": "on the surface", "inside": "inside"}, label="Where")
    seed: ItemSeed = seed_field()

    def listed(self, moment: Moment, geometry: Geometry) -> Any:
        try:
            return kept_apart(geometry, self.distance, self.where == "inside", self.item, moment.scene.seed)
        except LatticeTooFine as error:
            moment.find("warning", self.address, str(error), key="apart")
            return np.empty((0, 3), np.float32), np.empty((0, 3), np.float32)
