"""What a formula can call. Names and meanings follow Python's `math` and the OpenGL Shading Language 4.60, section 8."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce
from typing import Literal

import numpy as np

from hailridge.core.formulas.program import Builder, Slots
from hailridge.core.kernels import formulas as op

Type = Literal["number", "vector", "flag"]

Write = Callable[..., Slots]
"""Given a `Builder` and where the arguments are: writes down what it does, and says where the result is."""


@dataclass(frozen=True)
class Function:
    """`takes` gives the types of the arguments: `same` stands for number or vector, the same in all of them; the last may be left out
    down to `least`."""

    takes: tuple[str, ...]
    gives: str
    write: Write
    least: int = 0

    @property
    def fewest(self) -> int:
        return self.least or len(self.takes)


def each(what: int) -> Write:
    """One instruction for each component."""
    return lambda b, *arguments: tuple(b.emit(what, *parts) for parts in zip(*arguments, strict=True))


def total(b: Builder, slots: Slots) -> int:
    return reduce(lambda first, second: b.emit(op.ADD, first, second), slots)


def _dot(b: Builder, first: Slots, second: Slots) -> Slots:
    return (total(b, each(op.MULTIPLY)(b, first, second)),)


def _length(b: Builder, vector: Slots) -> Slots:
    return (b.emit(op.ROOT, *_dot(b, vector, vector)),)


def _distance(b: Builder, first: Slots, second: Slots) -> Slots:
    return _length(b, each(op.SUBTRACT)(b, first, second))


def _normalize(b: Builder, vector: Slots) -> Slots:
    (size,) = _length(b, vector)
    zero, one = b.constant(0.0), b.constant(1.0)
    there = b.emit(op.GREATER, size, zero)
    by = b.emit(op.CHOOSE, there, size, one)
    return tuple(b.emit(op.CHOOSE, there, b.emit(op.DIVIDE, part, by), zero) for part in vector)


def _cross(b: Builder, first: Slots, second: Slots) -> Slots:
    def part(one: int, other: int) -> int:
        return b.emit(op.SUBTRACT, b.emit(op.MULTIPLY, first[one], second[other]), b.emit(op.MULTIPLY, first[other], second[one]))

    return part(1, 2), part(2, 0), part(0, 1)


def _reflect(b: Builder, vector: Slots, normal: Slots) -> Slots:
    (along,) = _dot(b, vector, normal)
    twice = b.emit(op.MULTIPLY, b.constant(2.0), along)
    return tuple(b.emit(op.SUBTRACT, part, b.emit(op.MULTIPLY, twice, other)) for part, other in zip(vector, normal, strict=True))


def _clamp(b: Builder, value: Slots, low: Slots, high: Slots) -> Slots:
    return each(op.MINIMUM)(b, each(op.MAXIMUM)(b, value, low), high)


def _mix(b: Builder, low: Slots, high: Slots, share: Slots) -> Slots:
    return each(op.ADD)(b, low, each(op.MULTIPLY)(b, each(op.SUBTRACT)(b, high, low), share))


def _share(b: Builder, value: int, low: int, high: int) -> int:
    return b.emit(op.DIVIDE, b.emit(op.SUBTRACT, value, low), b.emit(op.SUBTRACT, high, low))


def _smoothstep(b: Builder, low: Slots, high: Slots, value: Slots) -> Slots:
    ((share,),) = (_clamp(b, (_share(b, value[0], low[0], high[0]),), (b.constant(0.0),), (b.constant(1.0),)),)
    square = b.emit(op.MULTIPLY, share, share)
    return (b.emit(op.MULTIPLY, square, b.emit(op.SUBTRACT, b.constant(3.0), b.emit(op.MULTIPLY, b.constant(2.0), share))),)


def _remap(b: Builder, value: Slots, low: Slots, high: Slots, to_low: Slots, to_high: Slots) -> Slots:
    way = b.emit(op.SUBTRACT, to_high[0], to_low[0])
    return (b.emit(op.ADD, to_low[0], b.emit(op.MULTIPLY, _share(b, value[0], low[0], high[0]), way)),)


def _step(b: Builder, edge: Slots, value: Slots) -> Slots:
    return (b.emit(op.CHOOSE, b.emit(op.LESS, value[0], edge[0]), b.constant(0.0), b.constant(1.0)),)


def _fract(b: Builder, value: Slots) -> Slots:
    return each(op.SUBTRACT)(b, value, each(op.FLOOR)(b, value))


def _noise(b: Builder, place: Slots, *seed: Slots) -> Slots:
    return (b.emit(op.NOISE, *place, seed[0][0] if seed else b.constant(0.0)),)


def _curl(b: Builder, place: Slots, *seed: Slots) -> Slots:
    """One instruction that gives three numbers: two more take the others from where it leaves them."""
    if seed and not b.is_constant(seed[0][0]):
        raise ValueError("the seed of a curl is the same for all: a number")
    first = b.emit(op.CURL, *place, seed[0][0] if seed else b.constant(0.0), folded=False)
    return first, b.emit(op.SECOND, first, folded=False), b.emit(op.THIRD, first, folded=False)


def _hsv(b: Builder, hue: Slots, saturation: Slots, value: Slots) -> Slots:
    """sRGB of hue (whole turns), saturation and value: each channel is a clipped triangle wave of the hue."""
    one, zero = (b.constant(1.0),), (b.constant(0.0),)
    found = []
    for shift in (1.0, 2 / 3, 1 / 3):
        (turn,) = _fract(b, (b.emit(op.ADD, hue[0], b.constant(shift)),))
        wave = b.emit(op.ABSOLUTE, b.emit(op.SUBTRACT, b.emit(op.MULTIPLY, turn, b.constant(6.0)), b.constant(3.0)))
        channel = _clamp(b, (b.emit(op.SUBTRACT, wave, one[0]),), zero, one)
        found.append(b.emit(op.MULTIPLY, value[0], _mix(b, one, channel, saturation)[0]))
    return tuple(found)


# ── Spaces of shapes: nine numbers of the rotation row by row, three of the place, one scale ─────────────────────────────


def _rows(b: Builder, pose: Sequence[int], vector: Slots, back: bool) -> Slots:
    """The rotation of a pose, or the one that undoes it, on a vector."""
    places = [[pose[3 * (j if back else i) + (i if back else j)] for j in range(3)] for i in range(3)]
    return tuple(total(b, each(op.MULTIPLY)(b, tuple(row), vector)) for row in places)


def turned_with(b: Builder, pose: Sequence[int], vector: Slots) -> Slots:
    """A direction of a shape's own, in the world."""
    return _rows(b, pose, vector, back=False)


