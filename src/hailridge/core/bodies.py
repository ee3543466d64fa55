"""Where all shapes of a scene are at a time: transforms with parents and paths, and their geometry."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.assets import Assets, MissingAsset
from hailridge.core.geometry import Geometry, JoinedGeometry
from hailridge.core.roughening import Roughener
from hailridge.core.shapes.base import MOVED, PlacedShape
from hailridge.core.shapes.compound import Compound
from hailridge.core.transforms import IDENTITY, Transform, turning
from hailridge.model.effect import Effect

Points = NDArray[np.float32]


class Pose:
    """A shape at one time: geometry in its own space and the transform into the world. What never moves is kept in the world as well."""

    def __init__(self, geometry: Geometry, transform: Transform, still: bool) -> None:
        self.geometry = geometry
        self.transform = transform
        self.still = still

    @cached_property
    def world(self) -> Geometry:
        """The geometry in world space."""
        return self.geometry.moved(self.transform)

    def closest(self, points: Points, reach: float = np.inf) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Closest places and distances in the world: (n, 3) and (n,) float64. `reach` as in `Geometry.closest`."""
        if self.still:
            return self.world.closest(points, reach)
        places, distances = self.geometry.closest(self.transform.inverse().points(points).astype(np.float32), reach / self.transform.scale)
        return self.transform.points(places), distances * self.transform.scale

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


class Body:
    """One shape of a scene over time."""

    def __init__(self, index: int, shape: PlacedShape) -> None:
        self.index = index
        self.shape = shape
        self.moving = False
        self.deforming = False
        self.missing = False
        self.frame = IDENTITY
        self.carrier = IDENTITY
        self.base: Geometry | None = None
        self.rough: Roughener | None = None
        self.start = self.end = Pose(Geometry(np.zeros((1, 3), np.float32)), IDENTITY, True)


