"""Formulas as they are written: what can be named, what is wrong, and what each line gives at a frame."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from hailridge.core.formulas.formula import Computed, Formula, Script
from hailridge.core.formulas.functions import CONSTANTS, FUNCTIONS, HELP, PARTS, Type
from hailridge.core.formulas.reading import SPACES, FormulaError, Words
from hailridge.core.formulas.units import KNOWN, Advice, Reader, Unit
from hailridge.core.kinds.actions.formula import writable_of
from hailridge.core.kinds.fields.formula import environment_of, words_of_fields
from hailridge.core.kinds.vectors import VECTOR_WORDS
from hailridge.core.kinds.words import CLOCK, SHORT, Surroundings, own_words, words_of
from hailridge.core.looking.observe import row_of, rows_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import as_indices
from hailridge.model.attributes import table_of
from hailridge.model.kind import declared, kinds
from hailridge.model.parts import Quantity

Sort = Literal["value", "lines", "field"]
"""What a formula is: one value of a particle; lines that give attributes values; a field."""


SNIPPETS = (
    ("circle", "turn = tau * time / 4\nposition = vec3(cos(turn), 1, sin(turn))", "Round a place, once in four seconds."),
    ("each_its_own", "mix(0.5, 1.5, random(1))", "A number between two, another one for each particle, the same for life."),
    ("every_third", "id % 3 == 0", "Every third particle."),
    ("breathing", "0.5 + 0.5 * sin(tau * (time / 2 + random(2)))", "Up and down between 0 and 1, each at its own time."),
    ("flow", "velocity += 2 * curl(position * 1.5) * dt", "Carried by a flow that neither gathers nor thins."),
    ("rainbow", "color = hsv(fract(id / 12), 0.6, 0.95)", "Twelve hues, one after the other."),
)
"""Ready-made pieces: what completion calls them, their text, and what they do."""


@dataclass(frozen=True)
class Word:
    """Something that a formula may name: how it is written (`insert`, with what stands in its brackets), its type and unit, and what it is."""

    word: str
    insert: str
    sort: Literal["attribute", "clock", "quantity", "function", "thing", "constant", "snippet"]
    type: Type
    unit: str
    help: str


@dataclass(frozen=True)
class Given:
    """What a line, or something that is read, gives at a frame: of the particle that was picked, and over all looked at. Flags are 0 or 1."""

    line: int
    name: str
    type: Type
    own: list[float] | None
    low: list[float] | None
    high: list[float] | None
    spoilt: int = 0
    """For how many it is no number."""


@dataclass(frozen=True)
class Looked:
    """A formula that was looked at. `fault` says what is wrong, where, and what may have been meant; else there are the values."""

    fault: FormulaError | None
    type: Type = "number"
    values: list[Given] = field(default_factory=list)
    advice: list[Advice] = field(default_factory=list)
    """What is of another unit than what it is put together with."""


def read_as(sort: Sort, text: str, effect: Any) -> Computed:
    """Read a formula of an effect. Raises FormulaError."""
    if sort == "field":
        return Formula(text, words_of_fields(effect))
    return Script(text, words_of(effect), writable_of(effect)) if sort == "lines" else Formula(text, words_of(effect))


def looked_at(moment: Moment, sort: Sort, text: str, who: list[str], particle: int | None) -> Looked:
    """What each line of a formula gives, for those in some groups (none: everyone), and for one particle."""
    try:
        formula = read_as(sort, text, moment.scene.effect)
    except FormulaError as error:
        return Looked(error)
    rows = as_indices(rows_of(moment, moment.scene.members(who)))
    if sort == "field":
        environment: Any = environment_of(None, moment.scene, moment.column("position")[rows], moment.time)
    else:
        environment = Surroundings(formula, moment, rows)
    with np.errstate(all="ignore"):
        found = formula.traced(environment) if len(rows) else []
    own = None if particle is None else row_of(moment.column("id")[rows], particle)
    values = [_given(line, name, kind, value, len(rows), own) for line, name, kind, value in found]
    return Looked(None, getattr(formula, "type", "number"), values, advice_on(moment.scene.effect, sort, text))


def _given(line: int, name: str, kind: Type, value: Any, number: int, own: int | None) -> Given:
    whole = np.broadcast_to(value.reshape(len(value), -1), (len(value), number))
    fine = np.isfinite(whole).all(axis=0)
    low, high = ([float(end) for end in ends(whole[:, fine], axis=1)] if fine.any() else None for ends in (np.min, np.max))
    mine = None if own is None or not fine[own] else [float(part) for part in whole[:, own]]
    return Given(line, name, kind, mine, low, high, int(np.count_nonzero(~fine)))


def advice_on(effect: Any, sort: Sort, text: str) -> list[Advice]:
    """What a formula puts together that is of different units. Raises FormulaError for one that cannot be read."""
    words = vocabulary(effect, sort == "field")
    names = {word.word: KNOWN.get(word.unit) for word in words if word.sort in ("attribute", "clock", "quantity")}
    by_id = {word: names.get(first) for word, first in _first_words(effect).items()}
    dials = {name: KNOWN.get(dial.unit) for dial in effect.dials if dial.type != "choice" for name in (dial.id, dial.label)}
    calls = {"distance_to": KNOWN["m"], "in_world": KNOWN["m"], "origin_of": KNOWN["m"]}

    def asked(name: str, about: str) -> Unit:
        return dials.get(about) if name == "dial" else calls.get(name, names.get(name))

    reader = Reader({**by_id, **names}, asked, {name: {**by_id, **names}.get(name) for name in writable_of(effect)} if sort == "lines" else {})
    return reader.read(text)


def _first_words(effect: Any) -> dict[str, str]:
    """Each word for an attribute of one's own, with the one that it is called by first."""
    first: dict[str, str] = {}
    words = own_words(table_of(vars(attribute) for attribute in effect.attributes))
    for word, identifier in words.items():
        first.setdefault(identifier, word)
    return {word: first[identifier] for word, identifier in words.items()}


