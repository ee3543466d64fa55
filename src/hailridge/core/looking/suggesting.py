"""Values to begin with where something new is compared, set or mapped: of the right type, and of a size taken from what the particles have now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.looking.observe import rows_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import number_of
from hailridge.model.parts import Quantity
from hailridge.model.rounding import band_of, ends

AT_END = 0.02
"""Nearer to an end than this share of what there can be counts as at the end."""


@dataclass
class Present:
    """What particles have now, as values to begin with: see `model.fields.Suggestion`. Numbers for a quantity; three of them for a vector."""

    middle: Any
    lower: Any
    upper: Any
    lowest: Any
    highest: Any
    band: Any
    part: Any
    double: Any


def present_quantity(moment: Moment, quantity: Quantity, who: list[str]) -> Present | None:
    """Of a quantity over the particles of `who`; None where there is nobody, or no number."""
    rows = rows_of(moment, moment.scene.members(who))
    if not number_of(rows):
        return None
    low, high = quantity.low, quantity.high
    info = moment.scene.table.get(getattr(quantity, "attribute", ""))
    if info is not None and info.value_type == "number":
        low, high = info.low, info.high
    return _present(np.asarray(quantity.read(moment, rows), np.float64), low, high)


def present_attribute(moment: Moment, attribute: str, who: list[str]) -> Present | None:
    """Of an attribute over the particles of `who`. Colours, turns and yes or no have no middle that would mean anything: there is none."""
    rows = rows_of(moment, moment.scene.members(who))
    info = moment.scene.table[attribute]
    if number_of(rows) == 0 or info.value_type in ("color", "orientation", "flag"):
        return None
    return _present(np.asarray(moment.read_attribute(attribute, rows), np.float64))


def _present(values: NDArray[np.float64], low: float | None = None, high: float | None = None) -> Present | None:
    """`low` and `high`: what none of the values can ever be below or above."""
    values = values[np.isfinite(values).reshape(len(values), -1).all(axis=1)]
    values = values[(np.abs(values) < 1e20).reshape(len(values), -1).all(axis=1)]
    if len(values) == 0:
        return None
    lowest, lower, middle, upper, highest = np.quantile(values, [0.02, 0.25, 0.5, 0.75, 0.98], axis=0)
    middle = _off_the_ends(middle, low, high)
    if np.ndim(middle) == 0 and highest - lowest < 1e-9 * max(1.0, abs(highest)):
        # All are alike: what lies a little to either side.
        away = max(abs(float(middle)) * 0.5, 0.5)
        lowest, lower, upper, highest = middle - away, middle - away / 2, middle + away / 2, middle + away
    middle, lower, upper, part, double = (_rounded(value) for value in (middle, lower, upper, _part(middle), middle * 2))
    if np.ndim(middle):
        lowest, highest = _rounded(lowest), _rounded(highest)
    else:
        lowest, highest = ends(float(lowest), float(highest), low, high)
    return Present(middle, lower, upper, lowest, highest, band_of(lowest, highest), part, double)


def _off_the_ends(middle: Any, low: float | None, high: float | None) -> Any:
    """Half way between ends that there are: where nearly all have the least or the most there is, that would tell nobody apart."""
    if low is None or high is None or np.ndim(middle) or AT_END * (high - low) < min(middle - low, high - middle):
        return middle
    return (low + high) / 2


def _part(middle: Any) -> Any:
    return np.where(np.abs(middle) > 1e-9, np.abs(middle) / 5, 1.0)


def _rounded(value: Any) -> Any:
    """To two digits, as one would type it."""
    if np.ndim(value):
        return [_rounded(entry) for entry in value]
    return float(f"{float(value):.2g}")
