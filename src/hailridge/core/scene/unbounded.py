"""What amounts share of which nobody can say beforehand how large they become."""

from __future__ import annotations

import math
from typing import Any, Self

import numpy as np
from pydantic import PrivateAttr

from hailridge.model.parts import Amount


class Unbounded(Amount):
    """An amount that is held within the limits of the place where it stands, instead of being refused there."""

    _low: float = PrivateAttr(default=-math.inf)
    _high: float = PrivateAttr(default=math.inf)

    def within(self, low: float | None, high: float | None) -> Self:
        """The same amount, held within the limits of the field that it stands in."""
        return self.twin({}, low=-math.inf if low is None else low, high=math.inf if high is None else high)

    def held(self, values: Any) -> Any:
        """Values (k,) or (k, 3) within those limits."""
        if self._low == -math.inf and self._high == math.inf:
            return values
        return np.clip(values, np.float32(self._low), np.float32(self._high))
