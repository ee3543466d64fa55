"""Trails: where particles have been, as ribbons that face the camera."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import PrivateAttr

from hailridge.core.kernels import noise
from hailridge.core.kernels import trails as kernel
from hailridge.core.kinds.looks.base import GroupLook
from hailridge.core.kinds.looks.blending import blend
from hailridge.core.kinds.looks.drawn import Layer, Ribbons
from hailridge.core.kinds.looks.layers import Layered
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.kinds.looks.tracing import Piece, earlier
from hailridge.core.scene.curves import ReadyCurve
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, lengths, number_of
from hailridge.model import fields
from hailridge.model.curves import Curve, NumberCurve
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Amount, TrailLength
from hailridge.model.ramps import Ramp

TABLE = 256
"""Entries of the tables that taper and fade are read from."""

POINT_BYTES = 20
"""What one point takes: place, width, colour."""


class AlongTrail(Layered):
    title: ClassVar[str] = "a ramp along the trail"
    also: ClassVar[str] = "gradient tail"
    rank: ClassVar[int] = 7
    sentence: ClassVar[str] = "{ramp} along the trail, from head to tail[ by {mode}][ at {strength}]"
    help: ClassVar[str] = "Only for trails: the ramp's first colour at the particle, its last at the far end."
    only_in: ClassVar[tuple[str, ...]] = ("trails",)

    kind: Literal["along_trail"] = "along_trail"
    ramp: Ramp = fields.ramp({"named": "lantern", "reversed": True, "keys": []}, label="Ramp")
    _ready: ReadyRamp | None = PrivateAttr(default=None)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if (fault := self.ramp.fault()) is not None:
            yield "ramp", fault
        if any(layer is self for look in effect.looks if not isinstance(look, Trails) for layer in look.layers):
            yield "ramp", "only trails have a length for colours to run along; use a ramp over a quantity here"

    def tint(self, moment: Moment, rows: Rows) -> Any:
        return self.along(np.zeros(number_of(rows), np.float32))

    def along(self, shares: NDArray[np.float32]) -> Any:
        """Colours at shares of the way from head (0) to tail (1): (3, p)."""
        self._ready = self._ready or ReadyRamp(self.ramp)
        return self._ready.at(shares)


class Trails(GroupLook):
    title: ClassVar[str] = "trails"
    also: ClassVar[str] = "ribbons tails streaks lines"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = (
        "{who} trailing {length}[, a point every {spacing}], {size} as wide as they are[, tapering {taper}][, fading {fading}]"
        "[, gone {fade_time} after being laid][, {smooth}][, colours {colored}][, left behind for {outlive}]"
        "[, swaying {sway} at the tail, {sway_size} across][, opacity {opacity}][, {mixing}][, within {budget} points]"
    )
    help: ClassVar[str] = (
        "A ribbon along the way that each particle has come. Its length is a number of points or a time. With a *spacing* the length no longer "
        "depends on the frame rate. Taper and fade are curves from head to tail. Colours are those that the particle had where it was, so any "
        "quantity can be read off along the trail. The budget bounds how many points are drawn in all; where it is reached, every trail gets "
        "shorter and says so."
    )
    shader: ClassVar[str] = "ribbon"

    kind: Literal["trails"] = "trails"
    length: TrailLength = fields.slot("trail_length", {"kind": "by_points"}, label="Length")
    spacing: float = fields.number(
        0.0, unit="m", low=0, high=1000, soft=(0, 0.5), label="Spacing", still=True,
        help="How far apart points lie along the way; 0 takes one a frame.",
    )  # fmt: skip
    size: Amount = fields.amount(0.5, unit="times", low=0, high=1000, soft=(0, 2), label="Width", help="Of the particle's own width.")
    taper: NumberCurve = fields.curve([{"at": 0.0, "value": 1.0}, {"at": 1.0, "value": 0.0}], along="share", label="Taper")
    fading: NumberCurve = fields.curve([{"at": 0.0, "value": 1.0}, {"at": 1.0, "value": 0.0}], along="share", label="Fade")
    fade_time: float = fields.number(
        0.0, unit="s", low=0, high=3600, soft=(0, 5), label="Gone after", still=True,
        help="Fades each point away in this time, wherever it lies; 0: never.",
    )  # fmt: skip
    smooth: bool = fields.flag(
        True, label="Smooth", yes="smoothed", no="straight from point to point",
        help="Runs through the places of the steps within each frame, or, with one step a frame, rounds the way by the velocities.",
    )  # fmt: skip
    colored: Literal["then", "now"] = fields.choice("then", {"then": "as they were there", "now": "as they are now"}, label="Colours")
    outlive: float = fields.number(
        0.0, unit="s", low=0, high=3600, soft=(0, 5), label="Left behind for", still=True,
        help="How long a trail stays, fading, after its particle has died or left the groups; 0: it goes with it.",
    )  # fmt: skip
    sway: float = fields.number(
        0.0, unit="m", low=0, high=1000, soft=(0, 1), label="Sway", help="How far noise moves the tail aside; less toward the head."
    )
    sway_size: float = fields.number(0.5, unit="m", low=1e-3, high=1e4, soft=(0.05, 5), label="Size of the sway")
    sway_change: float = fields.number(0.3, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change of the sway")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed of the sway")
    budget: int = fields.number(
        600_000, unit="count", low=100, high=4_000_000, soft=(10_000, 1_000_000), step=1000, whole=True, label="Budget of points",
        help=f"Points of all trails together, at {POINT_BYTES} bytes each. 4 000 000 are 80 MB for every frame.",
    )  # fmt: skip

    @property
    def through_steps(self) -> bool:
        return self.smooth

    @property
    def wanted_points(self) -> int:
        return int(getattr(self.length, "points", 0))

    def paint_along(self, moment: Moment, rows: Rows) -> tuple[NDArray[np.uint8], list[Any]]:
        """Paint below the first layer that follows the trail, and the layers from there on (`Piece.over`)."""
        first = next((at for at, layer in enumerate(self.layers) if isinstance(layer, AlongTrail)), len(self.layers))
        count = number_of(rows)
        over: list[Any] = []
        for layer in self.layers[first:]:
            entry: Any = layer
            strength = np.array(np.broadcast_to(entry.strengths(moment, rows), (count,)), np.float32)
            color = None if isinstance(layer, AlongTrail) else np.array(np.broadcast_to(entry.tint(moment, rows), (3, count)), np.float32)
            over.append((entry, color, strength))
        return self.paint(moment, rows, self.layers[:first]), over

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        now, fps = moment.time, moment.scene.effect.clock.frames_per_second
        seconds = getattr(self.length, "seconds", None)
        oldest = -np.inf if seconds is None else now - seconds
        # No more frames are looked back on than the budget leaves points for.
        most = max(2, self.budget // max(1, number_of(rows)))
        pieces = earlier(self, moment, _Enough(self, now, oldest, fps, min(self.wanted_points or most, most)))
        firsts, ids = _last_seen(pieces, now - self.outlive if self.outlive > 0 else None)
        most = self.budget // max(1, len(ids))
        limit = max(2, min(self.wanted_points or most, most))
        laid = _Laid(self, pieces, ids, firsts, limit, oldest)
        return laid.ribbons(moment, now, cut=limit if self.wanted_points > limit or (not self.wanted_points and laid.longest >= most) else 0)


class _Enough:
    """Whether as many frames have been looked at as trails can need."""

    def __init__(self, look: Trails, now: float, oldest: float, fps: float, points: int) -> None:
        self.look, self.oldest, self.points = look, oldest, points
        self.dead_until = now - look.outlive
        self.frames_for_dead = int(look.outlive * fps) + 1 if look.outlive > 0 else 0
        self.ways: NDArray[np.float32] | None = None
        self.ids: NDArray[np.int32] = np.zeros(0, np.int32)

    def __call__(self, pieces: list[Piece]) -> bool:
        look, last = self.look, pieces[-1]
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
            return look.outlive <= 0
        now, then = _rows_at(newer.ids, ids), _rows_at(last.ids, ids)
        kept = last.ids[then] == ids
        self.ways = (self.ways + lengths(newer.places[now] - last.places[then]))[kept]
        self.ids = ids[kept]
        if look.outlive > 0 and last.time >= self.dead_until:
            # Whoever has died since is followed too.
            fresh = last.ids[~np.isin(last.ids, newer.ids, assume_unique=True)]
            order = np.argsort(np.concatenate([self.ids, fresh]), kind="stable")
            self.ways = np.concatenate([self.ways, np.zeros(len(fresh), np.float32)])[order]
            self.ids = np.concatenate([self.ids, fresh])[order]
            return False
        return bool((self.ways >= look.spacing * self.points).all())


def _rows_at(present: NDArray[np.int32], ids: NDArray[np.int32]) -> NDArray[np.intp]:
    """Where ascending ids stand in a frame's ascending ids; anywhere where they do not."""
    if len(present) == len(ids) and bool((present == ids).all()):
        return np.arange(len(ids))
    return np.searchsorted(present, ids).clip(0, max(0, len(present) - 1))