def into_world(b: Builder, pose: Sequence[int], place: Slots) -> Slots:
    """A place in a shape's own space, in the world."""
    larger = each(op.MULTIPLY)(b, place, (pose[12],) * 3)
    return each(op.ADD)(b, _rows(b, pose, larger, back=False), tuple(pose[9:12]))


def into_space(b: Builder, pose: Sequence[int], place: Slots) -> Slots:
    """A place in the world, in a shape's own space."""
    away = each(op.SUBTRACT)(b, place, tuple(pose[9:12]))
    return each(op.DIVIDE)(b, _rows(b, pose, away, back=True), (pose[12],) * 3)


def _plain(what: int, arguments: int = 1) -> Function:
    return Function(("same",) * arguments, "same", each(what))


FUNCTIONS: dict[str, Function] = {
    "sin": _plain(op.SINE), "cos": _plain(op.COSINE), "tan": _plain(op.TANGENT), "asin": _plain(op.ARCSINE), "acos": _plain(op.ARCCOSINE),
    "atan": _plain(op.ARCTANGENT), "atan2": _plain(op.ATAN2, 2), "sqrt": _plain(op.ROOT), "exp": _plain(op.EXPONENTIAL), "log": _plain(op.LOGARITHM),
    "pow": _plain(op.POWER, 2), "abs": _plain(op.ABSOLUTE), "sign": _plain(op.SIGN), "floor": _plain(op.FLOOR), "ceil": _plain(op.CEILING),
    "fract": Function(("same",), "same", _fract), "min": _plain(op.MINIMUM, 2), "max": _plain(op.MAXIMUM, 2),
    "clamp": Function(("same", "number", "number"), "same", _clamp),
    "mix": Function(("same", "same", "number"), "same", _mix),
    "step": Function(("number", "number"), "number", _step),
    "smoothstep": Function(("number",) * 3, "number", _smoothstep),
    "remap": Function(("number",) * 5, "number", _remap),
    "vec3": Function(("number",) * 3, "vector", lambda b, x, y, z: (*x, *y, *z)),
    "length": Function(("vector",), "number", _length),
    "distance": Function(("vector", "vector"), "number", _distance),
    "normalize": Function(("vector",), "vector", _normalize),
    "dot": Function(("vector", "vector"), "number", _dot),
    "cross": Function(("vector", "vector"), "vector", _cross),
    "reflect": Function(("vector", "vector"), "vector", _reflect),
    "radians": Function(("same",), "same", lambda b, value: each(op.MULTIPLY)(b, value, (b.constant(np.pi / 180),) * len(value))),
    "degrees": Function(("same",), "same", lambda b, value: each(op.MULTIPLY)(b, value, (b.constant(180 / np.pi),) * len(value))),
    "noise": Function(("vector", "number"), "number", _noise, least=1),
    "curl": Function(("vector", "number"), "vector", _curl, least=1),
    "hsv": Function(("number",) * 3, "vector", _hsv),
}  # fmt: skip

