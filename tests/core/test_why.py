"""Seeing why: words where a rule holds for nobody, counts of branches, when it last fired, and flows between groups."""

from __future__ import annotations

import unittest
from collections import Counter
from itertools import pairwise
from typing import Any

import numpy as np

from hailridge.core.looking.flow import flow, slices
from hailridge.core.looking.observe import holders, recorded_moment, values_of
from hailridge.core.looking.why import branch_counts, explain, last_firings
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.state.events import Happening
from hailridge.core.step.simulation import Frame
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run


def explained(raw: dict[str, Any], frame: int, index: int, so_far: bool = False) -> str:
    effect = read_effect(raw)
    frames = run(effect)
    plan = Plan(effect, MemoryAssets())
    found = frames[frame]
    events = np.concatenate([entry.events for entry in frames])
    ready = next(ready for ready in plan.rules if ready.index == index)
    return explain(recorded_moment(plan, found.columns, found.count, frame), ready, events, so_far)


class Nobody(unittest.TestCase):
    GROUPS = ["seeds", "sown", "never"]

    def test_all_have_moved_on(self) -> None:
        raw = document(
            rule({"kind": "move", "group": "sown"}, label="Sow", condition=compare("age", "at_least", 0.04)),
            rule({"kind": "drag"}, who=["seeds"], id="count"),
            count=200,
            groups=self.GROUPS,
        )
        self.assertEqual(
            explained(raw, 20, 1),
            "Nobody is left in Seeds to look at: all 200 moved to Sown by rule 1 'Sow' at frame 1.",
        )
        self.assertEqual(explained(raw, 0, 1), "")

    def test_not_yet_and_never(self) -> None:
        raw = document(
            rule({"kind": "move", "group": "sown"}, condition=compare("age", "at_least", 0.999)),
            rule({"kind": "drag"}, who=["sown"], id="count"),
            rule({"kind": "wind"}, who=["never"], id="blow"),
            groups=self.GROUPS,
        )
        self.assertEqual(explained(raw, 5, 1), "Nobody has come into Sown yet: the first does at frame 24.")
        self.assertIn("Nobody ever comes into Never", explained(raw, 5, 2))
        # That is only said when nothing can follow.
        self.assertEqual("Nobody has come into Never yet; the rest is still being computed.", explained(raw, 5, 2, so_far=True))

    def test_gone_by_death_and_by_several_ways(self) -> None:
        half = {"kind": "chance", "probability": 0.5}
        raw = document(
            rule({"kind": "move", "group": "sown"}, trigger="once", condition=half),
            rule({"kind": "drag"}, who=["seeds"], id="count"),
            count=100,
            groups=self.GROUPS,
            source={"lifetime": 1.0},
        )
        text = explained(raw, 40, 1)
        self.assertIn("of 100 moved to Sown by rule 1 at frame 0", text)
        self.assertIn("left the effect at frame 24", text)

    def test_what_is_short(self) -> None:
        raw = document(
            rule({"kind": "drag"}, condition=compare("speed", "above", 5.0), id="fast"),
            rule(
                {"kind": "wind"},
                condition={
                    "kind": "all",
                    "conditions": [compare("number", "below", 3.0), compare("number", "above", 6.0)],
                },
                id="both",
            ),
            count=10,
            speed=2.0,
        )
        self.assertEqual(
            explained(raw, 3, 0),
            "Of 10 it looks at, none passes: 'speed' is 2 m/s for all, but more than 5 m/s is asked for.",
        )
        self.assertIn("never all for the same particle", explained(raw, 3, 1))

    def test_switched_off(self) -> None:
        raw = document(rule({"kind": "drag"}, waits=True))
        self.assertIn("switched off for everybody", explained(raw, 3, 0))


