"""Values as they are kept: attributes in their columns, answers about fields until somebody moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from hailridge.core.state.orientation import from_angles
from hailridge.core.state.particles import Array
from hailridge.model.attributes import AttributeInfo


def kept_as(info: AttributeInfo, values: Any) -> Any:
    """Values of an attribute, (k,) or (k, 3), in the form in which its column keeps them."""
    match info.value_type:
        case "whole":
            return np.rint(values)
        case "flag":
            return np.asarray(values) >= 0.5
        case "orientation":
            return from_angles(np.atleast_2d(values))
        case _:
            return values


@dataclass
class FieldValues:
    """A field for every particle (n,), with the time (s), ids (n,) and places (n, 3) for which it was asked."""

    time: float
    ids: Array
    places: Array
    values: Array
