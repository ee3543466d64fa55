"""Open formats: meshes written by other libraries are read, damaged ones refused; what we write is read back by others."""

from __future__ import annotations

import csv
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from hailridge import demo
from hailridge.formats.blocks import pack, pack_columns, unpack, unpack_columns
from hailridge.formats.exports import WRITERS
from hailridge.formats.meshes import MeshError, mesh_id, read_mesh
from hailridge.model.validation import read_effect
from tests.support import document, rule, run


def exported(kind: str, mesh: trimesh.Trimesh | None = None) -> bytes:
    """A mesh file written by trimesh."""
    made = (mesh or trimesh.creation.torus(1.0, 0.3)).export(file_type=kind)
    return made.encode() if isinstance(made, str) else made


class ReadingMeshes(unittest.TestCase):
    def test_each_format(self) -> None:
        torus = trimesh.creation.torus(1.0, 0.3)
        for kind in ("obj", "ply", "stl", "glb"):
            with self.subTest(kind=kind):
                mesh = read_mesh(f"torus.{kind}", exported(kind, torus))
                back = trimesh.Trimesh(mesh.vertices, mesh.faces)
                self.assertAlmostEqual(back.area, torus.area, places=3)
                self.assertEqual(len(mesh.faces), len(torus.faces))
                self.assertEqual((mesh.vertices.dtype, mesh.faces.dtype), (np.float32, np.int32))

    def test_parts_are_joined(self) -> None:
        scene = trimesh.Scene([trimesh.creation.box(), trimesh.creation.box().apply_translation([5, 0, 0])])
        self.assertEqual(len(read_mesh("two.glb", scene.export(file_type="glb")).faces), 24)

    def test_the_same_mesh_has_the_same_id(self) -> None:
        self.assertEqual(
            mesh_id(read_mesh("a.ply", exported("ply"))), mesh_id(read_mesh("b.ply", exported("ply")))
        )

    def test_refusals_in_words(self) -> None:
        obj = b"v 0 0 0\nv 1 0 0\nv 0 0 1\n"
        cases = [
            ("x.fbx", b"", "not a mesh file that can be read"),
            ("x.obj", b"", "no triangles|could not be read"),
            ("x.obj", b"hello world", "no triangles|could not be read"),
            ("x.obj", obj + b"f 1 2 9\n", "damaged|could not be read"),
            ("x.obj", b"v nan 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n", "not finite|could not be read"),
            ("x.obj", b"v 1e30 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n", "from the origin"),
            ("x.obj", b"v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "no triangle with an area"),
            ("x.ply", exported("ply")[:-40], "could not be read|damaged|no triangles"),
            ("x.glb", exported("glb")[:200], "could not be read|damaged|no triangles"),
            ("x.stl", b"\0" * 80 + b"\xff\xff\xff\xff", "could not be read|damaged|no triangles"),
        ]
        for name, data, words in cases:
            with self.subTest(name=name, data=data[:20]), self.assertRaisesRegex(MeshError, words):
                read_mesh(name, data)

    def test_damaged_bytes_never_get_through_unchecked(self) -> None:
        # Bytes turned at random: either refused in words or a sound mesh, never anything else.
        generator = np.random.default_rng(5)
        for kind in ("obj", "ply", "stl", "glb"):
            whole = bytearray(exported(kind, trimesh.creation.box()))
            for _ in range(25):
                broken = bytearray(whole)
                for at in generator.integers(0, len(broken), 12):
                    broken[at] = int(generator.integers(0, 256))
                try:
                    mesh = read_mesh(f"x.{kind}", bytes(broken))
                except MeshError as error:
                    self.assertIn(f"x.{kind}", str(error))
                else:
                    self.assertTrue(np.isfinite(mesh.vertices).all())
                    self.assertTrue((mesh.faces >= 0).all() and (mesh.faces < len(mesh.vertices)).all())


class Blocks(unittest.TestCase):
    def test_round_trip_and_alignment(self) -> None:
        arrays = {
            "a": np.arange(5, dtype=np.uint8),
            "b": np.ones((3, 3), np.float32),
            "none": np.empty((0, 3), np.float32),
        }
        block = pack({"frame": 7}, arrays)
        head, back = unpack(block)
        self.assertEqual(head, {"frame": 7})
        for name, array in arrays.items():
            np.testing.assert_array_equal(back[name], array)
            self.assertEqual(back[name].dtype, array.dtype)
            self.assertEqual((back[name].ctypes.data - np.frombuffer(block, np.uint8).ctypes.data) % 16, 0)

    def test_columns_that_are_all_the_same_take_one_row(self) -> None:
        columns = {
            "mass": np.ones(1000, np.float32),
            "x": np.arange(1000, dtype=np.float32),
            "color": np.full((1000, 3), 0.5, np.float32),
        }
        block = pack_columns(columns, 1000)
        self.assertLess(len(block), 4600)
        back, count = unpack_columns(block)
        self.assertEqual(count, 1000)
        for name, column in columns.items():
            np.testing.assert_array_equal(back[name], column)


class Exports(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        spawn = {"kind": "spawn", "count": 2, "group": "b", "lifetime": 9.0}
        raw = document(
            rule({"kind": "gravity"}, id="g"),
            rule(spawn, trigger="once", who=["a"], condition={"kind": "chance", "probability": 0.5}),
            count=30,
            groups=["a", "b"],
            speed=2.0,
            attributes=[{"id": "warmth", "label": "Warmth", "initial": 3.0}],
        )
        cls.effect = read_effect(raw)
        cls.frames = run(raw, 6)
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)

    def written(self, name: str, last: int = 6) -> Path:
        path = Path(self.folder.name) / name
        WRITERS[path.suffix](path, self.effect, (frame for frame in self.frames[4 : last + 1]))
        return path

    def test_parquet_by_pyarrow(self) -> None:
        import pyarrow.parquet as pq

        table = pq.read_table(self.written("a.parquet"))
        wanted = [
            "frame",
            "time",
            "id",
            "parent_id",
            "group",
            "age",
            "lifetime",
            "x",
            "y",
            "z",
            "vx",
            "vy",
            "vz",
            "radius",
            "r",
            "g",
            "b",
            "opacity",
            "warmth",
        ]
        self.assertEqual(table.column_names, wanted)
        self.assertEqual(table.num_rows, sum(frame.count for frame in self.frames[4:7]))
        self.assertEqual(set(table["group"].to_pylist()), {"A", "B"})
        last = table.filter(np.array(table["frame"]) == 6)
        np.testing.assert_array_equal(np.array(last["y"]), self.frames[6].columns["position"][:, 1])

    def test_csv_by_the_standard_library(self) -> None:
        with self.written("a.csv").open(newline="") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual(len(rows), sum(frame.count for frame in self.frames[4:7]))
        self.assertAlmostEqual(float(rows[0]["x"]), float(self.frames[4].columns["position"][0, 0]), places=5)
        self.assertEqual(rows[0]["group"], "A" if self.frames[4].columns["group"][0] == 0 else "B")

    def test_ply_by_plyfile(self) -> None:
        from plyfile import PlyData

        path = self.written("one.ply", 4)
        vertex = PlyData.read(str(path))["vertex"]
        np.testing.assert_array_equal(vertex["z"], self.frames[4].columns["position"][:, 2])
        self.written("many.ply")
        self.assertEqual(
            sorted(file.name for file in Path(self.folder.name).glob("many*")),
            ["many.0004.ply", "many.0005.ply", "many.0006.ply"],
        )

    def test_usd_by_its_validator(self) -> None:
        from pxr import Usd, UsdGeom, UsdValidation

        stage = Usd.Stage.Open(str(self.written("a.usdc")))
        context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
        errors = [
            error
            for error in context.Validate(stage)
            if error.GetType() == UsdValidation.ValidationErrorType.Error
        ]
        self.assertEqual([error.GetMessage() for error in errors], [])
        points = UsdGeom.Points(stage.GetPrimAtPath("/Effect/Particles"))
        self.assertEqual(
            (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()), (4, 6, 24)
        )
        for frame in self.frames[4:7]:
            np.testing.assert_array_equal(
                np.array(points.GetPointsAttr().Get(frame.number)), frame.columns["position"]
            )
            self.assertEqual(len(points.GetIdsAttr().Get(frame.number)), frame.count)
            self.assertEqual(len(points.GetWidthsAttr().Get(frame.number)), frame.count)

    def test_npz_by_numpy(self) -> None:
        with np.load(self.written("a.npz")) as arrays:
            self.assertEqual(len(arrays["radius"]), sum(frame.count for frame in self.frames[4:7]))
            self.assertEqual(set(arrays["group"].tolist()), {"A", "B"})

    def test_shipped_mesh_is_sound(self) -> None:
        for mesh in demo.meshes().values():
            self.assertTrue(np.isfinite(mesh.vertices).all())


if __name__ == "__main__":
    unittest.main()