CONSTANTS = {"pi": float(np.pi), "tau": float(2 * np.pi), "e": float(np.e)}

HELP: dict[str, str] = {
    "sin": "Sine of an angle in radians.", "cos": "Cosine of an angle in radians.", "tan": "Tangent of an angle in radians.",
    "asin": "The angle (radians) of a sine.", "acos": "The angle (radians) of a cosine.", "atan": "The angle (radians) of a tangent.",
    "atan2": "The angle (radians) of a place: its height, then how far along it is.", "sqrt": "Square root.", "exp": "e to the power of it.",
    "log": "Natural logarithm.", "pow": "The first to the power of the second.", "abs": "Its size, without the sign.", "sign": "−1, 0 or 1.",
    "floor": "The whole number below.", "ceil": "The whole number above.", "fract": "What it is beyond the whole number below.",
    "min": "The smaller of two.", "max": "The larger of two.", "clamp": "Held between a lowest and a highest value.",
    "mix": "From the first (share 0) to the second (share 1).", "step": "0 where the second is below the first, else 1.",
    "smoothstep": "0 to 1 as the third goes from the first to the second, gently.",
    "remap": "A value of one range, in another: low, high, to low, to high.",
    "vec3": "A vector of three numbers.", "length": "How long a vector is.", "distance": "How far apart two places are.",
    "normalize": "The same direction, of length 1.", "dot": "How far two vectors agree: the sum of the products of their parts.",
    "cross": "A vector square to both.", "reflect": "A vector thrown back by a surface with this normal.", "radians": "Degrees in radians.",
    "degrees": "Radians in degrees.", "noise": "Smooth noise of a place, about −1 to 1; another seed gives another one.",
    "curl": "A flow of noise at a place that neither gathers nor thins.", "hsv": "A colour of hue (a whole turn is 1), saturation and value.",
}  # fmt: skip
"""What each function gives, for those who write formulas."""

PARTS: dict[str, tuple[str, ...]] = {
    "atan2": ("y", "x"), "pow": ("value", "power"), "min": ("one", "other"), "max": ("one", "other"), "clamp": ("value", "low", "high"),
    "mix": ("from", "to", "share"), "step": ("edge", "value"), "smoothstep": ("low", "high", "value"),
    "remap": ("value", "low", "high", "to_low", "to_high"),
    "vec3": ("x", "y", "z"), "length": ("vector",), "distance": ("one", "other"), "normalize": ("vector",), "dot": ("one", "other"),
    "cross": ("one", "other"), "reflect": ("vector", "normal"), "noise": ("position", "seed"), "curl": ("position", "seed"),
    "hsv": ("hue", "saturation", "value"),
}  # fmt: skip
"""What stands in the brackets of a function, where it is not just a value."""
