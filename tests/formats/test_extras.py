"""What needs a package that is an extra says so where it is not installed, before anything is lost or computed; the rest works without."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import numpy as np
from rich.console import Console

from hailridge.commands.errors import CommandError
from hailridge.commands.simulating import simulate
from hailridge.formats.clips import ClipError, ClipWriter, check_clip
from hailridge.formats.extras import EXTRAS
from hailridge.formats.meshes import MeshError, read_mesh
from tests.support import document, rule

ALONE = """
import sys
for name in ("pxr", "av", "pyarrow"):
    sys.modules[name] = None
import hailridge.web.app, hailridge.testing, hailridge.cli
from hailridge.formats.exports import WRITERS
from hailridge.formats.meshes import read_mesh
print("works")
"""


class Extras(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        # One by one: `patch.dict` would also forget whatever else is imported in the meantime.
        for module, _told in EXTRAS.values():
            known = {name: sys.modules[name] for name in [*sys.modules] if name == module or name.startswith(f"{module}.")}
            self.addCleanup(sys.modules.update, known)
            self.addCleanup(sys.modules.pop, module, None)
            for name in known:
                del sys.modules[name]
            sys.modules[module] = None  # type: ignore[assignment]

    def test_everything_else_loads_without_them(self) -> None:
        told = subprocess.run([sys.executable, "-c", ALONE], capture_output=True, text=True)
        self.assertEqual(told.stdout.strip(), "works", told.stderr)

    def test_exports_are_refused_before_anything_is_computed(self) -> None:
        effect = self.folder / "effect.json"
        effect.write_text(json.dumps(document(rule({"kind": "gravity"}), count=3)))
        for suffix, extra in ((".parquet", "arrow"), (".usdc", "usd")):
            out = self.folder / f"out{suffix}"
            with patch("hailridge.core.step.simulation.Simulation", side_effect=AssertionError("computes")), self.assertRaises(CommandError) as caught:
                simulate(str(effect), out, "0:3", None, [], False, Console(file=io.StringIO(), quiet=True))
            self.assertIn(f'pip install "hailridge[{extra}]"', str(caught.exception))
            self.assertFalse(out.exists())
        simulate(str(effect), self.folder / "out.csv", "0:3", None, [], False, Console(file=io.StringIO(), quiet=True))
        self.assertTrue((self.folder / "out.csv").stat().st_size)

    def test_usd_meshes_and_video(self) -> None:
        with self.assertRaises(MeshError) as mesh:
            read_mesh("roof.usda", b"#usda 1.0\n")
        self.assertIn("'roof.usda' cannot be read: USD files need the package usd-core", str(mesh.exception))
        with self.assertRaises(ClipError) as clip:
            check_clip("mp4", 64, 64, 2)
        self.assertIn('"hailridge[video]"', str(clip.exception))
        check_clip("png", 64, 64, 2)
        writer = ClipWriter(self.folder / "frames.zip", "png", 64, 64, 24.0)
        writer.add(np.zeros((64, 64, 4), np.uint8).tobytes())
        writer.finish()
        self.assertTrue((self.folder / "frames.zip").stat().st_size)
