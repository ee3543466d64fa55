"""The web interface is what it is said to be: the description that the page's types are made of is that of the application."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from hailridge.model.catalogue import document_types
from hailridge.web.app import create_app

FRONT_END = Path(__file__).resolve().parents[2] / "frontend"


class Described(unittest.TestCase):
    def test_every_operation_and_limit(self) -> None:
        """Also `./run types` is told by it to be due."""
        self.maxDiff = 2000
        with tempfile.TemporaryDirectory() as folder:
            now = json.loads(json.dumps(create_app(Path(folder)).openapi()))
        known = json.loads((FRONT_END / "openapi.json").read_text(encoding="utf-8"))
        self.assertEqual(sorted(known["paths"]), sorted(now["paths"]))
        for path, operations in now["paths"].items():
            self.assertEqual(known["paths"][path], operations, path)
        for name, schema in now["components"]["schemas"].items():
            self.assertEqual(known["components"]["schemas"][name], schema, name)

    def test_the_structure_of_documents(self) -> None:
        self.assertEqual(json.loads((FRONT_END / "document.json").read_text(encoding="utf-8")), document_types())


if __name__ == "__main__":
    unittest.main()
