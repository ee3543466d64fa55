"""What is declared of every kind stands still: a default or limit that changes gives saved effects another meaning, and is changed on purpose only.

`python -m tests.model.test_declared` writes the present declarations down.
"""

from __future__ import annotations

import json
import sys
import unittest
from pathlib import Path
from typing import Any

import hailridge.core  # noqa: F401
from hailridge.model.catalogue import catalogue
from hailridge.model.kind import Kind

FILE = Path(__file__).with_name("declared.json")

WORDS = {"title", "sentence", "help", "category", "also", "leads", "label", "words", "yes", "no", "optional", "many", "facts_as"}
"""What is read by people, or by what they find it: it may be said better at any time."""

FACTS = ("turned", "rank", "low", "high", "runs", "phase", "single")
"""What classes say of themselves outside of the catalogue, too."""


def declared() -> dict[str, Any]:
    """Of each kind, part and attribute what decides values and runs, without words."""

    def bare(node: Any) -> Any:
        if isinstance(node, dict):
            return {name: bare(value) for name, value in node.items() if name not in WORDS}
        return [bare(entry) for entry in node] if isinstance(node, list | tuple) else node

    told = catalogue()
    found: dict[str, Any] = {}
    for slot, kinds in told["slots"].items():
        for entry in kinds:
            cls = Kind.registry[slot][entry["kind"]]
            facts = {name: getattr(cls, name) for name in FACTS if isinstance(getattr(cls, name, None), bool | int | float | str)}
            found[f"{slot} {entry['kind']}"] = {**bare(entry), **facts}
    found |= {f"part {name}": bare(entry) for name, entry in told["parts"].items()}
    for name in told.keys() - {"slots", "parts"}:
        found[name] = bare(told[name])
    return json.loads(json.dumps(found, sort_keys=True))  # type: ignore[no-any-return]


class Declared(unittest.TestCase):
    def test_nothing_is_declared_otherwise_unasked(self) -> None:
        known, now = json.loads(FILE.read_text(encoding="utf-8")), declared()
        self.assertEqual(sorted(known), sorted(now), "kinds came or went: write them down (see above)")
        for name, entry in now.items():
            self.assertEqual(known[name], entry, f"'{name}' is declared otherwise: do saved effects keep their meaning? Then write it down (see above).")


if __name__ == "__main__":
    if sys.argv[1:]:
        unittest.main()
    FILE.write_text("{\n" + ",\n".join(f"{json.dumps(name)}: {json.dumps(entry)}" for name, entry in sorted(declared().items())) + "\n}\n", encoding="utf-8")
