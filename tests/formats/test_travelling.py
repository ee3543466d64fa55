"""Effects that travel: written to one file, read in elsewhere, byte for byte the same; files that are not what they say."""

from __future__ import annotations

import io
import json
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from hailridge import demo
from hailridge.core.scene.assets import MemoryAssets
from hailridge.formats.meshes import mesh_id, read_mesh
from hailridge.formats.pictures import read_pictures
from hailridge.formats.travelling import TravelError, collect, pack_effects, unpack_effects
from hailridge.model.validation import DocumentError, read_effect
from hailridge.store.bakes import bake_key
from hailridge.store.database import Database
from hailridge.store.library import Library
from tests.support import document, run

ENTRY = st.fixed_dictionaries({}, optional={"name": st.text(max_size=5), "document": st.sampled_from(["effects/1.json", "a", ""]), "poster": st.just("a")})
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | st.text(max_size=8) | st.lists(ENTRY, min_size=1, max_size=3),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(["a", "name", "document", "effects/1.json"]), inner, max_size=4),
    max_leaves=12,
)
"""JSON of any form, with what a manifest lists among it."""


def library(test: unittest.TestCase) -> Library:
    folder = tempfile.TemporaryDirectory()
    test.addCleanup(folder.cleanup)
    database = Database(Path(folder.name))
    test.addCleanup(database.close)
    return Library(database)


def sheet() -> bytes:
    out = io.BytesIO()
    generator = np.random.default_rng(8)
    Image.fromarray(generator.integers(0, 256, (16, 32, 4), dtype=np.uint8), "RGBA").save(out, "PNG")
    return out.getvalue()


READING = """
import resource, sys
import hailridge.core
from hailridge.formats.travelling import TravelError, unpack_effects
from hailridge.model.validation import DocumentError, read_effect
most = lambda: resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
data = open(sys.argv[1], "rb").read()
before = most()
try:
    for one in unpack_effects("x.zip", data).effects:
        read_effect(one.document)
    print("taken")
except (TravelError, DocumentError) as error:
    print(str(error)[:300].replace(chr(10), " "))
print(most() - before)
"""


def bounded(file: Path) -> tuple[str, float]:
    """What is said of a file, and by how many bytes a process of its own grew to say it."""
    done = subprocess.run([sys.executable, "-c", READING, str(file)], capture_output=True, text=True, check=True)
    told, grown = done.stdout.strip().splitlines()
    return told, float(grown)


PACKED = pack_effects(collect([(read_effect(document(count=3)), None)], MemoryAssets(), {}))


