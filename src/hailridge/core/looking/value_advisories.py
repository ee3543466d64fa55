"""Advisories of values: formulas whose units do not fit, dials beyond their range."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress

from hailridge.core.formulas.reading import FormulaError
from hailridge.core.kinds.actions.formula import FormulaAction
from hailridge.core.kinds.fields.formula import FormulaField
from hailridge.core.kinds.written import Written
from hailridge.core.looking.advisory import Advisory
from hailridge.core.looking.formulas import Sort, advice_on
from hailridge.model.effect import Effect
from hailridge.model.kind import parts_of


def value_advisories(effect: Effect) -> Iterator[Advisory]:
    """All of them."""
    yield from _units(effect)
    yield from _ranges(effect)


def _units(effect: Effect) -> Iterator[Advisory]:
    """Formulas that put together what is of different units."""
    for path, part in parts_of(effect):
        if not isinstance(part, Written | FormulaField):
            continue
        sort: Sort = "field" if isinstance(part, FormulaField) else "lines" if isinstance(part, FormulaAction) else "value"
        with suppress(FormulaError):
            for advice in advice_on(effect, sort, part.text):
                place = f"line {advice.line}, " if advice.line > 1 else ""
                yield Advisory("advice", [*path, "text"], f"The units of a formula do not fit: {advice.text} ({place}column {advice.column}).")


def _ranges(effect: Effect) -> Iterator[Advisory]:
    """Dials beyond what they offer."""
    for index, dial in enumerate(effect.dials):
        beyond = dial.outside()
        if beyond is None:
            continue
        low, high = sorted((dial.low, dial.high))
        text = f"The dial '{dial.label}' is {beyond:g} at some time, outside of its range from {low:g} to {high:g}."
        fix = None
        if isinstance(dial.value, float) and "value" not in dial.tracks:
            within = min(max(dial.value, low), high)
            fix = {"path": ["dials", index, "value"], "value": within, "label": f"Make it {within:g}"}
        yield Advisory("advice", ["dials", index, "value"], text, fix)
