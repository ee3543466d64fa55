"""Points laid along the ways of particles, and dressed as ribbons."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import noise
from hailridge.core.kernels import trails as kernel
from hailridge.core.kinds.looks.blending import blend
from hailridge.core.kinds.looks.drawn import Ribbons
from hailridge.core.kinds.looks.lines import Lines
from hailridge.core.kinds.looks.tracing import Piece
from hailridge.core.scene.curves import ReadyCurve
from hailridge.model.curves import Curve

TABLE = 256
"""Entries of the tables that taper and fade are read from."""

POINT_BYTES = 20
"""What one point takes: place, width, colour."""


class Laid:
    """Points of lines, newest first: `trails` says which trail each line is a part of, since a trail with gaps is several lines."""

    def __init__(self, look: Any, pieces: list[Piece], lines: Lines, limit: int) -> None:
        self.look, self.pieces, self.lines = look, pieces, lines
        offsets = np.concatenate([[0], np.cumsum([len(piece.ids) for piece in pieces])]).astype(np.int64)
        ids, counts = lines.ids, np.zeros(len(lines.ids), np.int64)
        known = [np.concatenate([getattr(piece, name) for piece in pieces]) for name in ("ids", "places", "between", "velocities", "ages")]
        most = np.minimum(lines.points, limit).astype(np.int64)
        ways: tuple[Any, ...] = (
            offsets, *(np.ascontiguousarray(array) for array in known), np.array([piece.time for piece in pieces]), np.int64(look.smooth),
            np.float32(look.spacing),
        )  # fmt: skip
        none = (
            np.zeros((0, 3), np.float32), np.zeros((0, 2), np.int32), np.zeros(0, np.float32), np.zeros(0, np.int32), np.zeros(0),
        )  # fmt: skip
        if len(ids):
            kernel.lay(len(ids), ids, lines.firsts, *ways, most, lines.oldest, lines.newest, counts, np.zeros(len(ids), np.int64), *none)
        self.longest = int(counts.max(initial=0))
        # Whoever has just been born has no trail yet.
        self.trails = np.flatnonzero(counts > 1)
        self.counts = counts[self.trails]
        self.starts = np.concatenate([[0], np.cumsum(self.counts)])
        total, drawn = int(self.starts[-1]), self.trails
        self.points, self.sources = np.empty((total, 3), np.float32), np.empty((total, 2), np.int32)
        self.mix, self.within, self.times = np.empty(total, np.float32), np.empty(total, np.int32), np.empty(total, np.float64)
        if total:
            kernel.lay(
                len(drawn), ids[drawn], lines.firsts[drawn], *ways, most[drawn], lines.oldest[drawn], lines.newest[drawn], self.counts.copy(),
                self.starts[:-1].copy(), self.points, self.sources, self.mix, self.within, self.times,
            )  # fmt: skip
        trail = np.repeat(np.arange(len(drawn)), self.counts)
        self.shares = np.asarray((np.arange(total) - self.starts[trail]) / np.maximum(self.counts[trail] - 1, 1), np.float32)
        """How far along its trail each point lies: 0 at the head, 1 at the tail."""
        self.heads = self.sources[self.starts[:-1], 0]
        if pieces[0].own.laid is not None and total:
            self._leave_gaps(np.concatenate([np.asarray(piece.own.laid) for piece in pieces]))

    def _leave_gaps(self, laid: NDArray[np.bool_]) -> None:
        """Only ways stay that were laid in frames whose row (n,) says so: the others part a trail into several lines."""
        onward = laid[self.within]
        onward[self.starts[1:] - 1] = False
        # A point stays where a way to it or from it does; a line begins where none leads to it.
        reached = np.concatenate([[False], onward[:-1]])
        stays, begins = onward | reached, onward & ~reached
        parts = np.searchsorted(self.starts, np.flatnonzero(begins), side="right") - 1
        self.trails, self.heads = self.trails[parts], self.heads[parts]
        self.starts = np.append(np.flatnonzero(begins[stays]), np.count_nonzero(stays)).astype(np.int64)
        self.counts = np.diff(self.starts)
        for name in ("points", "sources", "mix", "within", "times", "shares"):
            setattr(self, name, np.ascontiguousarray(getattr(self, name)[stays]))

    def ribbons(self, now: float, cut: int, wanted: int, needed: int) -> Ribbons:
        look, lines, total, number = self.look, self.lines, len(self.points), len(self.counts)
        paints = np.concatenate([piece.paint for piece in self.pieces])
        halves = np.concatenate([piece.halves for piece in self.pieces])
        groups = np.concatenate([piece.groups for piece in self.pieces])
        tones = self._toned(paints) if self.pieces[0].over else np.zeros((0, 3), np.float32)
        sway = lines.sway[self.trails]
        points = self.points + self._swayed(sway, now) if bool((sway != 0).any()) else self.points
        heads = self.heads if look.colored == "now" else np.full(number, -1, np.int32)
        out, color = np.empty((total + 2 * number, 4), np.float32), np.empty((total + 2 * number, 4), np.uint8)
        if number:
            kernel.dress(
                number, self.starts, points, self.sources, self.mix, self.times, self.shares, paints, halves, heads, along(look.fading),
                along(look.taper), lines.fade_time[self.trails], np.float64(now), lines.left[self.trails], tones, out, color,
            )  # fmt: skip
        starts = (self.starts + 2 * np.arange(number + 1)).astype(np.int32)
        ends = starts[:-1] + 1
        settings = {
            "mixing": look.mixing, "tiny": True, "lines": len(np.unique(self.trails)), "cut": cut, "wanted": wanted, "needed": needed,
            "bytes": total * POINT_BYTES,
        }  # fmt: skip
        return Ribbons(
            look.id, look.shader, out[ends, :3].copy(), out[ends, 3].copy(), color, lines.ids[self.trails], groups[self.heads], settings,
            {"points": out, "starts": starts},
        )  # fmt: skip

    def _each(self, of_lines: NDArray[Any]) -> NDArray[Any]:
        """What is said of lines, for each of their points."""
        return np.repeat(of_lines, self.counts)

    def _toned(self, paints: NDArray[np.uint8]) -> NDArray[np.float32]:
        """Colours of points with the layers that follow the trail, 0–255: (p, 3)."""
        rows = self._each(self.heads) if self.look.colored == "now" else self.sources[:, 0]
        below = np.ascontiguousarray(paints[:, :3].T).astype(np.float32).take(rows, axis=1) / np.float32(255)
        return np.ascontiguousarray(self._laid_along(below, rows).T * np.float32(255), np.float32)

    def _laid_along(self, color: Any, rows: NDArray[np.int32]) -> Any:
        """Layers from the first that follows the trail on, laid over what is below: (3, p)."""
        for at, (layer, own, _strength) in enumerate(self.pieces[0].over):
            strengths = np.concatenate([piece.over[at][2] for piece in self.pieces]).take(rows)
            was = None if own is None else np.concatenate([piece.over[at][1] for piece in self.pieces], axis=1)
            color = blend(layer.mode, color, layer.along(self.shares) if was is None else was.take(rows, axis=1), strengths)
        return np.clip(color, 0, 1)

    def _swayed(self, sway: NDArray[np.float32], now: float) -> NDArray[np.float32]:
        """How far noise moves points aside, growing toward the tail up to `sway` (lines,) m: (p, 3) m."""
        look, total, most = self.look, len(self.points), self._each(sway)
        out, drawn = np.empty((total, 3), np.float32), np.empty((total, 4), np.float32)
        for axis in range(3):
            shift = np.array([0.37 * axis, 0.11 + now * look.sway_change, 0.71 - 0.3 * axis], np.float32)
            moved = np.ascontiguousarray(self.points / np.float32(look.sway_size) + shift, np.float32)
            noise.noise(total, moved, np.uint32((look.item ^ (axis * 7919)) & 0xFFFFFF), drawn)
            out[:, axis] = drawn[:, 0] * self.shares * most
        return out


def along(curve: Curve) -> NDArray[np.float32]:
    """A curve from head to tail as a table, never below 0."""
    return np.asarray(np.maximum(ReadyCurve(curve).over(np.linspace(0, 1, TABLE)), 0), np.float32)
