"""Everybody at a frame as a table: columns are formulas, so is whom it shows; sorted, and read in windows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.formulas.formula import Formula
from hailridge.core.formulas.functions import Type
from hailridge.core.formulas.reading import FormulaError, Words
from hailridge.core.kinds.words import Surroundings, words_of
from hailridge.core.looking.observe import rows_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import as_indices, number_of


@dataclass(frozen=True)
class Column:
    """A column: the text it was asked by, its type, and its values, (k,) or (k, 3) float64; flags are 0 or 1. `fault` says why there are none."""

    text: str
    type: Type
    values: NDArray[np.float64]
    fault: str = ""


@dataclass(frozen=True)
class Table:
    """Rows in order: ids (k,), groups by number (k,), and columns. `of` is how many there are before `where` is asked; `fault` is what is wrong with
    that."""

    ids: NDArray[np.int64]
    groups: NDArray[np.int64]
    columns: list[Column]
    of: int
    fault: str = ""


def table_of_frame(
    moment: Moment, columns: Sequence[str], who: list[str], where: str = "", sort: int | None = None, descending: bool = False,
    only: Sequence[int] | None = None,
) -> Table:  # fmt: skip
    """Who is in some groups (none: everyone) and for whom `where` is true, sorted by a column (none: by number); of those in `only`, where given."""
    words = words_of(moment.scene.effect)
    of = number_of(rows_of(moment, moment.scene.members(who)))
    rows, fault = rows_for(moment, who, where, only)
    found = [column_of(moment, words, text, rows) for text in columns]
    order = np.arange(len(rows))
    if sort is not None and 0 <= sort < len(found) and not found[sort].fault:
        order = _order(found[sort].values, descending)
    elif descending:
        order = order[::-1]
    ids, groups = moment.column("id")[rows], moment.column("group")[rows]
    ordered = [Column(column.text, column.type, column.values[order] if not column.fault else column.values, column.fault) for column in found]
    return Table(ids[order].astype(np.int64), groups[order].astype(np.int64), ordered, of, fault)


def rows_for(moment: Moment, who: list[str], where: str, only: Sequence[int] | None = None) -> tuple[NDArray[np.intp], str]:
    """The rows of those in some groups (none: everyone) for whom `where` is true, of those in `only`, where given; and what is wrong with `where`,
    which is then not asked."""
    rows = as_indices(rows_of(moment, moment.scene.members(who)))
    if only is not None:
        rows = rows[np.isin(moment.column("id")[rows], np.asarray(only))]
    if not where.strip():
        return rows, ""
    passing = column_of(moment, words_of(moment.scene.effect), where, rows)
    if passing.fault or passing.type == "vector":
        return rows, passing.fault or "is a vector, not a yes or no; compare its length"
    return rows[np.nan_to_num(passing.values) != 0], ""


def column_of(moment: Moment, words: Words, text: str, rows: NDArray[np.intp]) -> Column:
    """What a formula gives for some rows, or what is wrong with it."""
    try:
        formula = Formula(text, words)
    except FormulaError as error:
        return Column(text, "number", np.zeros(0), str(error))
    with np.errstate(all="ignore"):
        value: Any = np.asarray(formula(Surroundings(formula, moment, rows)), np.float64)
    shape = (len(rows), 3) if formula.type == "vector" else (len(rows),)
    return Column(text, formula.type, np.broadcast_to(value, shape))


def _order(values: NDArray[np.float64], descending: bool) -> NDArray[np.intp]:
    """Rows by their values, vectors by their length; who has no number comes last either way, equals stay by number."""
    keys = np.linalg.norm(values, axis=1) if values.ndim == 2 else values
    return np.argsort(np.where(np.isnan(keys), np.inf, -keys if descending else keys), kind="stable")
