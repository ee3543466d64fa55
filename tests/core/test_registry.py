"""The registry: a quantity is declared in one place and then works everywhere; every kind that ships is complete."""

from __future__ import annotations

import ast
import importlib
import json
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path

import hailridge.core
from hailridge.model.catalogue import catalogue

ONE_PLACE = """
from typing import Any, ClassVar, Literal
from hailridge.model import fields
from hailridge.model.parts import Quantity

class Lean(Quantity):
    title: ClassVar[str] = "lean"
    sentence: ClassVar[str] = "lean past {edge}"
    category: ClassVar[str] = "Motion"
    help: ClassVar[str] = "How far to the side."
    unit: ClassVar[str] = "m"
    kind: Literal["lean"] = "lean"
    edge: float = fields.number(0.5, unit="m", low=0)
    def read(self, moment: Any, rows: Any) -> Any:
        return moment.column("position")[rows, 0] - self.edge
"""

USED_EVERYWHERE = """
import json, sys, importlib.util
import numpy as np
import hailridge.core
spec = importlib.util.spec_from_file_location("lean", sys.argv[1])
spec.loader.exec_module(importlib.util.module_from_spec(spec))
from hailridge.model.catalogue import catalogue, json_schema
from hailridge.model.validation import read_effect, DocumentError
from tests.support import document, rule, run, compare
lean = {"kind": "lean", "edge": 1.0}
ramp = {"kind": "mapped", "quantity": lean, "start": 0.0, "end": 1.0, "low": 0.0, "high": 1.0}
raw = document(rule({"kind": "set", "attribute": "opacity", "amount": ramp}, condition=compare(lean, "above", 0.25)), axis=[1.0, 0.0, 0.0], speed=1.0)
frames = run(raw, 48)
entry = next(kind for kind in catalogue()["slots"]["quantity"] if kind["kind"] == "lean")
try:
    read_effect(document(rule({"kind": "gravity"}, condition=compare({"kind": "lean", "edge": -1.0}, "above", 1.0))))
    refused = ""
except DocumentError as error:
    refused = str(error)
print(json.dumps({"held": [int(f.held[0]) for f in frames], "entry": entry, "schema": "Lean" in json.dumps(json_schema()), "refused": refused}))
"""


class OnePlace(unittest.TestCase):
    def test_a_new_quantity_is_one_class(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "lean.py"
            path.write_text(ONE_PLACE)
            root = Path(__file__).resolve().parents[2]
            out = subprocess.run(
                [sys.executable, "-c", USED_EVERYWHERE, str(path)], capture_output=True, text=True, cwd=root
            )
        self.assertEqual(out.returncode, 0, out.stderr)
        told = json.loads(out.stdout)
        # In conditions and amounts: it passes 0.25 beyond the edge after 1.25 s = frame 30.
        self.assertEqual((told["held"][30], told["held"][32]), (0, 1))
        # In the catalogue that the interface is made of, in the JSON Schema, and in validation with words.
        self.assertEqual((told["entry"]["unit"], told["entry"]["fields"][0]["low"]), ("m", 0))
        self.assertTrue(told["schema"])
        self.assertIn("cannot be below 0", told["refused"])


def _imported(path: Path) -> Iterator[str]:
    """Every module that a module imports, wherever in it."""
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom):
            yield from (f"{node.module}.{alias.name}" for alias in node.names)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


class Completeness(unittest.TestCase):
    def test_sentences_name_fields_that_exist(self) -> None:
        import re

        for entry in [kind for kinds in catalogue()["slots"].values() for kind in kinds] + list(
            catalogue()["parts"].values()
        ):
            named = set(re.findall(r"\{(\w+)\}", entry["sentence"]))
            self.assertLessEqual(named, {field["name"] for field in entry["fields"]}, entry["kind"])

    def test_two_kinds_cannot_share_a_tag(self) -> None:
        from hailridge.core.kinds.quantities.life import Age

        with self.assertRaises(TypeError):
            type("Other", (Age,), {"__module__": __name__, "__qualname__": "Other"})

    def test_catalogue_is_json(self) -> None:
        self.assertGreater(len(json.dumps(catalogue())), 10_000)


class Layers(unittest.TestCase):
    """Dependencies point downward: web → runs → store → demo → formats → core → model, and within core from looking down to the kernels."""

    ORDER = ("model", "core", "formats", "demo", "store", "runs", "web")
    ROOMS = ("kernels", "state", "space", "scene", "formulas", "kinds", "step", "looking")

    def test_packages(self) -> None:
        self._holds(Path(hailridge.core.__file__).parents[1], "hailridge", self.ORDER)

    def test_rooms_of_core(self) -> None:
        root = Path(hailridge.core.__file__).parent
        self.assertEqual(set(self.ROOMS), {entry.parent.name for entry in root.glob("*/__init__.py")}, "a room without a place in the order")
        self._holds(root, "hailridge.core", self.ROOMS)

    def test_every_room_says_what_it_is(self) -> None:
        told = (Path(__file__).parents[2] / "docs/architecture.md").read_text(encoding="utf-8")
        for room in self.ROOMS:
            self.assertTrue((importlib.import_module(f"hailridge.core.{room}").__doc__ or "").strip(), room)
            self.assertIn(f"    {room}/", told)

    def _holds(self, root: Path, package: str, order: tuple[str, ...]) -> None:
        """No module imports from a package that comes later in the order."""
        depth = package.count(".") + 1
        for path in root.rglob("*.py"):
            room = path.relative_to(root).parts[0]
            if room not in order:
                continue
            allowed = order[: order.index(room) + 1]
            for name in _imported(path):
                parts = name.split(".")
                if name.startswith(f"{package}.") and parts[depth] in order:
                    self.assertIn(parts[depth], allowed, f"{path} imports {name}")

    def test_modules_stay_of_one_idea(self) -> None:
        root = Path(hailridge.core.__file__).parents[1]
        for path in root.rglob("*.py"):
            self.assertLess(len(path.read_text().splitlines()), 400, path)


if __name__ == "__main__":
    unittest.main()
