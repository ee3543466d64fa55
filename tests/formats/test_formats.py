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
from hailridge.formats.meshes import MeshError, mesh_id, notes_on, read_mesh
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

    def usd(self, kind: str = "usda", up: str = "Y", unit: float = 1.0) -> bytes:
        """A file written by usd-core: a unit box as six quadrilaterals, moved and turned by its parent, and a triangle."""
        from pxr import Gf, Usd, UsdGeom

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"box.{kind}"
            stage = Usd.Stage.CreateNew(str(path))
            UsdGeom.SetStageUpAxis(stage, up)
            UsdGeom.SetStageMetersPerUnit(stage, unit)
            group = UsdGeom.Xform.Define(stage, "/group")
            group.AddTranslateOp().Set(Gf.Vec3d(1, 2, 3))
            group.AddRotateYOp().Set(90.0)
            box = UsdGeom.Mesh.Define(stage, "/group/box")
            signs = [(x, y, z) for x in (0, 1) for y in (0, 1) for z in (0, 1)]
            box.CreatePointsAttr([Gf.Vec3f(*place) for place in signs])
            box.CreateFaceVertexCountsAttr([4] * 6)
            box.CreateFaceVertexIndicesAttr(
                [0, 1, 3, 2, 4, 6, 7, 5, 0, 4, 5, 1, 2, 3, 7, 6, 0, 2, 6, 4, 1, 5, 7, 3]
            )
            lone = UsdGeom.Mesh.Define(stage, "/lone")
            lone.CreatePointsAttr([Gf.Vec3f(0, 0, 0), Gf.Vec3f(1, 0, 0), Gf.Vec3f(0, 0, 1)])
            lone.CreateFaceVertexCountsAttr([3])
            lone.CreateFaceVertexIndicesAttr([0, 1, 2])
            stage.GetRootLayer().Save()
            return path.read_bytes()

    def test_usd(self) -> None:
        for kind in ("usda", "usdc"):
            mesh = read_mesh(f"box.{kind}", self.usd(kind))
            back = trimesh.Trimesh(mesh.vertices, mesh.faces)
            self.assertEqual(len(mesh.faces), 13)
            self.assertAlmostEqual(back.area, 6.5, places=5)
            # A quarter turn about y takes z to x and x to −z, then it is moved by (1, 2, 3).
            np.testing.assert_allclose(
                mesh.vertices[mesh.faces[:12]].reshape(-1, 3).max(axis=0), [2, 3, 3], atol=1e-5
            )

    def test_usd_units_and_upright(self) -> None:
        centimetres = read_mesh("box.usda", self.usd(unit=0.01))
        np.testing.assert_allclose(np.ptp(centimetres.vertices, axis=0), [0.02, 0.03, 0.03], atol=1e-6)
        laid = read_mesh("box.usda", self.usd(up="Z"))
        # What was z is up, what was y is away: (x, y, z) becomes (x, z, −y).
        np.testing.assert_allclose(laid.vertices.max(axis=0), [2, 3, 0], atol=1e-5)

    def test_usd_refusals(self) -> None:
        whole = self.usd()
        cases = [
            (b"#usda 1.0\n", "no meshes in it"),
            (b"not usd at all", "could not be read"),
            (whole.replace(b"[4, 4, 4, 4, 4, 4]", b"[4, 4, 4, 4, 4, 5]"), "name 25 corners, but list 24"),
            (whole.replace(b"[0, 1, 2]", b"[0, 1, 9999]"), "names vertex"),
            (whole[:-120], "could not be read|no meshes|damaged"),
        ]
        for data, words in cases:
            with self.subTest(words), self.assertRaisesRegex(MeshError, words):
                read_mesh("x.usda", data)

    def test_what_is_worth_knowing(self) -> None:
        self.assertEqual(notes_on(read_mesh("a.ply", exported("ply", trimesh.creation.box()))), [])
        box = trimesh.creation.box()
        open_box = trimesh.Trimesh(box.vertices, box.faces[:-1])
        self.assertIn("3 open edges", notes_on(read_mesh("a.ply", exported("ply", open_box)))[0])
        sheet = read_mesh("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 2 3\n")
        self.assertIn("no inside", notes_on(sheet)[0])
        ball = trimesh.creation.icosphere(subdivisions=2)
        doubled = trimesh.util.concatenate([ball, ball.copy().apply_translation([0.7, 0, 0])])
        self.assertIn("passes through itself", notes_on(read_mesh("a.ply", exported("ply", doubled)))[0])
        fins = b"v 0 0 0\nv 0 1 0\nv 1 0 0\nv -1 0 0\nv 0 0 1\nf 1 2 3\nf 1 2 4\nf 1 2 5\n"
        self.assertTrue(any("more than two" in note for note in notes_on(read_mesh("a.obj", fins))))

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

    def test_turned_particles_carry_their_orientation(self) -> None:
        import pyarrow.parquet as pq
        from pxr import Usd, UsdGeom

        raw = document(count=7, source={"spin": 90.0, "orientation": {"kind": "any"}})
        effect, frames = read_effect(raw), run(raw, 2)
        folder = Path(self.folder.name)
        WRITERS[".parquet"](folder / "turned.parquet", effect, iter(frames))
        table = pq.read_table(folder / "turned.parquet")
        turned = np.stack([np.array(table[f"q{axis}"]) for axis in "xyzw"], axis=1)
        np.testing.assert_allclose(np.linalg.norm(turned, axis=1), 1, atol=1e-5)
        np.testing.assert_allclose(
            np.linalg.norm([np.array(table[f"spin_{axis}"]) for axis in "xyz"], axis=0), np.pi / 2, rtol=1e-4
        )
        WRITERS[".usdc"](folder / "turned.usdc", effect, iter(frames))
        stage = Usd.Stage.Open(str(folder / "turned.usdc"))
        points = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath("/Effect/Particles"))
        first = points.GetPrimvar("orientation").Get(0)[0]
        np.testing.assert_allclose([*first.imaginary, first.real], turned[0], atol=1e-5)

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

    def test_labels_and_names_that_are_in_the_way(self) -> None:
        """Labels beyond ASCII or of two lines; own attributes called as the standard columns are."""
        import pyarrow.parquet as pq
        from plyfile import PlyData
        from pxr import Usd, UsdGeom

        names = ["x", "frame", "group", "own_x", "wet-ness"]
        own = [{"id": name, "label": name, "initial": 7.0 + at} for at, name in enumerate(names)]
        raw = document(count=3, position=[1.0, 2.0, 3.0], attributes=own)
        raw["groups"][0]["label"] = "Größe\nzwei ❄"
        effect, frames, folder = read_effect(raw), run(raw, 2), Path(self.folder.name)
        wanted = {"x": 1.0, "own_own_x": 7.0, "own_frame": 8.0, "own_group": 9.0, "own_x": 10.0, "wet-ness": 11.0}
        for kind in (".parquet", ".csv", ".npz", ".ply", ".usdc"):
            WRITERS[kind](folder / f"odd{kind}", effect, iter(frames[2:]))
        table = pq.read_table(folder / "odd.parquet")
        with (folder / "odd.csv").open(newline="", encoding="utf-8") as file:
            row = next(csv.DictReader(file))
        arrays = np.load(folder / "odd.npz")
        ply = PlyData.read(str(folder / "odd.ply"))
        for name, value in wanted.items():
            self.assertEqual(table[name].to_pylist(), [value] * 3)
            self.assertEqual(float(row[name]), value)
            self.assertEqual(arrays[name].tolist(), [value] * 3)
            self.assertEqual(ply["vertex"][name].tolist(), [value] * 3)
        self.assertEqual((table["group"][0].as_py(), row["group"], table["frame"][0].as_py()), ("Größe\nzwei ❄", "Größe\nzwei ❄", 2))
        self.assertIn('group 0: "Gr\\u00f6\\u00dfe\\nzwei \\u2744"', ply.comments)
        stage = Usd.Stage.Open(str(folder / "odd.usdc"))
        points = stage.GetPrimAtPath("/Effect/Particles")
        self.assertEqual(list(points.GetCustomDataByKey("groups")), ["Größe\nzwei ❄"])
        variables = UsdGeom.PrimvarsAPI(points)
        for name, value in {"x": 7.0, "frame": 8.0, "own_group": 9.0, "own_x": 10.0, "wet_ness": 11.0}.items():
            self.assertEqual(list(variables.GetPrimvar(name).Get(2)), [value] * 3, name)

    def test_usd_carries_every_attribute(self) -> None:
        from pxr import Usd, UsdGeom

        stage = Usd.Stage.Open(str(self.written("all.usdc")))
        variables = UsdGeom.PrimvarsAPI(stage.GetPrimAtPath("/Effect/Particles"))
        for frame in self.frames[4:7]:
            for name, column in {"age": "age", "lifetime": "lifetime", "parent": "parent_id", "group": "group", "warmth": "own warmth"}.items():
                variable = variables.GetPrimvar(name)
                self.assertEqual(variable.GetInterpolation(), UsdGeom.Tokens.vertex)
                np.testing.assert_array_equal(np.array(variable.Get(frame.number)), frame.columns[column])

    def test_shipped_mesh_is_sound(self) -> None:
        for mesh in demo.meshes().values():
            self.assertTrue(np.isfinite(mesh.vertices).all())


if __name__ == "__main__":
    unittest.main()
