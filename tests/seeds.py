"""The seed of the day: what is drawn is drawn anew each day, and told wherever a test fails."""

from __future__ import annotations

import os
import random
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TypeVar

SEED = int(os.environ.get("HAILRIDGE_SEED") or f"{datetime.now(UTC):%Y%m%d}")
"""Decides everything that tests draw; HAILRIDGE_SEED repeats a day."""

NIGHT = bool(os.environ.get("HAILRIDGE_NIGHT"))
"""Whether there is all night: nothing is left out then (`./run night`)."""

T = TypeVar("T")


def drawer(purpose: str) -> random.Random:
    """A generator of its own for each purpose, so that one more draw here changes nothing there."""
    return random.Random(f"{SEED} {purpose}")


def some(of: Sequence[T], share: float, purpose: str) -> list[T]:
    """A share of them by the seed of the day, in their order; at night all."""
    if NIGHT:
        return list(of)
    kept = set(drawer(purpose).sample(range(len(of)), max(1, round(len(of) * share))))
    return [one for place, one in enumerate(of) if place in kept]
