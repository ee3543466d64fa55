"""Colour ramps in a document: one that ships, by its name, or stops of one's own."""

from __future__ import annotations

from itertools import pairwise

from pydantic import BaseModel, ConfigDict, Field

from hailridge.model.curves import Key

SHIPPED = ("viridis", "plasma", "magma", "cividis", "rime", "lantern", "lichen", "dusk")
"""Ramps that ship (`core.looks.ramps` holds their colours): Matplotlib's perceptual ones first, then ours."""

MOST_STOPS = 64


class Ramp(BaseModel):
    """Colours from 0 to 1: those of a ramp that ships (`named`), or stops (`keys`), each a place 0–1 and a colour, mixed in between.

    Stops out of order, or two at one place, are accepted by the document and told by `fault`, so that only the look is left out.
    """

    model_config = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)

    named: str | None = None
    reversed: bool = False
    keys: list[Key] = Field(default_factory=list, max_length=MOST_STOPS)

    def fault(self) -> str | None:
        """What is wrong with it, in words; None where nothing is."""
        if self.named is not None:
            return None if self.named in SHIPPED else f"there is no ramp called '{self.named}'; there are {', '.join(SHIPPED)}"
        if not self.keys:
            return "the ramp has no stops; it needs at least one, or the name of a ramp that ships"
        for number, key in enumerate(self.keys, 1):
            if not isinstance(key.value, list):
                return f"stop {number} of the ramp has to be a colour, three numbers"
            if not 0 <= key.at <= 1:
                return f"stop {number} of the ramp lies at {key.at:g}; a ramp runs from 0 to 1"
            if not all(0 <= part <= 1 for part in key.value):
                return f"stop {number} of the ramp is no colour: its three numbers have to be from 0 to 1"
        for number, (before, after) in enumerate(pairwise(self.keys), 1):
            if after.at <= before.at:
                same = after.at == before.at
                what = f"lie at the same place, {after.at:g}" if same else f"are out of order: {after.at:g} follows {before.at:g}"
                return f"stops {number} and {number + 1} of the ramp {what}; move one of them"
        return None
