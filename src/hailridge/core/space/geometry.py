"""What a shape is made of in its own space: triangles, a line, an exact ball or a single place, and what sources and contact need of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import philox, tree, vectors
from hailridge.core.space.joining import edges, joined
from hailridge.core.space.transforms import Transform
from hailridge.core.state.particles import lengths
from hailridge.core.state.randomness import points_in_ball, upward

Points = NDArray[np.float32]

NO_FACES = np.empty((0, 3), np.int32)


@dataclass(frozen=True)
class Tree:
    """A flat bounding volume hierarchy; triangles are in its order, (f, 13) float64: corners, unit normal, twice the area."""

    triangles: NDArray[np.float64]
    bounds: NDArray[np.float64]
    links: NDArray[np.int32]
    order: NDArray[np.int32]


class Geometry:
    """One shape: vertices (v, 3) float32 metres, faces (f, 3) int32.

    A ball is known exactly by centre and radius. A line joins its vertices in order and has no faces; a single place has one vertex.
    """

    def __init__(self, vertices: Points, faces: NDArray[np.int32] = NO_FACES, ball: tuple[Points, float] | None = None, line: bool = False) -> None:
        self.vertices = np.ascontiguousarray(vertices, np.float32).reshape(-1, 3)
        self.faces = np.ascontiguousarray(faces, np.int32).reshape(-1, 3)
        self.ball = ball
        self.line = line
        self.like: Geometry | None = None
        """A shape with the same triangles in other places, whose tree is fitted anew instead of built."""

    @property
    def solid(self) -> bool:
        """Whether there is a surface to touch or to be inside of."""
        return self.ball is not None or len(self.faces) > 0

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """(f, 3, 3) float64: the three corners of each triangle. Pieces of a line count as triangles without width."""
        if self.line and len(self.vertices) > 1:
            ends = np.arange(1, len(self.vertices))
            return self.vertices[np.stack([ends - 1, ends, ends], axis=1)].astype(np.float64)
        return self.vertices[self.faces].astype(np.float64)

    @cached_property
    def _crosses(self) -> NDArray[np.float64]:
        c = self.corners
        return np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])

    @cached_property
    def areas(self) -> NDArray[np.float64]:
        """Triangle areas in m²: (f,)."""
        return np.asarray(np.linalg.norm(self._crosses, axis=1) * 0.5)

    @cached_property
    def heights(self) -> NDArray[np.float64]:
        """Running sum of areas, or of lengths along a line: where an even draw falls."""
        if self.line:
            return np.cumsum(np.linalg.norm(np.diff(self.vertices.astype(np.float64), axis=0), axis=1))
        return np.cumsum(self.areas)

    @cached_property
    def normals(self) -> Points:
        """Unit face normals: (f, 3); zero for triangles without area."""
        size = np.maximum(2.0 * self.areas[:, None], 1e-30)
        return (self._crosses / size).astype(np.float32)

    @cached_property
    def vertex_normals(self) -> Points:
        """Unit normals at vertices, weighted by area: (v, 3); upward where there is no surface."""
        if not len(self.faces):
            return upward(len(self.vertices))
        sums = np.zeros((len(self.vertices), 3))
        for corner in range(3):
            np.add.at(sums, self.faces[:, corner], self._crosses)
        size = np.linalg.norm(sums, axis=1, keepdims=True)
        return np.where(size > 1e-20, sums / np.maximum(size, 1e-20), [0.0, 1.0, 0.0]).astype(np.float32)

    @cached_property
    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner of the box around it: (3,) each."""
        if self.ball is not None:
            centre, radius = self.ball
            return np.asarray(centre, np.float64) - radius, np.asarray(centre, np.float64) + radius
        places = self.vertices.astype(np.float64)
        return places.min(axis=0), places.max(axis=0)

    @cached_property
    def face_bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner of the box round each triangle: (f, 3) each."""
        a, b, c = (self.corners[:, k] for k in range(3))
        return np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)

    @cached_property
    def tree(self) -> Tree:
        corners = self.corners
        low, high = self.face_bounds
        if self.like is not None:
            order, links = self.like.tree.order, self.like.tree.links
            bounds = tree.refit(low, high, order, links)
        else:
            order, bounds, links = tree.build(low, high)
        size = 2.0 * self.areas
        normals = self._crosses / np.maximum(size, 1e-30)[:, None]
        triangles = np.concatenate([corners.reshape(-1, 9), normals, size[:, None]], axis=1)
        return Tree(np.ascontiguousarray(triangles[order]), bounds, links, order)

    def moved(self, transform: Transform) -> Geometry:
        """The same shape somewhere else."""
        ball = None
        if self.ball is not None:
            ball = (transform.points(self.ball[0][None])[0].astype(np.float32), self.ball[1] * transform.scale)
        made = Geometry(transform.points(self.vertices).astype(np.float32), self.faces, ball, self.line)
        made.like = self.like
        return made

    # ── Places on it ────────────────────────────────────────────────────────────────────────────────────────────────────

    def on_surface(self, u: NDArray[np.float32]) -> tuple[Points, Points]:
        """Points spread evenly by area (by length along a line) and their normals, from uniform numbers u (n, ≥ 3)."""
        if self.ball is not None:
            centre, radius = self.ball
            z = 2.0 * u[:, 0] - 1.0
            angle = 2.0 * np.pi * u[:, 1]
            ring = np.sqrt(np.maximum(0.0, 1.0 - z * z))
            out = np.stack([ring * np.cos(angle), z, ring * np.sin(angle)], axis=1).astype(np.float32)
            return (centre + radius * out).astype(np.float32), out
        if self.line and len(self.vertices) > 1:
            return self.along(u[:, 0], u[:, 1])
        if not len(self.faces):
            return np.repeat(self.vertices[:1], len(u), axis=0), upward(len(u))
        points, chosen = self._drawn(u)
        return points, self.normals[chosen]

    def _drawn(self, u: NDArray[np.float32]) -> tuple[Points, NDArray[np.int32]]:
        """Points spread evenly by area over the triangles, and which triangle each is on: (n, 3), (n,)."""
        points, chosen = np.empty((len(u), 3), np.float32), np.empty(len(u), np.int32)
        tree.sample(len(u), np.ascontiguousarray(u), self.heights, self.vertices, self.faces, points, chosen)
        return points, chosen

    def along(self, shares: NDArray[Any], turn: NDArray[np.float32]) -> tuple[Points, Points]:
        """Places at shares (n,) of a line's length, and directions square to it, turned about it by `turn` (n,) of a full turn."""
        distance = np.asarray(shares, np.float64) * self.heights[-1]
        piece = np.searchsorted(self.heights, distance, side="right").clip(0, len(self.heights) - 1)
        start, end = self.vertices[piece].astype(np.float64), self.vertices[piece + 1].astype(np.float64)
        length = np.maximum(np.linalg.norm(end - start, axis=1), 1e-12)
        share = 1 - (self.heights[piece] - distance) / length
        tangents = ((end - start) / length[:, None]).astype(np.float32)
        # A direction square to the tangent: upward as far as possible, then turned.
        side = np.cross(tangents, np.where(np.abs(tangents[:, 1:2]) < 0.99, [[0, 1, 0]], [[1, 0, 0]]))
        side /= np.linalg.norm(side, axis=1, keepdims=True)
        up = np.cross(side, tangents)
        angle = 2 * np.pi * np.asarray(turn, np.float64)[:, None]
        return (start + (end - start) * share[:, None]).astype(np.float32), (up * np.cos(angle) + side * np.sin(angle)).astype(np.float32)

    def place_along(self, share: float) -> NDArray[np.float64]:
        """The place at one share of a line's length: (3,)."""
        piece, part = self._piece(share)
        start, end = self.vertices[piece].astype(np.float64), self.vertices[piece + 1].astype(np.float64)
        return np.asarray(start + (end - start) * part)

    def _piece(self, share: float) -> tuple[int, float]:
        distance = share * float(self.heights[-1])
        piece = min(int(np.searchsorted(self.heights, distance, side="right")), len(self.heights) - 1)
        before = float(self.heights[piece - 1]) if piece else 0.0
        length = float(self.heights[piece]) - before
        return piece, min(1.0, (distance - before) / length) if length > 0 else 0.0

    def tangent(self, share: float) -> NDArray[np.float64]:
        """Unit direction of a line at a share of its length: (3,)."""
        piece, _part = self._piece(share)
        way = (self.vertices[piece + 1] - self.vertices[piece]).astype(np.float64)
        return np.asarray(way / max(1e-12, float(np.linalg.norm(way))))

    # ── Asking about places ─────────────────────────────────────────────────────────────────────────────────────────────

    def closest(self, points: Points, reach: float = np.inf) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Closest places of the surface or line and distances in metres: (n, 3) and (n,) float64.

        With a `reach`, whoever is further away may be told that distance instead, which is much quicker; its place then means nothing.
        """
        if self.ball is not None:
            out = np.empty((len(points), 3))
            return out, np.abs(self._from_ball(points, out))
        if len(self.corners) == 0:
            away = points.astype(np.float64) - self.vertices[0]
            return np.repeat(self.vertices[:1].astype(np.float64), len(points), axis=0), lengths(away)
        return self.closest_faces(points, reach)[:2]

    def closest_faces(self, points: Any, reach: float) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32]]:
        """As `closest`, with the triangle on which each closest place lies, in the order of the tree: (n,)."""
        out, distances, faces = np.empty((len(points), 3)), np.empty(len(points)), np.empty(len(points), np.int32)
        t = self.tree
        places = np.ascontiguousarray(points, np.float64)
        tree.closest(len(points), places, t.triangles, t.bounds, t.links, np.float64(reach), out, distances, faces)
        return out, distances, faces

    def nearest_faces(self, points: Any) -> NDArray[np.int32]:
        """The triangle that is closest to each place, as they are numbered in `faces`: (n,)."""
        return np.asarray(self.tree.order[self.closest_faces(np.asarray(points, np.float32), np.inf)[2]], np.int32)

    def facing(self, points: Points) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Closest places of a surface, normals there, and distances, whichever side somebody is on: (n, 3), (n, 3) and (n,) float64."""
        if self.ball is not None:
            return self.surface(points)
        if len(self.corners) == 0:
            # A single point faces whoever looks at it.
            out, distances = self.closest(points)
            away = points - out
            away[distances < 1e-12] = (0, 1, 0)
            return out, away / lengths(away)[:, None], distances
        out, distances, faces = self.closest_faces(points, np.inf)
        return out, self.tree.triangles[faces, 9:12], distances

    def surface(self, points: Points) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Closest places of a surface, outward normals there, and distances, below zero behind the surface: (n, 3), (n, 3) and (n,) float64.

        Behind is inside where the shape has an inside, else the side to which its normal does not point.
        """
        if self.ball is not None:
            out = np.empty((len(points), 3))
            distances = self._from_ball(points, out)
            away = out - np.asarray(self.ball[0], np.float64)
            return out, away / np.maximum(lengths(away), 1e-12)[:, None], distances
        out, normals, distances = self.facing(points)
        behind = self.inside(points) if self.has_inside else np.einsum("ij,ij->i", points - out, normals) < 0
        return out, normals, np.where(behind, -distances, distances)

    def _from_ball(self, points: Points, out: NDArray[np.float64]) -> NDArray[np.float64]:
        """Distances to the surface of an exact ball, below zero inside: (n,); `out` (n, 3) gets the closest places, or has no rows."""
        assert self.ball is not None
        centre, radius = self.ball
        distances = np.empty(len(points))
        places = np.ascontiguousarray(points, np.float32)
        vectors.closest_on_ball(len(points), places, np.asarray(centre, np.float64), float(radius), out, distances)
        return distances

    def outward(self, points: Points, reach: float = np.inf) -> NDArray[np.float64]:
        """Distances to the surface, below zero inside where there is an inside: (n,). `reach` as in `closest`."""
        if self.ball is not None:
            return self._from_ball(points, np.empty((0, 3)))
        _places, distances = self.closest(points, reach)
        return np.where(self.inside(points), -distances, distances) if self.solid else distances

    def inside(self, points: Points) -> NDArray[np.bool_]:
        """Which points lie inside: (n,). Shapes without faces have no inside."""
        if self.ball is not None:
            return self._from_ball(points, np.empty((0, 3))) < 0
        out = np.zeros(len(points), np.uint8)
        if len(self.faces):
            t = self.tree
            tree.inside(len(points), np.ascontiguousarray(points, np.float64), t.triangles, t.bounds, t.links, out)
        return np.asarray(out != 0)

    @cached_property
    def has_inside(self) -> bool:
        """Whether anything is inside: a plane, a disc or a line encloses nothing."""
        if self.ball is not None:
            return True
        if self.like is not None:
            # The same triangles meet at the same edges.
            return self.like.has_inside
        # A closed surface has two triangles at each edge; a hole here and there does not undo an inside.
        return bool(len(self.faces)) and float(np.mean(self.edge_shares == 1)) < 0.1

    @cached_property
    def edge_shares(self) -> NDArray[np.intp]:
        """How many triangles meet at each edge: (e,). Vertices in one place count as one."""
        first, which = joined(self.vertices, 5)
        return edges(which[self.faces], len(first))[2]

    def ball_inside(self, u: NDArray[np.float32]) -> Points:
        """Places evenly by volume inside an exact ball."""
        assert self.ball is not None
        points, _out = points_in_ball(u)
        return (self.ball[0] + points * np.float32(self.ball[1])).astype(np.float32)


def weights_on(corners: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where the feet of points (k, 3) are on triangles (k, 3, 3): (k, 2), so that a foot is a + v·(b − a) + w·(c − a)."""
    along, across, away = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], points - corners[:, 0]
    aa, ab, bb = (np.einsum("ij,ij->i", one, other) for one, other in ((along, along), (along, across), (across, across)))
    pa, pb = np.einsum("ij,ij->i", away, along), np.einsum("ij,ij->i", away, across)
    area = np.maximum(aa * bb - ab * ab, 1e-30)
    return np.stack([(pa * bb - pb * ab) / area, (pb * aa - pa * ab) / area], axis=1)


