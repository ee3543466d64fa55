"""Writing simulated frames to open formats: Parquet, CSV, PLY, USD and NumPy's NPZ; the file's suffix decides."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, cast

import numpy as np

from hailridge.core.engine.simulation import Frame
from hailridge.model.effect import Effect

Table = dict[str, Any]
Frames = Iterable[Frame]


def table_of(effect: Effect, frame: Frame) -> Table:
    """One frame as flat columns: frame, time, id, parent_id, group (label), age, lifetime, x … opacity, and every own attribute."""
    c = frame.columns
    # Strings even where there is nobody: a column of no objects has no type.
    labels = np.array([group.label for group in effect.groups], dtype=np.str_)
    table: Table = {
        "frame": np.full(frame.count, frame.number, np.int32), "time": np.full(frame.count, frame.time, np.float64),
        "id": c["id"], "parent_id": c["parent_id"], "group": labels[c["group"]], "age": c["age"], "lifetime": c["lifetime"],
    }  # fmt: skip
    for name, column in (("", "position"), ("v", "velocity")):
        table |= {f"{name}{axis}": c[column][:, k] for k, axis in enumerate("xyz")}
    table["radius"] = c["radius"]
    table |= {channel: c["color"][:, k] for k, channel in enumerate("rgb")}
    table["opacity"] = c["opacity"]
    if "orientation" in c:
        # A unit quaternion, w last, and the spin in radians a second.
        table |= {f"q{axis}": c["orientation"][:, k] for k, axis in enumerate("xyzw")}
        table |= {f"spin_{axis}": c["spin"][:, k] for k, axis in enumerate("xyz")}
    return table | {attribute.id: c[f"own {attribute.id}"] for attribute in effect.attributes}


def write_parquet(path: Path, effect: Effect, frames: Frames) -> None:
    """One row group a frame, zstd, byte-stream split: readers can take single frames."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    writer = None
    try:
        for frame in frames:
            table = pa.table(table_of(effect, frame))
            if writer is None:
                floats = [field.name for field in table.schema if pa.types.is_floating(field.type)]
                writer = pq.ParquetWriter(
                    path, table.schema, compression="zstd", compression_level=1, use_dictionary=["group"], use_byte_stream_split=floats
                )
            writer.write_table(table.cast(writer.schema))
    finally:
        if writer is not None:
            writer.close()


def write_csv(path: Path, effect: Effect, frames: Frames) -> None:
    """RFC 4180, one line a particle and frame, with a header line."""
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        for index, frame in enumerate(frames):
            table = table_of(effect, frame)
            if index == 0:
                writer.writerow(table)
            writer.writerows(zip(*(np.asarray(column).tolist() for column in table.values()), strict=True))


def write_ply(path: Path, effect: Effect, frames: Frames) -> None:
    """Binary little-endian PLY points; with several frames one file each, numbered before the suffix."""
    from plyfile import PlyData, PlyElement

    several = [path]
    for index, frame in enumerate(frames):
        table = table_of(effect, frame)
        group = np.asarray(frame.columns["group"], np.int16)
        table = {name: column for name, column in table.items() if name not in ("group", "frame", "time")} | {"group": group}
        rows = np.empty(frame.count, [(name, np.asarray(column).dtype.str) for name, column in table.items()])
        for name, column in table.items():
            rows[name] = column
        labels = [f"group {number}: {entry.label}" for number, entry in enumerate(effect.groups)]
        data = PlyData([PlyElement.describe(rows, "vertex")], byte_order="<", comments=[f"time {frame.time:.6f} s", *labels])
        target = path if index == 0 else path.with_name(f"{path.stem}.{frame.number:04d}{path.suffix}")
        if index == 1:
            path.rename(path.with_name(f"{path.stem}.{frame.number - 1:04d}{path.suffix}"))
        data.write(str(target))
        several.append(target)


def write_usd(path: Path, effect: Effect, frames: Frames) -> None:
    """One UsdGeomPoints prim with a time sample a frame: points, velocities, widths, ids, display colour and opacity."""
    from pxr import Gf, Usd, UsdGeom, Vt

    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(effect.clock.frames_per_second)
    stage.SetFramesPerSecond(effect.clock.frames_per_second)
    root = UsdGeom.Xform.Define(stage, "/Effect")
    stage.SetDefaultPrim(root.GetPrim())
    points = UsdGeom.Points.Define(stage, "/Effect/Particles")
    variables = UsdGeom.PrimvarsAPI(points)
    color = points.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
    opacity = points.CreateDisplayOpacityPrimvar(UsdGeom.Tokens.vertex)
    from pxr import Sdf

    group = variables.CreatePrimvar("group", Sdf.ValueTypeNames.IntArray, UsdGeom.Tokens.vertex)
    first = last = None
    for frame in frames:
        c, code = frame.columns, Usd.TimeCode(frame.number)
        first, last = (frame.number if first is None else first), frame.number
        places = np.ascontiguousarray(c["position"])
        points.GetPointsAttr().Set(Vt.Vec3fArray.FromNumpy(places), code)
        points.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(c["velocity"])), code)
        points.CreateWidthsAttr().Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(c["radius"] * 2)), code)
        points.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(c["id"].astype(np.int64)), code)
        color.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(_linear(c["color"]))), code)
        opacity.Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(c["opacity"])), code)
        if "orientation" in c:
            turn = variables.CreatePrimvar("orientation", Sdf.ValueTypeNames.QuatfArray, UsdGeom.Tokens.vertex)
            turn.Set(Vt.QuatfArray([Gf.Quatf(float(w), float(x), float(y), float(z)) for x, y, z, w in c["orientation"]]), code)
        group.Set(Vt.IntArray.FromNumpy(c["group"].astype(np.int32)), code)
        reach = (c["radius"].max() if frame.count else 0.0)
        low, high = (places.min(axis=0) - reach, places.max(axis=0) + reach) if frame.count else (np.zeros(3), np.zeros(3))
        points.CreateExtentAttr().Set(Vt.Vec3fArray([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))]), code)
    if first is not None and last is not None:
        stage.SetStartTimeCode(first)
        stage.SetEndTimeCode(last)
    stage.GetRootLayer().Save()


def _linear(encoded: Any) -> Any:
    """sRGB-encoded to linear light (IEC 61966-2-1)."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)


def write_npz(path: Path, effect: Effect, frames: Frames) -> None:
    """All frames joined, one array a column; groups by their labels."""
    tables = [table_of(effect, frame) for frame in frames]
    joined = {name: np.concatenate([np.asarray(table[name]) for table in tables]) for name in tables[0]} if tables else {}
    np.savez_compressed(path, **cast(Any, joined))


Writer = Callable[[Path, Effect, Frames], None]


def _whole(writer: Writer) -> Writer:
    """Write beside the place and move there when all is done: what cannot be finished leaves nothing behind, and what was there stays."""

    def write(path: Path, effect: Effect, frames: Frames) -> None:
        with TemporaryDirectory(prefix=".writing-", dir=path.absolute().parent) as folder:
            writer(Path(folder) / path.name, effect, frames)
            for made in sorted(Path(folder).iterdir()):
                made.replace(path.with_name(made.name))

    return write


WRITERS: dict[str, Writer] = {
    ".parquet": _whole(write_parquet),
    ".csv": _whole(write_csv),
    ".ply": _whole(write_ply),
    ".usdc": _whole(write_usd),
    ".npz": _whole(write_npz),
}
