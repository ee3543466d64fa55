"""The server with kinds that the program does not know of, one of each sort: what somebody adds in one file."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

import hailridge.core  # noqa: F401
from hailridge.cli import app
from hailridge.core.kinds.looks.particles import Balls
from hailridge.core.kinds.shapes.flat import Disc
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.parts import Action, Amount, Condition, Quantity


class Quietness(Quantity):
    title: ClassVar[str] = "quietness"
    sentence: ClassVar[str] = "quietness over {span}"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "A stranger's quantity: how slow it is, against a speed."
    unit: ClassVar[str] = "share"

    kind: Literal["quietness"] = "quietness"
    span: float = fields.number(4.0, unit="m/s", low=0.1, high=100, soft=(1, 20), label="Against")

    def read(self, moment: Moment, rows: Rows) -> Any:
        return 1 - np.clip(moment.read_attribute("speed", rows) / np.float32(self.span), 0, 1)


class Halfway(Amount):
    title: ClassVar[str] = "halfway"
    sentence: ClassVar[str] = "halfway from {one} to {other}"
    help: ClassVar[str] = "A stranger's amount: the middle of two numbers."

    kind: Literal["halfway"] = "halfway"
    one: float = fields.number(0.02, low=0, high=1, soft=(0, 1), label="One end")
    other: float = fields.number(0.06, low=0, high=1, soft=(0, 1), label="Other end")

    def give(self, moment: Moment, rows: Rows) -> Any:
        return np.float32((self.one + self.other) / 2)

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        return (0.0, 1.0)

    def width(self, attributes: Table = BUILT_IN) -> int:
        return 1


class EveryNth(Condition):
    title: ClassVar[str] = "every so many"
    sentence: ClassVar[str] = "it is one of every {number}"
    category: ClassVar[str] = "Test"
    help: ClassVar[str] = "A stranger's condition: by the number of the particle."

    kind: Literal["every_nth"] = "every_nth"
    number: int = fields.number(2, low=1, high=100, soft=(1, 10), whole=True, label="Of every")

    def holds(self, moment: Moment, rows: Rows) -> Any:
        return moment.column("id")[rows] % self.number == 0


class Hop(Action):
    title: ClassVar[str] = "hop"
    sentence: ClassVar[str] = "hop by {height}"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = "A stranger's action: up, at once."

    kind: Literal["hop"] = "hop"
    height: Amount = fields.amount(0.5, unit="m", low=0, high=10, soft=(0, 2), label="Height")

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.column("position")[rows, 1] += self.height.give(moment, rows)


class Coin(Disc):
    title: ClassVar[str] = "Coin"
    help: ClassVar[str] = "A stranger's shape: a disc by another name."

    kind: Literal["coin"] = "coin"  # type: ignore[assignment]


class Marbles(Balls):
    title: ClassVar[str] = "marbles"
    sentence: ClassVar[str] = "{who} as marbles"
    help: ClassVar[str] = "A stranger's look, on a way of drawing that exists."

    kind: Literal["marbles"] = "marbles"  # type: ignore[assignment]


if __name__ == "__main__":
    app()
