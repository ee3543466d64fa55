"""Reading expressions: parsed by Python's own `ast`, checked against a short list of what is allowed, types known before anything runs."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any

import numpy as np

from hailridge.core.formulas.functions import CONSTANTS, FUNCTIONS, Function, Type, each, into_space, into_world, turned_with
from hailridge.core.formulas.program import WHOLE, Builder, Slots
from hailridge.core.formulas.syntax import tree_of
from hailridge.core.kernels import formulas as op

LONGEST = 2000
LONGEST_NAME = 60
MOST_PARTS = 400
"""Of a formula's tree; one written by hand has about thirty."""


class FormulaError(ValueError):
    """What is wrong with a formula, in words; `line` and `column` count from 1. `wrong`: the word that is; `instead`: the known one nearest to it."""

    def __init__(self, text: str, line: int = 1, column: int = 1, wrong: str = "", instead: str = "") -> None:
        self.line, self.column = line, column
        self.wrong, self.instead = wrong, instead
        self.told = text
        super().__init__(f"{text} (line {line}, column {column})" if line > 1 else f"{text} (column {column})")


Reader = Callable[[list[Any], dict[str, Any]], tuple[Any, list[tuple[str, str]]]]
"""Takes what stands in the brackets of a call, in order and by name, all of it plain values. Gives what is to be read, and what that names: (what it
is, id). Raises ValueError in words."""


Stands = Mapping[str, tuple[str, str]]
"""By the name of a dial that stands for a shape: the dial's id and the shape's."""


@dataclass(frozen=True)
class Words:
    """What a formula may name. `variables` gives their types; `lookups` are calls with a name in quotes, such as field("gate"), with what they
    look among and the type they give; `known` lists those names by what they are, as ids or labels; `readings` are calls with plain values, by the
    type they give and who makes something to be read of them."""

    variables: Mapping[str, Type]
    lookups: Mapping[str, tuple[str, Type]] = field(default_factory=dict)
    known: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    readings: Mapping[str, tuple[Type, Reader]] = field(default_factory=dict)
    own: Mapping[str, str] = field(default_factory=dict)
    """Ids of the variables that are attributes of the document, by what they are called in formulas."""
    stands: Stands = field(default_factory=dict)
    """Names that stand for a shape of another name."""
    poses: bool = False
    """Whether shapes are given as they stand, so that places can be put into their space and taken out of it."""

    @property
    def calls(self) -> list[str]:
        return [*FUNCTIONS, *self.lookups, *self.readings, *(SPACES if self.poses else ())]


@dataclass(frozen=True)
class Piece:
    """A value of a formula: its type, and where it is."""

    type: Type
    slots: Slots


SPACES = {"in_world": 1, "in_space_of": 1, "along": 1, "origin_of": 0}
"""Calls about how a shape stands, and whether they take a place or direction besides its name."""

_SIGNS: dict[type[ast.operator], int] = {
    ast.Add: op.ADD, ast.Sub: op.SUBTRACT, ast.Mult: op.MULTIPLY, ast.Div: op.DIVIDE, ast.Mod: op.REMAINDER, ast.Pow: op.POWER,
    ast.FloorDiv: op.WHOLES,
}  # fmt: skip
_COMPARISONS: dict[type[ast.cmpop], int] = {
    ast.Lt: op.LESS, ast.LtE: op.LESS_EQUAL, ast.Gt: op.GREATER, ast.GtE: op.GREATER_EQUAL, ast.Eq: op.EQUAL, ast.NotEq: op.NOT_EQUAL,
}  # fmt: skip


