"""How particles flow between groups: who is where at a few frames, and who has gone from where to where in between, by which rule."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.state.events import Happening

OUTSIDE = -1
"""Stands for not being there: not yet born, or gone."""


@dataclass
class Flow:
    """`frames` (s,) are the slices; `ribbons` (slice, from, to, number) lead from each slice to the next, from or to −1 for births and those
    who leave; `moves` (slice, from, to, rule, number) say which rules made the moves of that span."""

    frames: list[int]
    population: list[list[int]]
    ribbons: list[tuple[int, int, int, int]]
    moves: list[tuple[int, int, int, int, int]]


def flow(events: NDArray[Any], groups: int, frames: list[int]) -> Flow:
    """Follow every particle through its births, moves and death.

    Parameters
    ----------
    events : (n,) core.events.EVENT
        In order of happening.
    groups : int
        How many groups there are.
    frames : list of int
        The slices, ascending.
    """
    steps = events[np.isin(events["what"], [Happening.BIRTH, Happening.MOVE, Happening.DEATH])]
    order = np.argsort(steps["particle"], kind="stable")
    steps = steps[order]
    after = np.where(steps["what"] == Happening.DEATH, OUTSIDE, steps["present"]).astype(np.int64)
    firsts = np.flatnonzero(np.concatenate([[True], steps["particle"][1:] != steps["particle"][:-1]])) if len(steps) else np.empty(0, np.intp)
    states = [_states(steps, after, firsts, frame) for frame in frames]
    population = [np.bincount(state[state >= 0], minlength=groups).tolist() for state in states]
    ribbons: list[tuple[int, int, int, int]] = []
    moves: list[tuple[int, int, int, int, int]] = []
    for place, (before, now) in enumerate(pairwise(states)):
        ribbons += [(place, *pair) for pair in _counted(before, now) if pair[0] >= 0 or pair[1] >= 0]
        span = steps[(steps["what"] == Happening.MOVE) & (steps["frame"] > frames[place]) & (steps["frame"] <= frames[place + 1])]
        triples, counts = np.unique(np.stack([span["previous"], span["present"], span["item"]]), axis=1, return_counts=True)
        moves += [(place, int(a), int(b), int(rule), int(count)) for (a, b, rule), count in zip(triples.T, counts, strict=True)]
    return Flow(frames, population, ribbons, moves)


def _states(steps: NDArray[Any], after: NDArray[np.int64], firsts: NDArray[np.intp], frame: int) -> NDArray[np.int64]:
    """The group of every particle at the end of a frame: (p,), −1 where it is not there."""
    if len(firsts) == 0:
        return np.empty(0, np.int64)
    # Within a particle frames ascend: its latest event is as many on as there are up to the frame.
    happened = np.add.reduceat((steps["frame"] <= frame).astype(np.int64), firsts)
    return np.where(happened > 0, after[np.maximum(firsts + happened - 1, 0)], OUTSIDE)


def _counted(before: NDArray[np.int64], now: NDArray[np.int64]) -> list[tuple[int, int, int]]:
    pairs, counts = np.unique(np.stack([before, now]), axis=1, return_counts=True)
    return [(int(a), int(b), int(count)) for (a, b), count in zip(pairs.T, counts, strict=True)]


def slices(last: int, most: int = 7) -> list[int]:
    """Evenly spaced frames from 0 to `last`."""
    return sorted({round(last * k / max(1, most - 1)) for k in range(most)})


def coarse_to_fine(frames: list[int]) -> list[int]:
    """The same frames in an order that has some from everywhere as soon as possible: the ends, the middle, the quarters, …"""
    out = [frames[0], frames[-1]] if len(frames) > 1 else list(frames)
    spans = [(0, len(frames) - 1)]
    while spans:
        halves = []
        for low, high in spans:
            middle = (low + high) // 2
            if middle > low:
                out.append(frames[middle])
                halves += [(low, middle), (middle, high)]
        spans = halves
    return out
