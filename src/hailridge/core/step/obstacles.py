"""What particles can meet on their way: the shapes that rules make solid, ready for the contact kernel."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import contact as kernel
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array, Rows, number_of, touching_bit
from hailridge.core.step.solid import Solid

Mask = NDArray[np.uint64]


EVERYBODY = np.zeros(0, np.intp)
NOBODY = np.zeros(0, np.uint8)


class Way:
    """The way of particles (k) through a step: what they are `given` for it and what comes of it.

    touched, new: masks of the shapes that each touched and of those that it had not been touching; struck: the slot of its hardest new contact or
    −1, with its impact speed (m/s); normals (k, 3) at the hardest touch; spots (k, 7) of the hardest new contacts
    (`kernels.contact`); held: who waits at a touch; carried: how these go on.
    """

    def __init__(self, count: int, given: tuple[Any, ...], before: Mask, listening: NDArray[np.uint8]) -> None:
        self.given = given
        self.before = before
        self.listening = listening
        self.touched, self.new = np.empty(count, np.uint64), np.empty(count, np.uint64)
        self.struck, self.impact = np.empty(count, np.int16), np.empty(count, np.float32)
        self.normals = np.zeros((count, 3), np.float32)
        self.spots = np.zeros((count, kernel.SPOT), np.float32)
        self.held = np.zeros(len(listening), np.uint8)
        self.carried = np.empty((len(listening), kernel.CARRIED))


class Obstacles:
    """The trees of all shapes that some rule makes solid, joined so that one kernel call meets them all."""

    def __init__(self, moment: Moment) -> None:
        scene = moment.scene
        named = {action.shape for ready in scene.rules for action in (*ready.does.contact, *ready.otherwise.contact)}  # type: ignore[attr-defined]
        self.slots = {scene.shape_index[shape]: slot for slot, shape in enumerate(sorted(named, key=lambda name: scene.shape_index[name]))}
        self.shapes = np.array(list(self.slots), np.int16)
        self.bits = np.array([touching_bit(shape) for shape in self.slots], np.uint64)
        self.changing = {standing.index for standing in scene.plan.stage.changing}
        self.deforming = any(scene.plan.stage.list[shape].deforming for shape in self.slots)
        self.table = np.zeros((len(self.slots), 5), np.float64)
        self.motion = np.zeros((len(self.slots), 50), np.float64)
        self._join(moment)

    def follow(self, moment: Moment) -> None:
        """Take over where shapes have moved and how they have changed in this step."""
        if self.deforming:
            self._join(moment)
        for shape, slot in self.slots.items():
            if shape in self.changing:
                start, end = moment.start.poses[shape].transform, moment.end.poses[shape].transform
                self.motion[slot] = np.concatenate([[1.0, end.scale], start.inverse().rows(), end.inverse().rows(), start.rows(), end.rows()])

    def _join(self, moment: Moment) -> None:
        triangles, bounds, links = [np.empty((0, 13))], [np.empty((0, 6))], [np.empty((0, 2), np.int32)]
        nodes = faces = 0
        for shape, slot in self.slots.items():
            pose = moment.end.poses[shape]
            geometry = pose.world if pose.still else pose.geometry
            if geometry.ball is not None:
                centre, radius = geometry.ball
                self.table[slot] = [-1, *centre, radius]
                continue
            if len(geometry.faces) == 0:
                # Nothing to touch: a ball of no size, far outside of everything.
                self.table[slot] = [-1, 0, -1e9, 0, 0]
                continue
            tree = geometry.tree
            inner = tree.links[:, :1] >= 0
            shifted = np.where(inner, tree.links + nodes, tree.links - np.array([[faces, 0]], np.int32))
            self.table[slot] = [nodes, 0, 0, 0, 0]
            triangles.append(tree.triangles)
            bounds.append(tree.bounds)
            links.append(shifted.astype(np.int32))
            nodes += len(tree.bounds)
            faces += len(tree.triangles)
        self.triangles = np.ascontiguousarray(np.concatenate(triangles))
        self.bounds = np.ascontiguousarray(np.concatenate(bounds))
        self.links = np.ascontiguousarray(np.concatenate(links))

    def meet(self, moment: Moment, position: Any, velocity: Any, displacement: Any, gained: Any, radius: Any, spans: Any, solid: Solid, before: Mask,
             listening: Any = NOBODY) -> Way:  # fmt: skip
        """Move particles (k) along their displacements, meeting what is `solid` to them (`step.solid`). Those `listening` (k,) uint8 are held where
        they come to touch something."""
        given = (displacement, gained, radius, spans, solid.permitted, solid.bounciness, solid.friction, solid.least)
        way = Way(len(position), given, before, listening)
        self.go_on(moment, way, position, velocity, EVERYBODY)
        return way

    def go_on(self, moment: Moment, way: Way, position: Any, velocity: Any, rows: NDArray[np.intp]) -> None:
        """Take those of `rows` who are held further on their way, to their next touch; with no rows, everybody begins."""
        kernel.resolve(
            len(rows) or len(way.touched), position, velocity, *way.given, self.table, self.motion, np.float64(moment.dt), self.triangles,
            self.bounds, self.links, self.bits, way.before, way.touched, way.new, way.struck, way.impact, way.normals, way.spots, rows, way.listening,
            way.held, way.carried,
        )  # fmt: skip

    def sweep(self, moment: Moment, solid: dict[int, NDArray[np.intp]], rows: Rows, start: Any, way: Any, slides: int = 0,
              radius: Array | None = None) -> Array:  # fmt: skip
        """Put particles at the end of a way (k, 3) from `start` (k, 3), or where they first touch something that is solid to them.

        With `slides` they go on along it from there, that often at most; with a `radius` (k,) they are as large as that. Returns the normals of
        what they touched last (k, 3), zero for nothing.
        """
        count = number_of(rows)
        permitted = np.zeros((len(self.slots), count), np.uint8)
        for shape, indices in solid.items():
            concerned = np.zeros(moment.count, np.uint8)
            concerned[indices] = kernel.BOUNCES
            permitted[self.slots[shape]] = concerned[rows]
        none = np.zeros((len(self.slots), 1), np.float32)
        hard = Solid(permitted, none, none, none)
        place, still = np.ascontiguousarray(start, np.float32), np.zeros((count, 3), np.float32)
        left = np.ascontiguousarray(way, np.float32)
        size = moment.column("radius")[rows] if radius is None else radius
        normals = np.zeros((count, 3), np.float32)
        for turn in range(slides + 1):
            before = place.copy()
            # All of it at the present moment: a way that takes no time.
            met = self.meet(
                moment, place, still, left, np.zeros((count, 3), np.float32), size, np.zeros(1, np.float32), hard,
                np.zeros(count, np.uint64),
            )  # fmt: skip
            stopped = met.touched != 0
            normals[stopped] = met.normals[stopped]
            if turn == slides or not stopped.any():
                break
            left = (left - (place - before)) * stopped[:, None]
            left -= met.normals * np.minimum(np.einsum("ij,ij->i", left, met.normals), 0)[:, None]
            left = np.ascontiguousarray(left, np.float32)
        moment.column("position")[rows] = place
        moment.answers.changed("position")
        return normals
