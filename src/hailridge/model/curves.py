"""Curves through keys: keyframes over time, and values over life or any other share. One form for both."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Annotated, Any, Literal

from annotated_types import Len
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

Number3 = Annotated[list[float], Len(3, 3)]

Handles = Annotated[list[Annotated[float, Field(ge=-20, le=20)]], Len(4, 4)]
"""x1, y1, x2, y2 of a cubic-bezier easing between two keys, as in CSS Easing Functions 1; x1 and x2 within 0–1."""

Ease = Literal["linear", "hold"] | Handles

MOST_KEYS = 400
SMOOTH = [0.42, 0.0, 0.58, 1.0]
"""The easing `ease-in-out` of CSS Easing Functions 1."""


class Key(BaseModel):
    """A value at a place along the curve (seconds, or a share of life), and how the curve goes on to the next key."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)

    at: float = Field(ge=-1000, le=1e6)
    value: float | Number3
    ease: Ease = "linear"

    @model_validator(mode="after")
    def _easing_is_a_function(self) -> Key:
        if isinstance(self.ease, list) and not (0 <= self.ease[0] <= 1 and 0 <= self.ease[2] <= 1):
            raise ValueError("the first and third number of an easing have to be within 0 and 1")
        return self


class Curve(BaseModel):
    """Keys in ascending order. Before the first and after the last key the curve keeps their values."""

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)

    keys: list[Key] = Field(min_length=1, max_length=MOST_KEYS)

    @model_validator(mode="after")
    def _in_order(self) -> Curve:
        places = [key.at for key in self.keys]
        for before, after in pairwise(places):
            if after <= before:
                raise ValueError(f"its keys have to be in order of time, each at a place of its own; {after:g} follows {before:g}")
        if len({isinstance(key.value, list) for key in self.keys}) > 1:
            raise ValueError("its keys have to be all numbers or all of three numbers")
        return self

    def values(self) -> list[Any]:
        return [key.value for key in self.keys]

    def width(self) -> int:
        return 3 if isinstance(self.keys[0].value, list) else 1

    def extent(self) -> tuple[float, float]:
        """Smallest and largest number that can come out; easings may swing past their keys."""
        low, high = float("inf"), float("-inf")
        for index, key in enumerate(self.keys):
            here = key.value if isinstance(key.value, list) else [key.value]
            low, high = min(low, *here), max(high, *here)
            if isinstance(key.ease, list) and index + 1 < len(self.keys):
                following = self.keys[index + 1].value
                ends = following if isinstance(following, list) else [following]
                for a, b in zip(here, ends, strict=True):
                    # A cubic curve stays within the hull of its control points.
                    reach = [a + (b - a) * y for y in (key.ease[1], key.ease[3])]
                    low, high = min(low, *reach), max(high, *reach)
        return low, high


def is_keyed(given: Any) -> bool:
    """Whether a raw value of a document is a curve in a number's place."""
    return isinstance(given, dict) and set(given) == {"keys"}


def _of_numbers(curve: Curve) -> Curve:
    if isinstance(curve.keys[0].value, list):
        raise ValueError("its keys have to be numbers: a share, a width or a strength has no three components")
    return curve


NumberCurve = Annotated[Curve, AfterValidator(_of_numbers)]
"""A curve where only numbers mean something."""


def agree_until(first: Curve | None, second: Curve | None) -> float:
    """The place up to which two curves give the same values; −infinity where they differ from the start."""
    if first is None or second is None:
        return float("inf") if first is second else float("-inf")
    if first.keys[0].value != second.keys[0].value:
        return float("-inf")
    if first.keys[0].at != second.keys[0].at:
        return min(first.keys[0].at, second.keys[0].at)
    for index in range(max(len(first.keys), len(second.keys))):
        here = [curve.keys[index] for curve in (first, second)]
        following = [curve.keys[index + 1] if index + 1 < len(curve.keys) else None for curve in (first, second)]
        if following[0] is None and following[1] is None:
            return float("inf")
        if following[0] != following[1] or here[0].ease != here[1].ease:
            if following[0] is not None and following[1] is not None and _same_way(here, following):
                continue
            # Where both stay as they are for a while, they agree until the first of them leaves.
            return min(_stays_until(key, after) for key, after in zip(here, following, strict=True))
    return float("inf")


def _same_way(here: list[Key], following: list[Key | None]) -> bool:
    after = [key for key in following if key is not None]
    return here[0].ease == here[1].ease and (after[0].at, after[0].value) == (after[1].at, after[1].value)


def _stays_until(key: Key, after: Key | None) -> float:
    if after is None:
        return float("inf")
    if after.value == key.value and not isinstance(key.ease, list):
        return after.at
    # What is held leaps at the next key: at its very time it is another.
    return math.nextafter(after.at, -math.inf) if key.ease == "hold" else key.at
