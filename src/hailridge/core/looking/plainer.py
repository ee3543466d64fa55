"""Formulas that could be plain sentences: what they would be in the words of the score."""

from __future__ import annotations

import ast
from typing import Any, Literal

from hailridge.core.formulas.formula import Formula
from hailridge.core.formulas.reading import FormulaError, Words
from hailridge.core.formulas.syntax import tree_of
from hailridge.core.kinds.actions.formula import writable_of
from hailridge.core.kinds.words import OfDial, words_of
from hailridge.model.kind import Part, kinds
from hailridge.model.parts import Quantity

Slot = Literal["quantity", "amount", "condition", "action"]

Node = dict[str, Any]

COMPARISONS: dict[type[ast.cmpop], str] = {ast.Gt: "above", ast.GtE: "at_least", ast.Lt: "below", ast.LtE: "at_most", ast.Eq: "equal"}


def plainer(effect: Any, slot: Slot, text: str) -> Node | None:
    """The part that says the same without a formula, as a document holds it; None where none does."""
    try:
        lines = tree_of(text).body
    except (SyntaxError, RecursionError, MemoryError, ValueError):
        return None
    if len(lines) != 1:
        return None
    line, words = lines[0], words_of(effect)
    if slot == "action":
        return _action(effect, line, words)
    if not isinstance(line, ast.Expr):
        return None
    try:
        Formula(text, words)
    except FormulaError:
        return None
    match slot:
        case "quantity":
            return _quantity(line.value, words)
        case "amount":
            return _amount(line.value, words)
        case _:
            return _condition(line.value, words)


def _quantity(node: ast.expr, words: Words) -> Node | None:
    """A single thing that is read; vectors are no quantities."""
    part = _asked(node, words)
    if isinstance(part, Quantity):
        return part.model_dump(mode="json")
    if not isinstance(node, ast.Name) or words.variables.get(node.id) not in ("number", "flag"):
        return None
    if node.id in kinds("quantity"):
        return {"kind": node.id}
    name = words.own.get(node.id, node.id)
    if words.variables[node.id] == "flag":
        return {"kind": "marked", "attribute": name}
    return {"kind": "attribute", "attribute": name} if name in words.known["attribute"] else None


def _asked(node: ast.expr, words: Words) -> Any:
    """What a call asks for."""
    if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name) or node.func.id not in words.readings:
        return None
    try:
        part, _named = words.readings[node.func.id][1](
            [ast.literal_eval(argument) for argument in node.args], {str(word.arg): ast.literal_eval(word.value) for word in node.keywords}
        )
    except (ValueError, TypeError):
        return None
    return part


def _amount(node: ast.expr, words: Words) -> Node | None:
    if (value := _constant(node)) is not None:
        return {"kind": "fixed", "value": value}
    factor, inner = 1.0, node
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult):
        for number, other in ((node.left, node.right), (node.right, node.left)):
            if isinstance(found := _constant(number), float):
                factor, inner = found, other
    dial = _asked(inner, words)
    if isinstance(dial, OfDial):
        return {"kind": "dial", "dial": dial.dial, "factor": factor}
    read = _quantity(inner, words)
    flag = isinstance(dial, Part) and getattr(dial, "value_type", "") == "flag"
    return None if read is None or flag or read["kind"] == "marked" else {"kind": "as_it_is", "quantity": read, "factor": factor}


def _condition(node: ast.expr, words: Words) -> Node | None:
    if isinstance(node, ast.Compare) and len(node.ops) == 1:
        comparison, read = COMPARISONS.get(type(node.ops[0])), _quantity(node.left, words)
        threshold = _constant(node.comparators[0])
        if comparison and read is not None and isinstance(threshold, float) and read["kind"] != "marked":
            return {"kind": "compare", "quantity": read, "comparison": comparison, "threshold": {"kind": "fixed", "value": threshold}}
        return None
    if isinstance(node, ast.BoolOp):
        parts = [_condition(value, words) for value in node.values]
        if any(part is None for part in parts):
            return None
        kind = "all" if isinstance(node.op, ast.And) else "any"
        return {"kind": kind, "conditions": [{**part, "id": str(n)} for n, part in enumerate(parts) if part]}
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        inner = _condition(node.operand, words)
        return None if inner is None else {"kind": "not", "condition": inner}
    read, part = _quantity(node, words), _asked(node, words)
    fact = read is not None and (read["kind"] == "marked" or getattr(part, "value_type", "") == "flag")
    return {"kind": "holds", "quantity": read} if fact else None


def _action(effect: Any, line: ast.stmt, words: Words) -> Node | None:
    """One attribute that is given a number, grows by one every second, or is multiplied by one."""
    made: Node | None
    match line:
        case ast.Assign(targets=[ast.Name(id=name)], value=value):
            amount = _amount(value, words)
            made = None if amount is None else {"kind": "set", "amount": amount}
        case ast.AugAssign(target=ast.Name(id=name), op=ast.Add() | ast.Sub() as sign, value=value):
            each, way = _each_second(value), -1.0 if isinstance(sign, ast.Sub) else 1.0
            given = [way * part for part in each] if isinstance(each, list) else None if each is None else way * each
            amount = None if given is None else {"kind": "fixed", "value": given}
            made = None if amount is None else {"kind": "add", "amount": amount, "per": "second"}
        case _:
            return None
    kind = writable_of(effect).get(name)
    if made is None or amount is None or kind is None or (kind == "vector") != _is_wide(effect, amount):
        return None
    return {**made, "attribute": words.own.get(name, name)}


def _is_wide(effect: Any, amount: Node) -> bool:
    if amount["kind"] == "dial":
        return any(dial.id == amount["dial"] and dial.type not in ("number", "choice") for dial in effect.dials)
    return isinstance(amount.get("value"), list)


def _each_second(node: ast.expr) -> float | list[float] | None:
    """The constant of ``constant * dt``."""
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult):
        for number, other in ((node.left, node.right), (node.right, node.left)):
            if isinstance(other, ast.Name) and other.id == "dt":
                return _constant(number)
    return None


def _constant(node: ast.expr) -> float | list[float] | None:
    match node:
        case ast.Constant(value=bool()):
            return None
        case ast.Constant(value=int() | float() as number):
            return float(number)
        case ast.UnaryOp(op=ast.USub(), operand=inner):
            value = _constant(inner)
            return -value if isinstance(value, float) else None
        case ast.Call(func=ast.Name(id="vec3"), args=[_, _, _] as parts, keywords=[]):
            found = [_constant(part) for part in parts]
            return [part for part in found if isinstance(part, float)] if all(isinstance(part, float) for part in found) else None
    return None
