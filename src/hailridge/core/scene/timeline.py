"""Which times of the effect the frames of the clock show, and how each is cut into steps."""

from __future__ import annotations

import math

import numpy as np

from hailridge.core.scene.curves import ReadyCurve
from hailridge.model.effect import Clock

DEFAULT_LONGEST_WAY = 0.1
"""Metres that a particle may move in one step, where steps follow the speed and the document does not say."""


class Timeline:
    """The clock made ready. All times are seconds of the effect."""

    def __init__(self, clock: Clock) -> None:
        self.clock = clock
        curve = clock.tracks.get("effect_time") if clock.time_from == "curve" else None
        self.curve = None if curve is None else ReadyCurve(curve)
        self.beginning = -clock.pre_roll
        """When the effect begins: before 0 with a pre-roll."""
        self.ending = clock.duration if curve is None else curve.extent()[1]
        """The latest time that the effect reaches."""

    def time_of(self, frame: float) -> float:
        """The effect's time that a frame of the clock shows."""
        shown = frame / self.clock.frames_per_second
        return shown if self.curve is None else float(self.curve.at_time(shown))  # type: ignore[arg-type]

    def last_frame_by(self, time: float, last: int) -> int:
        """The last frame, up to `last`, that shows no later time than `time`; −1 where even the first does."""
        if self.time_of(0) > time:
            return -1
        if self.curve is None:
            frame = min(last, math.floor(time * self.clock.frames_per_second + 1e-6))
            # Times are products and may round either way at a whole frame.
            return frame if self.time_of(frame) <= time else frame - 1
        low, high = 0, last
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if self.time_of(middle) <= time else (low, middle - 1)
        return low

    def edges(self, frame: int, fastest: float) -> list[float]:
        """The times between which the steps of a frame go: one more than there are steps. Frame 0 runs up from the beginning.

        `fastest` is the highest speed of any particle (m/s), for clocks whose steps follow it.
        """
        end = self.time_of(frame)
        if frame == 0:
            return self._run_up(end)
        start = self.time_of(frame - 1)
        if end <= start:
            return [start]
        steps = self._steps(fastest * (end - start))
        return [*(start + (end - start) * (index / steps) for index in range(steps)), end]

    def _run_up(self, end: float) -> list[float]:
        length = end - self.beginning
        frames = math.ceil(length * self.clock.frames_per_second - 1e-9)
        steps = max(0, frames) * self.clock.steps_per_frame
        return [*(self.beginning + length * (index / steps) for index in range(steps)), end]

    def _steps(self, way: float) -> int:
        most = self.clock.steps_per_frame
        if self.clock.stepping == "exactly":
            return most
        needed = way / (self.clock.longest_way or DEFAULT_LONGEST_WAY)
        return int(np.clip(math.ceil(needed) if math.isfinite(needed) else most, 1, most))
