"""Writing attributes by formulas of one's own."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.formulas.formula import Computed, Script
from hailridge.core.formulas.functions import Type
from hailridge.core.kinds.actions.weighted import Weighted
from hailridge.core.kinds.words import Surroundings, own_words, type_of, words_of
from hailridge.core.kinds.written import Written
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, table_of

HELP = (
    "A line for each value: a name for use further down (swing = sin(time)), or an attribute that is given it (radius = swing / 9; velocity.y += dt)."
    " Read attributes by name, the clock (time, dt), who it is (id), and ask with brackets: height(), field(\"Veil\"), random(7). Ctrl+Space lists "
    "all that can be named."
)


def writable_of(effect: Any) -> dict[str, Type]:
    """The attributes that lines may give a value, by what they are called there, with their types."""
    table = table_of(vars(attribute) for attribute in effect.attributes)
    names = {**{name: name for name in BUILT_IN}, **own_words(table)}
    return {word: type_of(table[name].value_type) for word, name in names.items() if table[name].writable}


class FormulaAction(Written, Weighted):
    title: ClassVar[str] = "write by formula"
    also: ClassVar[str] = "expression calculate set attribute circle orbit mathematics"
    rank: ClassVar[int] = 9
    sentence: ClassVar[str] = "write {text}[, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "Gives attributes values by formulas of your own, line by line, each time that the rule acts. What has been given a value is read with it "
        "from there on. What is not a number is not written. A field lets them go only part of the way."
    )

    kind: Literal["formula"] = "formula"
    text: str = fields.formula("swing = sin(age * 4)\nradius = mix(0.03, 0.09, 0.5 + 0.5 * swing)", lookups={}, label="Lines", help=HELP)

    def compose(self, effect: Any) -> Computed:
        return Script(self.text, words_of(effect), writable_of(effect))

    def act(self, moment: Moment, rows: Rows) -> None:
        script = self.formula(moment.scene.effect)
        surroundings, number = Surroundings(script, moment, rows), number_of(rows)
        for name, (value, width) in script(surroundings).items():
            shape = (number, 3) if width == 3 else (number,)
            self.write(moment, rows, surroundings.attribute(name), np.array(np.broadcast_to(value, shape), np.float32))
