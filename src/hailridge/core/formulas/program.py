"""The instructions of a formula: written down one by one with what is constant worked out at once, then given as few registers as they need."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import formulas as kernel

Slots = tuple[int, ...]
"""Where a value is: one number, or the three of a vector."""

Given = tuple[str, int]
"""Something that is given to the formula, by its name, and which of its components."""

WHOLE = -1
"""Stands in place of a component for what is a single number."""


@dataclass(frozen=True)
class Program:
    """Instructions ready to be carried out. `given` are the registers that vary, in order; `kernels.formulas.carry_out` says how they work."""

    given: tuple[Given, ...]
    constants: NDArray[np.float64]
    code: NDArray[np.int32]
    registers: int
    results: NDArray[np.int64]

    def run(self, given: NDArray[np.float64]) -> NDArray[np.float64]:
        """Results (w, n) for what is given (v, n)."""
        number = given.shape[1]
        out = np.empty((len(self.results), number))
        kernel.carry_out(number, self.code, self.constants, np.int64(self.registers), np.ascontiguousarray(given), self.results, out)
        return out


class Builder:
    """Instructions as they are written down. Every number has a slot of its own; the same thing asked for twice has the same."""

    def __init__(self) -> None:
        self._number = 0
        self._given: dict[Given, int] = {}
        self._constants: dict[str, int] = {}
        self._values: dict[int, float] = {}
        self._made: dict[tuple[int, ...], int] = {}

    def given(self, name: str, component: int = WHOLE) -> int:
        return self._given.setdefault((name, component), self._slot())

    def constant(self, value: float) -> int:
        # By its exact bits: −0.0 is not 0.0, and what is no number is itself.
        slot = self._constants.setdefault(np.float64(value).tobytes().hex(), self._slot())
        self._values[slot] = float(value)
        return slot

    def is_constant(self, slot: int) -> bool:
        return slot in self._values

    def emit(self, what: int, *operands: int, folded: bool = True) -> int:
        """Write down one instruction; worked out at once where all of its operands are constant, unless it leaves more than one number behind."""
        asked = (what, *operands)
        if asked in self._made:
            return self._made[asked]
        if folded and all(operand in self._values for operand in operands):
            return self.constant(self._worked_out(what, [self._values[operand] for operand in operands]))
        return self._made.setdefault(asked, self._slot())

    def _worked_out(self, what: int, values: list[float]) -> float:
        places = list(range(len(values))) + [0] * (4 - len(values))
        code = np.array([[what, len(values), *places]], np.int32)
        alone = Program((), np.array(values), code, len(values) + 1, np.array([len(values)]))
        return float(alone.run(np.empty((0, 1)))[0, 0])

    def finish(self, results: Slots) -> Program:
        """The program that gives these. What nobody needs is left out, and a register is used again once nobody needs what is in it."""
        made = {slot: asked for asked, slot in self._made.items()}
        needed = set(results)
        for slot in sorted(made, reverse=True):
            if slot in needed:
                needed.update(made[slot][1:])
        given = [(what, slot) for what, slot in self._given.items() if slot in needed]
        constants = [slot for slot in self._values if slot in needed]
        register = {slot: place for place, slot in enumerate([*(slot for _what, slot in given), *constants])}
        order = [slot for slot in sorted(made) if slot in needed]
        last = {operand: place for place, slot in enumerate(order) for operand in made[slot][1:]}
        free: list[int] = []
        highest = len(register)
        code = []
        for place, slot in enumerate(order):
            what, *operands = made[slot]
            places = [register[operand] for operand in operands]
            # Never where it reads: several items are done at once only where nothing that is read is written.
            if free:
                register[slot] = free.pop()
            else:
                register[slot] = highest
                highest += 1
            free += [register[operand] for operand in set(operands) if operand in made and last[operand] == place and operand not in results]
            code.append([what, register[slot], *places, *[0] * (4 - len(places))])
        return Program(
            tuple(what for what, _slot in given), np.array([self._values[slot] for slot in constants]),
            np.array(code, np.int32).reshape(len(code), 6), max(1, highest), np.array([register[slot] for slot in results], np.int64),
        )  # fmt: skip

    def _slot(self) -> int:
        self._number += 1
        return self._number - 1
