"""Files from elsewhere at their edges: faces with dents, files that refer to others, odd encodings, deep pictures."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
import zlib
from codecs import BOM_UTF8
from collections import Counter
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image

from hailridge.core.space.joining import edges, joined
from hailridge.formats.meshes import MeshError, read_mesh, read_mesh_file
from hailridge.formats.obj import read_obj
from hailridge.formats.pictures import read_pictures
from hailridge.formats.polygons import triangles_of

# An L: 2 by 3.5, without the 1.5 by 3 at its upper right. Its area is 7 − 4.5 = 2.5 (schoolbook).
L_SHAPE = [(0, 0), (2, 0), (2, 0.5), (0.5, 0.5), (0.5, 3.5), (0, 3.5)]


def area(mesh: object) -> float:
    return float(trimesh.Trimesh(mesh.vertices, mesh.faces).area)  # type: ignore[attr-defined]


def obj(*faces: str, head: bytes = b"") -> bytes:
    lines = [f"v {x} {y} 0.25" for x, y in L_SHAPE]
    return head + "\n".join([*lines, *faces]).encode() + b"\n"


def usd(body: str) -> bytes:
    return ('#usda 1.0\n(\n  upAxis = "Y"\n  metersPerUnit = 1\n)\n' + body).encode()


TRIANGLE = 'def Mesh "%s"%s { int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1, 2]\n point3f[] points = [(0,0,0), (%s,0,0), (0,0,2)]\n%s\n}\n'


class Dents(unittest.TestCase):
    def test_a_face_with_a_dent_keeps_its_area(self) -> None:
        for order in ("1 2 3 4 5 6", "-6 -5 -4 -3 -2 -1", "3/1 4/1 5/1 6/1 1/1 2/1", "6//1 5//1 4//1 3//1 2//1 1//1"):
            with self.subTest(order):
                self.assertAlmostEqual(area(read_mesh("l.obj", obj(f"f {order}"))), 2.5, places=6)
        points = ", ".join(f"({x}, {y}, 0.25)" for x, y in L_SHAPE)
        body = f'def Mesh "l" {{ int[] faceVertexCounts = [6]\n int[] faceVertexIndices = [3, 4, 5, 0, 1, 2]\n point3f[] points = [{points}]\n }}'
        self.assertAlmostEqual(area(read_mesh("l.usda", usd(body))), 2.5, places=6)
        rows = "\n".join(f"{x} {y} 0.25" for x, y in L_SHAPE)
        head = "ply\nformat ascii 1.0\nelement vertex 6\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n"
        ply = f"{head}property list uchar int vertex_indices\nend_header\n{rows}\n6 4 5 0 1 2 3\n"
        self.assertAlmostEqual(area(read_mesh("l.ply", ply.encode())), 2.5, places=6)

    def test_any_direction_and_winding(self) -> None:
        generator = np.random.default_rng(3)
        for _ in range(20):
            turn, _upper = np.linalg.qr(generator.normal(size=(3, 3)))
            places = np.array([(x, y, 0.0) for x, y in L_SHAPE]) @ turn.T + generator.normal(size=3) * 10
            for order in (np.arange(6), np.arange(6)[::-1]):
                found = triangles_of(places, np.array([6]), order)
                normals = np.cross(places[found[:, 1]] - places[found[:, 0]], places[found[:, 2]] - places[found[:, 0]])
                wanted = np.cross(places[order[1]] - places[order[0]], places[order[2]] - places[order[1]])
                self.assertAlmostEqual(float(np.linalg.norm(normals, axis=1).sum() / 2), 2.5, places=9)
                # All triangles face the way that the face does.
                self.assertTrue((normals @ wanted > 0).all())

    def test_bulging_faces_stay_fans(self) -> None:
        places = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (5, 5, 5)], np.float64)
        found = triangles_of(places, np.array([4, 3, 2]), np.array([0, 1, 2, 3, 4, 0, 1, 2, 3]))
        self.assertEqual(found.tolist(), [[0, 1, 2], [0, 2, 3], [4, 0, 1]])


class Joining(unittest.TestCase):
    def test_corners_and_edges(self) -> None:
        """Against plain dictionaries, with corners that stand twice and edges where one, two and three triangles meet."""
        choose = np.random.default_rng(28)
        vertices = choose.integers(-3, 4, (60, 3)).astype(np.float32) / np.float32(3)
        faces = choose.integers(0, 60, (90, 3))
        first, which = joined(vertices, 5)
        places = {tuple(place): number for number, place in enumerate(sorted({tuple(np.round(corner, 5)) for corner in vertices.tolist()}))}
        self.assertEqual(len(first), len(places))
        np.testing.assert_array_equal(np.round(vertices[first], 5)[which], np.round(vertices, 5))
        self.assertEqual(first.tolist(), [which.tolist().index(number) for number in range(len(first))])
        ends, sides, shares = edges(which[faces], len(first))
        counted: Counter[tuple[int, int]] = Counter()
        for a, b, c in which[faces].tolist():
            counted.update([(min(a, b), max(a, b)), (min(b, c), max(b, c)), (min(c, a), max(c, a))])
        self.assertEqual(dict(zip(map(tuple, ends.tolist()), shares.tolist(), strict=True)), dict(counted))
        self.assertEqual(np.sort(which[faces][:, [0, 1]], axis=1).tolist(), ends[sides[: len(faces)]].tolist())


class Obj(unittest.TestCase):
    def test_a_mark_of_byte_order_hides_no_vertex(self) -> None:
        plain = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 2 4\n"
        for one, other in zip(read_obj(plain), read_obj(BOM_UTF8 + plain), strict=True):
            np.testing.assert_array_equal(one, other)

    def test_what_other_programs_write(self) -> None:
        head = "# Höhe in m, Größe 3\r\nmtllib tür.mtl\r\no Tür\r\nvn 0 0 1\r\nvt 0 0\r\n".encode("latin-1")
        self.assertAlmostEqual(area(read_mesh("tür.obj", obj("usemtl x", "s off", "f 1/1/1 2/1/1 \\", "  3/1/1 # a corner", head=head))), 0.5, places=6)

    def test_damage_is_told_in_words_with_its_line(self) -> None:
        cases = [
            (obj("f 1 2 -9"), "the face in line 7 names vertex -9, but there are 6"),
            (obj("f 1 2 3", "f 1 2 0"), "line 8 names vertex 0"),
            (obj("f 1 2 x"), "line 7 names no vertex by 'x'"),
            (obj("v 1 2"), "line 7 should give a vertex by three numbers"),
            (obj(), "has no triangles"),
        ]
        for data, words in cases:
            with self.subTest(words), self.assertRaisesRegex(MeshError, words):
                read_mesh("x.obj", data)

    def test_corners_that_are_not_there_are_told_in_words(self) -> None:
        """Of a PLY with faces of four corners, which are cut by us."""
        head = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n"
        rows = "0 0 0\n1 0 0\n1 1 0\n0 1 0"
        for last in (9, -2):
            ply = f"{head}property list uchar int vertex_indices\nend_header\n{rows}\n4 0 1 2 {last}\n"
            with self.subTest(last), self.assertRaisesRegex(MeshError, f"names vertex {last}, but there are only 4"):
                read_mesh("x.ply", ply.encode())

    def test_no_reader_speaks_for_itself(self) -> None:
        """Messages are for artists: none names an exception."""
        whole = {kind: trimesh.creation.box().export(file_type=kind) for kind in ("obj", "ply", "stl", "glb")}
        generator = np.random.default_rng(11)
        for kind, given in whole.items():
            data = given.encode() if isinstance(given, str) else given
            for _ in range(40):
                broken = bytearray(data[: int(generator.integers(1, len(data)))])
                broken[int(generator.integers(0, len(broken)))] = int(generator.integers(0, 256))
                try:
                    read_mesh(f"x.{kind}", bytes(broken))
                except MeshError as error:
                    self.assertNotRegex(str(error), r"Error|Exception|index -?\d+ is out|NoneType|unpack")


class Usd(unittest.TestCase):
    def test_nothing_outside_the_upload_is_opened(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            other = Path(folder) / "secret.usda"
            other.write_bytes(usd(TRIANGLE % ("s", "", "40", "")))
            arcs = [
                f'def "a" ( references = @{other}@</s> ) {{}}',
                f'def "a" ( payload = @{other}@</s> ) {{}}',
                f'def "a" ( prepend references = [@{other}@</s>, @../../../..{other}@</s>] ) {{}}',
                f'def "a" (\n variants = {{\n string v = "x"\n }}\n prepend variantSets = "v"\n) {{\n variantSet "v" = {{\n "x" ( references = @{other}@</s> ) {{\n }}\n }}\n }}',
            ]
            bodies = [arc + "\n" + TRIANGLE % ("own", "", "3", "") for arc in arcs]
            layered = f"#usda 1.0\n(\n  metersPerUnit = 1\n  subLayers = [@{other}@]\n)\n{TRIANGLE % ('own', '', '3', '')}".encode()
            for data in [*(usd(body) for body in bodies), layered]:
                read = read_mesh_file("x.usda", data)
                self.assertAlmostEqual(area(read.mesh), 3.0, places=5)
                self.assertIn("secret.usda", read.notes[0])

    def test_invisible_ones_are_left_out_and_told(self) -> None:
        hidden = TRIANGLE % ("h", "", "9", ' token visibility = "invisible"') + TRIANGLE % ("g", "", "9", ' uniform token purpose = "guide"')
        read = read_mesh_file("x.usda", usd(hidden + TRIANGLE % ("own", "", "3", "")))
        self.assertAlmostEqual(area(read.mesh), 3.0, places=5)
        self.assertEqual(read.notes, ["2 of its meshes are invisible or only for guidance, and were left out."])
        with self.assertRaisesRegex(MeshError, "no meshes in it; 2 of its meshes are invisible"):
            read_mesh("x.usda", usd(hidden))

    def test_a_package_reads_its_own_files(self) -> None:
        from pxr import UsdUtils

        with tempfile.TemporaryDirectory() as folder:
            part, root, package = (Path(folder) / name for name in ("part.usda", "root.usda", "all.usdz"))
            part.write_bytes(usd(TRIANGLE % ("s", "", "3", "")))
            root.write_bytes(usd('def "a" ( references = @./part.usda@</s> ) {}'))
            self.assertTrue(UsdUtils.CreateNewUsdzPackage(str(root), str(package)))
            read = read_mesh_file("all.usdz", package.read_bytes())
        self.assertAlmostEqual(area(read.mesh), 3.0, places=5)
        self.assertEqual(read.notes, [])
        with self.assertRaisesRegex(MeshError, "no USD package"):
            read_mesh("x.usdz", b"PK\x03\x04 but no more")


def png(mode: int, depth: int, rows: list[bytes], width: int, extra: bytes = b"") -> bytes:
    """A PNG by the standard (W3C PNG, third edition): signature, IHDR, IDAT with filter 0 before each row, IEND."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    head = struct.pack(">IIBBBBB", width, len(rows), depth, mode, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + extra + chunk(b"IDAT", zlib.compress(b"".join(b"\0" + row for row in rows))) + chunk(b"IEND", b"")


