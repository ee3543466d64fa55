"""What a formula can call. Names and meanings follow Python's `math` and the OpenGL Shading Language 4.60, section 8."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import noise as noise_kernel

Type = Literal["number", "vector", "flag"]
Values = Any
"""Float64: a number () or one for each place (k,); a vector (3,) or (k, 3); a flag () or (k,) bool."""


@dataclass(frozen=True)
class Function:
    """`takes` gives the types of the arguments: `same` stands for number or vector, the same in all of them; the last may be left out
    down to `least`."""

    takes: tuple[str, ...]
    gives: str
    compute: Callable[..., Values]
    least: int = 0

    @property
    def fewest(self) -> int:
        return self.least or len(self.takes)


def _clamp(value: Values, low: Values, high: Values) -> Values:
    return np.minimum(np.maximum(value, low), high)


def _smoothstep(low: Values, high: Values, value: Values) -> Values:
    share = np.clip((value - low) / (high - low), 0, 1)
    return share * share * (3 - 2 * share)


def _remap(value: Values, low: Values, high: Values, to_low: Values, to_high: Values) -> Values:
    return to_low + (value - low) / (high - low) * (to_high - to_low)


def _vec3(x: Values, y: Values, z: Values) -> Values:
    return np.stack(np.broadcast_arrays(np.asarray(x, float), y, z), axis=-1)


def _length(vector: Values) -> Values:
    return np.sqrt(np.sum(np.square(vector), axis=-1))


def _normalize(vector: Values) -> Values:
    size = _length(vector)[..., None]
    return np.where(size > 0, vector / np.where(size > 0, size, 1), 0)


def _reflect(vector: Values, normal: Values) -> Values:
    return vector - 2 * np.sum(vector * normal, axis=-1)[..., None] * normal


def _noise(place: Values, seed: Values = 0.0) -> Values:
    seeds = np.ravel(np.asarray(seed, np.float64))
    places = np.ascontiguousarray(np.broadcast_to(np.atleast_2d(place), (max(len(seeds), len(np.atleast_2d(place))), 3)), np.float32)
    value = np.full(len(places), np.nan)
    # Particles of one seed share one noise; a seed that is no number gives none.
    for one in np.unique(seeds[np.isfinite(seeds)]):
        rows = np.flatnonzero(seeds == one) if len(seeds) > 1 else np.arange(len(places))
        out: NDArray[np.float32] = np.empty((len(rows), 4), np.float32)
        noise_kernel.noise(len(rows), places[rows], np.uint32(int(one) & 0xFFFFFF), out)
        value[rows] = out[:, 0]
    return value if np.ndim(place) == 2 or len(seeds) > 1 else value[0]


def _plain(compute: Callable[..., Values], arguments: int = 1) -> Function:
    return Function(("same",) * arguments, "same", compute)


FUNCTIONS: dict[str, Function] = {
    "sin": _plain(np.sin), "cos": _plain(np.cos), "tan": _plain(np.tan), "asin": _plain(np.arcsin), "acos": _plain(np.arccos),
    "atan": _plain(np.arctan), "atan2": _plain(np.arctan2, 2), "sqrt": _plain(np.sqrt), "exp": _plain(np.exp), "log": _plain(np.log),
    "pow": _plain(np.power, 2), "abs": _plain(np.abs), "sign": _plain(np.sign), "floor": _plain(np.floor), "ceil": _plain(np.ceil),
    "fract": _plain(lambda value: value - np.floor(value)), "min": _plain(np.minimum, 2), "max": _plain(np.maximum, 2),
    "clamp": Function(("same", "number", "number"), "same", _clamp),
    "mix": Function(("same", "same", "number"), "same", lambda low, high, share: low + (high - low) * share),
    "step": Function(("number", "number"), "number", lambda edge, value: np.where(value < edge, 0.0, 1.0)),
    "smoothstep": Function(("number", "number", "number"), "number", _smoothstep),
    "remap": Function(("number",) * 5, "number", _remap),
    "vec3": Function(("number",) * 3, "vector", _vec3),
    "length": Function(("vector",), "number", _length),
    "distance": Function(("vector", "vector"), "number", lambda first, second: _length(first - second)),
    "normalize": Function(("vector",), "vector", _normalize),
    "dot": Function(("vector", "vector"), "number", lambda first, second: np.sum(first * second, axis=-1)),
    "cross": Function(("vector", "vector"), "vector", lambda first, second: np.cross(first, second)),
    "reflect": Function(("vector", "vector"), "vector", _reflect),
    "noise": Function(("vector", "number"), "number", _noise, least=1),
}  # fmt: skip

CONSTANTS = {"pi": float(np.pi), "tau": float(2 * np.pi), "e": float(np.e)}
