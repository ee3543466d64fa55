"""Units of formulas, as advice: what is added to, held against or written into something of another unit.

A bare number fits everything, and what it is multiplied with may be anything from there on: 9.81 * dt is meant as a speed. So only what is surely
of two different units is told of.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from hailridge.core.formulas.reading import statements_of

Unit = tuple[float, float, float, float] | None
"""Exponents of metre, second, kilogram and degree; None for a bare number, which may stand for anything."""

BASES = ("m", "s", "kg", "°")

KNOWN: dict[str, Unit] = {
    "m": (1, 0, 0, 0), "s": (0, 1, 0, 0), "kg": (0, 0, 1, 0), "deg": (0, 0, 0, 1), "m/s": (1, -1, 0, 0), "m/s2": (1, -2, 0, 0), "1/s": (0, -1, 0, 0),
    "1/s2": (0, -2, 0, 0), "deg/s": (0, -1, 0, 1), "deg/s2": (0, -2, 0, 1), "N": (1, -2, 1, 0),
}  # fmt: skip
"""Of the units that are declared, those that say more than how many."""

SAME = {"abs", "floor", "ceil", "length", "fract"}
JOINED = {"min", "max", "clamp", "vec3", "distance"}


@dataclass(frozen=True)
class Advice:
    """Something that is probably not meant, with its place in the text (both from 1)."""

    text: str
    line: int
    column: int


def written(unit: Unit) -> str:
    """A unit as one writes it: m/s²."""
    if unit is None:
        return "a bare number"
    above = [_power(base, part) for base, part in zip(BASES, unit, strict=True) if part > 0]
    below = [_power(base, -part) for base, part in zip(BASES, unit, strict=True) if part < 0]
    return "·".join(above or ["1"]) + "".join(f"/{entry}" for entry in below)


def _power(base: str, part: float) -> str:
    return base if part == 1 else f"{base}{'²' if part == 2 else '³' if part == 3 else f'^{part:g}'}"


@dataclass
class Reader:
    """Reads the units of a formula. `names` are those of what can be read by name, `calls` of what is asked with brackets."""

    names: Mapping[str, Unit]
    calls: Callable[[str, str], Unit]
    writable: Mapping[str, Unit] = field(default_factory=dict)
    found: list[Advice] = field(default_factory=list)
    local: dict[str, Unit] = field(default_factory=dict)

    def read(self, text: str) -> list[Advice]:
        """All advice on a formula that can be read. Raises FormulaError for one that cannot."""
        for line in statements_of(text):
            self._line(line)
        return self.found

    def _line(self, line: ast.stmt) -> None:
        match line:
            case ast.Assign(targets=[target], value=value):
                self._give(target, self.of(value), value)
            case ast.AugAssign(target=target, op=sign, value=value):
                given, present = self.of(value), self.of(target)
                if isinstance(sign, ast.Add | ast.Sub):
                    self._join(value, present, given, "is added to")
            case ast.Expr(value=value):
                self.of(value)
            case _:
                return

    def _give(self, target: ast.expr, unit: Unit, value: ast.expr) -> None:
        whole = target.value if isinstance(target, ast.Attribute) else target
        name = whole.id if isinstance(whole, ast.Name) else ""
        if name not in self.writable:
            self.local[name] = unit
            return
        wanted = self.writable[name]
        if unit is not None and wanted is not None and unit != wanted:
            hint = "; times dt?" if _times(unit, (0, 1, 0, 0)) == wanted else ""
            self._note(value, f"{name} takes {written(wanted)}, and this is {written(unit)}{hint}")

    def of(self, node: ast.expr) -> Unit:
        """The unit of an expression."""
        match node:
            case ast.Name(id=name):
                return self.local[name] if name in self.local else self.names.get(name)
            case ast.Attribute(value=value):
                return self.of(value)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                self.of(operand)
                return None
            case ast.UnaryOp(operand=operand):
                return self.of(operand)
            case ast.BinOp(left=left, op=sign, right=right):
                return self._signed(node, left, sign, right)
            case ast.BoolOp(values=values):
                for value in values:
                    self.of(value)
                return None
            case ast.Compare(left=left, comparators=others):
                units = [self.of(one) for one in (left, *others)]
                for one, other, place in zip(units, units[1:], others, strict=False):
                    self._join(place, one, other, "is held against")
                return None
            case ast.IfExp(test=test, body=body, orelse=other):
                self.of(test)
                return self._join(other, self.of(body), self.of(other), "stands beside")
            case ast.Call(func=ast.Name(id=name), args=given):
                return self._called(node, name, given)
            case _:
                return None

    def _signed(self, node: ast.expr, left: ast.expr, sign: ast.operator, right: ast.expr) -> Unit:
        one, other = self.of(left), self.of(right)
        match sign:
            case ast.Add():
                return self._join(right, one, other, "is added to")
            case ast.Sub():
                return self._join(right, one, other, "is taken from")
            case ast.Mult():
                return _times(one, other)
            case ast.Div() | ast.FloorDiv():
                return _times(one, _raised(other, -1))
            case ast.Pow():
                return _raised(one, float(right.value)) if isinstance(right, ast.Constant) and isinstance(right.value, int | float) else None
            case _:
                return one

    def _called(self, node: ast.Call, name: str, given: list[ast.expr]) -> Unit:
        if given and isinstance(given[0], ast.Constant) and isinstance(given[0].value, str):
            for one in given[1:]:
                self.of(one)
            return self.of(given[1]) if name == "along" and len(given) > 1 else self.calls(name, given[0].value)
        units = [self.of(one) for one in given]
        if name in JOINED or (name == "mix" and len(units) > 1):
            joined = units[:2] if name == "mix" else units
            unit = joined[0] if joined else None
            for other, place in zip(joined[1:], given[1:], strict=False):
                unit = self._join(place, unit, other, "stands beside")
            return unit
        if name in SAME and units:
            return units[0]
        if name in ("dot", "cross") and len(units) == 2:
            return _times(units[0], units[1])
        if name == "sqrt" and units:
            return _raised(units[0], 0.5)
        return None if units else self.calls(name, "")

    def _join(self, node: ast.expr, one: Unit, other: Unit, doing: str) -> Unit:
        """The unit of two that have to be alike."""
        if one is not None and other is not None and one != other:
            hint = "; times dt?" if _times(other, (0, 1, 0, 0)) == one else ""
            self._note(node, f"{written(other)} {doing} {written(one)}{hint}")
        return one if one is not None else other

    def _note(self, node: ast.expr, text: str) -> None:
        self.found.append(Advice(text, node.lineno, node.col_offset + 1))


def _times(one: Unit, other: Unit) -> Unit:
    if one is None or other is None:
        return None
    product = (one[0] + other[0], one[1] + other[1], one[2] + other[2], one[3] + other[3])
    return None if product == (0, 0, 0, 0) else product


def _raised(unit: Unit, power: float) -> Unit:
    return None if unit is None or power == 0 else (unit[0] * power, unit[1] * power, unit[2] * power, unit[3] * power)