class DeepPictures(unittest.TestCase):
    def pixels(self, data: bytes) -> list[list[int]]:
        found = np.asarray(Image.open(io.BytesIO(read_pictures([("x.png", data)]).png)))
        return found.reshape(-1, 4).tolist()  # type: ignore[no-any-return]

    def test_sixteen_bits_of_grey(self) -> None:
        # A sample of 16 bits is worth 1/257 of it in 8 bits (PNG, 13.12: sample depth rescaling).
        row = struct.pack(">4H", 0, 257 * 64, 257 * 128, 65535)
        self.assertEqual(self.pixels(png(0, 16, [row], 4)), [[0, 0, 0, 255], [64, 64, 64, 255], [128, 128, 128, 255], [255, 255, 255, 255]])

    def test_a_grey_that_is_clear(self) -> None:
        clear = struct.pack(">I", 2) + b"tRNS" + struct.pack(">H", 257 * 64)
        clear += struct.pack(">I", zlib.crc32(clear[4:]))
        row = struct.pack(">2H", 257 * 64, 257 * 128)
        self.assertEqual([alpha for *_grey, alpha in self.pixels(png(0, 16, [row], 2, clear))], [0, 255])

    def test_sixteen_bits_of_the_other_kinds(self) -> None:
        self.assertEqual(self.pixels(png(4, 16, [struct.pack(">2H", 257 * 100, 257 * 200)], 1)), [[100, 100, 100, 200]])
        self.assertEqual(self.pixels(png(2, 16, [struct.pack(">3H", 257 * 9, 257 * 80, 257 * 200)], 1)), [[9, 80, 200, 255]])
        self.assertEqual(self.pixels(png(6, 16, [struct.pack(">4H", 257 * 9, 257 * 80, 257 * 200, 257 * 40)], 1)), [[9, 80, 200, 40]])


if __name__ == "__main__":
    unittest.main()
