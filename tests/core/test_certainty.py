"""What is said of conditions before anything runs is true: whatever is called impossible never happens, whatever is called sure always does."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge.core.looking.certainty import judge
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run


def judged(condition: dict[str, Any], **rest: Any) -> tuple[str, list[str]]:
    effect = read_effect(document(rule({"kind": "drag"}, condition=condition), **rest))
    assert effect.rules[0].condition is not None
    verdict, findings = judge(effect.rules[0].condition, effect)
    return verdict, [finding.text for finding in findings]


def every(*conditions: dict[str, Any]) -> dict[str, Any]:
    return {"kind": "all", "conditions": list(conditions)}


class Verdicts(unittest.TestCase):
    def test_what_can_never_hold(self) -> None:
        spread = {"kind": "spread", "value": 3.0, "spread": 0.5}
        cases: list[tuple[dict[str, Any], str]] = [
            (
                every(compare("speed", "above", 5.0), compare("speed", "below", 2.0)),
                "above 5 and below 2 at once",
            ),
            (every(compare("speed", "above", spread), compare("speed", "below", 2.5)), "at once"),
            (compare("speed", "below", 0.0), "'speed' is never below 0"),
            (compare("life_fraction", "above", 1.0), "never above 1"),
            (compare("own_random", "at_least", 1.5), "never above 1"),
            (compare("age", "above", 9.0), "the clock ends at 2 s"),
            (
                {"kind": "between", "quantity": {"kind": "height"}, "low": 2.0, "high": 1.0},
                "at least 2 and at most 1",
            ),
            ({"kind": "any", "conditions": []}, "names no conditions"),
            ({"kind": "chance", "probability": 0.0}, "its chance is 0"),
            (
                every(
                    compare("height", "above", 1.0),
                    {"kind": "not", "condition": compare("height", "above", 1.0)},
                ),
                "its contrary",
            ),
            ({"kind": "not", "condition": every()}, "names no conditions"),
        ]
        for condition, words in cases:
            with self.subTest(words):
                verdict, texts = judged(condition)
                self.assertEqual(verdict, "never")
                self.assertIn(words, " ".join(texts))

    def test_what_is_left_open(self) -> None:
        spread = {"kind": "spread", "value": 3.0, "spread": 1.5}
        for condition in (
            every(compare("speed", "above", spread), compare("speed", "below", 2.5)),
            every(compare("speed", "above", 1.0), compare("height", "below", 0.5)),
            every(
                compare("speed", "at_least", 1.0),
                {"kind": "between", "quantity": {"kind": "speed"}, "low": 0.5, "high": 2.0},
            ),
            compare("age", "above", 1.5),
            {"kind": "any", "conditions": [compare("speed", "below", 0.0), compare("height", "above", 1.0)]},
        ):
            self.assertEqual(judged(condition)[0], "depends")

    def test_ages_that_rules_set_are_not_bound_by_the_clock(self) -> None:
        older = rule({"kind": "set", "attribute": "age", "amount": 50.0}, id="older")
        effect = read_effect(document(older, rule({"kind": "drag"}, condition=compare("age", "above", 9.0))))
        assert effect.rules[1].condition is not None
        self.assertEqual(judge(effect.rules[1].condition, effect)[0], "depends")

    FRAMES = run(
        document(count=80, speed={"kind": "spread", "value": 3.0, "spread": 3.0}, source={"lifetime": 3.0}),
        30,
    )

    @settings(max_examples=300, deadline=None)
    @given(
        st.recursive(
            st.builds(
                compare,
                st.sampled_from(["speed", "age", "life_fraction", "own_random", "height", "time_in_group"]),
                st.sampled_from(["above", "at_least", "below", "at_most"]),
                st.sampled_from([-1.0, 0.0, 0.5, 1.0, 1.5, 3.0]),
            )
            | st.builds(
                lambda low, high: {
                    "kind": "between",
                    "quantity": {"kind": "speed"},
                    "low": low,
                    "high": high,
                },
                st.sampled_from([0.0, 2.0, 4.0]),
                st.sampled_from([1.0, 3.0]),
            ),
            lambda inner: (
                st.builds(
                    lambda kind, many: {"kind": kind, "conditions": many},
                    st.sampled_from(["all", "any"]),
                    st.lists(inner, max_size=3),
                )
                | inner.map(lambda one: {"kind": "not", "condition": one})
            ),
            max_leaves=6,
        )
    )
    def test_verdicts_are_sound(self, condition: dict[str, Any]) -> None:
        """Source: the conditions themselves, on a run's particles at several frames."""
        effect = read_effect(
            document(rule({"kind": "drag"}, condition=condition), count=80, source={"lifetime": 3.0})
        )
        tree = effect.rules[0].condition
        assert tree is not None
        verdict, _findings = judge(tree, effect)
        if verdict == "depends":
            return
        made = Plan(effect, MemoryAssets())
        for frame in self.FRAMES[::6]:
            moment = recorded_moment(made, frame.columns, frame.count, frame.number)
            holds = np.asarray(tree.holds(moment, moment.everyone()))
            self.assertEqual(bool(holds.any()), verdict == "always", (verdict, condition))
            self.assertEqual(bool(holds.all()), verdict == "always", (verdict, condition))


if __name__ == "__main__":
    unittest.main()