class Travelling(unittest.TestCase):
    def setUp(self) -> None:
        self.here, self.there = library(self), library(self)
        mesh = self.here.add_mesh("cairn.ply", read_mesh("c.ply", trimesh.creation.torus(1.0, 0.3).export(file_type="ply")))
        picture = self.here.add_picture(read_pictures([("two flakes.png", sheet())], 2, 1))
        raw = document(
            shapes=[{"kind": "mesh", "id": "m", "label": "Cairn", "asset": mesh.id}],
            source={"shape": "m", "placement": {"kind": "surface"}},
            looks=[{"kind": "pictures", "id": "l", "picture": picture}],
            count=40,
        )
        raw["picture"] = {"width": 640, "height": 360, "shutter": 0.5}
        self.row = self.here.create(read_effect(raw | {"name": "Häil, größer ❄"}), poster=demo.poster(demo.names()[0]))
        self.file = pack_effects(self.here.take_out([self.row.id]))

    def test_byte_for_byte(self) -> None:
        (row,) = self.there.take_in(unpack_effects("a.zip", self.file))
        self.assertEqual((row.document, row.poster, row.name), (self.row.document, self.row.poster, self.row.name))
        self.assertEqual(pack_effects(self.there.take_out([row.id])), self.file)
        # Names can be read in it as they are written.
        self.assertIn("Häil, größer ❄".encode(), zipfile.ZipFile(io.BytesIO(self.file)).read("manifest.json"))
        # Its picture's settings came along, and it computes the same frames.
        self.assertEqual(json.loads(row.document)["picture"]["shutter"], 0.5)
        before, after = read_effect(self.row.document), read_effect(row.document)
        self.assertEqual(bake_key(before), bake_key(after))
        frames = [run(effect, 3, store)[3].columns["position"] for effect, store in ((before, self.here), (after, self.there))]
        np.testing.assert_array_equal(*frames)
        self.assertEqual(self.there.meshes(), self.here.meshes())
        self.assertEqual(self.there.picture(next(iter(self.there.pictures()))).png, self.here.picture(next(iter(self.here.pictures()))).png)

    def test_others_read_it(self) -> None:
        """By the standard library and trimesh: a ZIP of JSON, PLY and PNG."""
        archive = zipfile.ZipFile(io.BytesIO(self.file))
        self.assertIsNone(archive.testzip())
        manifest = json.loads(archive.read("manifest.json"))
        self.assertEqual((manifest["hailridge"], manifest["schema"], len(manifest["effects"])), (1, 7, 1))
        (asset,) = manifest["meshes"]
        back = trimesh.load(io.BytesIO(archive.read(f"meshes/{asset}.ply")), file_type="ply", process=False)
        self.assertAlmostEqual(back.area, trimesh.creation.torus(1.0, 0.3).area, places=2)

    def test_several_in_one_file(self) -> None:
        for name in demo.names():
            self.here.create(read_effect(demo.document(name)))
        for name, mesh in demo.meshes().items():
            self.here.add_mesh(name, mesh)
        rows = self.here.effects()
        made = self.there.take_in(unpack_effects("a.zip", pack_effects(self.here.take_out([row.id for row in rows]))))
        self.assertEqual([row.document for row in made], [row.document for row in rows])
        self.assertEqual([row.name for row in self.there.effects()], [row.name for row in rows])
        self.assertEqual({key for key, *_rest in self.there.meshes()}, {mesh_id(mesh) for mesh in demo.meshes().values()} | {json.loads(self.row.document)["shapes"][1]["asset"]})

    def test_what_the_library_lacks_is_left_behind_alone(self) -> None:
        """The first mesh that an effect names is gone: those after it travel all the same."""
        mesh = self.here.meshes()[0][0]
        shapes = [{"kind": "mesh", "id": name, "label": name, "asset": asset} for name, asset in (("gone", "0" * len(mesh)), ("there", mesh))]
        baggage = collect([(read_effect(document(shapes=shapes)), None)], self.here, {})
        self.assertEqual([mesh_id(found) for _name, found in baggage.meshes.values()], [mesh])
        self.assertEqual([shape["asset"] for shape in baggage.effects[0].document["shapes"] if "asset" in shape], ["0" * len(mesh), mesh])

    def changed(self, **entries: bytes | None) -> bytes:
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.file)) as before, zipfile.ZipFile(out, "w") as after:
            for name in before.namelist():
                data = entries.get(name, before.read(name))
                if data is not None:
                    after.writestr(name, data)
        return out.getvalue()

    def test_nothing_is_read_that_cannot_be_meant(self) -> None:
        """Small files that say much, written by hand and drawn: refused, and in a process of its own never by more than 150 MB."""
        document = json.dumps({"name": "x", "rules": [{}] * 1_000_000}).encode()
        listed = {"hailridge": 1, "schema": 7, "effects": [{"name": "x", "document": "effects/1.json"}], "meshes": {}, "pictures": {}}
        cases = {
            "a document of": (listed, {"effects/1.json": b" " * 200_000_000}),
            "a document of 4 MB": (listed, {"effects/1.json": document}),
            "more than 2,000,000 values": (
                listed | {"effects": [{"name": "x", "document": f"effects/{number}.json"} for number in range(12)]},
                {f"effects/{number}.json": b'{"a":[' + b"[]," * 1_200_000 + b"[]]}" for number in range(12)},
            ),
            "lists 'effects/1.json' twice": (listed | {"effects": listed["effects"] * 8}, {"effects/1.json": b"{}" + b" " * 3_900_000}),
            "holds a mesh of": (listed | {"meshes": {"a": "a"}}, {"effects/1.json": b"{}", "meshes/a.ply": b"\0" * 580_000_000}),
            "holds a poster of": (
                listed | {"effects": [listed["effects"][0] | {"poster": "p.png"}]}, {"effects/1.json": b"{}", "p.png": b"\0" * 90_000_000}
            ),
            "holds a manifest of": ({**listed, "more": "x" * 30_000_000}, {"effects/1.json": b"{}"}),
        }  # fmt: skip
        for words, (manifest, entries) in cases.items():
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as archive:
                archive.writestr("manifest.json", json.dumps(manifest))
                for name, data in entries.items():
                    archive.writestr(name, data)
            file = Path(tempfile.mkdtemp()) / "x.hailridge.zip"
            self.addCleanup(shutil.rmtree, file.parent)
            file.write_bytes(out.getvalue())
            del entries
            told, grown = bounded(file)
            self.assertRegex(told, words)
            self.assertLess(grown, 150e6, (words, told))

    @given(st.lists(st.tuples(st.integers(0, 2**32), st.integers(1, 255)), min_size=1, max_size=12), st.integers(0, 400))
    @settings(max_examples=120, deadline=None)
    def test_whatever_is_changed_in_it_is_told_in_words_or_harmless(self, changes: list[tuple[int, int]], cut: int) -> None:
        """Bytes turned over, the end cut off: what is taken all the same can be read, everything else is refused naming the file."""
        data = bytearray(PACKED[: len(PACKED) - cut] if cut < 40 else PACKED)
        for place, turned in changes:
            data[place % len(data)] ^= turned
        self.taken_or_told(bytes(data))

    @given(
        st.dictionaries(st.sampled_from(["hailridge", "schema", "effects", "meshes", "pictures"]), ANYTHING),
        st.dictionaries(st.sampled_from(["effects/1.json", "meshes/a.ply", "pictures/a.png", "a"]), st.binary(max_size=200) | ANYTHING.map(json.dumps)),
    )
    @settings(max_examples=150, deadline=None)
    def test_whatever_it_lists_and_holds(self, manifest: dict[str, Any], entries: dict[str, Any]) -> None:
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as archive:
            archive.writestr("manifest.json", json.dumps({"hailridge": 1, "schema": 7, **manifest}))
            for name, data in entries.items():
                archive.writestr(name, data)
        self.taken_or_told(out.getvalue())

    def taken_or_told(self, data: bytes) -> None:
        try:
            for one in unpack_effects("x.zip", data).effects:
                read_effect(one.document)
        except TravelError as error:
            self.assertIn("'x.zip'", str(error))
        except DocumentError:
            pass

    def test_what_is_not_what_it_says(self) -> None:
        names = zipfile.ZipFile(io.BytesIO(self.file)).namelist()
        manifest: dict[str, Any] = json.loads(zipfile.ZipFile(io.BytesIO(self.file)).read("manifest.json"))
        mesh, picture = (next(name for name in names if name.startswith(kind)) for kind in ("meshes", "pictures"))
        whole = zipfile.ZipFile(io.BytesIO(self.file)).read(mesh)
        bent = bytearray(whole)
        bent[-40] ^= 1
        cases = [
            (b"no zip", "no file of effects"),
            (self.file[:-300], "no file of effects"),
            (self.changed(**{"manifest.json": None}), "'manifest.json' is missing"),
            (self.changed(**{"manifest.json": b"[1, 2]"}), "manifest does not say so"),
            (self.changed(**{"manifest.json": json.dumps(manifest | {"hailridge": 2}).encode()}), "newer Hailridge"),
            (self.changed(**{"manifest.json": json.dumps(manifest | {"schema": 99}).encode()}), "newer Hailridge"),
            (self.changed(**{"manifest.json": json.dumps(manifest | {"effects": []}).encode()}), "lists no effects"),
            (self.changed(**{"effects/1.json": b"{"}), "is not JSON"),
            (self.changed(**{"effects/1.json": None}), "is missing"),
            (self.changed(**{mesh: bytes(bent)}), "not what its name says"),
            (self.changed(**{mesh: whole[:50]}), "cannot be read"),
            (self.changed(**{picture: sheet()[:-60]}), "not what its name says"),
            (self.changed(**{picture: demo.poster(demo.names()[0])}), "not what its name says"),
        ]
        for data, words in cases:
            with self.subTest(words), self.assertRaisesRegex(TravelError, f"'x.zip' .*{words}"):
                self.there.take_in(unpack_effects("x.zip", data))
        with self.assertRaises(DocumentError):
            self.there.take_in(unpack_effects("x.zip", self.changed(**{"effects/1.json": b'{"nme": 1}'})))
        # Nothing was kept of any of them.
        self.assertEqual((self.there.effects(), self.there.meshes(), self.there.pictures()), ([], [], {}))

    def test_names_that_lead_elsewhere_are_only_names(self) -> None:
        manifest = json.loads(zipfile.ZipFile(io.BytesIO(self.file)).read("manifest.json"))
        manifest["effects"][0]["document"] = "../../../etc/passwd"
        with self.assertRaisesRegex(TravelError, "is missing"):
            unpack_effects("x.zip", self.changed(**{"manifest.json": json.dumps(manifest).encode()}))


if __name__ == "__main__":
    unittest.main()