class Expressions:
    """Expressions of one formula, read into one program."""

    def __init__(self, words: Words) -> None:
        self.words = words
        self.builder = Builder()
        self.known: dict[str, Piece] = {}
        """What has been given a name so far."""
        self.named: list[tuple[str, str]] = []
        """What is looked up or read about: (what it is, id)."""
        self.lookups: dict[str, tuple[str, str]] = {}
        """What is given by a look-up: the call and the id, by the name under which it is given."""
        self.readings: dict[str, Any] = {}
        """What is given by reading something."""
        self.used: dict[str, Piece] = {}
        """All that is given, by its name."""

    def read(self, node: ast.expr) -> Piece:
        match node:
            case ast.Constant(value=bool() as flag):
                return Piece("flag", (self.builder.constant(float(flag)),))
            case ast.Constant(value=int() | float()):
                return self._constant(node, node.value)
            case ast.Name():
                return self._name(node)
            case ast.Attribute():
                return self._component(node)
            case ast.UnaryOp():
                return self._unary(node)
            case ast.BinOp():
                return self._binary(node)
            case ast.Compare():
                return self._compare(node)
            case ast.BoolOp():
                return self._joined(node)
            case ast.IfExp():
                return self._choice(node)
            case ast.Call():
                return self._call(node)
        raise fault_at(node, "this is not part of the formula language")

    def _constant(self, node: ast.expr, value: Any) -> Piece:
        try:
            number = float(value)
        except OverflowError:
            raise fault_at(node, "this number is too large") from None
        if not np.isfinite(number):
            raise fault_at(node, "this number is too large")
        return Piece("number", (self.builder.constant(number),))

    def _given(self, name: str, kind: Type) -> Piece:
        components = range(3) if kind == "vector" else (WHOLE,)
        self.used[name] = Piece(kind, tuple(self.builder.given(name, component) for component in components))
        return self.used[name]

    def _name(self, node: ast.Name) -> Piece:
        name = node.id
        if name in CONSTANTS:
            return self._constant(node, CONSTANTS[name])
        if name in self.known:
            return self.known[name]
        if name in self.words.variables:
            self.note(name)
            return self._given(name, self.words.variables[name])
        if name in self.words.readings:
            # Whatever needs nothing said about it may stand without its brackets.
            return self._read_about(node, name, [], {})
        if name in self.words.calls:
            raise fault_at(node, f"'{name}' needs brackets: {name}(…)")
        if not name.isascii():
            raise fault_at(node, f"there is nothing called '{name}': it has letters that are none of a to z")
        raise unknown_at(node, f"there is nothing called '{name}'", name, [*self.words.variables, *self.known, *CONSTANTS, *self.words.calls])

    def note(self, name: str) -> None:
        """An attribute of one's own is among what the formula names."""
        if name in self.words.own and ("attribute", self.words.own[name]) not in self.named:
            self.named.append(("attribute", self.words.own[name]))

    def _component(self, node: ast.Attribute) -> Piece:
        inner = self.read(node.value)
        if node.attr not in ("x", "y", "z"):
            raise fault_at(node, f"a vector has .x, .y and .z, no .{node.attr}")
        if inner.type != "vector":
            raise fault_at(node, f".{node.attr} can only be taken from a vector")
        return Piece("number", (inner.slots["xyz".index(node.attr)],))

    def _unary(self, node: ast.UnaryOp) -> Piece:
        inner = self.read(node.operand)
        if isinstance(node.op, ast.Not):
            return Piece("flag", each(op.NOT)(self.builder, self._as_flag(node.operand, inner)))
        if isinstance(node.op, ast.USub):
            return Piece(_counted(inner.type), each(op.NEGATE)(self.builder, inner.slots))
        if isinstance(node.op, ast.UAdd):
            return inner
        raise fault_at(node, "this sign is not part of the formula language")

    def _binary(self, node: ast.BinOp) -> Piece:
        sign = _SIGNS.get(type(node.op))
        if sign is None:
            raise fault_at(node, "this sign is not part of the formula language")
        left, right = self.read(node.left), self.read(node.right)
        given: Type = "vector" if "vector" in (left.type, right.type) else "number"
        return Piece(given, each(sign)(self.builder, widened(left, given), widened(right, given)))

    def _compare(self, node: ast.Compare) -> Piece:
        pieces = [self.read(part) for part in (node.left, *node.comparators)]
        if any(piece.type == "vector" for piece in pieces):
            raise fault_at(node, "vectors cannot be compared; compare their length or a component")
        signs = [_COMPARISONS.get(type(sign)) for sign in node.ops]
        found: list[int] = []
        for sign, first, second in zip(signs, pieces, pieces[1:], strict=False):
            if sign is None:
                raise fault_at(node, "this comparison is not part of the formula language")
            found.append(self.builder.emit(sign, first.slots[0], second.slots[0]))
        return Piece("flag", (self._all(op.BOTH, found),))

    def _joined(self, node: ast.BoolOp) -> Piece:
        parts = [self._as_flag(value, self.read(value))[0] for value in node.values]
        return Piece("flag", (self._all(op.BOTH if isinstance(node.op, ast.And) else op.EITHER, parts),))

    def _all(self, what: int, slots: list[int]) -> int:
        found = slots[0]
        for slot in slots[1:]:
            found = self.builder.emit(what, found, slot)
        return found

    def _choice(self, node: ast.IfExp) -> Piece:
        (test,), yes, no = self._as_flag(node.test, self.read(node.test)), self.read(node.body), self.read(node.orelse)
        given: Type = "vector" if "vector" in (yes.type, no.type) else yes.type if yes.type == no.type else "number"
        pairs = zip(widened(yes, given), widened(no, given), strict=True)
        return Piece(given, tuple(self.builder.emit(op.CHOOSE, test, first, second) for first, second in pairs))

    # ── Calls ───────────────────────────────────────────────────────────────────────────────────────────────────────────

    def _call(self, node: ast.Call) -> Piece:
        if not isinstance(node.func, ast.Name) or any(isinstance(argument, ast.Starred) for argument in node.args):
            raise fault_at(node, "this is not part of the formula language")
        name = node.func.id
        if name in self.words.readings:
            return self._reading(node, name)
        if node.keywords:
            raise fault_at(node, "this is not part of the formula language")
        if name in self.words.lookups:
            return self._lookup(node, name)
        if name in SPACES and self.words.poses:
            return self._in_space(node, name)
        function = FUNCTIONS.get(name)
        if function is None:
            raise unknown_at(node, f"there is no function called '{name}'", name, self.words.calls)
        return self._function(node, name, function)

    def _function(self, node: ast.Call, name: str, function: Function) -> Piece:
        if not function.fewest <= len(node.args) <= len(function.takes):
            wanted = f"{function.fewest}" if function.fewest == len(function.takes) else f"{function.fewest} or {len(function.takes)}"
            raise fault_at(node, f"{name}() takes {wanted} {'value' if wanted == '1' else 'values'}, not {len(node.args)}")
        pieces = [self.read(argument) for argument in node.args]
        same: Type = "vector" if any(p.type == "vector" for p, kind in zip(pieces, function.takes, strict=False) if kind == "same") else "number"
        slots = []
        for place, (piece, kind) in enumerate(zip(pieces, function.takes, strict=False)):
            expected: Any = same if kind == "same" else kind
            if (expected == "number" and piece.type == "vector") or (kind == "vector" and piece.type != "vector"):
                raise fault_at(node.args[place], f"{name}() needs a {kind} here, not a {piece.type}")
            # A number beside vectors is taken for each of their components.
            slots.append(widened(piece, "vector" if same == "vector" and kind != "vector" else expected))
        given: Type = same if function.gives == "same" else function.gives  # type: ignore[assignment]
        try:
            return Piece(given, function.write(self.builder, *slots))
        except ValueError as error:
            raise fault_at(node, f"{name}(): {error}") from None

    def _lookup(self, node: ast.Call, name: str) -> Piece:
        among, given = self.words.lookups[name]
        wanted = node.args[0] if len(node.args) == 1 else None
        if not isinstance(wanted, ast.Constant) or not isinstance(wanted.value, str):
            raise fault_at(node, f'{name}() takes the name of a {among} in quotes: {name}("…")')
        known = self.words.known.get(among, {})
        found, mentions = found_as(among, wanted.value, known, self.words.stands)
        if found is None:
            raise unknown_at(wanted, f"there is no {among} called '{wanted.value}'", wanted.value, [*known, *known.values()])
        self.named += mentions
        key = f"{name}({found})"
        self.lookups[key] = (name, found)
        return self._given(key, given)

    def _in_space(self, node: ast.Call, name: str) -> Piece:
        """Where a shape is, or a place or a direction in its space."""
        wanted, *places = node.args or [node]
        known = self.words.known.get("shape", {})
        if len(places) != SPACES[name] or not isinstance(wanted, ast.Constant) or not isinstance(wanted.value, str):
            more = ", position" if SPACES[name] else ""
            raise fault_at(node, f'{name}() takes the name of a shape in quotes{" and a place" if more else ""}: {name}("…"{more})')
        shape, mentions = found_as("shape", wanted.value, known, self.words.stands)
        if shape is None:
            raise unknown_at(wanted, f"there is no shape called '{wanted.value}'", wanted.value, [*known, *known.values()])
        self.named += mentions
        key = f"pose({shape})"
        self.lookups[key] = ("pose", shape)
        pose = [self.builder.given(key, place) for place in range(13)]
        if name == "origin_of":
            return Piece("vector", tuple(pose[9:12]))
        piece = self.read(places[0])
        if piece.type != "vector":
            raise fault_at(places[0], f"{name}() needs a vector here, not a {piece.type}")
        write = {"in_world": into_world, "in_space_of": into_space, "along": turned_with}[name]
        return Piece("vector", write(self.builder, pose, piece.slots))

    def _reading(self, node: ast.Call, name: str) -> Piece:
        try:
            in_order = [ast.literal_eval(argument) for argument in node.args]
            by_name = {str(keyword.arg): ast.literal_eval(keyword.value) for keyword in node.keywords}
        except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
            raise fault_at(node, f"{name}() takes plain values: numbers, and names in quotes") from None
        return self._read_about(node, name, in_order, by_name)

    def _read_about(self, node: ast.expr, name: str, in_order: list[Any], by_name: dict[str, Any]) -> Piece:
        given, reader = self.words.readings[name]
        try:
            part, named = reader(in_order, by_name)
        except ValueError as error:
            raise fault_at(node, f"{name}(): {error}") from None
        self.named += named
        key = ast.unparse(node) if isinstance(node, ast.Call) else f"{name}()"
        self.readings[key] = part
        return self._given(key, getattr(part, "gives", given))

    def _as_flag(self, node: ast.expr, piece: Piece) -> Slots:
        if piece.type == "vector":
            raise fault_at(node, "a vector is neither true nor false; ask for its length, or one of its parts")
        return piece.slots if piece.type == "flag" else (self.builder.emit(op.NOT_EQUAL, piece.slots[0], self.builder.constant(0.0)),)


