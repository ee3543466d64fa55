"""Every value of every export, read back by another library and compared with the frame that was written."""

from __future__ import annotations

import csv
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.step.simulation import Frame
from hailridge.formats.blocks import pack_columns, unpack_columns
from hailridge.formats.exports import WRITERS
from hailridge.model.validation import read_effect
from tests.support import document, rule, run

OWN = [
    {"id": "warmth", "label": "Warmth", "initial": {"kind": "spread", "value": 3.0, "spread": 1.0}},
    {"id": "drift", "label": "Drift", "type": "vector", "initial": [1.0, 2.0, 3.0]},
    {"id": "tint", "label": "Tint", "type": "color", "initial": [0.02, 0.2, 0.9]},
    {"id": "wet", "label": "Wet", "type": "flag", "initial": 1.0},
    {"id": "hits", "label": "Hits", "type": "whole", "initial": 5.0},
    {"id": "lean", "label": "Lean", "type": "orientation", "initial": [0.0, 90.0, 0.0]},
]
"""One attribute of each type, with values by which they can be told apart."""

FIRST, LAST = 4, 6


def varied() -> dict[str, Any]:
    """Particles of which no two are alike, in two groups, turning."""
    return document(
        rule({"kind": "gravity"}, id="g"),
        rule({"kind": "spawn", "count": 2, "group": "b", "lifetime": 9.0}, trigger="once", who=["a"], condition={"kind": "chance", "probability": 0.5}),
        count=30,
        groups=["a", "b"],
        speed={"kind": "spread", "value": 2.0, "spread": 1.0},
        attributes=OWN,
        source={
            "radius": {"kind": "spread", "value": 0.1, "spread": 0.08},
            "color": {"kind": "spread", "value": [0.5, 0.3, 0.06], "spread": 0.05},
            "opacity": {"kind": "spread", "value": 0.5, "spread": 0.4},
            "lifetime": {"kind": "spread", "value": 50.0, "spread": 20.0},
            "direction": {"kind": "any"},
            "spin": 90.0,
            "orientation": {"kind": "any"},
        },
    )


def linear(encoded: NDArray[Any]) -> NDArray[Any]:
    """sRGB-encoded to linear light, as IEC 61966-2-1 has it."""
    encoded = encoded.astype(np.float64)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