def _last_seen(pieces: list[Piece], since: float | None) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Whose trails are drawn: how many frames ago each was last seen, and its id; those gone since `since` (seconds) too, if it is given."""
    firsts, ids = [np.zeros(len(pieces[0].ids), np.int32)], [pieces[0].ids]
    if since is not None:
        for back in range(1, len(pieces)):
            if pieces[back].time < since:
                break
            gone = pieces[back].ids[~np.isin(pieces[back].ids, pieces[back - 1].ids, assume_unique=True)]
            firsts.append(np.full(len(gone), back, np.int32))
            ids.append(gone)
    return np.concatenate(firsts), np.concatenate(ids)


class _Laid:
    """Points laid along the ways of particles."""

    def __init__(self, look: Trails, pieces: list[Piece], ids: NDArray[np.int32], firsts: NDArray[np.int32], limit: int, oldest: float) -> None:
        self.look, self.pieces, self.firsts = look, pieces, firsts
        self.offsets = np.concatenate([[0], np.cumsum([len(piece.ids) for piece in pieces])]).astype(np.int64)
        counts = np.zeros(len(ids), np.int64)
        known = [np.concatenate([getattr(piece, name) for piece in pieces]) for name in ("ids", "places", "between", "velocities", "ages")]
        fixed: tuple[Any, ...] = (
            ids, firsts, self.offsets, *(np.ascontiguousarray(array) for array in known), np.array([piece.time for piece in pieces]),
            np.int64(look.smooth), np.float32(look.spacing), np.full(len(ids), limit, np.int64), np.float64(oldest), counts,
        )  # fmt: skip
        none = (np.zeros(len(ids), np.int64), np.zeros((0, 3), np.float32), np.zeros((0, 2), np.int32), np.zeros(0, np.float32), np.zeros(0))
        if len(ids):
            kernel.lay(len(ids), *fixed, *none)
        self.longest = int(counts.max(initial=0))
        # Whoever has just been born has no trail yet.
        drawn = np.flatnonzero(counts > 1)
        self.counts = counts[drawn]
        self.starts = np.concatenate([[0], np.cumsum(self.counts)])
        total = int(self.starts[-1])
        self.points, self.sources = np.empty((total, 3), np.float32), np.empty((total, 2), np.int32)
        self.mix, self.times = np.empty(total, np.float32), np.empty(total, np.float64)
        self.ids, self.firsts = ids[drawn], firsts[drawn]
        if total:
            kernel.lay(
                len(drawn), self.ids, self.firsts, *fixed[2:11], fixed[11][drawn], np.float64(oldest), self.counts.copy(), self.starts[:-1].copy(),
                self.points, self.sources, self.mix, self.times,
            )  # fmt: skip

    def ribbons(self, moment: Moment, now: float, cut: int) -> Ribbons:
        look, total, number = self.look, len(self.points), len(self.counts)
        paints = np.concatenate([piece.paint for piece in self.pieces])
        halves = np.concatenate([piece.halves for piece in self.pieces])
        groups = np.concatenate([piece.groups for piece in self.pieces])
        left = np.ones(number, np.float32)
        if look.outlive > 0:
            last = np.array([piece.time for piece in self.pieces])[self.firsts]
            left = np.where(self.firsts > 0, np.clip(1 - (now - last) / look.outlive, 0, 1), 1).astype(np.float32)
        needs_shares = look.sway > 0 or bool(self.pieces[0].over)
        shares = self._shares() if needs_shares else np.zeros(0, np.float32)
        tones = self._toned(paints, shares) if self.pieces[0].over else np.zeros((0, 3), np.float32)
        points = self.points + self._swayed(shares, now) if look.sway > 0 else self.points
        out, color = np.empty((total + 2 * number, 4), np.float32), np.empty((total + 2 * number, 4), np.uint8)
        if number:
            kernel.dress(
                number, self.starts, points, self.sources, self.mix, self.times, paints, halves, np.int64(look.colored == "now"), _along(look.fading),
                _along(look.taper), np.float64(look.fade_time), np.float64(now), left, tones, out, color,
            )  # fmt: skip
        starts = (self.starts + 2 * np.arange(number + 1)).astype(np.int32)
        heads = starts[:-1] + 1
        settings = {
            "mixing": look.mixing, "tiny": True, "lines": number, "cut": cut, "wanted": look.wanted_points, "bytes": total * POINT_BYTES,
        }  # fmt: skip
        return Ribbons(
            look.id, look.shader, out[heads, :3].copy(), out[heads, 3].copy(), color, self.ids, groups[self.sources[self.starts[:-1], 0]], settings,
            {"points": out, "starts": starts},
        )  # fmt: skip

    def _shares(self) -> NDArray[np.float32]:
        """How far along its trail each point lies: 0 at the head, 1 at the tail."""
        trail = np.repeat(np.arange(len(self.counts)), self.counts)
        return np.asarray((np.arange(len(self.points)) - self.starts[trail]) / np.maximum(self.counts[trail] - 1, 1), np.float32)

    def _toned(self, paints: NDArray[np.uint8], shares: NDArray[np.float32]) -> NDArray[np.float32]:
        """Colours of points with the layers that follow the trail, 0–255: (p, 3)."""
        rows = self.sources[:, 0]
        if self.look.colored == "now":
            rows = np.repeat(rows[self.starts[:-1]], self.counts)
        below = np.ascontiguousarray(paints[:, :3].T).astype(np.float32).take(rows, axis=1) / np.float32(255)
        return np.ascontiguousarray(self._laid_along(below, rows, shares).T * np.float32(255), np.float32)

    def _laid_along(self, color: Any, rows: NDArray[np.int32], shares: NDArray[np.float32]) -> Any:
        """Layers from the first that follows the trail on, laid over what is below: (3, p)."""
        for at, (layer, own, _strength) in enumerate(self.pieces[0].over):
            strengths = np.concatenate([piece.over[at][2] for piece in self.pieces]).take(rows)
            was = None if own is None else np.concatenate([piece.over[at][1] for piece in self.pieces], axis=1)
            color = blend(layer.mode, color, layer.along(shares) if was is None else was.take(rows, axis=1), strengths)
        return np.clip(color, 0, 1)

    def _swayed(self, shares: NDArray[np.float32], now: float) -> NDArray[np.float32]:
        """How far noise moves points aside, growing toward the tail: (p, 3) m."""
        look, total = self.look, len(self.points)
        out, drawn = np.empty((total, 3), np.float32), np.empty((total, 4), np.float32)
        for axis in range(3):
            shift = np.array([0.37 * axis, 0.11 + now * look.sway_change, 0.71 - 0.3 * axis], np.float32)
            moved = np.ascontiguousarray(self.points / np.float32(look.sway_size) + shift, np.float32)
            noise.noise(total, moved, np.uint32((look.item ^ (axis * 7919)) & 0xFFFFFF), drawn)
            out[:, axis] = drawn[:, 0] * shares * np.float32(look.sway)
        return out


def _along(curve: Curve) -> NDArray[np.float32]:
    """A curve from head to tail as a table, never below 0."""
    return np.asarray(np.maximum(ReadyCurve(curve).over(np.linspace(0, 1, TABLE)), 0), np.float32)
