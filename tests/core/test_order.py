"""What the order of rules breaks, and what a trigger makes of an action: told with both rules named, mended by the fix, and not told where it is meant."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.looking.order import order_advisories
from hailridge.model.validation import read_effect
from tests.core.test_advisories import fixed
from tests.support import compare, document, rule, run

RED: dict[str, Any] = {"kind": "set", "attribute": "color", "amount": [1.0, 0.0, 0.0]}
BLUE: dict[str, Any] = {"kind": "set", "attribute": "color", "amount": [0.0, 0.0, 1.0]}
LATER = compare("age", "above", 0.5)


def told(*rules: dict[str, Any], groups: tuple[str, ...] = ("a",), **rest: Any) -> list[str]:
    return [
        advisory.text
        for advisory in order_advisories(read_effect(document(*rules, groups=list(groups), **rest)))
    ]


class Overwritten(unittest.TestCase):
    def test_a_later_rule_for_everybody_undoes_a_change(self) -> None:
        found = told(rule(RED, id="red", label="Red", condition=LATER), rule(BLUE, id="blue", label="Blue"))
        self.assertEqual(len(found), 1)
        self.assertIn("rule 1 'Red' does to color is lost at once: rule 2 'Blue' below it", found[0])

    def test_not_where_something_is_left_of_it(self) -> None:
        red = rule(RED, id="red", who=["a"])
        for blue in (
            rule(BLUE, id="blue", condition=LATER),
            rule(BLUE, id="blue", trigger="once"),
            rule(BLUE, id="blue", who=["b"]),
            rule({**BLUE, "where": "rise"}, id="blue"),
        ):
            rise = [{"kind": "gradient", "id": "rise", "label": "Rise"}]
            self.assertEqual(told(red, blue, groups=("a", "b"), fields=rise, sources=SOURCES), [])

    def test_not_where_it_is_read_in_between(self) -> None:
        grow = rule({"kind": "add", "attribute": "radius", "amount": 1.0}, id="grow")
        read = rule(
            RED,
            id="read",
            condition=compare({"kind": "attribute", "attribute": "radius"}, "above", 0.5),
        )
        back = rule({"kind": "set", "attribute": "radius", "amount": 0.1}, id="back")
        self.assertEqual(len(told(grow, back)), 1)
        self.assertEqual(told(grow, read, back), [])

    def test_twice_in_one_rule(self) -> None:
        self.assertIn("sets it again right after", told(rule(RED, BLUE))[0])


SOURCES = [
    {**document()["sources"][0], "id": "first"},
    {**document()["sources"][0], "id": "second", "group": "b"},
]


class Starved(unittest.TestCase):
    def test_below_a_move_of_everybody(self) -> None:
        away = rule({"kind": "move", "group": "b"}, id="away", who=["a"], label="Away")
        late = rule(RED, id="late", who=["a"], label="Late")
        raw = document(away, late, groups=["a", "b"])
        (advisory,) = order_advisories(read_effect(raw))
        self.assertIn(
            "Rule 2 'Late' is never reached: rule 1 'Away' above it moves everybody first", advisory.text
        )
        # It is true: nobody is coloured; after the fix everybody is.
        self.assertEqual(run(raw, 2)[-1].held.tolist(), [0, 0])
        mended = fixed(raw, advisory)
        self.assertEqual(order_advisories(read_effect(mended)), [])
        self.assertEqual(run(mended, 0)[-1].held.tolist(), [1, 1])
        self.assertEqual([entry["id"] for entry in mended["rules"]], ["late", "away"])

    def test_not_where_some_are_left_or_come_back(self) -> None:
        some = rule({"kind": "move", "group": "b"}, id="some", who=["a"], condition=LATER)
        back = rule({"kind": "move", "group": "a"}, id="back", who=["b"])
        away = rule({"kind": "move", "group": "b"}, id="away", who=["a"])
        late = rule(RED, id="late", who=["a"])
        self.assertEqual(told(some, late, groups=("a", "b")), [])
        self.assertEqual(told(away, back, late, groups=("a", "b")), [])

    def test_groups_that_nobody_reaches(self) -> None:
        found = told(rule(RED, who=["b"]), groups=("a", "b"))
        self.assertIn("looks at 'B', but no source and no rule ever brings a particle there", found[0])


class Triggers(unittest.TestCase):
    def one(self, raw: dict[str, Any], text: str) -> dict[str, Any]:
        """Exactly one advisory, which its fix silences; the mended document."""
        (advisory,) = order_advisories(read_effect(raw))
        self.assertIn(text, advisory.text)
        after = fixed(raw, advisory)
        self.assertEqual(order_advisories(read_effect(after)), [])
        return after

    def test_a_lifetime_set_without_the_age(self) -> None:
        now = compare("time", "above", 0.5)
        two = rule({"kind": "set", "attribute": "lifetime", "amount": 2.0}, trigger="becomes", condition=now)
        raw = document(two, source={"lifetime": 3.0}, clock={"duration": 4.0})
        after = self.one(raw, "age goes on counting from birth")
        # As it was: two seconds after birth; as it is meant: two seconds after the moment (half a second).
        ends = [max(frame.time for frame in run(version) if frame.count) for version in (raw, after)]
        np.testing.assert_allclose(ends, [2.0 - 1 / 24, 2.5 - 1 / 24], atol=1e-6)

    def test_a_new_lease_at_every_step(self) -> None:
        self.one(document(rule({"kind": "live_on", "time": 1.0})), "so its particles never leave")

    def test_a_rule_that_waits_for_nothing(self) -> None:
        self.one(document(rule({"kind": "gravity"}, waits=True)), "no rule ever does so")

    def test_a_rule_that_does_nothing(self) -> None:
        self.assertIn("does nothing yet", told(rule())[0])


if __name__ == "__main__":
    unittest.main()
