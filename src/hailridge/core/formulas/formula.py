"""Formulas ready to compute: one value, or values for several attributes."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.formulas.functions import CONSTANTS, Type
from hailridge.core.formulas.program import WHOLE, Program, Slots
from hailridge.core.formulas.reading import Expressions, FormulaError, Piece, Words, fault_at, statements_of, widened


class Computed(Expressions):
    """What formulas share: a program, and how it is given what it reads.

    Parameters
    ----------
    words : Words
        What may be named.

    Raises
    ------
    FormulaError
        With the place and, for a misspelt name, the nearest known one.
    """

    program: Program

    def __init__(self, words: Words) -> None:
        super().__init__(words)
        self.lines: list[tuple[int, str, Piece]] = []
        """What each line gives, from the top: its number from 1, the name that it gives it (none: it is the value), and where that is."""

    @property
    def given(self) -> list[str]:
        """The names of everything that it is given."""
        return list(dict.fromkeys(name for name, _component in self.program.given))

    @property
    def names(self) -> list[str]:
        """Everything that it reads or writes."""
        return self.given

    def traced(self, environment: Mapping[str, Any]) -> list[tuple[int, str, Type, NDArray[np.float64]]]:
        """What is in between, too: what each line gives and, as line 0, what it is given; number, name, type and value, (w, n) or (w,)."""
        pieces = [*self.lines, *((0, name, piece) for name, piece in self.used.items())]
        program, self.program = self.program, self.builder.finish(tuple(slot for _line, _name, piece in pieces for slot in piece.slots))
        try:
            out = self.run(environment)
        finally:
            self.program = program
        found, at = [], 0
        for line, name, piece in pieces:
            found.append((line, name, piece.type, out[at : at + len(piece.slots)]))
            at += len(piece.slots)
        return found

    def run(self, environment: Mapping[str, Any]) -> NDArray[np.float64]:
        """All results of the program: (w, n), or (w,) where nothing that it is given varies.

        `environment` gives every variable, (), (n,) or (n, 3), and each look-up as a function of an id. What is read of `readings` is given under
        the name that it has there.
        """
        values = {name: self._present(environment, name) for name in self.given}
        sizes = {np.shape(value)[0] for name, value in values.items() if np.ndim(value) > (1 if self._wide(name) else 0)}
        number = max(sizes, default=1)
        rows = np.empty((len(self.program.given), number))
        for row, (name, component) in enumerate(self.program.given):
            value = np.asarray(values[name])
            rows[row] = value if component == WHOLE else value[..., component]
        out = self.program.run(rows)
        return out if sizes else out[:, 0]

    def _wide(self, name: str) -> bool:
        return any(other == name and component != WHOLE for other, component in self.program.given)

    def _present(self, environment: Mapping[str, Any], name: str) -> Any:
        if name in self.lookups:
            call, identifier = self.lookups[name]
            return environment[call](identifier)
        return environment[name]

    def _name_it(self, target: ast.Name, value: ast.expr) -> None:
        """Read a line that gives a value a name."""
        name = target.id
        # Calls stand before brackets, names do not: a word that the language gains later spoils no formula that is kept.
        if name in self.words.variables or name in CONSTANTS:
            raise fault_at(target, f"'{name}' already means something; choose another name")
        self.known[name] = self.read(value)
        self.lines.append((target.lineno, name, self.known[name]))


class Formula(Computed):
    """Lines of ``name = expression``, then one expression that is the value; `type` says what that is."""

    def __init__(self, text: str, words: Words) -> None:
        super().__init__(words)
        *lines, last = statements_of(text)
        for line in lines:
            if not isinstance(line, ast.Assign) or len(line.targets) > 1 or not isinstance(line.targets[0], ast.Name):
                raise fault_at(line, "every line but the last gives a value a name: name = …")
            self._name_it(line.targets[0], line.value)
        if not isinstance(last, ast.Expr):
            raise fault_at(last, "the last line has to be the value, without a name before it")
        value = self.read(last.value)
        self.lines.append((last.lineno, "", value))
        self.type: Type = value.type
        self.program = self.builder.finish(value.slots)

    def __call__(self, environment: Mapping[str, Any]) -> NDArray[Any]:
        """The value: float64, a number () or (n,), a vector (3,) or (n, 3); bool for flags. `environment` as for `run`."""
        out = self.run(environment)
        return out.T if self.type == "vector" else out[0] != 0 if self.type == "flag" else out[0]


class Script(Computed):
    """Lines that give values names, and attributes values: ``name = expression``; ``velocity.y += expression``.

    An attribute that has been given a value is read with it from there on. `writable` are those that may be given one, with their types.
    """

    def __init__(self, text: str, words: Words, writable: Mapping[str, Type]) -> None:
        super().__init__(words)
        self._writable = writable
        self._changed: list[str] = []
        for line in statements_of(text):
            self._line(line)
        if not self._changed:
            raise FormulaError("gives no attribute a value; write a line such as: radius = 0.1")
        slots: list[Slots] = [self.known[name].slots for name in self._changed]
        self.program = self.builder.finish(tuple(slot for piece in slots for slot in piece))

    def _line(self, line: ast.stmt) -> None:
        match line:
            case ast.Assign(targets=[target], value=value):
                pass
            case ast.AugAssign(target=target, op=sign, value=added):
                read = ast.Name(target.id, ast.Load()) if isinstance(target, ast.Name) else target
                value = ast.copy_location(ast.BinOp(ast.copy_location(read, target), sign, added), line)
            case _:
                raise fault_at(line, "every line gives something a value: name = …, or attribute = …")
        match target:
            case ast.Name(id=name) if name in self._writable:
                self._write(target, name, self._fitting(value, self.read(value), name))
            case ast.Attribute(value=ast.Name(id=name), attr=part) if name in self._writable and part in ("x", "y", "z"):
                if self._writable[name] != "vector":
                    raise fault_at(target, f"'{name}' is one number and has no .{part}")
                piece = self.read(value)
                if piece.type == "vector":
                    raise fault_at(value, f"{name}.{part} takes one number, not three")
                present = self.read(ast.copy_location(ast.Name(name, ast.Load()), target)).slots
                self._write(target, name, Piece("vector", tuple(piece.slots[0] if axis == part else present[i] for i, axis in enumerate("xyz"))))
            case ast.Name():
                self._name_it(target, value)
            case _:
                raise fault_at(target, "what gets a value is a name, an attribute, or one of a vector's .x, .y and .z")

    def _fitting(self, node: ast.expr, piece: Piece, name: str) -> Piece:
        wanted = self._writable[name]
        if wanted == "vector" and piece.type != "vector":
            raise fault_at(node, f"'{name}' takes three numbers, such as vec3(0, 1, 0)")
        if wanted != "vector" and piece.type == "vector":
            raise fault_at(node, f"'{name}' is one number; take the length of the vector, or .x, .y or .z of it")
        return Piece(wanted, widened(piece, wanted))

    def _write(self, target: ast.expr, name: str, piece: Piece) -> None:
        self.known[name] = piece
        self.lines.append((target.lineno, name, piece))
        self.note(name)
        if name not in self._changed:
            self._changed.append(name)

    @property
    def names(self) -> list[str]:
        return [*self.given, *self._changed]

    def __call__(self, environment: Mapping[str, Any]) -> dict[str, tuple[NDArray[np.float64], int]]:
        """What each attribute gets, in the order in which they were first given something, and in how many numbers: (), (n,), (3,) or (n, 3).

        `environment` as for `run`.
        """
        out, at, found = self.run(environment), 0, {}
        for name in self._changed:
            width = 3 if self._writable[name] == "vector" else 1
            found[name] = out[at : at + 3].T if width == 3 else out[at], width
            at += width
        return found


def faults_of(read: Callable[[], Computed], what: str) -> Iterator[tuple[str, str]]:
    """What is wrong with the field `text` of a part that works by a formula; `what` says what the part is where that is one number."""
    try:
        formula = read()
        if what and getattr(formula, "type", "") == "vector":
            yield "text", f"gives a vector, but {what} is one number; take its length or a component"
    except FormulaError as error:
        yield "text", str(error)


def mentions_of(formula: Computed | None, to: str) -> Iterator[tuple[str, str]]:
    """What the field `text` names of a sort, as far as the formula has been read."""
    if formula is not None:
        yield from (("text", name) for what, name in formula.named if what == to)
