"""Tables of a frame to take away."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from hailridge.core.looking.tabulating import Table


def rows_of_table(table: Table, groups: list[str]) -> tuple[list[str], list[list[Any]]]:
    """Names and values of all columns: number and group, then what was asked for; vectors as three, columns with a fault left out."""
    names, found = ["id", "group"], [table.ids.tolist(), [groups[group] for group in table.groups]]
    for column in table.columns:
        if column.fault:
            continue
        if column.type == "vector":
            for part, axis in enumerate("xyz"):
                names.append(f"{column.text}.{axis}")
                found.append(column.values[:, part].tolist())
        else:
            names.append(column.text)
            values = column.values.tolist()
            found.append([value != 0 for value in values] if column.type == "flag" else values)
    return names, found


def parquet_of(names: list[str], columns: list[list[Any]]) -> bytes:
    """Columns as an Apache Parquet file. Raises ImportError without pyarrow."""
    import pyarrow
    import pyarrow.parquet

    # A column that is asked for twice has a name of its own each time.
    seen: dict[str, int] = {}
    unlike = []
    for name in names:
        seen[name] = seen.get(name, 0) + 1
        unlike.append(name if seen[name] == 1 else f"{name} {seen[name]}")
    out = io.BytesIO()
    arrays = [np.asarray(column) if not (column and isinstance(column[0], str)) else column for column in columns]
    pyarrow.parquet.write_table(pyarrow.table(dict(zip(unlike, arrays, strict=True))), out)
    return out.getvalue()