class Values(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        raw = varied()
        cls.effect, cls.frames = read_effect(raw), run(raw, LAST)[FIRST : LAST + 1]
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)

    def written(self, name: str) -> Path:
        path = self.folder / name
        WRITERS[path.suffix](path, self.effect, iter(self.frames))
        return path

    def expected(self, frame: Frame) -> dict[str, NDArray[Any]]:
        """The columns of a frame by the names under which tables have them."""
        c = frame.columns
        labels = np.array([group.label for group in self.effect.groups])
        found: dict[str, NDArray[Any]] = {
            "frame": np.full(frame.count, frame.number), "time": np.full(frame.count, frame.number / 24.0), "id": c["id"], "parent_id": c["parent_id"],
            "group": labels[c["group"]], "age": c["age"], "lifetime": c["lifetime"], "radius": c["radius"], "opacity": c["opacity"],
            "warmth": c["own warmth"], "wet": c["own wet"], "hits": c["own hits"],
        }  # fmt: skip
        for names, column in (
            (("x", "y", "z"), "position"), (("vx", "vy", "vz"), "velocity"), (("r", "g", "b"), "color"), (("qx", "qy", "qz", "qw"), "orientation"),
            (("spin_x", "spin_y", "spin_z"), "spin"), (("drift_x", "drift_y", "drift_z"), "own drift"), (("tint_r", "tint_g", "tint_b"), "own tint"),
            (("lean_qx", "lean_qy", "lean_qz", "lean_qw"), "own lean"),
        ):  # fmt: skip
            found |= {name: c[column][:, k] for k, name in enumerate(names)}
        return found

    def compare(self, found: dict[str, Any], rtol: float = 0.0) -> None:
        """Every column of all frames, value by value; none missing, none more."""
        per_frame = [self.expected(frame) for frame in self.frames]
        self.assertEqual(set(found), set(per_frame[0]))
        for name, values in found.items():
            wanted = np.concatenate([columns[name] for columns in per_frame])
            if wanted.dtype.kind == "U":
                self.assertEqual(list(values), list(wanted), name)
            else:
                np.testing.assert_allclose(np.asarray(values, np.float64), wanted, rtol=rtol, atol=1e-12 if rtol else 0, err_msg=name)

    def test_the_frames_are_varied(self) -> None:
        """What is the same for all would hide a column that was mixed up."""
        last = self.frames[-1].columns
        for name in ("radius", "opacity", "lifetime", "own warmth"):
            self.assertGreater(len(np.unique(last[name])), 10, name)
        self.assertEqual(set(last["group"].tolist()), {0, 1})
        self.assertGreater(len(np.unique(last["color"], axis=0)), 10)

    def test_parquet_by_pyarrow(self) -> None:
        import pyarrow.parquet as pq

        table = pq.read_table(self.written("a.parquet"))
        self.compare({name: table[name].to_numpy(zero_copy_only=False) for name in table.column_names})
        self.assertEqual(pq.ParquetFile(self.folder / "a.parquet").num_row_groups, len(self.frames))

    def test_csv_by_the_standard_library(self) -> None:
        with self.written("a.csv").open(newline="", encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        self.compare({name: [row[name] if name == "group" else float(row[name]) for row in rows] for name in rows[0]}, rtol=1e-7)

    def test_npz_by_numpy(self) -> None:
        with np.load(self.written("a.npz")) as arrays:
            self.compare(dict(arrays))

    def test_ply_by_plyfile(self) -> None:
        from plyfile import PlyData

        self.written("a.ply")
        for frame in self.frames:
            read = PlyData.read(str(self.folder / f"a.{frame.number:04d}.ply"))
            vertex, expected = read["vertex"], self.expected(frame)
            self.assertIn(f"time {frame.number / 24:.6f} s", read.comments)
            del expected["frame"], expected["time"]
            expected["group"] = frame.columns["group"]
            self.assertEqual({one.name for one in vertex.properties}, set(expected))
            for name, values in expected.items():
                np.testing.assert_array_equal(vertex[name], values, err_msg=name)

    def test_usd_by_its_own_library(self) -> None:
        """Widths are diameters, colours linear, the extent holds every ball (UsdGeomPoints, UsdGeomPointBased)."""
        from pxr import Usd, UsdGeom

        stage = Usd.Stage.Open(str(self.written("a.usdc")))
        points = UsdGeom.Points(stage.GetPrimAtPath("/Effect/Particles"))
        variables = UsdGeom.PrimvarsAPI(points)
        for frame in self.frames:
            c, at = frame.columns, frame.number
            for name, found, wanted in (
                ("points", points.GetPointsAttr(), c["position"]), ("velocities", points.GetVelocitiesAttr(), c["velocity"]),
                ("ids", points.GetIdsAttr(), c["id"]), ("widths", points.GetWidthsAttr(), c["radius"] * 2),
                ("age", variables.GetPrimvar("age"), c["age"]), ("lifetime", variables.GetPrimvar("lifetime"), c["lifetime"]),
                ("parent", variables.GetPrimvar("parent"), c["parent_id"]), ("group", variables.GetPrimvar("group"), c["group"]),
                ("opacity", points.GetDisplayOpacityAttr(), c["opacity"]), ("warmth", variables.GetPrimvar("warmth"), c["own warmth"]),
                ("drift", variables.GetPrimvar("drift"), c["own drift"]), ("wet", variables.GetPrimvar("wet"), c["own wet"]),
                ("hits", variables.GetPrimvar("hits"), c["own hits"]),
            ):  # fmt: skip
                np.testing.assert_array_equal(np.array(found.Get(at)), wanted, err_msg=name)
            np.testing.assert_allclose(np.array(points.GetDisplayColorAttr().Get(at)), linear(c["color"]), rtol=2e-6)
            np.testing.assert_allclose(np.array(variables.GetPrimvar("tint").Get(at)), linear(c["own tint"]), rtol=2e-6)
            for name, column in (("orientation", "orientation"), ("lean", "own lean")):
                turned = [[*one.imaginary, one.real] for one in variables.GetPrimvar(name).Get(at)]
                np.testing.assert_array_equal(np.array(turned, np.float32), c[column], err_msg=name)
            low, high = np.array(points.GetExtentAttr().Get(at))
            self.assertTrue((low <= (c["position"] - c["radius"][:, None]).min(axis=0) + 1e-6).all())
            self.assertTrue((high >= (c["position"] + c["radius"][:, None]).max(axis=0) - 1e-6).all())
            # And hardly more: by the largest radius, wherever it is.
            self.assertTrue((high - low <= np.ptp(c["position"], axis=0) + 2 * c["radius"].max() + 1e-6).all())


class Blocks(unittest.TestCase):
    def test_only_what_is_the_same_for_all_is_shortened(self) -> None:
        """A column whose ends are equal, and one of several numbers of which one is, come back as they were."""
        columns = {
            "ends": np.array([1.0, 5.0, 2.0, 1.0], np.float32),
            "rows": np.array([[1, 2, 3], [1, 9, 3], [1, 2, 3], [1, 2, 3]], np.float32),
            "even": np.full(4, 7, np.int32),
        }
        back, count = unpack_columns(pack_columns(columns, 4))
        self.assertEqual(count, 4)
        for name, column in columns.items():
            np.testing.assert_array_equal(back[name], column, err_msg=name)


if __name__ == "__main__":
    unittest.main()
