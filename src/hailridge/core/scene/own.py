"""Attributes that an effect declares: their first values, and what children get of their parents'."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.kept import kept_as
from hailridge.core.scene.moment import Moment
from hailridge.core.state.orientation import unit
from hailridge.core.state.randomness import uniforms
from hailridge.model.attributes import AttributeInfo

CHANCE_DRAW = 3
"""Which draw of an attribute's random numbers decides whether a child gets a flag; its first value may use the ones before."""


def give_first_values(moment: Moment, rows: slice) -> None:
    """The first value of every own attribute, within its limits."""
    for info in moment.scene.table.values():
        if info.own:
            moment.column(info.column)[rows] = _first(moment, info, rows)


def hand_on(moment: Moment, rows: slice, parents: NDArray[np.intp]) -> None:
    """What children (`rows`) have of each own attribute: their parents' value, a first value of their own, or some of both."""
    for info in moment.scene.table.values():
        if info.own:
            share_of(moment, info, rows, parents, info.share)


def share_of(moment: Moment, info: AttributeInfo, rows: slice, parents: NDArray[np.intp], percent: float) -> None:
    """Give children (`rows`) this much of their parents' value of an own attribute, the rest being a first value of their own."""
    column, share = moment.column(info.column), percent / 100
    if share >= 1:
        column[rows] = column[parents]
    elif share <= 0:
        column[rows] = _first(moment, info, rows)
    else:
        column[rows] = _mixed(moment, info, rows, np.broadcast_to(_first(moment, info, rows), column[rows].shape), column[parents], share)


def _first(moment: Moment, info: AttributeInfo, rows: slice) -> Any:
    values = np.asarray(moment.scene.attributes[info.id].initial.give(moment, rows), np.float32)
    if info.low is not None:
        values = np.clip(values, np.float32(info.low), np.float32(info.high))
    return kept_as(info, values)


def _mixed(moment: Moment, info: AttributeInfo, rows: slice, first: Any, parents: Any, share: float) -> Any:
    """Both, by the share that is handed on: of a yes or no the chance, of an orientation a turn part of the way (normalised linear)."""
    match info.value_type:
        case "flag":
            declared = moment.scene.attributes[info.id]
            u = uniforms(moment.column("key")[rows], declared.item, CHANCE_DRAW, moment.scene.seed)[:, 0]
            return np.where(u < share, parents, first)
        case "whole":
            return np.rint(first * (1 - share) + parents * share)
        case "orientation":
            # The shorter way round: a quaternion and its negative are the same turn.
            near = np.where(np.sum(first * parents, axis=1, keepdims=True) < 0, -parents, parents)
            return unit(first * (1 - share) + near * share)
        case _:
            return first * np.float32(1 - share) + parents * np.float32(share)