class Bodies:
    """All shapes. `move_to` brings them to a time; each keeps its pose at the start and at the end of the step."""

    def __init__(self, effect: Effect, assets: Assets) -> None:
        self.assets = assets
        self.list = [Body(index, shape) for index, shape in enumerate(effect.shapes) if isinstance(shape, PlacedShape)]
        self.by_id = {body.shape.id: body for body in self.list}
        self.order = self._in_order()
        for body in self.order:
            own = set(body.shape.tracks)
            carriers = [self.by_id[name] for name in (body.shape.parent, body.shape.path) if name is not None]
            body.moving = bool(own & set(MOVED)) or (body.shape.path is not None and body.shape.lap > 0) or any(c.moving for c in carriers)
            wavering = (body.shape.roughness > 0 or "roughness" in own) and (body.shape.roughness_change > 0 or "roughness_change" in own)
            body.deforming = bool(own - set(MOVED)) or wavering
            if body.shape.path is not None and self.by_id[body.shape.path].deforming:
                body.moving = True
        joined = [body for body in self.order if isinstance(body.shape, Compound)]
        for _nested in joined:
            for body in joined:
                members = [self.by_id[name] for name in getattr(body.shape, "members", [])]
                body.deforming |= any(member.deforming or member.moving or body.moving for member in members)
        self.placed = False
        self.changing = [body for body in self.order if body.moving or body.deforming]
        self.move_to(0.0, everything=True)
        self.placed = True
        for body in self.list:
            body.start = body.end

    def _in_order(self) -> list[Body]:
        """Every shape after those that carry it; circles are refused when a document is read."""
        done: dict[str, Body] = {}

        def visit(body: Body, depth: int = 0) -> None:
            if body.shape.id in done or depth > len(self.list):
                return
            for name in (body.shape.parent, body.shape.path):
                if name is not None:
                    visit(self.by_id[name], depth + 1)
            done.setdefault(body.shape.id, body)

        for body in self.list:
            visit(body)
        return list(done.values())

    def move_to(self, time: float, everything: bool = False) -> None:
        """Bring the end poses to a time (seconds). Keyframes are in the shapes' fields already."""
        due = self.order if everything else self.changing
        # Places first, so that compounds can carry what they are made of.
        for body in due:
            if everything or body.moving:
                body.frame = self._frame(body, time)
        for body in due:
            body.end = self._pose(body, time)

    def settle(self) -> None:
        """The end of a step becomes the start of the next."""
        for body in self.changing:
            body.start = body.end

    def _frame(self, body: Body, time: float, depth: int = 0) -> Transform:
        """Where a shape stands; notes what carries it on the way."""
        shape = body.shape
        carrier = IDENTITY
        if shape.path is not None:
            carrier = self._on_path(shape, time, depth)
        if shape.parent is not None and depth < len(self.list):
            carrier = carrier.within(self._carrier_frame(self.by_id[shape.parent], time, depth))
        body.carrier = carrier
        return Transform.of(shape.position, shape.rotation, shape.scale).within(carrier)

    def _carrier_frame(self, body: Body, time: float, depth: int) -> Transform:
        """Where a carrier stands; one that never moves has been placed before."""
        if self.placed and not body.moving:
            return body.frame
        return self._frame(body, time, depth + 1)

    def _on_path(self, shape: PlacedShape, time: float, depth: int) -> Transform:
        """The place on a path. A shape carried by a parent has its path taken where the path itself is drawn, so both are not mixed."""
        assert shape.path is not None
        path = self.by_id[shape.path]
        share = shape.travel / 100 + (time / shape.lap if shape.lap > 0 else 0.0)
        whole = share == 1.0 and shape.lap == 0
        share = 1.0 if whole else share % 1.0 if shape.lap > 0 or getattr(path.shape, "closed", False) else min(1.0, max(0.0, share))
        geometry = self._geometry(path, time)
        frame = self._carrier_frame(path, time, depth) if depth < len(self.list) else IDENTITY
        if not geometry.line:
            return Transform(np.eye(3), 1.0, frame.translation)
        rotation = turning([0.0, 0.0, 1.0], frame.vectors(geometry.tangent(share)[None])[0]) if shape.facing else np.eye(3)
        return Transform(rotation, 1.0, frame.points(geometry.place_along(share)[None])[0])

    def _pose(self, body: Body, time: float) -> Pose:
        if isinstance(body.shape, Compound):
            return self._joined(body, time)
        return Pose(self._geometry(body, time), body.frame, not body.moving)

    def _geometry(self, body: Body, time: float) -> Geometry:
        shape = body.shape
        if body.base is None or set(shape.tracks) - set(MOVED) - {"roughness", "roughness_size", "roughness_change"}:
            try:
                body.base = shape.local(self.assets)
            except MissingAsset:
                # The run goes on with a place instead of the mesh; the advisory says which file is missing.
                body.missing = True
                body.base = Geometry(np.zeros((1, 3), np.float32))
            body.rough = None
        if shape.roughness <= 0:
            return body.base
        if body.rough is None:
            body.rough = Roughener(body.base, shape.roughness_size)
        return body.rough.at(shape, time, (shape.item + shape.roughness_seed * 7919) & 0xFFFFFF)

    def _joined(self, body: Body, time: float) -> Pose:
        assert isinstance(body.shape, Compound)
        back = body.frame.inverse()
        pieces = [self._world_piece(self.by_id[name], time).moved(back) for name in body.shape.members]
        joined: Geometry = JoinedGeometry(pieces)
        if body.shape.roughness > 0:
            joined = Roughener(joined, body.shape.roughness_size).at(body.shape, time, (body.shape.item + body.shape.roughness_seed) & 0xFFFFFF)
        return Pose(joined, body.frame, not body.moving)

    def _world_piece(self, member: Body, time: float, depth: int = 0) -> Geometry:
        if isinstance(member.shape, Compound) and depth < len(self.list):
            return JoinedGeometry([self._world_piece(self.by_id[name], time, depth + 1) for name in member.shape.members])
        frame = member.frame if member.moving else self._frame(member, time)
        return self._geometry(member, time).moved(frame)


def displacement_between(start: Transform, end: Transform, points: Any) -> NDArray[np.float64]:
    """How far places (n, 3) in the world, at the end, have come since the start of a step when they are carried along: (n, 3) metres."""
    return np.asarray(points, np.float64) - start.points(end.inverse().points(points))
