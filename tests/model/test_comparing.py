"""Two documents compared in words. The words are ours; that nothing is missed or made up is checked by undoing changes drawn at random."""

from __future__ import annotations

import copy
import unittest
from typing import Any

from hailridge import demo
from hailridge.model.comparing import changes
from hailridge.model.validation import read_effect
from tests.running.choosing import thorough
from tests.support import compare, document, rule


def whole(raw: dict[str, Any]) -> dict[str, Any]:
    return read_effect(raw).model_dump()


def told(before: dict[str, Any], after: dict[str, Any]) -> list[tuple[str, str]]:
    return [(change.sort, change.text) for change in changes(whole(before), whole(after))]


class Comparing(unittest.TestCase):
    BEFORE = document(
        rule({"kind": "gravity"}, id="fall", label="Fall", condition=compare("age", "above", 1.0)),
        rule({"kind": "drag"}, id="slow", label="Slow"),
        rule({"kind": "wind"}, id="gust", label="Gust"),
        shapes=[{"kind": "plane", "id": "floor", "label": "Floor"}],
        clock={"duration": 2.0},
    )

    def after(self) -> dict[str, Any]:
        return copy.deepcopy(self.BEFORE)

    def test_the_same_is_no_change(self) -> None:
        self.assertEqual(told(self.BEFORE, self.after()), [])

    def test_added_removed_moved_changed(self) -> None:
        after = self.after()
        after["shapes"][1] = {"kind": "ball", "id": "dome", "label": "Dome"}
        after["rules"] = [after["rules"][2], after["rules"][0], after["rules"][1]]
        after["rules"][1]["condition"]["threshold"] = 2.5
        after["rules"][2]["actions"][0]["half_life"] = 0.25
        after["rules"][0]["enabled"] = False
        after["clock"]["duration"] = 5.0
        found = told(self.BEFORE, after)
        self.assertEqual(found[:3], [("added", "shape 2 'Dome' (Ball)"), ("removed", "shape 2 'Floor' (Plane)"), ("moved", "rule 'Gust' to another place")])
        texts = [text for sort, text in found if sort == "changed"]
        self.assertEqual(len(texts), 4)
        self.assertIn("rule 1 'Gust', enabled: on → off", texts)
        self.assertIn("rule 2 'Fall', condition, threshold: 1 → 2.5", texts)
        self.assertIn("clock, duration: 2 s → 5 s", texts)
        self.assertTrue(any(text.startswith("rule 3 'Slow', action 1, half life: ") and text.endswith("→ 0.25 s") for text in texts), texts)

    def test_parts_without_names(self) -> None:
        after = self.after()
        after["rules"][0]["actions"] = [{"kind": "drag", "id": "new"}, {**after["rules"][0]["actions"][0], "id": "0"}]
        self.assertEqual(len(told(self.BEFORE, after)), 1)
        self.assertEqual(told(self.BEFORE, after)[0][0], "added")
        after = self.after()
        after["rules"][0]["actions"][0] = {"kind": "drag", "id": "0"}
        ((sort, text),) = told(self.BEFORE, after)
        self.assertEqual(sort, "changed")
        self.assertRegex(text, "rule 1 'Fall', action 1: .+ → .+")

    @thorough
    def test_every_field_of_every_demo_is_seen(self) -> None:
        """Whatever single value is changed, exactly one thing is told, and it is told at its place."""
        seen = 0
        for name in demo.names():
            before = whole(demo.document(name))
            for path in _numbers(before):
                after = copy.deepcopy(before)
                node = after
                for key in path[:-1]:
                    node = node[key]
                node[path[-1]] += 1
                found = changes(before, after)
                self.assertEqual([change.sort for change in found], ["changed"], path)
                seen += 1
        self.assertGreater(seen, 800)


def _numbers(node: Any, path: tuple[Any, ...] = ()) -> Any:
    for key, value in node.items() if isinstance(node, dict) else enumerate(node):
        if isinstance(value, dict | list):
            yield from _numbers(value, (*path, key))
        elif isinstance(value, int | float) and not isinstance(value, bool) and key != "format":
            yield (*path, key)


if __name__ == "__main__":
    unittest.main()
