"""Where all shapes of a plan are at a time: transforms with parents and paths, and their geometry."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.assets import Assets, MissingAsset
from hailridge.core.scene.placed import MOVED, PlacedShape
from hailridge.core.space.geometry import Geometry, JoinedGeometry
from hailridge.core.space.roughening import Roughener
from hailridge.core.space.transforms import IDENTITY, Transform, turning

Points = NDArray[np.float32]


class Pose:
    """A shape at one time: geometry in its own space, the transform into the world, and the carrier into whose space its position is given. What
    never moves is kept in the world as well."""

    def __init__(self, geometry: Geometry, transform: Transform, still: bool, carrier: Transform = IDENTITY) -> None:
        self.geometry = geometry
        self.transform = transform
        self.still = still
        self.carrier = carrier

    @cached_property
    def world(self) -> Geometry:
        """The geometry in world space."""
        return self.geometry.moved(self.transform)

    @cached_property
    def box(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner (3,) in the world of the box that goes round the geometry in its own space."""
        low, high = self.geometry.bounds
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        placed = self.transform.points(corners)
        return placed.min(axis=0), placed.max(axis=0)

    def closest(self, points: Points, reach: float = np.inf) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Closest places and distances in the world: (n, 3) and (n,) float64. `reach` as in `Geometry.closest`."""
        if self.still:
            return self.world.closest(points, reach)
        places, distances = self.geometry.closest(self.transform.inverse().points(points).astype(np.float32), reach / self.transform.scale)
        return self.transform.points(places), distances * self.transform.scale

    def facing(self, places: Any) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The nearest places of a surface and its normals there, whichever side somebody is on, in the world: (n, 3) each."""
        nearest, normals, _distances = self.geometry.facing(self.transform.inverse().points(places).astype(np.float32))
        return self.transform.points(nearest), self.transform.vectors(normals)

    def inside(self, points: Points) -> NDArray[np.bool_]:
        if self.still:
            return self.world.inside(points)
        return self.geometry.inside(self.transform.inverse().points(points).astype(np.float32))

    def outward(self, points: Points, reach: float = np.inf) -> NDArray[np.float64]:
        """Distance to the surface, below zero inside: (n,). Beyond `reach`, inside or outside, that much."""
        if self.still:
            return self.world.outward(points, reach)
        inner = self.transform.inverse().points(points).astype(np.float32)
        return self.geometry.outward(inner, reach / self.transform.scale) * self.transform.scale


