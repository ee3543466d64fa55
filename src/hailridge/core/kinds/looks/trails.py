"""Trails: where particles have been, as ribbons that face the camera."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import PrivateAttr

from hailridge.core.kinds.looks.base import GroupLook
from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.layers import Layered
from hailridge.core.kinds.looks.laying import POINT_BYTES, Laid
from hailridge.core.kinds.looks.lengths import MOST, ByTime
from hailridge.core.kinds.looks.lines import Enough, bounded, lines_of
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.kinds.looks.tracing import Own, earlier
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.curves import NumberCurve
from hailridge.model.effect import ItemSeed
from hailridge.model.parts import Amount, Condition, TrailLength
from hailridge.model.ramps import Ramp

LONGEST = 3600.0
"""Seconds beyond which nobody looks back."""


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
        "{who} trailing {length}[, laid only while {laid_while}][, a point every {spacing}], {size} as wide as they are[, tapering {taper}]"
        "[, fading {fading}]"
        "[, gone {fade_time} after being laid][, {smooth}][, colours {colored}][, left behind for {outlive}]"
        "[, swaying {sway} at the tail, {sway_size} across][, opacity {opacity}][, {mixing}][, within {budget} points]"
    )
    help: ClassVar[str] = (
        "A ribbon along the way that each particle has come. Its length is a number of points or a time, which may vary: longer the faster. With a "
        "*spacing* the length no longer depends on the frame rate. Taper and fade are curves from head to tail. Colours are those that the particle "
        "had where it was, so any quantity can be read off along the trail; length, width, sway and times are those of the particle as it is now. "
        "*Laid while* leaves gaps where its condition did not hold; the action *begin a new trail* ends what was laid. The budget bounds how many "
        "points are drawn in all; where it is reached, the longest get shorter and it says so."
    )
    shader: ClassVar[str] = "ribbon"

    kind: Literal["trails"] = "trails"
    length: TrailLength = fields.slot("trail_length", {"kind": "by_points"}, label="Length")
    laid_while: Condition | None = fields.slot(
        "condition", None, label="Laid while", optional="whatever it does",
        help="Asked of each frame in which points were laid: where it did not hold, the trail has a gap.",
    )  # fmt: skip
    spacing: float = fields.number(
        0.0, unit="m", low=0, high=1000, soft=(0, 0.5), label="Spacing", still=True,
        help="How far apart points lie along the way; 0 takes one a frame.",
    )  # fmt: skip
    size: Amount = fields.amount(0.5, unit="times", low=0, high=1000, soft=(0, 2), label="Width", help="Of the particle's own width.")
    taper: NumberCurve = fields.curve([{"at": 0.0, "value": 1.0}, {"at": 1.0, "value": 0.0}], along="share", label="Taper")
    fading: NumberCurve = fields.curve([{"at": 0.0, "value": 1.0}, {"at": 1.0, "value": 0.0}], along="share", label="Fade")
    fade_time: Amount = fields.amount(
        0.0, unit="s", low=0, high=3600, soft=(0, 5), label="Gone after",
        help="Fades each point away in this time, wherever it lies; 0: never.",
    )  # fmt: skip
    smooth: bool = fields.flag(
        True, label="Smooth", yes="smoothed", no="straight from point to point",
        help="Runs through the places of the steps within each frame, or, with one step a frame, rounds the way by the velocities.",
    )  # fmt: skip
    colored: Literal["then", "now"] = fields.choice("then", {"then": "as they were there", "now": "as they are now"}, label="Colours")
    outlive: Amount = fields.amount(
        0.0, unit="s", low=0, high=3600, soft=(0, 5), label="Left behind for",
        help="How long a trail stays, fading, after its particle has died, left the groups or begun a new one; 0: it goes at once.",
    )  # fmt: skip
    sway: Amount = fields.amount(
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

    def own(self, moment: Moment, rows: Rows) -> Own:
        """What it says of particles as they are at a moment."""
        count = number_of(rows)

        def each(given: Any) -> NDArray[np.float32]:
            return np.broadcast_to(np.nan_to_num(np.asarray(given, np.float32)), (count,))

        points, seconds = self.length.reach(moment, rows)
        endless = np.broadcast_to(np.float32(np.inf), (count,))
        return Own(
            endless if points is None else np.clip(np.floor(each(points)), 0, MOST), endless if seconds is None else each(seconds),
            each(self.fade_time.give(moment, rows)), each(self.outlive.give(moment, rows)), each(self.sway.give(moment, rows)),
            None if self.laid_while is None else np.array(np.broadcast_to(self.laid_while.holds(moment, rows), (count,)), np.bool_),
            moment.read("trail_begun", rows).copy() if moment.particles.has("trail_begun") else None,
        )  # fmt: skip

    @property
    def lasting(self) -> float:
        """Seconds for which a trail is left behind at most."""
        return float(min(max(self.outlive.extent()[1], 0.0), LONGEST))

    @property
    def furthest(self) -> tuple[float, float]:
        """Points and seconds of the longest trail of whatever particle; infinite for the one that does not bound it."""
        if isinstance(self.length, ByTime):
            return np.inf, min(self.length.seconds.extent()[1], LONGEST)
        return min(self.length.most_points(1.0), MOST), np.inf

    def draw(self, moment: Moment, rows: Rows) -> Layer:
        now, fps = moment.time, moment.scene.effect.clock.frames_per_second
        pieces = earlier(self, moment, Enough(self, now, fps))
        lines = lines_of(self, pieces, now)
        # A point each frame: of those that are asked for there are no more than frames up to now.
        asked = lines.points if self.spacing > 0 else np.minimum(lines.points, moment.frame + 2)
        cap = bounded(asked, self.budget)
        laid = Laid(self, pieces, lines, cap)
        # Where a time bounds them, nobody knows how many points they would have: they are cut if one is as long as may be.
        finite = asked[np.isfinite(lines.points)]
        wanted = int(finite.max(initial=0))
        cut = cap if wanted > cap or (not wanted and laid.longest >= cap) else 0
        return laid.ribbons(now, cut=cut, wanted=wanted, needed=int(finite.sum(dtype=np.float64)))
