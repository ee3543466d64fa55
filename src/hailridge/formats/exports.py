"""Writing simulated frames to open formats: Parquet, CSV, PLY, USD and NumPy's NPZ; the file's suffix decides."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterable
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, cast

import numpy as np

from hailridge.core.step.simulation import Frame
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
    # A column of one's own never takes the place of a standard one.
    names = own_names(effect, STANDARD)
    for declared in effect.attributes:
        values = c[declared.info.column]
        ends = ENDINGS.get(declared.type)
        table |= {f"{names[declared.id]}{end}": values[:, k] for k, end in enumerate(ends)} if ends else {names[declared.id]: values}
    return table


ENDINGS: dict[str, tuple[str, ...]] = {"vector": ("_x", "_y", "_z"), "color": ("_r", "_g", "_b"), "orientation": ("_qx", "_qy", "_qz", "_qw")}
"""How the columns of an attribute of several numbers end."""


STANDARD = {
    "frame", "time", "id", "parent_id", "group", "age", "lifetime", "x", "y", "z", "vx", "vy", "vz", "radius", "r", "g", "b", "opacity",
    "qx", "qy", "qz", "qw", "spin_x", "spin_y", "spin_z",
}  # fmt: skip
"""Columns that are what they are in every effect."""


def own_names(effect: Effect, taken: set[str]) -> dict[str, str]:
    """Under which name each own attribute is written: its id, with `own_` before it where that is `taken`."""
    names: dict[str, str] = {}
    ids, used = {attribute.id for attribute in effect.attributes}, set(taken)
    for attribute in effect.attributes:
        name, ends = attribute.id, ENDINGS.get(attribute.type, ("",))
        while name in used or any(f"{name}{end}" in used for end in ends) or (name != attribute.id and name in ids):
            name = f"own_{name}"
        names[attribute.id] = name
        used |= {name, *(f"{name}{end}" for end in ends)}
    return names


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
    """Binary little-endian PLY points; with several frames one file each, numbered before the suffix (see `targets`)."""
    from plyfile import PlyData, PlyElement

    before = 0
    for index, frame in enumerate(frames):
        table = table_of(effect, frame)
        group = np.asarray(frame.columns["group"], np.int16)
        table = {name: column for name, column in table.items() if name not in ("group", "frame", "time")} | {"group": group}
        rows = np.empty(frame.count, [(name, np.asarray(column).dtype.str) for name, column in table.items()])
        for name, column in table.items():
            rows[name] = column
        # The head of a PLY file is lines of ASCII: labels are written as JSON writes them.
        labels = [f"group {number}: {json.dumps(entry.label)}" for number, entry in enumerate(effect.groups)]
        data = PlyData([PlyElement.describe(rows, "vertex")], byte_order="<", comments=[f"time {frame.time:.6f} s", *labels])
        if index == 1:
            path.rename(_numbered(path, before))
        before = frame.number
        data.write(str(path if index == 0 else _numbered(path, frame.number)))


def _numbered(path: Path, frame: int) -> Path:
    return path.with_name(f"{path.stem}.{frame:04d}{path.suffix}")


def targets(path: Path, first: int, last: int) -> list[Path]:
    """The files that frames `first` to `last` are written to."""
    several = path.suffix.lower() == ".ply" and last > first
    return [_numbered(path, frame) for frame in range(first, last + 1)] if several else [path]


def write_usd(path: Path, effect: Effect, frames: Frames) -> None:
    """One UsdGeomPoints prim with a time sample a frame: points, velocities, widths, ids, display colour and opacity; all else as primvars.

    `age`, `lifetime`, `parent` (an id, −1 for none), `group` (a number, whose labels are in the prim's custom data) and every own attribute.
    """
    from pxr import Gf, Sdf, Tf, Usd, UsdGeom, Vt

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
    kinds = {"f": (Sdf.ValueTypeNames.FloatArray, Vt.FloatArray, np.float32), "i": (Sdf.ValueTypeNames.IntArray, Vt.IntArray, np.int32)}
    own = own_names(effect, {"age", "lifetime", "parent", "group", "orientation", "displayColor", "displayOpacity"})
    # Names in USD are made of letters, digits and underscores.
    extra = {"age": "age", "lifetime": "lifetime", "parent": "parent_id", "group": "group"}
    extra |= {Tf.MakeValidIdentifier(name): f"own {attribute}" for attribute, name in own.items()}
    wide = {attribute.info.column: attribute.type for attribute in effect.attributes}
    points.GetPrim().SetCustomDataByKey("groups", Vt.StringArray([group.label for group in effect.groups]))
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
            _write_wide(variables, "orientation", "orientation", c["orientation"], code)
        for name, column in extra.items():
            if c[column].ndim == 2:
                _write_wide(variables, name, wide[column], c[column], code)
                continue
            declared, array, exact = kinds["f" if np.issubdtype(c[column].dtype, np.floating) else "i"]
            variable = variables.CreatePrimvar(name, declared, UsdGeom.Tokens.vertex)
            variable.Set(array.FromNumpy(np.ascontiguousarray(c[column].astype(exact))), code)
        reach = (c["radius"].max() if frame.count else 0.0)
        low, high = (places.min(axis=0) - reach, places.max(axis=0) + reach) if frame.count else (np.zeros(3), np.zeros(3))
        points.CreateExtentAttr().Set(Vt.Vec3fArray([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))]), code)
    if first is not None and last is not None:
        stage.SetStartTimeCode(first)
        stage.SetEndTimeCode(last)
    stage.GetRootLayer().Save()


def _write_wide(variables: Any, name: str, kind: str, values: Any, code: Any) -> None:
    """An attribute of several numbers, (n, 3) or (n, 4), in the type that USD has for it."""
    from pxr import Gf, Sdf, UsdGeom, Vt

    if kind == "orientation":
        turn = variables.CreatePrimvar(name, Sdf.ValueTypeNames.QuatfArray, UsdGeom.Tokens.vertex)
        turn.Set(Vt.QuatfArray([Gf.Quatf(float(w), float(x), float(y), float(z)) for x, y, z, w in values]), code)
        return
    declared = Sdf.ValueTypeNames.Color3fArray if kind == "color" else Sdf.ValueTypeNames.Vector3fArray
    given = _linear(values) if kind == "color" else values
    variables.CreatePrimvar(name, declared, UsdGeom.Tokens.vertex).Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(given, np.float32)), code)


def _linear(encoded: Any) -> Any:
    """sRGB-encoded to linear light (IEC 61966-2-1)."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)


def write_npz(path: Path, effect: Effect, frames: Frames) -> None:
    """All frames joined, one array a column; groups by their labels."""
    tables = [table_of(effect, frame) for frame in frames]
    joined = {name: np.concatenate([np.asarray(table[name]) for table in tables]) for name in tables[0]} if tables else {}
    np.savez_compressed(path, **cast(Any, joined))


Writer = Callable[[Path, Effect, Frames], None]


def whole(writer: Writer) -> Writer:
    """Write beside the place and move there when all is done: what cannot be finished leaves nothing behind, and what was there stays.

    The folder has to be there, for every format.
    """

    def write(path: Path, effect: Effect, frames: Frames) -> None:
        with TemporaryDirectory(prefix=".writing-", dir=path.absolute().parent) as folder:
            writer(Path(folder) / path.name, effect, frames)
            for made in sorted(Path(folder).iterdir()):
                made.replace(path.with_name(made.name))

    return write


EXTRA: dict[str, str] = {".parquet": "arrow", ".usdc": "usd"}
"""Which extra a kind of file needs."""

WRITERS: dict[str, Writer] = {
    ".parquet": whole(write_parquet),
    ".csv": whole(write_csv),
    ".ply": whole(write_ply),
    ".usdc": whole(write_usd),
    ".npz": whole(write_npz),
}
