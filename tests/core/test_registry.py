"""The registry: a quantity is declared in one place and then works everywhere; every kind that ships is complete."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
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


class Completeness(unittest.TestCase):
    def test_sentences_name_fields_that_exist(self) -> None:
        import re

        for entry in [kind for kinds in catalogue()["slots"].values() for kind in kinds] + list(
            catalogue()["parts"].values()
        ):
            named = set(re.findall(r"\{(\w+)\}", entry["sentence"]))
            self.assertLessEqual(named, {field["name"] for field in entry["fields"]}, entry["kind"])

    def test_two_kinds_cannot_share_a_tag(self) -> None:
        from hailridge.core.quantities.life import Age

        with self.assertRaises(TypeError):
            type("Other", (Age,), {"__module__": __name__, "__qualname__": "Other"})

    def test_catalogue_is_json(self) -> None:
        self.assertGreater(len(json.dumps(catalogue())), 10_000)


class Layers(unittest.TestCase):
    """Dependencies point downward: web → runs → store, formats → core → model."""

    ORDER = ["model", "core", "formats", "demo", "store", "runs", "web"]

    def test_imports(self) -> None:
        import ast

        root = Path(hailridge.core.__file__).parents[1]
        for path in root.rglob("*.py"):
            package = path.relative_to(root).parts[0]
            if package not in self.ORDER:
                continue
            allowed = set(self.ORDER[: self.ORDER.index(package) + 1])
            for node in ast.walk(ast.parse(path.read_text())):
                names = (
                    [node.module or ""]
                    if isinstance(node, ast.ImportFrom)
                    else [alias.name for alias in node.names]
                    if isinstance(node, ast.Import)
                    else []
                )
                for name in names:
                    parts = name.split(".")
                    if parts[0] == "hailridge" and len(parts) > 1:
                        self.assertIn(parts[1], allowed, f"{path} imports {name}")

    def test_modules_stay_of_one_idea(self) -> None:
        root = Path(hailridge.core.__file__).parents[1]
        for path in root.rglob("*.py"):
            self.assertLess(len(path.read_text().splitlines()), 400, path)


if __name__ == "__main__":
    unittest.main()
