"""Fields by a formula of one's own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.formulas.formula import Formula, faults_of, mentions_of
from hailridge.core.formulas.reading import Words
from hailridge.core.kinds.fields.base import ShareField, in_space_of
from hailridge.core.kinds.words import standing, standing_for
from hailridge.core.state.particles import Array
from hailridge.model import fields

LOOKUPS = {"field": "field", "distance_to": "shape", "dial": "dial"}
"""Calls that take the name of something in the document, and what that is."""


NAMES = (
    "The last line is the value, 0 to 1; lines before it give values names. *position* (.x .y .z, in metres), *time*, *frame*; field(\"…\"), "
    "distance_to(\"…\"), dial(\"…\"); sin, cos, abs, min, max, clamp, mix, step, smoothstep, length, distance, noise, remap, and more."
)


def words_of_fields(effect: Any) -> Words:
    """What a field by formula may name."""
    known = {
        "field": {field.id: field.label for field in effect.fields},
        "shape": {shape.id: shape.label for shape in effect.shapes},
        "dial": {dial.id: dial.label for dial in effect.dials if dial.type in ("number", "choice")},
    }
    lookups: Any = {call: (names, "number") for call, names in LOOKUPS.items()}
    return Words({"position": "vector", "time": "number", "frame": "number"}, lookups, known, poses=True, stands=standing_for(effect))


def environment_of(carrier: str | None, scene: Any, points: Array, time: float) -> dict[str, Any]:
    """What it is given at some places (n, 3) and a time (s)."""
    return {
        "position": np.asarray(in_space_of(carrier, scene, points), np.float64), "time": np.float64(time),
        "frame": np.float64(time * scene.effect.clock.frames_per_second),
        "field": lambda name: scene.field_strength(name, points, time),
        "distance_to": lambda name: scene.pose(name).closest(points)[1],
        "dial": lambda name: np.float64(scene.dials[name].given),
        "pose": lambda name: standing(scene.pose(name).transform),
    }  # fmt: skip


class FormulaField(ShareField):
    title: ClassVar[str] = "formula"
    also: ClassVar[str] = "expression"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "{text}[, carried by {carrier}][, {inverted}]"
    help: ClassVar[str] = (
        "A formula of the *position* (with .x, .y and .z, metres), the *time* (seconds) and the *frame*; below 0 counts as 0, above 1 as 1. It can "
        'read others: field("…"), distance_to("…") for a shape, dial("…"). Lines before the last give values names. Functions: sin, cos, abs, min, '
        "max, clamp, mix, step, smoothstep, length, distance, normalize, dot, cross, noise, remap, and more."
    )

    kind: Literal["formula"] = "formula"
    text: str = fields.formula("smoothstep(0, 1, position.y)", lookups=LOOKUPS, label="Formula", help=NAMES)
    carrier: str | None = fields.reference("shape", label="Carried by", optional="nothing")
    _formula: Formula | None = PrivateAttr(default=None)

    def read(self, effect: Any) -> Formula:
        """The formula, read once. Raises FormulaError."""
        if self._formula is None:
            self._formula = Formula(self.text, words_of_fields(effect))
        return self._formula

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        return faults_of(lambda: self.read(effect), "a field")

    def mentions(self, to: str) -> Iterator[tuple[str, str]]:
        return mentions_of(self._formula, to)

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        value = self.read(scene.effect)(environment_of(self.carrier, scene, points, time))
        return np.broadcast_to(np.asarray(value, np.float64), (len(points),))
