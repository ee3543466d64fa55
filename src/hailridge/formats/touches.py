"""Touches as events for sound and debris: when, where, of what and how hard, as CSV or Parquet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.step.simulation import Frame
from hailridge.formats.exports import whole
from hailridge.model.effect import Effect

COLUMNS = ("time", "frame", "particle", "shape", "other", "x", "y", "z", "nx", "ny", "nz", "speed")
"""Seconds; frames, with parts of one; numbers of particles, −1 for none; a label, empty for a touch of another particle; the place on the surface (m)
and the direction off it, in the world; the speed onto it (m/s)."""


def touch_table(effect: Effect, touches: NDArray[Any]) -> dict[str, Any]:
    """Touches (`core.state.events.TOUCH`) as flat columns, named as `COLUMNS`."""
    labels = np.array([*(str(vars(shape)["label"]) for shape in effect.shapes), ""], dtype=np.str_)
    # Six digits after the point: what a float holds of seconds, and no more.
    time = np.round(touches["time"].astype(np.float64), 6)
    frame = np.round(time * effect.clock.frames_per_second, 3)
    table: dict[str, Any] = {"time": time, "frame": frame, "particle": touches["particle"], "shape": labels[touches["shape"]]}
    table["other"] = touches["other"]
    table |= {axis: touches["place"][:, k] for k, axis in enumerate("xyz")}
    table |= {f"n{axis}": touches["normal"][:, k] for k, axis in enumerate("xyz")}
    return table | {"speed": touches["speed"]}


def csv_lines(effect: Effect, touches: NDArray[Any], head: bool = True) -> str:
    """RFC 4180, a line a touch."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    if head:
        writer.writerow(COLUMNS)
    table = touch_table(effect, touches)
    writer.writerows(zip(*(np.asarray(column).tolist() for column in table.values()), strict=True))
    return out.getvalue()


def write_csv(path: Path, effect: Effect, frames: Iterable[Frame]) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        for index, frame in enumerate(frames):
            file.write(csv_lines(effect, frame.touches, index == 0))


def write_parquet(path: Path, effect: Effect, frames: Iterable[Frame]) -> None:
    """One row group a frame in which something touched."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    writer = None
    try:
        for frame in frames:
            table = pa.table(touch_table(effect, frame.touches))
            writer = writer or pq.ParquetWriter(path, table.schema, compression="zstd", compression_level=1)
            if len(frame.touches):
                writer.write_table(table.cast(writer.schema))
    finally:
        if writer is not None:
            writer.close()


TOUCH_WRITERS = {".csv": whole(write_csv), ".parquet": whole(write_parquet)}
