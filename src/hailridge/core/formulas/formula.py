"""Reading a formula: parsed by Python's own `ast`, checked against a short list of what is allowed, types known before it runs."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.formulas.functions import CONSTANTS, FUNCTIONS, Function, Type, each
from hailridge.core.formulas.program import WHOLE, Builder, Program, Slots
from hailridge.core.kernels import formulas as op

LONGEST = 2000
MOST_PARTS = 400
"""Of a formula's tree; one written by hand has about thirty."""


class FormulaError(ValueError):
    """What is wrong with a formula, in words; `line` and `column` count from 1."""

    def __init__(self, text: str, line: int = 1, column: int = 1) -> None:
        self.line, self.column = line, column
        super().__init__(f"{text} (line {line}, column {column})" if line > 1 else f"{text} (column {column})")


Reader = Callable[[list[Any], dict[str, Any]], tuple[Any, list[tuple[str, str]]]]
"""Takes what stands in the brackets of a call, in order and by name, all of it plain values. Gives what is to be read, and what that names: (what it
is, id). Raises ValueError in words."""


@dataclass(frozen=True)
class Words:
    """What a formula may name. `variables` gives their types; `lookups` are calls with a name in quotes, such as field("gate"), with what they
    look among and the type they give; `known` lists those names by what they are, as ids or labels; `readings` are calls with plain values, by the
    type they give and who makes something to be read of them."""

    variables: Mapping[str, Type]
    lookups: Mapping[str, tuple[str, Type]] = field(default_factory=dict)
    known: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    readings: Mapping[str, tuple[Type, Reader]] = field(default_factory=dict)

    @property
    def calls(self) -> list[str]:
        return [*FUNCTIONS, *self.lookups, *self.readings]


@dataclass(frozen=True)
class _Piece:
    """A value of a formula: its type, and where it is."""

    type: Type
    slots: Slots


_SIGNS: dict[type[ast.operator], int] = {
    ast.Add: op.ADD, ast.Sub: op.SUBTRACT, ast.Mult: op.MULTIPLY, ast.Div: op.DIVIDE, ast.Mod: op.REMAINDER, ast.Pow: op.POWER,
    ast.FloorDiv: op.WHOLES,
}  # fmt: skip
_COMPARISONS: dict[type[ast.cmpop], int] = {
    ast.Lt: op.LESS, ast.LtE: op.LESS_EQUAL, ast.Gt: op.GREATER, ast.GtE: op.GREATER_EQUAL, ast.Eq: op.EQUAL, ast.NotEq: op.NOT_EQUAL,
}  # fmt: skip


