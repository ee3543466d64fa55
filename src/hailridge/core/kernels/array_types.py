"""Types of what kernels are given, written where their parameters are: scalars, and arrays that lie in one piece.

`Float32s` is (n,), `Float32Rows` (n, k). For who checks types they are anything; at run time they are Numba's, and the kernel is compiled for them.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, TypeAlias

import numba.types as _numba

if TYPE_CHECKING:
    Bools: TypeAlias = Any
    Float32: TypeAlias = Any
    Float32Rows: TypeAlias = Any
    Float32s: TypeAlias = Any
    Float64: TypeAlias = Any
    Float64Rows: TypeAlias = Any
    Float64s: TypeAlias = Any
    Int16s: TypeAlias = Any
    Int32Rows: TypeAlias = Any
    Int32s: TypeAlias = Any
    Int64: TypeAlias = Any
    Int64Rows: TypeAlias = Any
    Int64s: TypeAlias = Any
    UInt8Rows: TypeAlias = Any
    UInt8s: TypeAlias = Any
    UInt32: TypeAlias = Any
    UInt32s: TypeAlias = Any
    UInt64: TypeAlias = Any
    UInt64Rows: TypeAlias = Any
    UInt64s: TypeAlias = Any
else:
    Float32, Float64, Int64, UInt32, UInt64 = _numba.float32, _numba.float64, _numba.int64, _numba.uint32, _numba.uint64
    Float32s, Float64s, Int16s, Int32s, Int64s = (
        kind[::1] for kind in (_numba.float32, _numba.float64, _numba.int16, _numba.int32, _numba.int64)
    )
    UInt8s, UInt32s, UInt64s, Bools = (kind[::1] for kind in (_numba.uint8, _numba.uint32, _numba.uint64, _numba.boolean))
    Float32Rows, Float64Rows, Int32Rows = (kind[:, ::1] for kind in (_numba.float32, _numba.float64, _numba.int32))
    Int64Rows, UInt8Rows, UInt64Rows = (kind[:, ::1] for kind in (_numba.int64, _numba.uint8, _numba.uint64))
