"""A wheel works where it is installed: front end and guide are inside, and nothing of the checkout is asked for."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import hailridge

ROOT = Path(__file__).resolve().parents[1]

SERVED = """
from fastapi.testclient import TestClient
from pathlib import Path
from hailridge import __file__ as where
from hailridge.store.claim import Claim
from hailridge.web.app import create_app
data = Path("data")
with TestClient(create_app(data, claim=Claim(data, "here")), base_url="http://localhost") as client:
    page = client.get("/")
    guide = client.get("/api/guide").json()
    script = page.text.split('src="')[1].split('"')[0]
    print(where, page.status_code, client.get(script).status_code, len(guide))
"""


class Versions(unittest.TestCase):
    def test_all_say_the_same(self) -> None:
        """The package, the front end and its lock; and the changelog begins with it."""
        front = json.loads((ROOT / "frontend/package.json").read_text())["version"]
        locked = json.loads((ROOT / "frontend/package-lock.json").read_text())
        self.assertEqual({front, locked["version"], locked["packages"][""]["version"]}, {hailridge.__version__})
        newest = next(line for line in (ROOT / "CHANGELOG.md").read_text(encoding="utf-8").splitlines() if line.startswith("## "))
        self.assertEqual(newest.split()[1], hailridge.__version__)

    def test_locks_pin_everything_with_hashes(self) -> None:
        for name in ("requirements.lock", "requirements-dev.lock"):
            packages = [line for line in (ROOT / name).read_text().splitlines() if line and not line.startswith(("#", " "))]
            self.assertGreater(len(packages), 20)
            for line in packages:
                self.assertRegex(line, r"^[a-z0-9-]+==\S+ \\$", name)


class Wheel(unittest.TestCase):
    def test_built_unpacked_and_served(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)
        # Built from a copy, so that nothing is left lying about in the checkout.
        for name in ("src/hailridge", "docs/guide", "frontend/dist", "pyproject.toml", "setup.py", "README.md", "LICENSE"):
            source, target = ROOT / name, folder / "checkout" / name
            target.parent.mkdir(parents=True, exist_ok=True)
            copy = shutil.copytree if source.is_dir() else shutil.copy
            copy(source, target)
        build = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "-w", str(folder), str(folder / "checkout")]
        subprocess.run(build, check=True, capture_output=True, cwd=folder)
        shutil.rmtree(folder / "checkout")
        (wheel,) = folder.glob("*.whl")
        self.assertIn(f"hailridge-{hailridge.__version__}-", wheel.name)
        with zipfile.ZipFile(wheel) as packed:
            names = packed.namelist()
            packed.extractall(folder / "installed")
        for wanted in ("web/front/index.html", "web/guide/1-first.md", "demo/hail-on-the-tin-roof.json", "py.typed", "testing/__init__.py"):
            self.assertIn(f"hailridge/{wanted}", names)
        (folder / "data").mkdir()
        alone = os.environ | {"PYTHONPATH": str(folder / "installed")}
        told = subprocess.run([sys.executable, "-c", SERVED], capture_output=True, text=True, cwd=folder, env=alone)
        self.assertEqual(told.returncode, 0, told.stderr)
        where, page, script, pages = told.stdout.split()
        self.assertTrue(Path(where).is_relative_to(folder / "installed"))
        self.assertEqual((page, script), ("200", "200"))
        self.assertGreater(int(pages), 8)