def identified(name: str, known: Mapping[str, str]) -> str | None:
    """The id that a name stands for: by id, which never changes; or by label, for those who write by hand."""
    return name if name in known else next((one for one, label in known.items() if label == name), None)


def found_as(word: str, name: str, known: Mapping[str, str], stands: Stands) -> tuple[str | None, list[tuple[str, str]]]:
    """The id of the field, shape or whatever goes by a name, and all that is named by it: a shape may be named by a dial that stands for it."""
    found = identified(name, known)
    if found is None and word == "shape" and name in stands:
        dial, shape = stands[name]
        return shape, [("shape", shape), ("dial", dial)]
    return found, [(word, found)] if found is not None else []


def statements_of(text: str) -> list[ast.stmt]:
    if len(text) > LONGEST:
        raise FormulaError(f"is longer than {LONGEST} letters")
    try:
        tree = tree_of(text)
    except SyntaxError as error:
        raise FormulaError(f"cannot be read: {error.msg}", error.lineno or 1, error.offset or 1) from None
    except (RecursionError, MemoryError, ValueError):
        raise FormulaError("is nested too deeply, or holds something that is no text") from None
    if sum(1 for _node in ast.walk(tree)) > MOST_PARTS * 3:
        raise FormulaError("has too many parts")
    if not tree.body:
        raise FormulaError("is empty")
    return tree.body


def _counted(given: Type) -> Type:
    return "number" if given == "flag" else given


def widened(piece: Piece, to: str) -> Slots:
    """Numbers beside vectors count for all three components."""
    return piece.slots * 3 if to == "vector" and piece.type != "vector" else piece.slots


def fault_at(node: ast.AST, text: str) -> FormulaError:
    return FormulaError(text, getattr(node, "lineno", 1), getattr(node, "col_offset", 0) + 1)


def unknown_at(node: ast.AST, text: str, name: str, known: list[str]) -> FormulaError:
    """An error about a word that is not known, with the nearest that is."""
    close = closest(name, known)
    more = f"; did you mean '{close[0]}'?" if close else ""
    return FormulaError(text + more, getattr(node, "lineno", 1), getattr(node, "col_offset", 0) + 1, name, close[0] if close else "")


def closest(name: str, known: list[str]) -> list[str]:
    """The known word nearest to a name, if any is near. Comparing takes as long as both are: nobody misspells a whole page."""
    return get_close_matches(name, known, n=1) if len(name) <= LONGEST_NAME else []


def nearest(name: str, known: list[str]) -> str:
    close = closest(name, known)
    return f"; did you mean '{close[0]}'?" if close else ""
