"""How long trails are: a number of points, or a time."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.model import fields
from hailridge.model.parts import TrailLength


class ByPoints(TrailLength):
    title: ClassVar[str] = "a number of points"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{points} points"
    help: ClassVar[str] = (
        "A point for each frame: 120 points at 24 frames a second are the last 5 s. With a spacing, points lie that far apart along the way "
        "whatever the frame rate, and the trail is as long as all of them together."
    )

    kind: Literal["by_points"] = "by_points"
    points: int = fields.number(60, low=2, high=50_000, soft=(2, 300), step=1, whole=True, label="Points", unit="count", measures="frames")


class ByTime(TrailLength):
    title: ClassVar[str] = "a time"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "the last {seconds}"
    help: ClassVar[str] = "Where the particle was within this time, whatever the frame rate."

    kind: Literal["by_time"] = "by_time"
    seconds: float = fields.number(1.0, unit="s", low=0.01, high=3600, soft=(0.1, 10), label="Time", measures="seconds")
