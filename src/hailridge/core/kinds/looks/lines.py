"""Whose trails are drawn and between which times: those who are there, and what those who are gone or have begun anew left behind."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.looks.tracing import Own, Piece
from hailridge.core.state.particles import lengths


@dataclass
class Lines:
    """Trails to be laid, all (t,): how many frames ago each was last seen, whose it is, points, seconds after which a point is gone, metres of
    sway, what is left of its opacity, and the times (s) between which it lies."""

    firsts: NDArray[np.int32]
    ids: NDArray[np.int32]
    points: NDArray[np.float32]
    fade_time: NDArray[np.float64]
    sway: NDArray[np.float32]
    left: NDArray[np.float32]
    oldest: NDArray[np.float64]
    newest: NDArray[np.float64]


def lines_of(look: Any, pieces: list[Piece], now: float) -> Lines:
    """The trails of the look's particles at the newest of its pieces, and of those that are left behind."""
    here = pieces[0]
    found = [_lines(here, slice(None), 0, now, np.inf, np.ones(len(here.ids), np.float32))]
    lasting = look.lasting
    for back in range(1, len(pieces) if lasting > 0 else 0):
        newer, older = pieces[back - 1], pieces[back]
        if older.time < now - lasting and newer.time < now - lasting:
            break
        stays = older.own.outlive
        gone = np.flatnonzero(~np.isin(older.ids, newer.ids, assume_unique=True) & (stays > 0) & (stays >= now - older.time))
        found.append(_lines(older, gone, back, now, np.inf, 1 - (now - older.time) / stays[gone]))
        if older.own.begun is None or newer.own.begun is None:
            continue
        at = rows_at(newer.ids, older.ids)
        ends = newer.own.begun[at].astype(np.float64) if len(newer.ids) else np.zeros(0)
        anew = np.flatnonzero((newer.ids[at] == older.ids) & (ends > older.own.begun)) if len(newer.ids) else np.zeros(0, np.intp)
        anew = anew[(stays[anew] > 0) & (stays[anew] > now - ends[anew])]
        found.append(_lines(older, anew, back - 1, now, ends[anew], 1 - (now - ends[anew]) / stays[anew]))
    return Lines(*(np.concatenate([getattr(lines, name) for lines in found]) for name in Lines.__dataclass_fields__))


def _lines(piece: Piece, rows: Any, first: int, now: float, ends: Any, left: Any) -> Lines:
    """Trails of some of a piece's particles, as it says, followed back from the frame `first` frames ago up to the times at which they ended."""
    own, ids = piece.own, piece.ids[rows]
    oldest = now - own.seconds[rows].astype(np.float64)
    if own.begun is not None:
        oldest = np.maximum(oldest, own.begun[rows])
    return Lines(
        np.full(len(ids), first, np.int32), ids, own.points[rows], own.fade_time[rows].astype(np.float64), own.sway[rows],
        np.clip(np.asarray(left, np.float32), 0, 1), oldest, np.array(np.broadcast_to(np.asarray(ends, np.float64), (len(ids),))),
    )  # fmt: skip


def bounded(points: NDArray[np.float32], budget: int) -> int:
    """How many points a trail may have at most, so that all together keep within a budget: the longest are cut to the same number, at least 2."""
    if len(points) == 0:
        return budget
    ascending = np.sort(points.astype(np.float64))
    before = np.concatenate([[0.0], np.cumsum(ascending[:-1])])
    shares = (budget - before) / np.arange(len(points), 0, -1)
    over = np.flatnonzero(ascending > shares)
    return max(2, int(shares[over[0]] if len(over) else ascending[-1]))


class Enough:
    """Whether as many frames have been looked at as trails can need."""

    def __init__(self, look: Any, now: float, frames_per_second: float) -> None:
        self.look, self.now = look, now
        lasting = look.lasting
        self.dead_until = now - lasting
        self.frames_for_dead = int(lasting * frames_per_second) + 1 if lasting > 0 else 0
        self.ways: NDArray[np.float32] | None = None
        self.ids: NDArray[np.int32] = np.zeros(0, np.int32)
        self.points, self.oldest = 0.0, -np.inf

    def _bounds(self, own: Own) -> None:
        """No more frames are looked back on than the budget leaves points for."""
        cap, longest = bounded(own.points, self.look.budget), float(own.points.max(initial=2))
        points, seconds = self.look.furthest if self.frames_for_dead else (longest, float(own.seconds.max(initial=0)))
        self.points = points if np.isfinite(points) and longest <= cap else min(points, cap)
        self.oldest = self.now - seconds

    def __call__(self, pieces: list[Piece]) -> bool:
        look, last = self.look, pieces[-1]
        if len(pieces) == 1:
            self._bounds(last.own)
        by_frames = look.spacing <= 0 and len(pieces) > self.points + self.frames_for_dead
        if np.isfinite(self.oldest):
            # A trail left behind began before its particle died.
            return last.time <= self.oldest or by_frames
        if look.spacing <= 0:
            return by_frames
        # With a spacing: until those that are still followed have come far enough.
        if self.ways is None or len(pieces) == 1:
            self.ids, self.ways = last.ids, np.zeros(len(last.ids), np.float32)
            return False
        newer, ids = pieces[-2], self.ids
        if len(last.ids) == 0:
            return not self.frames_for_dead
        now, then = rows_at(newer.ids, ids), rows_at(last.ids, ids)
        kept = last.ids[then] == ids
        self.ways = (self.ways + lengths(newer.places[now] - last.places[then]))[kept]
        self.ids = ids[kept]
        if self.frames_for_dead and last.time >= self.dead_until:
            # Whoever has died since is followed too.
            fresh = last.ids[~np.isin(last.ids, newer.ids, assume_unique=True)]
            order = np.argsort(np.concatenate([self.ids, fresh]), kind="stable")
            self.ways = np.concatenate([self.ways, np.zeros(len(fresh), np.float32)])[order]
            self.ids = np.concatenate([self.ids, fresh])[order]
            return False
        return bool((self.ways >= look.spacing * self.points).all())


def rows_at(present: NDArray[np.int32], ids: NDArray[np.int32]) -> NDArray[np.intp]:
    """Where ascending ids stand in a frame's ascending ids; anywhere where they do not."""
    if len(present) == len(ids) and bool((present == ids).all()):
        return np.arange(len(ids))
    return np.searchsorted(present, ids).clip(0, max(0, len(present) - 1))
