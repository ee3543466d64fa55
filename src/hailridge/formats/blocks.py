"""Binary blocks: a JSON head and aligned arrays behind it, for stored frames and for the page. Never JSON for the arrays themselves.

Layout: 4 bytes little-endian length of the head, the head (UTF-8 JSON, padded with spaces), then arrays, each starting at a multiple of
16 bytes. In the head, ``arrays`` maps a name to ``[dtype, shape, offset from the end of the head]``.
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np
from numpy.typing import NDArray

ALIGN = 16


def pack(head: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> bytes:
    """Write a block. Arrays are little-endian and C-contiguous."""
    table: dict[str, list[Any]] = {}
    offset = 0
    for name, array in arrays.items():
        table[name] = [array.dtype.str.lstrip("<|"), list(array.shape), offset]
        offset += -(-array.nbytes // ALIGN) * ALIGN
    text = json.dumps({**head, "arrays": table}, separators=(",", ":")).encode()
    text += b" " * (-(len(text) + 4) % ALIGN)
    parts = [struct.pack("<I", len(text)), text]
    for array in arrays.values():
        parts.append(np.ascontiguousarray(array).tobytes())
        parts.append(b"\0" * (-array.nbytes % ALIGN))
    return b"".join(parts)


def unpack(block: bytes) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
    """Read a block; arrays are read-only views into it."""
    (length,) = struct.unpack_from("<I", block)
    head: dict[str, Any] = json.loads(block[4 : 4 + length])
    arrays = {}
    for name, (dtype, shape, offset) in head.pop("arrays").items():
        count = int(np.prod(shape))
        arrays[name] = np.frombuffer(block, np.dtype(dtype), count, 4 + length + offset).reshape(shape)
    return head, arrays


def pack_columns(columns: dict[str, NDArray[Any]], count: int) -> bytes:
    """Pack particle columns; a column that is the same for all is stored as one row."""
    return pack({"count": count}, {name: _shortened(column) for name, column in columns.items()})


def unpack_columns(block: bytes) -> tuple[dict[str, NDArray[Any]], int]:
    """Read particle columns back at full length."""
    head, arrays = unpack(block)
    count = head["count"]
    return {name: column if len(column) == count else np.broadcast_to(column, (count, *column.shape[1:])) for name, column in arrays.items()}, count


def _shortened(column: NDArray[Any]) -> NDArray[Any]:
    if len(column) > 1 and column[0].tobytes() == column[-1].tobytes() and bool((column == column[0]).all()):
        return column[:1]
    return column
