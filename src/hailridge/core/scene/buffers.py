"""What actions leave behind for the engine to carry out, and what a run has to tell."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels.contact import BOUNCES
from hailridge.core.state.contributions import Piles
from hailridge.core.state.particles import Array, Rows


@dataclass
class Shares:
    """Children spread over a step: how much each parent had added up toward its next child when the step began (k,), and how much it adds in it."""

    left: NDArray[np.float64]
    amounts: NDArray[np.float64]

    def of(self, parents: NDArray[np.intp], siblings: NDArray[np.int64]) -> NDArray[np.float64]:
        """Which part of the step has passed when each child is due, by its place among the parents (m,) and among its siblings (m,): 0 to 1."""
        amounts = np.maximum(self.amounts[parents], 1e-12)
        return np.clip((siblings + 0.5 - self.left[parents]) / amounts, 0.0, 1.0)


@dataclass
class Litter:
    """Children waiting to appear after the last rule of this part of the step."""

    parents: NDArray[np.intp]
    counts: NDArray[np.int64]
    action: Any
    rule: int
    axes: Array | None = None
    ways: Array | None = None
    """From each parent to where its children are born (k, 3) m; none where they are born at the parent."""
    shares: Shares | None = None
    """When in the step they are born; none where that is now."""
    removed: NDArray[np.intp] = field(default_factory=lambda: np.zeros(0, np.intp))
    """Parents that leave for it: their places are for its children first."""


@dataclass
class Encounter:
    """One contact action with whom it concerns: what motion is told by rules. Of several answers to one shape the last one counts."""

    shape: int
    rows: Rows
    bounciness: Any = 0.0
    friction: Any = 0.0
    response: int = BOUNCES
    """What they do where they meet it (`kernels.contact`)."""
    slides: bool = False
    """Whether they are held to it and slide along it once they have touched it."""
    sunk: Any = None
    """How deep each who touches it sinks in (m), where they stick to it; none where they do not."""
    least: Any = 0.0
    """The speed onto it (m/s) below which a touch is not told."""
    pause: Any = 0.0
    """Seconds after a touch that was told in which no other is."""


@dataclass
class Finding:
    """Something to tell the artist about a run. `item` is the address of what it is about, `code` what kind of thing it is."""

    level: str
    item: str | None
    frame: int
    text: str
    code: str = ""


@dataclass
class SearchTally:
    """How a neighbourhood has done in a run: how often it was asked with somebody to look and somebody to be found, how many seekers found anybody;
    which share of those whom it could find each seeker found on average, summed over the times asked, and of how many at most."""

    asked: int = 0
    finding: int = 0
    share: float = 0.0
    most: int = 0


@dataclass
class Buffers:
    """What actions of one step leave behind: what forces add, children, what is solid to whom, and actions that act on motion itself."""

    piles: Piles = field(default_factory=lambda: Piles(0))
    litters: list[Litter] = field(default_factory=list)
    encounters: list[Encounter] = field(default_factory=list)
    movers: list[tuple[Any, Rows]] = field(default_factory=list)
    pushers: list[tuple[Any, Rows]] = field(default_factory=list)
    """Actions that keep particles from overlapping, with whom they concern."""
    colliders: list[tuple[Any, Rows]] = field(default_factory=list)
    """Actions by which particles bounce off one another, with whom they concern."""
