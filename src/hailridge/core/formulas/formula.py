"""Reading a formula: parsed by Python's own `ast`, checked against a short list of what is allowed, types known before it runs."""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from difflib import get_close_matches
from typing import Any

import numpy as np

from hailridge.core.formulas.functions import CONSTANTS, FUNCTIONS, Type, Values

LONGEST = 2000
MOST_PARTS = 400
"""Of a formula's tree; one written by hand has about thirty."""

Environment = Mapping[str, Any]
Compute = Callable[[Environment], Values]


class FormulaError(ValueError):
    """What is wrong with a formula, in words; `line` and `column` count from 1."""

    def __init__(self, text: str, line: int = 1, column: int = 1) -> None:
        self.line, self.column = line, column
        super().__init__(f"{text} (line {line}, column {column})" if line > 1 else f"{text} (column {column})")


@dataclass(frozen=True)
class Words:
    """What a formula may name. `variables` gives their types; `lookups` are calls with a name in quotes, such as field("gate"), with what they
    look among and the type they give; `known` lists those names by what they are, as ids or labels."""

    variables: Mapping[str, Type]
    lookups: Mapping[str, tuple[str, Type]] = field(default_factory=dict)
    known: Mapping[str, Mapping[str, str]] = field(default_factory=dict)


@dataclass(frozen=True)
class _Piece:
    type: Type
    compute: Compute


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
        """What it looks up: (what it is, id)."""
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
        self._locals: dict[str, Type] = {}
        self._lines: list[tuple[str, Compute]] = []
        for statement in tree.body[:-1]:
            self._assign(statement)
        last = tree.body[-1]
        if not isinstance(last, ast.Expr):
            raise _at(last, "the last line has to be the value, without a name before it")
        value = self._read(last.value)
        self.type: Type = value.type
        self._value = value.compute

    def __call__(self, environment: Environment) -> Values:
        """The value, float64 or bool. `environment` gives every variable, and each lookup as a function of an id."""
        present = dict(environment)
        with np.errstate(all="ignore"):
            for name, compute in self._lines:
                present[name] = compute(present)
            return self._value(present)

    def _assign(self, statement: ast.stmt) -> None:
        target = statement.targets[0] if isinstance(statement, ast.Assign) else None
        if not isinstance(target, ast.Name) or not isinstance(statement, ast.Assign) or len(statement.targets) > 1:
            raise _at(statement, "every line but the last gives a value a name: name = …")
        name = target.id
        if name in self.words.variables or name in FUNCTIONS or name in CONSTANTS or name in self.words.lookups:
            raise _at(target, f"'{name}' already means something; choose another name")
        piece = self._read(statement.value)
        self._locals[name] = piece.type
        self._lines.append((name, piece.compute))

    # ── Expressions ─────────────────────────────────────────────────────────────────────────────────────────────────────

    def _read(self, node: ast.expr) -> _Piece:
        match node:
            case ast.Constant(value=bool()):
                flag = np.bool_(node.value)
                return _Piece("flag", lambda environment: flag)
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
            number = np.float64(value)
        except OverflowError:
            raise _at(node, "this number is too large") from None
        if not np.isfinite(number):
            raise _at(node, "this number is too large")
        return _Piece("number", lambda environment: number)

    def _name(self, node: ast.Name) -> _Piece:
        name = node.id
        if name in CONSTANTS:
            return self._constant(node, CONSTANTS[name])
        known: Mapping[str, Type] = {**self.words.variables, **self._locals}
        if name in known:
            return _Piece(known[name], lambda environment: environment[name])
        if name in FUNCTIONS or name in self.words.lookups:
            raise _at(node, f"'{name}' needs brackets: {name}(…)")
        raise _at(node, f"there is nothing called '{name}'{_nearest(name, [*known, *FUNCTIONS, *CONSTANTS, *self.words.lookups])}")

    def _component(self, node: ast.Attribute) -> _Piece:
        inner = self._read(node.value)
        if node.attr not in ("x", "y", "z"):
            raise _at(node, f"a vector has .x, .y and .z, no .{node.attr}")
        if inner.type != "vector":
            raise _at(node, f".{node.attr} can only be taken from a vector")
        place = "xyz".index(node.attr)
        return _Piece("number", lambda environment: inner.compute(environment)[..., place])

    def _unary(self, node: ast.UnaryOp) -> _Piece:
        inner = self._read(node.operand)
        if isinstance(node.op, ast.Not):
            flag = _as_flag(inner)
            return _Piece("flag", lambda environment: np.logical_not(flag(environment)))
        if isinstance(node.op, ast.USub):
            return _Piece(_counted(inner.type), lambda environment: -(_number(inner, environment)))
        if isinstance(node.op, ast.UAdd):
            return inner
        raise _at(node, "this sign is not part of the formula language")

    def _binary(self, node: ast.BinOp) -> _Piece:
        operators: dict[type[ast.operator], Callable[[Values, Values], Values]] = {
            ast.Add: np.add, ast.Sub: np.subtract, ast.Mult: np.multiply, ast.Div: np.divide, ast.Mod: np.mod, ast.Pow: np.power,
            ast.FloorDiv: np.floor_divide,
        }  # fmt: skip
        operator = operators.get(type(node.op))
        if operator is None:
            raise _at(node, "this sign is not part of the formula language")
        left, right = self._read(node.left), self._read(node.right)
        given: Type = "vector" if "vector" in (left.type, right.type) else "number"
        first, second = _widened(left, given), _widened(right, given)
        return _Piece(given, lambda environment: operator(first(environment), second(environment)))

    def _compare(self, node: ast.Compare) -> _Piece:
        operators: dict[type[ast.cmpop], Callable[[Values, Values], Values]] = {
            ast.Lt: np.less, ast.LtE: np.less_equal, ast.Gt: np.greater, ast.GtE: np.greater_equal, ast.Eq: np.equal, ast.NotEq: np.not_equal,
        }  # fmt: skip
        pieces = [self._read(part) for part in (node.left, *node.comparators)]
        if any(piece.type == "vector" for piece in pieces):
            raise _at(node, "vectors cannot be compared; compare their length or a component")
        signs = [operators.get(type(sign)) for sign in node.ops]
        if any(sign is None for sign in signs):
            raise _at(node, "this comparison is not part of the formula language")

        def compute(environment: Environment) -> Values:
            values = [_number(piece, environment) for piece in pieces]
            out: Values = np.True_
            for sign, first, second in zip(signs, values, values[1:], strict=False):
                assert sign is not None
                out = np.logical_and(out, sign(first, second))
            return out

        return _Piece("flag", compute)

    def _joined(self, node: ast.BoolOp) -> _Piece:
        parts = [_as_flag(self._read(value)) for value in node.values]
        join = np.logical_and if isinstance(node.op, ast.And) else np.logical_or

        def compute(environment: Environment) -> Values:
            out = parts[0](environment)
            for part in parts[1:]:
                out = join(out, part(environment))
            return out

        return _Piece("flag", compute)

    def _choice(self, node: ast.IfExp) -> _Piece:
        test, yes, no = _as_flag(self._read(node.test)), self._read(node.body), self._read(node.orelse)
        given: Type = "vector" if "vector" in (yes.type, no.type) else yes.type if yes.type == no.type else "number"
        first, second = _widened(yes, given), _widened(no, given)

        def compute(environment: Environment) -> Values:
            holds = np.asarray(test(environment))
            return np.where(holds[..., None] if given == "vector" else holds, first(environment), second(environment))

        return _Piece(given, compute)

    def _call(self, node: ast.Call) -> _Piece:
        if not isinstance(node.func, ast.Name) or node.keywords or any(isinstance(argument, ast.Starred) for argument in node.args):
            raise _at(node, "this is not part of the formula language")
        name = node.func.id
        if name in self.words.lookups:
            return self._lookup(node, name)
        function = FUNCTIONS.get(name)
        if function is None:
            raise _at(node, f"there is no function called '{name}'{_nearest(name, [*FUNCTIONS, *self.words.lookups])}")
        if not function.fewest <= len(node.args) <= len(function.takes):
            wanted = f"{function.fewest}" if function.fewest == len(function.takes) else f"{function.fewest} or {len(function.takes)}"
            raise _at(node, f"{name}() takes {wanted} {'value' if wanted == '1' else 'values'}, not {len(node.args)}")
        pieces = [self._read(argument) for argument in node.args]
        same: Type = "vector" if any(p.type == "vector" for p, kind in zip(pieces, function.takes, strict=False) if kind == "same") else "number"
        computes = []
        for place, (piece, kind) in enumerate(zip(pieces, function.takes, strict=False)):
            expected: Any = same if kind == "same" else kind
            if (expected == "number" and piece.type == "vector") or (kind == "vector" and piece.type != "vector"):
                raise _at(node.args[place], f"{name}() needs a {kind} here, not a {piece.type}")
            # A number beside vectors is taken for each of their components.
            computes.append(_widened(piece, "vector" if same == "vector" and kind != "vector" else expected))
        given: Type = same if function.gives == "same" else function.gives  # type: ignore[assignment]
        return _Piece(given, lambda environment: function.compute(*(compute(environment) for compute in computes)))

    def _lookup(self, node: ast.Call, name: str) -> _Piece:
        among, given = self.words.lookups[name]
        wanted = node.args[0] if len(node.args) == 1 else None
        if not isinstance(wanted, ast.Constant) or not isinstance(wanted.value, str):
            raise _at(node, f'{name}() takes the name of a {among} in quotes: {name}("…")')
        known = self.words.known.get(among, {})
        text = wanted.value
        # By id, which never changes; or by label, for those who write by hand.
        found = text if text in known else next((one for one, label in known.items() if label == text), None)
        if found is None:
            raise _at(wanted, f"there is no {among} called '{text}'{_nearest(text, [*known, *known.values()])}")
        self.named.append((among, found))
        return _Piece(given, lambda environment: environment[name](found))


def _number(piece: _Piece, environment: Environment) -> Values:
    value = piece.compute(environment)
    return np.asarray(value, np.float64) if piece.type == "flag" else value


def _counted(given: Type) -> Type:
    return "number" if given == "flag" else given


def _as_flag(piece: _Piece) -> Compute:
    if piece.type == "vector":
        raise FormulaError("a vector is neither true nor false")
    return piece.compute if piece.type == "flag" else lambda environment: np.not_equal(piece.compute(environment), 0)


def _widened(piece: _Piece, to: str) -> Compute:
    """Numbers beside vectors get an axis of their own, so that one for each place meets all three components."""
    if to == "vector" and piece.type != "vector":
        return lambda environment: np.asarray(_number(piece, environment))[..., None]
    if to == "flag":
        return piece.compute
    return lambda environment: _number(piece, environment)


def _at(node: ast.AST, text: str) -> FormulaError:
    return FormulaError(text, getattr(node, "lineno", 1), getattr(node, "col_offset", 0) + 1)


def _nearest(name: str, known: list[str]) -> str:
    close = get_close_matches(name, known, n=1)
    return f"; did you mean '{close[0]}'?" if close else ""
