"""A register machine for formulas: a short list of instructions, carried out block by block so that what is in between stays in the cache."""

from __future__ import annotations

import math

import numpy as np

from hailridge.core.kernels.array_types import Float64Rows, Float64s, Int32Rows, Int64, Int64s
from hailridge.core.kernels.compiling import helper, kernel, piece
from hailridge.core.kernels.noise import curl_block, noise_value
from hailridge.core.kernels.waves import exponentials, waves

BLOCK = 256
"""Items that are computed at once: with some dozens of registers they fit into the second cache."""

(
    ADD, SUBTRACT, MULTIPLY, DIVIDE, REMAINDER, POWER, WHOLES, MINIMUM, MAXIMUM, LESS, LESS_EQUAL, GREATER, GREATER_EQUAL,
    EQUAL, NOT_EQUAL, BOTH, EITHER, ATAN2, NEGATE, NOT, ABSOLUTE, SIGN, FLOOR, CEILING, ROOT, EXPONENTIAL, LOGARITHM, SINE,
    COSINE, TANGENT, ARCSINE, ARCCOSINE, ARCTANGENT, CHOOSE, NOISE, CURL, SECOND, THIRD,
) = range(38)  # fmt: skip
"""What instructions do. Each is (what, into, first, second, third, fourth), numbers of registers. A curl gives three numbers: its first; the second
and the third are taken by instructions right after it."""


@helper
def remainder(a, b):  # type: ignore[no-untyped-def]
    """What is left of a / b, with the sign of b (Python's %)."""
    left = np.fmod(a, b)
    if b != 0.0 and left != 0.0 and (left < 0.0) != (b < 0.0):
        left += b
    return left


@helper
def wholes(a, b):  # type: ignore[no-untyped-def]
    """a / b, rounded down (Python's //)."""
    if b == 0.0:
        return a / b
    left = np.fmod(a, b)
    times = (a - left) / b
    if left != 0.0 and (left < 0.0) != (b < 0.0):
        times -= 1.0
    # A whole number but for rounding.
    return np.floor(times + 0.5)


@piece
def _two(what, r, into, a, b, m):  # type: ignore[no-untyped-def]
    """Instructions on two numbers."""
    if what == ADD:
        for i in range(m):
            r[into, i] = r[a, i] + r[b, i]
    elif what == SUBTRACT:
        for i in range(m):
            r[into, i] = r[a, i] - r[b, i]
    elif what == MULTIPLY:
        for i in range(m):
            r[into, i] = r[a, i] * r[b, i]
    elif what == DIVIDE:
        for i in range(m):
            r[into, i] = r[a, i] / r[b, i]
    elif what == REMAINDER:
        for i in range(m):
            r[into, i] = remainder(r[a, i], r[b, i])
    elif what == POWER:
        for i in range(m):
            r[into, i] = r[a, i] ** r[b, i]
    elif what == WHOLES:
        for i in range(m):
            r[into, i] = wholes(r[a, i], r[b, i])
    elif what == MINIMUM:
        for i in range(m):
            x, y = r[a, i], r[b, i]
            r[into, i] = x if x <= y or x != x else y
    elif what == MAXIMUM:
        for i in range(m):
            x, y = r[a, i], r[b, i]
            r[into, i] = x if x >= y or x != x else y
    elif what == LESS:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] < r[b, i] else 0.0
    elif what == LESS_EQUAL:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] <= r[b, i] else 0.0
    elif what == GREATER:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] > r[b, i] else 0.0
    elif what == GREATER_EQUAL:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] >= r[b, i] else 0.0
    elif what == EQUAL:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] == r[b, i] else 0.0
    elif what == NOT_EQUAL:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] != r[b, i] else 0.0
    elif what == BOTH:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] != 0.0 and r[b, i] != 0.0 else 0.0
    elif what == EITHER:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] != 0.0 or r[b, i] != 0.0 else 0.0
    elif what == ATAN2:
        for i in range(m):
            r[into, i] = math.atan2(r[a, i], r[b, i])


