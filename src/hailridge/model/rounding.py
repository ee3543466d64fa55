"""Round numbers, as somebody would type them, for where ramps and bands begin and end."""

from __future__ import annotations

from math import ceil, floor, log10
from typing import Any

import numpy as np

BANDS = 6
"""Into about how many bands a span is cut."""


def step_of(span: float) -> float:
    """The largest of 1, 2 and 5 times a power of ten that is no more than `span`, which is above 0."""
    power = 10.0 ** floor(log10(span) + 1e-9)
    return next(times * power for times in (5, 2, 1) if times * power <= span * (1 + 1e-9))


def ends(lowest: float, highest: float, low: float | None, high: float | None) -> tuple[float, float]:
    """Where a ramp over values from `lowest` to `highest` begins and ends: at what they can never be below and above if there is either on both
    sides, or if they come near it below; else at round numbers around them.
    """
    if low is not None and high is not None:
        return float(low), float(high)
    span = max(highest - lowest, 1e-9)
    step = step_of(span / 10)
    near = low is not None and lowest - low <= span
    start = float(low) if near and low is not None else _tidy(floor(lowest / step + 1e-9) * step, step)
    return start, _tidy(ceil(highest / step - 1e-9) * step, step)


def band_of(start: Any, end: Any) -> Any:
    """A round width for bands between two ends: numbers, or three of each."""
    if np.ndim(start):
        return [band_of(one, other) for one, other in zip(start, end, strict=True)]
    wanted = max(float(end) - float(start), 1e-6) / BANDS
    below = step_of(wanted)
    return _tidy(min((below, step_of(below * 2.5)), key=lambda width: abs(log10(width / wanted))), 0.0)


def _tidy(value: float, step: float) -> float:
    """Without the dust of binary fractions."""
    return float(f"{value:.6g}") if abs(value) > step * 1e-6 else 0.0
