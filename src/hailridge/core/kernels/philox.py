"""Philox4x32-10: counter-based random numbers (Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3")."""

from __future__ import annotations

import numpy as np

from hailridge.core.kernels.array_types import Float32, Float32Rows, Float32s, Int64, UInt64, UInt64Rows, UInt64s
from hailridge.core.kernels.compiling import helper, kernel

_M0, _M1 = np.uint64(0xD2511F53), np.uint64(0xCD9E8D57)
_W0, _W1 = np.uint64(0x9E3779B9), np.uint64(0xBB67AE85)
_LOW, _SHIFT = np.uint64(0xFFFFFFFF), np.uint64(32)
_TO_UNIT = np.float32(1.0 / 16777216.0)


@helper
def philox(c0, c1, c2, c3, k0, k1):  # type: ignore[no-untyped-def]
    """Ten rounds over a counter of four 32-bit words (held in uint64) and a key of two."""
    for _ in range(10):
        product0 = _M0 * c0
        product1 = _M1 * c2
        c0, c1, c2, c3 = (
            ((product1 >> _SHIFT) ^ c1 ^ k0) & _LOW,
            product1 & _LOW,
            ((product0 >> _SHIFT) ^ c3 ^ k1) & _LOW,
            product0 & _LOW,
        )
        k0 = (k0 + _W0) & _LOW
        k1 = (k1 + _W1) & _LOW
    return c0, c1, c2, c3


@kernel()
def uniforms(begin: Int64, end: Int64, keys: UInt64s, item: UInt64, draw: UInt64, seed: UInt64, out: Float32Rows) -> None:
    """Four numbers in [0, 1) for each lineage key: out (n, 4) float32."""
    for i in range(begin, end):
        key = keys[i]
        a, b, c, d = philox(key & _LOW, key >> _SHIFT, item, draw, seed & _LOW, seed >> _SHIFT)
        out[i, 0] = np.float32(a >> np.uint64(8)) * _TO_UNIT
        out[i, 1] = np.float32(b >> np.uint64(8)) * _TO_UNIT
        out[i, 2] = np.float32(c >> np.uint64(8)) * _TO_UNIT
        out[i, 3] = np.float32(d >> np.uint64(8)) * _TO_UNIT


@kernel()
def deviates(begin: Int64, end: Int64, keys: UInt64s, item: UInt64, draw: UInt64, seed: UInt64, width: Float32, out: Float32s) -> None:
    """The first of the `uniforms` of each lineage key, spread evenly from −`width` to `width`: out (n,) float32."""
    for i in range(begin, end):
        key = keys[i]
        a, _b, _c, _d = philox(key & _LOW, key >> _SHIFT, item, draw, seed & _LOW, seed >> _SHIFT)
        out[i] = (np.float32(a >> np.uint64(8)) * _TO_UNIT * np.float32(2) - np.float32(1)) * width


@kernel()
def descend(begin: Int64, end: Int64, keys: UInt64s, ordinals: UInt64s, item: UInt64, draw: UInt64, seed: UInt64, out: UInt64s) -> None:
    """Lineage keys of children: from the parent's key, the item that makes them, the occasion and the child's ordinal."""
    for i in range(begin, end):
        key = keys[i]
        a, b, _c, _d = philox(key & _LOW, key >> _SHIFT, item, draw, (seed ^ ordinals[i]) & _LOW, (seed >> _SHIFT) + np.uint64(1))
        out[i] = a | (b << _SHIFT)


@kernel()
def words(begin: Int64, end: Int64, counters: UInt64Rows, keys: UInt64Rows, out: UInt64Rows) -> None:
    """Raw words for known-answer tests: counters (n, 4), keys (n, 2), out (n, 4), all uint64."""
    for i in range(begin, end):
        a, b, c, d = philox(counters[i, 0], counters[i, 1], counters[i, 2], counters[i, 3], keys[i, 0], keys[i, 1])
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = a, b, c, d

