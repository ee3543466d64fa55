"""Sine, cosine and exponential without branches, so that several are worked out at once; for a whole block, and the same bits on any machine.

Coefficients and reductions: FreeBSD's libm (fdlibm, Sun Microsystems 1993: k_sin.c, k_cos.c, e_rem_pio2.c, e_exp.c), from memory, checked
against NumPy's to two units in the last place. What is beyond their range goes to the C library.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from hailridge.core.kernels.compiling import helper, piece

TURNS = 1e5
"""Angles (radians) beyond which the short reduction would not be exact."""
HIGHEST = 700.0
"""Exponents beyond which results are too large, or too small, for a plain scale."""

TWO_OVER_PI = 6.36619772367581382433e-01
HALF_PI, HALF_PI_REST = 1.57079632673412561417e00, 6.07710050650619224932e-11
LOG2_E = 1.44269504088896338700e00
LN2, LN2_REST = 6.93147180369123816490e-01, 1.90821492927058770002e-10


def _as_float(_context: Any, bits: Any) -> Any:
    def generate(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.bitcast(arguments[0], ir.DoubleType())

    return types.float64(types.int64), generate


as_float: Any = intrinsic(_as_float)
"""The number that has these bits."""


@helper
def wave(x, ahead):  # type: ignore[no-untyped-def]
    """Sine of x + `ahead` quarters of a turn, for |x| < TURNS."""
    k = np.floor(x * TWO_OVER_PI + 0.5)
    y = (x - k * HALF_PI) - k * HALF_PI_REST
    z = y * y
    sine = y + y * z * (
        -1.66666666666666324348e-01 + z * (8.33333333332248946124e-03 + z * (-1.98412698298579493134e-04 + z * (
            2.75573137070700676789e-06 + z * (-2.50507602534068634195e-08 + z * 1.58969099521155010221e-10))))
    )  # fmt: skip
    cosine = 1.0 - (0.5 * z - z * z * (
        4.16666666666666019037e-02 + z * (-1.38888888888741095749e-03 + z * (2.48015872894767294178e-05 + z * (
            -2.75573143513906633035e-07 + z * (2.08757232129817482790e-09 + z * -1.13596475577881948265e-11))))
    ))  # fmt: skip
    quarter = np.int32(k) + np.int32(ahead)
    value = cosine if quarter & np.int32(1) else sine
    return -value if quarter & np.int32(2) else value


@helper
def exponential(x):  # type: ignore[no-untyped-def]
    """e to the power of x, for |x| < HIGHEST."""
    k = np.floor(x * LOG2_E + 0.5)
    high, low = x - k * LN2, k * LN2_REST
    y = high - low
    t = y * y
    c = y - t * (1.66666666666666019037e-01 + t * (-2.77777777770155933842e-03 + t * (6.61375632143793436117e-05 + t * (
        -1.65339022054652515390e-06 + t * 4.13813679705723846039e-08))))  # fmt: skip
    part = 1.0 - ((low - (y * c) / (2.0 - c)) - high)
    return part * as_float((np.int64(np.int32(k)) + np.int64(1023)) << np.int64(52))


@piece
def within(values, number, limit):  # type: ignore[no-untyped-def]
    """Whether all of the first `number` values are of a size below the limit."""
    beyond = 0
    for i in range(number):
        beyond += 0 if abs(values[i]) < limit else 1
    return beyond == 0


@piece
def waves(values, into, number, ahead):  # type: ignore[no-untyped-def]
    """Sines of values + `ahead` quarters of a turn."""
    if within(values, number, TURNS):
        for i in range(number):
            into[i] = wave(values[i], ahead)
    elif ahead == 0:
        for i in range(number):
            into[i] = np.sin(values[i])
    else:
        for i in range(number):
            into[i] = np.cos(values[i])


@piece
def exponentials(values, into, number):  # type: ignore[no-untyped-def]
    if within(values, number, HIGHEST):
        for i in range(number):
            into[i] = exponential(values[i])
    else:
        for i in range(number):
            into[i] = np.exp(values[i])