class Formula:
    """A formula ready to compute.

    Parameters
    ----------
    text : str
        Lines of ``name = expression``, then one expression that is the value.
    words : Words
        What it may name.

    Raises
    ------
    FormulaError
        With the place and, for a misspelt name, the nearest known one.
    """

    def __init__(self, text: str, words: Words) -> None:
        self.words = words
        self.named: list[tuple[str, str]] = []
        """What it looks up or reads about: (what it is, id)."""
        self.lookups: dict[str, tuple[str, str]] = {}
        """What is given to it by a look-up: the call and the id, by the name under which it is given."""
        self.readings: dict[str, Any] = {}
        """What is given to it by reading something."""
        body = _statements(text)
        self._builder = Builder()
        self._locals: dict[str, _Piece] = {}
        for statement in body[:-1]:
            self._assign(statement)
        last = body[-1]
        if not isinstance(last, ast.Expr):
            raise _at(last, "the last line has to be the value, without a name before it")
        value = self._read(last.value)
        self.type: Type = value.type
        self.program: Program = self._builder.finish(value.slots)

    @property
    def given(self) -> list[str]:
        """The names of everything that it is given."""
        return list(dict.fromkeys(name for name, _component in self.program.given))

    def __call__(self, environment: Mapping[str, Any]) -> NDArray[Any]:
        """The value: float64, a number () or (n,), a vector (3,) or (n, 3); bool for flags.

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
        found: NDArray[Any] = out.T if self.type == "vector" else out[0] != 0 if self.type == "flag" else out[0]
        return found if sizes else found[0]

    def _wide(self, name: str) -> bool:
        return any(other == name and component != WHOLE for other, component in self.program.given)

    def _present(self, environment: Mapping[str, Any], name: str) -> Any:
        if name in self.lookups:
            call, identifier = self.lookups[name]
            return environment[call](identifier)
        return environment[name]

    def _assign(self, statement: ast.stmt) -> None:
        target = statement.targets[0] if isinstance(statement, ast.Assign) else None
        if not isinstance(target, ast.Name) or not isinstance(statement, ast.Assign) or len(statement.targets) > 1:
            raise _at(statement, "every line but the last gives a value a name: name = …")
        name = target.id
        if name in self.words.variables or name in CONSTANTS or name in self.words.calls:
            raise _at(target, f"'{name}' already means something; choose another name")
        self._locals[name] = self._read(statement.value)

    # ── Expressions ─────────────────────────────────────────────────────────────────────────────────────────────────────

    def _read(self, node: ast.expr) -> _Piece:
        match node:
            case ast.Constant(value=bool() as flag):
                return _Piece("flag", (self._builder.constant(float(flag)),))
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
        raise _at(node, "this is not part of the formula language")

    def _constant(self, node: ast.expr, value: Any) -> _Piece:
        try:
            number = float(value)
        except OverflowError:
            raise _at(node, "this number is too large") from None
        if not np.isfinite(number):
            raise _at(node, "this number is too large")
        return _Piece("number", (self._builder.constant(number),))

    def _given(self, name: str, kind: Type) -> _Piece:
        components = range(3) if kind == "vector" else (WHOLE,)
        return _Piece(kind, tuple(self._builder.given(name, component) for component in components))

    def _name(self, node: ast.Name) -> _Piece:
        name = node.id
        if name in CONSTANTS:
            return self._constant(node, CONSTANTS[name])
        if name in self._locals:
            return self._locals[name]
        if name in self.words.variables:
            return self._given(name, self.words.variables[name])
        if name in self.words.calls:
            raise _at(node, f"'{name}' needs brackets: {name}(…)")
        raise _at(node, f"there is nothing called '{name}'{_nearest(name, [*self.words.variables, *self._locals, *CONSTANTS, *self.words.calls])}")

    def _component(self, node: ast.Attribute) -> _Piece:
        inner = self._read(node.value)
        if node.attr not in ("x", "y", "z"):
            raise _at(node, f"a vector has .x, .y and .z, no .{node.attr}")
        if inner.type != "vector":
            raise _at(node, f".{node.attr} can only be taken from a vector")
        return _Piece("number", (inner.slots["xyz".index(node.attr)],))

    def _unary(self, node: ast.UnaryOp) -> _Piece:
        inner = self._read(node.operand)
        if isinstance(node.op, ast.Not):
            return _Piece("flag", each(op.NOT)(self._builder, self._as_flag(inner)))
        if isinstance(node.op, ast.USub):
            return _Piece(_counted(inner.type), each(op.NEGATE)(self._builder, inner.slots))
        if isinstance(node.op, ast.UAdd):
            return inner
        raise _at(node, "this sign is not part of the formula language")

    def _binary(self, node: ast.BinOp) -> _Piece:
        sign = _SIGNS.get(type(node.op))
        if sign is None:
            raise _at(node, "this sign is not part of the formula language")
        left, right = self._read(node.left), self._read(node.right)
        given: Type = "vector" if "vector" in (left.type, right.type) else "number"
        return _Piece(given, each(sign)(self._builder, _widened(left, given), _widened(right, given)))

    def _compare(self, node: ast.Compare) -> _Piece:
        pieces = [self._read(part) for part in (node.left, *node.comparators)]
        if any(piece.type == "vector" for piece in pieces):
            raise _at(node, "vectors cannot be compared; compare their length or a component")
        signs = [_COMPARISONS.get(type(sign)) for sign in node.ops]
        found: list[int] = []
        for sign, first, second in zip(signs, pieces, pieces[1:], strict=False):
            if sign is None:
                raise _at(node, "this comparison is not part of the formula language")
            found.append(self._builder.emit(sign, first.slots[0], second.slots[0]))
        return _Piece("flag", (self._all(op.BOTH, found),))

    def _joined(self, node: ast.BoolOp) -> _Piece:
        parts = [self._as_flag(self._read(value))[0] for value in node.values]
        return _Piece("flag", (self._all(op.BOTH if isinstance(node.op, ast.And) else op.EITHER, parts),))

    def _all(self, what: int, slots: list[int]) -> int:
        found = slots[0]
        for slot in slots[1:]:
            found = self._builder.emit(what, found, slot)
        return found

    def _choice(self, node: ast.IfExp) -> _Piece:
        (test,), yes, no = self._as_flag(self._read(node.test)), self._read(node.body), self._read(node.orelse)
        given: Type = "vector" if "vector" in (yes.type, no.type) else yes.type if yes.type == no.type else "number"
        pairs = zip(_widened(yes, given), _widened(no, given), strict=True)
        return _Piece(given, tuple(self._builder.emit(op.CHOOSE, test, first, second) for first, second in pairs))

    # ── Calls ───────────────────────────────────────────────────────────────────────────────────────────────────────────

    def _call(self, node: ast.Call) -> _Piece:
        if not isinstance(node.func, ast.Name) or any(isinstance(argument, ast.Starred) for argument in node.args):
            raise _at(node, "this is not part of the formula language")
        name = node.func.id
        if name in self.words.readings:
            return self._reading(node, name)
        if node.keywords:
            raise _at(node, "this is not part of the formula language")
        if name in self.words.lookups:
            return self._lookup(node, name)
        function = FUNCTIONS.get(name)
        if function is None:
            raise _at(node, f"there is no function called '{name}'{_nearest(name, self.words.calls)}")
        return self._function(node, name, function)

    def _function(self, node: ast.Call, name: str, function: Function) -> _Piece:
        if not function.fewest <= len(node.args) <= len(function.takes):
            wanted = f"{function.fewest}" if function.fewest == len(function.takes) else f"{function.fewest} or {len(function.takes)}"
            raise _at(node, f"{name}() takes {wanted} {'value' if wanted == '1' else 'values'}, not {len(node.args)}")
        pieces = [self._read(argument) for argument in node.args]
        same: Type = "vector" if any(p.type == "vector" for p, kind in zip(pieces, function.takes, strict=False) if kind == "same") else "number"
        slots = []
        for place, (piece, kind) in enumerate(zip(pieces, function.takes, strict=False)):
            expected: Any = same if kind == "same" else kind
            if (expected == "number" and piece.type == "vector") or (kind == "vector" and piece.type != "vector"):
                raise _at(node.args[place], f"{name}() needs a {kind} here, not a {piece.type}")
            # A number beside vectors is taken for each of their components.
            slots.append(_widened(piece, "vector" if same == "vector" and kind != "vector" else expected))
        given: Type = same if function.gives == "same" else function.gives  # type: ignore[assignment]
        return _Piece(given, function.write(self._builder, *slots))

    def _lookup(self, node: ast.Call, name: str) -> _Piece:
        among, given = self.words.lookups[name]
        wanted = node.args[0] if len(node.args) == 1 else None
        if not isinstance(wanted, ast.Constant) or not isinstance(wanted.value, str):
            raise _at(node, f'{name}() takes the name of a {among} in quotes: {name}("…")')
        known = self.words.known.get(among, {})
        found = identified(wanted.value, known)
        if found is None:
            raise _at(wanted, f"there is no {among} called '{wanted.value}'{_nearest(wanted.value, [*known, *known.values()])}")
        self.named.append((among, found))
        key = f"{name}({found})"
        self.lookups[key] = (name, found)
        return self._given(key, given)

    def _reading(self, node: ast.Call, name: str) -> _Piece:
        given, reader = self.words.readings[name]
        try:
            in_order = [ast.literal_eval(argument) for argument in node.args]
            by_name = {str(keyword.arg): ast.literal_eval(keyword.value) for keyword in node.keywords}
        except (ValueError, TypeError, SyntaxError, MemoryError, RecursionError):
            raise _at(node, f"{name}() takes plain values: numbers, and names in quotes") from None
        try:
            part, named = reader(in_order, by_name)
        except ValueError as error:
            raise _at(node, f"{name}(): {error}") from None
        self.named += named
        key = ast.unparse(node)
        self.readings[key] = part
        return self._given(key, given)

    def _as_flag(self, piece: _Piece) -> Slots:
        if piece.type == "vector":
            raise FormulaError("a vector is neither true nor false")
        return piece.slots if piece.type == "flag" else (self._builder.emit(op.NOT_EQUAL, piece.slots[0], self._builder.constant(0.0)),)


def faults_of(read: Callable[[], Formula], what: str) -> Iterator[tuple[str, str]]:
    """What is wrong with the field `text` of a part that is one number by a formula; `what` says what the part is."""
    try:
        if read().type == "vector":
            yield "text", f"gives a vector, but {what} is one number; take its length or a component"
    except FormulaError as error:
        yield "text", str(error)


def mentions_of(formula: Formula | None, to: str) -> Iterator[tuple[str, str]]:
    """What the field `text` names of a sort, as far as the formula has been read."""
    if formula is not None:
        yield from (("text", name) for what, name in formula.named if what == to)


def identified(name: str, known: Mapping[str, str]) -> str | None:
    """The id that a name stands for: by id, which never changes; or by label, for those who write by hand."""
    return name if name in known else next((one for one, label in known.items() if label == name), None)


def _statements(text: str) -> list[ast.stmt]:
    if len(text) > LONGEST:
        raise FormulaError(f"is longer than {LONGEST} letters")
    try:
        tree = ast.parse(text.strip(), mode="exec")
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


def _widened(piece: _Piece, to: str) -> Slots:
    """Numbers beside vectors count for all three components."""
    return piece.slots * 3 if to == "vector" and piece.type != "vector" else piece.slots


def _at(node: ast.AST, text: str) -> FormulaError:
    return FormulaError(text, getattr(node, "lineno", 1), getattr(node, "col_offset", 0) + 1)


def _nearest(name: str, known: list[str]) -> str:
    close = get_close_matches(name, known, n=1)
    return f"; did you mean '{close[0]}'?" if close else ""