@dataclass(frozen=True)
class Body:
    """A shape in a step: where it is at its start and at its end. Looked at in a recorded frame, both are the same."""

    index: int
    shape: PlacedShape
    start: Pose
    end: Pose

    def inward(self, places: Any, shares: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places (k, 3) in the shape's own space, where it is at each one's share (k,) of the step (as the sweep of contact takes it)."""
        at_end = self.end.transform.inverse().points(places)
        if self.end.still:
            return at_end
        at_start = self.start.transform.inverse().points(places)
        return np.asarray(at_start + (at_end - at_start) * shares[:, None])

    def speed_at(self, places: Any, dt: float) -> NDArray[np.float64]:
        """How fast it carries along what is at places (k, 3) in the world at the end of a step of `dt` (s): (k, 3) m/s, nothing where it is still.
        What its form does is not in it."""
        if self.end.still or dt <= 0:
            return np.zeros((len(places), 3))
        return displacement_between(self.start.transform, self.end.transform, places) / dt


@dataclass
class Standing:
    """What is known of one shape whatever the time: whether it moves, whether its form changes, and whether keyframes do that."""

    index: int
    shape: PlacedShape
    moving: bool = False
    deforming: bool = False
    formed_by_keys: bool = False


class Stage:
    """All shapes of a plan, and where they stand at any time. Nothing of it changes once it is made."""

    def __init__(self, shapes: list[PlacedShape], assets: Assets) -> None:
        self.assets = assets
        self.list = [Standing(index, shape) for index, shape in enumerate(shapes)]
        self.by_id = {standing.shape.id: standing for standing in self.list}
        for standing in self._in_order():
            self._judge(standing)
        joined = [standing for standing in self.list if standing.shape.joined]
        for _nested in joined:
            for standing in joined:
                members = [self.by_id[name] for name in standing.shape.joined]
                standing.deforming |= any(member.deforming or member.moving or standing.moving for member in members)
        self.changing = [standing for standing in self.list if standing.moving or standing.deforming]
        self.beginning: list[Pose] = []
        """Poses without their keyframes: those of everything that never changes."""
        self.bases: dict[int, Geometry] = {}
        """Forms without keyframes, as far as they have been made."""
        self._rough: dict[int, Roughener] = {}
        first = Placing(self, shapes, 0.0)
        self.beginning = [first.pose(standing) for standing in self.list]
        self.missing = [standing.shape.label for standing in self.list if standing.index in first.missing]
        """Labels of shapes that are nothing but a place, since their meshes are not in the library."""

    def _judge(self, standing: Standing) -> None:
        """Whether a shape moves and whether its form changes; those that carry it have been judged before."""
        shape = standing.shape
        own = set(shape.tracks)
        carriers = [self.by_id[name] for name in (shape.parent, shape.path) if name is not None]
        standing.moving = bool(own & set(MOVED)) or (shape.path is not None and shape.lap > 0) or any(carrier.moving for carrier in carriers)
        wavering = (shape.roughness > 0 or "roughness" in own) and (shape.roughness_change > 0 or "roughness_change" in own)
        standing.deforming = bool(own - set(MOVED)) or wavering
        standing.formed_by_keys = bool(own - set(MOVED) - {"roughness", "roughness_size", "roughness_change"})
        if shape.path is not None and self.by_id[shape.path].deforming:
            standing.moving = True

    def _in_order(self) -> list[Standing]:
        """Every shape after those that carry it; circles are refused when a document is read."""
        done: dict[str, Standing] = {}

        def visit(standing: Standing, depth: int = 0) -> None:
            if standing.shape.id in done or depth > len(self.list):
                return
            for name in (standing.shape.parent, standing.shape.path):
                if name is not None:
                    visit(self.by_id[name], depth + 1)
            done.setdefault(standing.shape.id, standing)

        for standing in self.list:
            visit(standing)
        return list(done.values())

    def poses(self, shapes: list[PlacedShape], time: float) -> list[Pose]:
        """All shapes at a time (seconds), given as they are then; those that never change as they are kept."""
        if not self.changing:
            return self.beginning
        placing = Placing(self, shapes, time)
        return [
            placing.pose(standing) if standing.moving or standing.deforming else self.beginning[standing.index] for standing in self.list
        ]  # fmt: skip

    def rough(self, index: int, base: Geometry) -> Roughener:
        """What roughens a shape whose form has no keyframes: its surface is refined once."""
        known = self._rough.get(index)
        if known is None:
            known = self._rough.setdefault(index, Roughener(base, self.list[index].shape.roughness_size))
        return known


class Placing:
    """Finding where all shapes of a stage stand at one time; each carrier and each form is looked for once."""

    def __init__(self, stage: Stage, shapes: list[PlacedShape], time: float) -> None:
        self.stage, self.shapes, self.time = stage, shapes, time
        self.frames: dict[int, tuple[Transform, Transform]] = {}
        self.forms: dict[int, Geometry] = {}
        self.missing: set[int] = set()

    def pose(self, standing: Standing) -> Pose:
        frame, carrier = self.frame(standing)
        geometry = self._joined(standing, frame) if standing.shape.joined else self.form(standing)
        # What changes its form is not kept in the world: it would be made twice.
        return Pose(geometry, frame, not (standing.moving or standing.deforming), carrier)

    def frame(self, standing: Standing) -> tuple[Transform, Transform]:
        """Where a shape stands, and what carries it."""
        index = standing.index
        if not standing.moving and self.stage.beginning:
            known = self.stage.beginning[index]
            return known.transform, known.carrier
        if index not in self.frames:
            shape = self.shapes[index]
            carrier = IDENTITY if shape.path is None else self._on_path(shape)
            if shape.parent is not None:
                carrier = carrier.within(self.frame(self.stage.by_id[shape.parent])[0])
            self.frames[index] = Transform.of(shape.position, shape.rotation, shape.scale).within(carrier), carrier
        return self.frames[index]

    def _on_path(self, shape: PlacedShape) -> Transform:
        """The place on a path. A shape carried by a parent has its path taken where the path itself is drawn, so both are not mixed."""
        assert shape.path is not None
        path = self.stage.by_id[shape.path]
        share = shape.travel / 100 + (self.time / shape.lap if shape.lap > 0 else 0.0)
        whole = share == 1.0 and shape.lap == 0
        share = 1.0 if whole else share % 1.0 if shape.lap > 0 or self.shapes[path.index].endless else min(1.0, max(0.0, share))
        geometry, frame = self.form(path), self.frame(path)[0]
        if not geometry.line:
            return Transform(np.eye(3), 1.0, frame.translation)
        rotation = turning([0.0, 0.0, 1.0], frame.vectors(geometry.tangent(share)[None])[0]) if shape.facing else np.eye(3)
        return Transform(rotation, 1.0, frame.points(geometry.place_along(share)[None])[0])

    def form(self, standing: Standing) -> Geometry:
        """A shape in its own space, roughened if it is."""
        index = standing.index
        if index not in self.forms:
            shape = self.shapes[index]
            base = self._base(standing)
            if shape.roughness > 0:
                fixed = not standing.formed_by_keys
                rough = self.stage.rough(index, base) if fixed else Roughener(base, shape.roughness_size)
                base = rough.at(shape, self.time, (shape.item + shape.roughness_seed * 7919) & 0xFFFFFF)
            self.forms[index] = base
        return self.forms[index]

    def _base(self, standing: Standing) -> Geometry:
        """The shape itself, before it is roughened; one whose form has no keyframes is made once."""
        kept = self.stage.bases
        if standing.index in kept and not standing.formed_by_keys:
            return kept[standing.index]
        try:
            made = self.shapes[standing.index].local(self.stage.assets)
        except MissingAsset:
            # The run goes on with a place instead of the mesh; the advisory says which file is missing.
            self.missing.add(standing.index)
            made = Geometry(np.zeros((1, 3), np.float32))
        return made if standing.formed_by_keys else kept.setdefault(standing.index, made)

    def _joined(self, standing: Standing, frame: Transform) -> Geometry:
        shape, back = self.shapes[standing.index], frame.inverse()
        pieces = [self._piece(self.stage.by_id[name]).moved(back) for name in shape.joined]
        joined: Geometry = JoinedGeometry(pieces, shape.outside)
        if shape.roughness > 0:
            joined = Roughener(joined, shape.roughness_size).at(shape, self.time, (shape.item + shape.roughness_seed) & 0xFFFFFF)
        return joined

    def _piece(self, member: Standing) -> Geometry:
        """What a joined shape is made of, in the world."""
        if member.shape.joined:
            return JoinedGeometry([self._piece(self.stage.by_id[name]) for name in member.shape.joined])
        return self.form(member).moved(self.frame(member)[0])


def displacement_between(start: Transform, end: Transform, points: Any) -> NDArray[np.float64]:
    """How far places (n, 3) in the world, at the end, have come since the start of a step when they are carried along: (n, 3) metres."""
    return np.asarray(points, np.float64) - start.points(end.inverse().points(points))
