"""Fields made of other fields."""

from __future__ import annotations

from collections.abc import Iterator
from functools import reduce
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kinds.fields.base import ShareField
from hailridge.core.state.particles import Array
from hailridge.model import fields

OPERATIONS = {
    "multiply": "the product of", "add": "the sum of", "maximum": "the largest of", "minimum": "the smallest of",
    "subtract": "the first less the others of",
}  # fmt: skip


class Combination(ShareField):
    title: ClassVar[str] = "combination"
    also: ClassVar[str] = "add multiply subtract mask"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "{operation} {fields}[, {inverted}]"
    help: ClassVar[str] = (
        "Puts fields together. The *product* is where all are, the *largest* where any is; the *sum* adds them up to 1; *less* cuts the others "
        "out of the first. Any field can be turned inside out first."
    )

    kind: Literal["combination"] = "combination"
    operation: Literal["multiply", "add", "maximum", "minimum", "subtract"] = fields.choice("multiply", OPERATIONS, label="Put together as")
    fields: list[str] = fields.reference("field", label="Fields", many="no fields yet", help="Which fields, in order.")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if not self.fields:
            yield "fields", "names no fields yet: choose at least one"
        elif len(set(self.fields)) < len(self.fields):
            yield "fields", "names the same field twice"

    def reach(self, scene: Any) -> Any:
        parts = [(scene.fields[name].reach(scene), scene.fields[name].inverted) for name in self.fields if name in scene.fields]
        boxes = [None if inverted else box for box, inverted in parts]
        if self.operation == "subtract":
            return boxes[0] if boxes else None
        if self.operation in ("multiply", "minimum"):
            known = [box for box in boxes if box is not None]
            if not known:
                return None
            low, high = np.max([box[0] for box in known], axis=0), np.min([box[1] for box in known], axis=0)
            return low, np.maximum(low + 1e-3, high)
        if not boxes or any(box is None for box in boxes):
            return None
        return np.min([box[0] for box in boxes if box], axis=0), np.max([box[1] for box in boxes if box], axis=0)

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        values = [scene.field_strength(name, points, time) for name in self.fields]
        match self.operation:
            case "multiply":
                return reduce(np.multiply, values)
            case "add":
                return reduce(np.add, values)
            case "maximum":
                return reduce(np.maximum, values)
            case "minimum":
                return reduce(np.minimum, values)
            case _:
                return reduce(np.subtract, values)