class Branches(unittest.TestCase):
    def test_counts_of_every_condition(self) -> None:
        condition = {
            "kind": "any",
            "conditions": [
                compare("number", "below", 3.0),
                {"kind": "not", "condition": compare("number", "below", 8.0)},
            ],
        }
        effect = read_effect(document(rule({"kind": "drag"}, condition=condition), count=10))
        frame = run(effect, 2)[-1]
        plan = Plan(effect, MemoryAssets())
        moment = recorded_moment(plan, frame.columns, 10, 2)
        found = {
            "/".join(map(str, entry["path"])): entry["holds"]
            for entry in branch_counts(moment, plan.rules[0])
        }
        self.assertEqual(found, {"": 5, "conditions/0": 3, "conditions/1": 2, "conditions/1/condition": 8})
        ids, of = holders(moment, effect.rules[0].condition, [], otherwise=True)
        self.assertEqual((ids.tolist(), of), ([3, 4, 5, 6, 7], 10))

    def test_those_whom_the_rule_itself_moved_away_are_still_counted(self) -> None:
        # Half of them leave their group in the step that is looked at: a condition must not say that it holds for fewer than the rule.
        raw = document(
            rule({"kind": "move", "group": "b"}, who=["a"], condition=compare("age", "at_least", 0.124)),
            groups=["a", "b"],
            count=10,
            source={"group": "a", "emission": {"kind": "pulses", "count": 5, "every": 0.0625, "times": 2}},
        )
        frames = run(raw, 3)
        plan = Plan(read_effect(raw), MemoryAssets())
        moment = recorded_moment(plan, frames[3].columns, 10, 3)
        self.assertEqual(frames[3].held.tolist(), [5])
        self.assertEqual([(entry["holds"], entry["of"]) for entry in branch_counts(moment, plan.rules[0])], [(5, 10)])

    def test_when_it_last_fired(self) -> None:
        window = {"kind": "between", "quantity": {"kind": "age"}, "low": 0.24, "high": 0.51}
        frames = run(document(rule({"kind": "drag"}, condition=window)), 30)
        events = np.concatenate([frame.events for frame in frames])
        self.assertEqual(last_firings(events, 0, 5), {})
        self.assertEqual(last_firings(events, 0, 10), {0: {"frame": 7, "ended": None}})
        self.assertEqual(last_firings(events, 0, 30), {0: {"frame": 7, "ended": 14}})

    def test_reasons_tell_actual_values(self) -> None:
        condition = {
            "kind": "all",
            "conditions": [compare("speed", "above", 1.0), compare("age", "below", 0.2)],
        }
        effect = read_effect(
            document(
                rule({"kind": "drag"}, condition=condition),
                rule({"kind": "wind"}, id="w", waits=True),
                speed=3.0,
            )
        )
        frame = run(effect, 12)[-1]
        found = values_of(recorded_moment(Plan(effect, MemoryAssets()), frame.columns, 1, 12), 0)
        assert found is not None
        first, second = found["reasons"]
        self.assertEqual((first["holds"], second["switched_off"]), (False, True))
        self.assertEqual([test["depth"] for test in first["tests"]], [0, 1, 1])
        self.assertEqual(first["tests"][1]["threshold"], 1.0)
        self.assertAlmostEqual(first["tests"][2]["value"], 0.5, places=5)


def reference(frames: list[Frame], at: list[int]) -> Counter[tuple[int, int, int]]:
    """Who is where at the slices, particle by particle, from the recorded states themselves."""
    out: Counter[tuple[int, int, int]] = Counter()
    for place, (first, second) in enumerate(pairwise(at)):
        groups = [
            dict(zip(frames[n].columns["id"].tolist(), frames[n].columns["group"].tolist(), strict=True))
            for n in (first, second)
        ]
        for particle in set(groups[0]) | set(groups[1]):
            out[(place, groups[0].get(particle, -1), groups[1].get(particle, -1))] += 1
    return out


class Flows(unittest.TestCase):
    def test_ribbons_are_those_of_the_recorded_states(self) -> None:
        to_b = rule(
            {"kind": "move", "group": "b"},
            who=["a"],
            condition={"kind": "chance", "probability": 0.8, "per": "second"},
            id="ab",
        )
        to_c = rule(
            {"kind": "move", "group": "c"},
            who=["b"],
            condition=compare("time_in_group", "above", 0.3),
            id="bc",
        )
        back = rule(
            {"kind": "move_back"},
            who=["c"],
            condition={"kind": "chance", "probability": 0.5, "per": "second"},
            id="cb",
        )
        raw = document(
            to_b, to_c, back,
            groups=["a", "b", "c"],
            source={
                "emission": {"kind": "rate", "rate": 150.0},
                "lifetime": {"kind": "spread", "value": 1.2, "spread": 0.8},
            },
            clock={"duration": 3.0},
        )  # fmt: skip
        frames = run(raw)
        events = np.concatenate([frame.events for frame in frames])
        at = slices(72, 6)
        self.assertEqual(at, [0, 14, 29, 43, 58, 72])
        found = flow(events, 3, at)
        self.assertEqual(Counter({entry[:3]: entry[3] for entry in found.ribbons}), reference(frames, at))
        self.assertEqual(found.population, [frames[n].population.tolist() for n in at])
        moves = events[events["what"] == Happening.MOVE]
        late = moves["frame"] > 0
        self.assertEqual(sum(entry[4] for entry in found.moves), int(late.sum()))
        self.assertEqual({entry[1:4] for entry in found.moves}, {(0, 1, 0), (1, 2, 1), (2, 1, 2)})

    def test_nothing_has_happened(self) -> None:
        empty = np.empty(0, run(document(), 0)[0].events.dtype)
        self.assertEqual(flow(empty, 2, [0, 5]).ribbons, [])


if __name__ == "__main__":
    unittest.main()