@piece
def _one(what, r, into, a, m):  # type: ignore[no-untyped-def]
    """Instructions on one number."""
    if what == NEGATE:
        for i in range(m):
            r[into, i] = -r[a, i]
    elif what == NOT:
        for i in range(m):
            r[into, i] = 1.0 if r[a, i] == 0.0 else 0.0
    elif what == ABSOLUTE:
        for i in range(m):
            r[into, i] = abs(r[a, i])
    elif what == SIGN:
        for i in range(m):
            x = r[a, i]
            r[into, i] = 1.0 if x > 0.0 else -1.0 if x < 0.0 else x
    elif what == FLOOR:
        for i in range(m):
            r[into, i] = np.floor(r[a, i])
    elif what == CEILING:
        for i in range(m):
            r[into, i] = np.ceil(r[a, i])
    elif what == ROOT:
        for i in range(m):
            r[into, i] = np.sqrt(r[a, i])
    elif what == EXPONENTIAL:
        exponentials(r[a], r[into], m)
    elif what == LOGARITHM:
        for i in range(m):
            r[into, i] = np.log(r[a, i])
    elif what == SINE:
        waves(r[a], r[into], m, 0)
    elif what == COSINE:
        waves(r[a], r[into], m, 1)
    elif what == TANGENT:
        for i in range(m):
            r[into, i] = np.tan(r[a, i])
    elif what == ARCSINE:
        for i in range(m):
            r[into, i] = np.arcsin(r[a, i])
    elif what == ARCCOSINE:
        for i in range(m):
            r[into, i] = np.arccos(r[a, i])
    elif what == ARCTANGENT:
        for i in range(m):
            r[into, i] = np.arctan(r[a, i])


@piece
def _noise(r, into, x, y, z, seed, m):  # type: ignore[no-untyped-def]
    """Gradient noise of a place; a seed that is no number gives none."""
    for i in range(m):
        own = r[seed, i]
        seeded = abs(own) < 1e18
        salt = np.uint32(np.int64(own if seeded else 0.0) & 0xFFFFFF)
        value = np.float64(noise_value(np.float32(r[x, i]), np.float32(r[y, i]), np.float32(r[z, i]), salt))
        r[into, i] = value if seeded else np.nan


@piece
def _curl(r, into, x, y, z, seed, m, places, flow):  # type: ignore[no-untyped-def]
    """Curl noise of a place, one octave; all of a block have one seed. `places` and `flow` (BLOCK, 3) are for the time in between."""
    own = r[seed, 0]
    if np.isfinite(own):
        for i in range(m):
            places[i, 0], places[i, 1], places[i, 2] = np.float32(r[x, i]), np.float32(r[y, i]), np.float32(r[z, i])
        curl_block(places, 0, m, np.float32(1.0), 1, np.float32(0.5), np.float32(0.0), np.uint32(np.int64(own) & 0xFFFFFF), flow)
    else:
        flow[:m] = np.nan
    for i in range(m):
        r[into, i] = flow[i, 0]


@kernel(serial_below=8_000, together=BLOCK)
def carry_out(
    begin: Int64, end: Int64, code: Int32Rows, constants: Float64s, registers: Int64, varying: Float64Rows, results: Int64s, out: Float64Rows
) -> None:
    """Carry out instructions for items `begin` to `end`.

    Registers hold what varies, a row of `varying` (v, n) each, then the `constants` (c,), then what is in between, `registers` in all. `code`
    (k, 6) int32, in order; `results`: the registers that go into the rows of `out` (w, n) float64.
    """
    r = np.empty((registers, BLOCK))
    places, flow = np.empty((BLOCK, 3), np.float32), np.empty((BLOCK, 3), np.float32)
    given, fixed = varying.shape[0], constants.shape[0]
    for c in range(fixed):
        for i in range(BLOCK):
            r[given + c, i] = constants[c]
    for start in range(begin, end, BLOCK):
        m = min(BLOCK, end - start)
        for v in range(given):
            for i in range(m):
                r[v, i] = varying[v, start + i]
        for k in range(code.shape[0]):
            what, into, a, b = code[k, 0], code[k, 1], code[k, 2], code[k, 3]
            if what <= ATAN2:
                _two(what, r, into, a, b, m)
            elif what < CHOOSE:
                _one(what, r, into, a, m)
            elif what == CHOOSE:
                other = code[k, 4]
                for i in range(m):
                    r[into, i] = r[b, i] if r[a, i] != 0.0 else r[other, i]
            elif what == NOISE:
                _noise(r, into, a, b, code[k, 4], code[k, 5], m)
            elif what == CURL:
                _curl(r, into, a, b, code[k, 4], code[k, 5], m, places, flow)
            else:
                for i in range(m):
                    r[into, i] = flow[i, what - CURL]
        for w in range(results.shape[0]):
            for i in range(m):
                out[w, start + i] = r[results[w], i]