def vocabulary(effect: Any, fields: bool) -> list[Word]:
    """All that a formula of an effect may name; `fields`: one that is a field."""
    words = words_of_fields(effect) if fields else words_of(effect)
    ready = () if fields else (Word(name, text, "snippet", "number", "", what) for name, text, what in SNIPPETS)
    return [*_variables(effect, words), *_things(words), *([] if fields else _quantities(words)), *_functions(words), *ready]


def _variables(effect: Any, words: Words) -> Iterator[Word]:
    table, told = table_of(vars(attribute) for attribute in effect.attributes), set()
    clock = {"time": ("s", "Seconds since the effect began."), "frame": ("", "The frame, counted from 0."), "dt": ("s", "Seconds of the step.")}
    for name, kind in words.variables.items():
        if name in CLOCK:
            yield Word(name, name, "clock", kind, *clock[name])
        else:
            info = table[words.own.get(name, name)]
            if info.id in told:
                # By its id as well, for those who wrote it so.
                continue
            told.add(info.id)
            yield Word(name, name, "attribute", kind, info.unit, info.help or info.label)
    yield from (Word(name, name, "constant", "number", "", f"{value:.6g}") for name, value in CONSTANTS.items())


def _things(words: Words) -> Iterator[Word]:
    """Fields, shapes and dials by their names."""
    calls = (
        ("field", "field", "", "The field where the particle is, 0 to 1."), ("distance_to", "shape", "m", "Metres to its surface."),
        ("dial", "dial", "", "What the dial is set to."),
    )  # fmt: skip
    for call, sort, unit, what in calls:
        for label in named(words, sort):
            written = f'{call}("{label}")'
            yield Word(written, written, "thing", "number", unit, what)
    for call, what in (("in_world", "A place in the shape's own space, in the world."), ("in_space_of", "A place, in the shape's own space."),
                       ("along", "A direction of the shape's own, in the world."), ("origin_of", "Where the shape is.")):  # fmt: skip
        for label in named(words, "shape"):
            yield Word(f'{call}("{label}")', f'{call}("{label}"' + (", position)" if SPACES[call] else ")"), "thing", "vector", "m", what)


def named(words: Words, sort: str) -> list[str]:
    """The names of a sort of thing; a dial that stands for a shape is one of the shapes."""
    known = words.known.get(sort, {})
    standing = {dial: label for dial, label in words.known.get("dial", {}).items() if dial in words.stands}
    labels = [label for one, label in known.items() if sort != "dial" or one not in standing]
    return [*labels, *standing.values()] if sort == "shape" else labels


def _quantities(words: Words) -> Iterator[Word]:
    tags = {cls.word or tag: tag for tag, cls in kinds("quantity").items() if issubclass(cls, Quantity)} | SHORT
    for name, (kind, _reader) in words.readings.items():
        if name == "dial" or name in ("field", "distance_to"):
            continue
        cls: Any = VECTOR_WORDS[name] if name in VECTOR_WORDS else kinds("quantity")[tags[name]]
        needed = [part for part, ui in declared(cls) if ui and cls.model_fields[part].is_required()]
        firsts = [next(iter(words.known.get(str(ui.get("to")), {}).values()), "") for part, ui in declared(cls) if ui and part in needed]
        brackets = ", ".join(f'"{first}"' for first in firsts)
        yield Word(name, name if name in SHORT else f"{name}({brackets})", "quantity", kind, cls.unit, cls.help)


def _functions(words: Words) -> Iterator[Word]:
    for name, function in FUNCTIONS.items():
        kind: Type = function.gives if function.gives in ("number", "vector", "flag") else "number"  # type: ignore[assignment]
        parts = PARTS.get(name, ("value",))[: function.fewest]
        yield Word(name, f"{name}({', '.join(parts)})", "function", kind, "", HELP[name])