MOST_DRAWS = 32
"""So often a place on joined shapes is drawn anew at most, where it came to lie inside another of them."""


class JoinedGeometry(Geometry):
    """Several shapes as one: inside is what is inside any of them, also where they overlap.

    `outside`: places on its surface are only drawn where they are inside none of them.
    """

    def __init__(self, pieces: list[Geometry], outside: bool = False) -> None:
        flat: list[Geometry] = [single for piece in pieces for single in (piece.pieces if isinstance(piece, JoinedGeometry) else [piece])]
        vertices: list[NDArray[np.float32]] = []
        faces: list[NDArray[np.int32]] = []
        owners: list[NDArray[np.int32]] = []
        count = 0
        for number, piece in enumerate(flat):
            if len(piece.faces):
                vertices.append(piece.vertices)
                faces.append(piece.faces + np.int32(count))
                owners.append(np.full(len(piece.faces), number, np.int32))
                count += len(piece.vertices)
        if not vertices:
            # Nothing with a surface among them: their places stand for them.
            places = [piece.vertices for piece in flat] or [np.zeros((1, 3), np.float32)]
            super().__init__(np.concatenate(places))
        else:
            super().__init__(np.concatenate(vertices), np.concatenate(faces))
            self.owners = np.concatenate(owners)
        self.pieces: list[Geometry] = flat
        self.outside = outside

    def inside(self, points: Points) -> NDArray[np.bool_]:
        out = np.zeros(len(points), np.bool_)
        for piece in self.pieces:
            rest = np.flatnonzero(~out)
            if len(rest):
                out[rest] = piece.inside(points[rest])
        return out

    def on_surface(self, u: NDArray[np.float32]) -> tuple[Points, Points]:
        """As of any shape; where only the outside counts, a place inside another piece is drawn anew."""
        if not self.outside or not len(self.faces):
            return super().on_surface(u)
        points, chosen = self._drawn(u)
        rest = np.arange(len(u))
        for draw in range(MOST_DRAWS):
            rest = rest[self._buried(points[rest], self.owners[chosen[rest]])]
            if not len(rest):
                break
            points[rest], chosen[rest] = self._drawn(_afresh(u[rest], draw))
        return points, self.normals[chosen]

    def _buried(self, points: Points, owners: NDArray[np.int32]) -> NDArray[np.bool_]:
        """Which points (n, 3) of pieces (n,) lie inside another piece: (n,)."""
        out = np.zeros(len(points), np.bool_)
        for number, piece in enumerate(self.pieces):
            if not piece.has_inside:
                continue
            low, high = piece.bounds
            near = np.flatnonzero(~out & (owners != number) & ((points > low) & (points < high)).all(axis=1))
            if len(near):
                out[near] = piece.inside(points[near])
        return out

    def moved(self, transform: Transform) -> Geometry:
        return JoinedGeometry([piece.moved(transform) for piece in self.pieces], self.outside)


def _afresh(u: NDArray[np.float32], draw: int) -> NDArray[np.float32]:
    """Other uniform numbers, decided by those given (n, ≥ 2) and the number of the draw: (n, 4)."""
    keys = np.ascontiguousarray(u[:, :2]).view(np.uint64).reshape(-1)
    out = np.empty((len(u), 4), np.float32)
    philox.uniforms(len(u), keys, np.uint64(len(u[0])), np.uint64(draw), np.uint64(0), out)
    return out
