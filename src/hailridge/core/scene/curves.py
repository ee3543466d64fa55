"""Reading keyed curves: one place, many places, and what has accumulated under a curve up to a time."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import curves as kernel
from hailridge.model.curves import Curve

SUMMED_EVERY = 1 / 960
"""Seconds between the places at which a rate is summed: a multiple of 24, 30 and 60 frames a second, so that frames meet it exactly."""


class ReadyCurve:
    """A curve as arrays. Values are (n,) for numbers and (n, 3) for vectors and colours."""

    def __init__(self, curve: Curve) -> None:
        self.at = np.array([key.at for key in curve.keys], np.float64)
        self.values = np.array([key.value for key in curve.keys], np.float64).reshape(len(curve.keys), -1)
        self.modes = np.array([_mode(key.ease) for key in curve.keys], np.uint8)
        self.handles = np.array([key.ease if isinstance(key.ease, list) else [0, 0, 1, 1] for key in curve.keys], np.float64)
        self.wide = curve.width() == 3

    def over(self, places: NDArray[Any]) -> NDArray[np.float64]:
        """Values at places (n,): (n,) or (n, 3) float64."""
        places = np.ascontiguousarray(places, np.float64)
        out = np.empty((len(places), self.values.shape[1]))
        kernel.curve(len(places), places, self.at, self.values, self.modes, self.handles, out)
        return out if self.wide else out[:, 0]

    def at_time(self, time: float) -> float | list[float]:
        """The value at one place, as the document would hold it."""
        value = self.over(np.array([time]))[0]
        return [float(number) for number in value] if self.wide else float(value)


class RunningTotal:
    """The sum under a rate curve from `start` to `end` (seconds): how many births until when, and when each is due."""

    def __init__(self, curve: ReadyCurve, start: float, end: float) -> None:
        steps = max(1, int(np.ceil((end - start) / SUMMED_EVERY)))
        self.times = start + np.arange(steps + 1) * SUMMED_EVERY
        middles = self.times[:-1] + SUMMED_EVERY / 2
        self.totals = np.concatenate([[0.0], np.cumsum(np.maximum(curve.over(middles), 0.0) * SUMMED_EVERY)])

    def until(self, time: float) -> float:
        return float(np.interp(time, self.times, self.totals))

    def when(self, totals: NDArray[Any]) -> NDArray[np.float64]:
        """The first times at which these totals are reached."""
        places = np.searchsorted(self.totals, totals, side="left").clip(1, len(self.totals) - 1)
        low, high = self.totals[places - 1], self.totals[places]
        share = np.clip((totals - low) / np.maximum(high - low, 1e-300), 0, 1)
        return np.asarray(self.times[places - 1] + share * SUMMED_EVERY)


def _mode(ease: Any) -> int:
    return kernel.BEZIER if isinstance(ease, list) else kernel.HOLD if ease == "hold" else kernel.LINEAR
