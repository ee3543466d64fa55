"""How long it took from one thing to another, for every particle to which both happened."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.state.events import Happening

Occasion = Literal["birth", "contact", "group", "rule", "rule_end", "death"]

HAPPENINGS: dict[Occasion, Happening] = {
    "birth": Happening.BIRTH, "contact": Happening.CONTACT, "group": Happening.MOVE, "rule": Happening.RULE, "rule_end": Happening.RULE_END,
    "death": Happening.DEATH,
}  # fmt: skip


@dataclass
class Elapsed:
    """Particles (k,), the frames at which the one and the other happened (k,), and the seconds between (k,), in order of particles."""

    particles: NDArray[np.int32]
    begins: NDArray[np.int32]
    ends: NDArray[np.int32]
    seconds: NDArray[np.float64]


def elapsed_between(events: NDArray[Any], start: tuple[Occasion, int], end: tuple[Occasion, int]) -> Elapsed:
    """From the first `start` of each particle to the first `end` that follows it.

    Parameters
    ----------
    events : (n,) core.events.EVENT
        In order of happening.
    start, end : occasion and number
        Of a shape that is touched, a group that is entered, or a rule that begins or ceases to hold; −1 for any.
    """
    first = _marks(events, *start)
    if not len(first):
        return _none()
    particles, begins = np.unique(events["particle"][first], return_index=True)
    begins = first[begins]
    last = _marks(events, *end)
    owner = np.searchsorted(particles, events["particle"][last]).clip(0, len(particles) - 1)
    # What happens in the same breath follows: a rule that moves a particle as it touches takes no time.
    follows = (particles[owner] == events["particle"][last]) & (last > begins[owner])
    last, owner = last[follows], owner[follows]
    if not len(last):
        return _none()
    owners, ends = np.unique(owner, return_index=True)
    ends, begins = last[ends], begins[owners]
    seconds = events["time"][ends].astype(np.float64) - events["time"][begins]
    return Elapsed(particles[owners], events["frame"][begins], events["frame"][ends], seconds)


def _marks(events: NDArray[Any], occasion: Occasion, number: int) -> NDArray[np.intp]:
    """The indices of all events of an occasion."""
    found = events["what"] == HAPPENINGS[occasion]
    if occasion == "group":
        found |= events["what"] == Happening.BIRTH
    if number >= 0 and occasion not in ("birth", "death"):
        found &= events["present" if occasion == "group" else "item"] == number
    return np.flatnonzero(found)


def _none() -> Elapsed:
    whole = np.zeros(0, np.int32)
    return Elapsed(whole, whole, whole, np.zeros(0))
