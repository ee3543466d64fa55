"""How long trails are: a number of points, or a time."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.parts import Amount, TrailLength

MOST = 50_000
"""Points of a trail."""


class ByPoints(TrailLength):
    title: ClassVar[str] = "a number of points"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{points} points"
    help: ClassVar[str] = (
        "A point for each frame: 120 points at 24 frames a second are the last 5 s. With a spacing, points lie that far apart along the way "
        "whatever the frame rate, and the trail is as long as all of them together."
    )

    kind: Literal["by_points"] = "by_points"
    points: Amount = fields.amount(60.0, low=0, high=MOST, soft=(2, 300), label="Points", unit="count", measures="frames", per_frame="points")

    def reach(self, moment: Moment, rows: Rows) -> tuple[Any, Any]:
        return self.points.give(moment, rows), None

    def most_points(self, frames_per_second: float) -> float:
        return self.points.extent()[1]


class ByTime(TrailLength):
    title: ClassVar[str] = "a time"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "the last {seconds}"
    help: ClassVar[str] = "Where the particle was within this time, whatever the frame rate."

    kind: Literal["by_time"] = "by_time"
    seconds: Amount = fields.amount(1.0, unit="s", low=0, high=3600, soft=(0.1, 10), label="Time", measures="seconds")

    def reach(self, moment: Moment, rows: Rows) -> tuple[Any, Any]:
        return None, self.seconds.give(moment, rows)

    def most_points(self, frames_per_second: float) -> float:
        return self.seconds.extent()[1] * frames_per_second
