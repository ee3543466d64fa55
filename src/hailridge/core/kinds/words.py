"""What formulas about particles may name: attributes by their bare names, every other quantity of the registry as a call."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from keyword import kwlist
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from hailridge.core.formulas.formula import Computed
from hailridge.core.formulas.functions import CONSTANTS, FUNCTIONS, Type
from hailridge.core.formulas.reading import SPACES, Reader, Stands, Words, found_as, identified, nearest
from hailridge.core.kinds.vectors import VECTOR_WORDS
from hailridge.core.scene.moment import Moment
from hailridge.core.space.transforms import Transform
from hailridge.core.state.particles import Rows
from hailridge.model.attributes import BUILT_IN, WIDE, Table, table_of
from hailridge.model.collections import COLLECTIONS
from hailridge.model.kind import Part, declared, kinds
from hailridge.model.parts import Amount, Quantity

CLOCK: dict[str, Type] = {"time": "number", "frame": "number", "dt": "number"}
"""Seconds since the effect began, the frame (with what of the next has passed), seconds of the step that the particle lives through."""

NO_CALLS = ("attribute", "formula")
"""Quantities that are no calls: attributes go by their bare names, and a formula within a formula is written out."""


SHORT = {"id": "number", "random": "own_random"}
"""Other words for quantities."""


def standing_for(effect: Any) -> Stands:
    """The names of dials that stand for a shape, by id and by label, with the dial and the shape."""
    dials = [dial for dial in effect.dials if dial.type == "shape" and dial.shape]
    return {name: (dial.id, dial.shape) for dial in dials for name in (dial.id, dial.label)}


@cache
def taken_words() -> frozenset[str]:
    """What words of formulas mean already, whatever is declared."""
    quantities = (getattr(cls, "word", "") or tag for tag, cls in kinds("quantity").items())
    return frozenset((*CLOCK, *BUILT_IN, *FUNCTIONS, *CONSTANTS, *NO_CALLS, *SPACES, *SHORT, *VECTOR_WORDS, *quantities, "dial", *kwlist))


def word_for(text: str) -> str:
    """What a label is called in a formula: its letters and digits, with underscores between."""
    return re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")


def own_words(table: Table) -> dict[str, str]:
    """Ids of attributes of one's own, by what they are called in formulas: by label, where that means nothing else, and always by id.

    The first word of each is the one that is offered. (The page does the same where a label is changed: `state/naming.ts`.)
    """
    mine = [info for info in table.values() if info.own]
    words: dict[str, str] = {}
    by_id = {info.id.replace("-", "_"): info.id for info in mine}
    for info in mine:
        word = word_for(info.label)
        if word.isidentifier() and word not in taken_words() and by_id.get(word, info.id) == info.id:
            words.setdefault(word, info.id)
    return {**words, **{word: identifier for word, identifier in by_id.items() if word not in words}}


@dataclass(frozen=True)
class OfDial:
    """A dial as formulas read it."""

    dial: str
    gives: Type

    def read(self, moment: Moment, rows: Rows) -> Any:
        return np.asarray(moment.scene.dials[self.dial].given, np.float64)


def type_of(value_type: str) -> Type:
    """The type that a value has in a formula."""
    return "vector" if value_type in WIDE else "flag" if value_type == "flag" else "number"


def words_of(effect: Any) -> Words:
    """What a formula about the particles of an effect may name."""
    table = table_of(vars(attribute) for attribute in effect.attributes)
    own = own_words(table)
    variables: dict[str, Type] = {**CLOCK, **{name: type_of(info.value_type) for name, info in BUILT_IN.items()}}
    variables |= {word: type_of(table[identifier].value_type) for word, identifier in own.items()}
    known = {collection.word: {item.id: str(vars(item).get("label", "")) for item in collection.items(effect)} for collection in COLLECTIONS.values()}
    known["attribute"] = {info.id: info.label for info in table.values()}
    stands = standing_for(effect)
    taken = {*variables, *FUNCTIONS, *CONSTANTS, *NO_CALLS, *SPACES}
    readings: dict[str, tuple[Type, Reader]] = {}
    for tag, cls in kinds("quantity").items():
        assert issubclass(cls, Quantity)
        word = cls.word or tag
        if word not in taken:
            readings[word] = type_of(cls.value_type), _reader({"kind": tag}, cls, effect, known, stands)
    readings |= {word: ("vector", _reader({}, cls, effect, known, stands)) for word, cls in VECTOR_WORDS.items()}
    readings |= {short: readings[tag] for short, tag in SHORT.items()}
    readings["dial"] = "number", _dial_reader({dial.id: type_of(dial.type) for dial in effect.dials if dial.type != "shape"}, known["dial"])
    return Words(variables, {}, known, readings, own, poses=True, stands=stands)


def _dial_reader(types: Mapping[str, Type], known: Mapping[str, str]) -> Reader:
    def read(in_order: list[Any], by_name: dict[str, Any]) -> tuple[OfDial, list[tuple[str, str]]]:
        if by_name or len(in_order) != 1:
            raise ValueError('takes the name of a dial in quotes: dial("…")')
        name = str(in_order[0])
        found = identified(name, known)
        if found is None:
            raise ValueError(f"there is no dial called '{name}'{nearest(name, [*known, *known.values()])}")
        if found not in types:
            raise ValueError(f"'{name}' is a shape; name it where the name of a shape stands")
        return OfDial(found, types[found]), [("dial", found)]

    return read


def _reader(tag: Mapping[str, str], cls: type[Part], effect: Any, known: Mapping[str, Mapping[str, str]], stands: Stands) -> Reader:
    """Makes a quantity, or a vector, of what stands in the brackets of its call: its fields, in order or by name."""
    places = [(name, ui) for name, ui in declared(cls) if ui]

    def read(in_order: list[Any], by_name: dict[str, Any]) -> tuple[Part, list[tuple[str, str]]]:
        if len(in_order) > len(places):
            raise ValueError(f"takes {len(places)} values at most" if places else "takes nothing")
        given = {**{name: value for (name, _ui), value in zip(places, in_order, strict=False)}, **by_name}
        named: list[tuple[str, str]] = []
        for name, ui in places:
            if name in given and ui.get("to") in known:
                given[name] = _referred(given[name], str(ui["to"]), known[ui["to"]], ui["type"] == "references", named, stands)
        unknown = [name for name in given if name not in dict(places)]
        if unknown:
            raise ValueError(f"has no '{unknown[0]}'; it takes {', '.join(name for name, _ui in places) or 'nothing'}")
        missing = [name for name, _ui in places if name not in given and cls.model_fields[name].is_required()]
        if missing:
            raise ValueError(f"needs the name of {_article(missing[0])}")
        try:
            part = cls.model_validate({**tag, **given})
        except ValidationError as error:
            first = error.errors()[0]
            raise ValueError(f"{first['loc'][0] if first['loc'] else 'value'}: {first['msg'].lower()}") from None
        for _name, fault in part.faults(effect):
            raise ValueError(fault)
        for name, ui in places:
            _check_limits(name, ui, vars(part)[name])
        return part, named

    return read


def _check_limits(name: str, ui: Mapping[str, Any], value: Any) -> None:
    """Raise ValueError for an amount that can be outside of what its field takes."""
    if isinstance(value, Amount):
        low, high = value.extent()
        if ui.get("low") is not None and low < ui["low"]:
            raise ValueError(f"{name}: may become {low:g}, but cannot be below {ui['low']:g}")
        if ui.get("high") is not None and high > ui["high"]:
            raise ValueError(f"{name}: may become {high:g}, but cannot be above {ui['high']:g}")


def _referred(value: Any, word: str, known: Mapping[str, str], many: bool, named: list[tuple[str, str]], stands: Stands) -> Any:
    """The ids that names stand for."""
    if value is None:
        return None
    found = []
    for one in value if isinstance(value, list | tuple) else [value]:
        identifier, mentions = found_as(word, str(one), known, stands)
        if identifier is None:
            raise ValueError(f"there is no {word} called '{one}'{nearest(str(one), [*known, *known.values()])}")
        named += mentions
        found.append(identifier)
    return found if many else found[0]


def _article(word: str) -> str:
    return f"an {word}" if word[0] in "aeiou" else f"a {word}"


def standing(transform: Transform) -> NDArray[np.float64]:
    """How a shape stands as formulas are given it: its rotation row by row, its place, its scale: (13,)."""
    return np.concatenate([np.ravel(transform.rotation), transform.translation, [transform.scale]])


class Surroundings(Mapping[str, Any]):
    """What a formula is given about some particles of a moment: read when it is asked for."""

    def __init__(self, formula: Computed, moment: Moment, rows: Rows) -> None:
        self.formula, self.moment, self.rows = formula, moment, rows

    def __getitem__(self, name: str) -> Any:
        moment = self.moment
        part = self.formula.readings.get(name)
        if part is not None:
            return part.read(moment, self.rows)
        match name:
            case "time":
                return moment.time
            case "frame":
                return moment.time * moment.scene.effect.clock.frames_per_second
            case "dt":
                return moment.elapsed(self.rows)
            case "pose":
                return self._pose
            case _:
                return np.asarray(moment.read_attribute(self.attribute(name), self.rows))

    def _pose(self, shape: str) -> Any:
        return standing(self.moment.scene.pose(shape).transform)

    def attribute(self, name: str) -> str:
        """The id of an attribute by what it is called in the formula."""
        return self.formula.words.own.get(name, name)

    def __iter__(self) -> Iterator[str]:
        return iter(self.formula.given)

    def __len__(self) -> int:
        return len(self.formula.given)
