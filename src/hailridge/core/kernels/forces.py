"""Forces that would take NumPy a dozen passes over memory, in one."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float32Rows, Float32s, Float64, Float64s, Int64
from hailridge.core.kernels.compiling import kernel


@kernel()
def vortex(
    begin: Int64, end: Int64, places: Float32Rows, middle: Float64s, axis: Float64s, core: Float64, inward: Float64, lift: Float64, speed: Float32s,
    rate: Float32s, out: Float32Rows,
) -> None:  # fmt: skip
    """The air of a vortex at places (n, 3) float32 m, times the rate at which it is taken on: out (n, 3) float32 m/s².

    middle, axis (3,) float64, the axis of unit length; core m; inward, lift m/s; speed (n,) or (1,) m/s; rate (n,) or (1,) 1/s. Rankine's
    smooth cousin: solid turning inside the core, 1/r outside; 2x/(1 + x²) is 1 at the core's edge.
    """
    for i in range(begin, end):
        x, y, z = places[i, 0] - middle[0], places[i, 1] - middle[1], places[i, 2] - middle[2]
        along = x * axis[0] + y * axis[1] + z * axis[2]
        x, y, z = x - along * axis[0], y - along * axis[1], z - along * axis[2]
        far = np.sqrt(x * x + y * y + z * z)
        nearness = 1.0 / max(far, 1e-9)
        x, y, z = x * nearness, y * nearness, z * nearness
        ratio = far / core
        swirl = 2 * ratio / (1 + ratio * ratio)
        round_ = swirl * np.float64(speed[i] if len(speed) > 1 else speed[0])
        inside = inward * min(ratio, 1.0)
        up = lift * swirl
        taken = np.float64(rate[i] if len(rate) > 1 else rate[0])
        out[i, 0] = ((axis[1] * z - axis[2] * y) * round_ - x * inside + axis[0] * up) * taken
        out[i, 1] = ((axis[2] * x - axis[0] * z) * round_ - y * inside + axis[1] * up) * taken
        out[i, 2] = ((axis[0] * y - axis[1] * x) * round_ - z * inside + axis[2] * up) * taken

