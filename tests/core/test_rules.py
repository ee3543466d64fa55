"""Rules: triggers, order, groups, otherwise, condition trees, and what they write."""

from __future__ import annotations

import unittest
from itertools import pairwise
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge.core.looking.observe import holders, recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.state.events import Happening
from hailridge.model.validation import read_effect
from tests.support import PLANE, compare, document, rule, run, simulation, track


def add(amount: float = 1.0, attribute: str = "count", per: str = "occasion") -> dict[str, Any]:
    return {"kind": "add", "attribute": attribute, "amount": amount, "per": per}


COUNT = [{"id": "count", "label": "Count"}]


def counted(trigger: str, condition: dict[str, Any] | None, last: int = 20, **rest: Any) -> list[float]:
    raw = document(rule(add(), trigger=trigger, condition=condition), attributes=COUNT, **rest)
    return track(run(raw, last), "own count").tolist()


class Triggers(unittest.TestCase):
    AFTER = compare("age", "at_least", 5 / 24 - 1e-4)

    def test_each_step(self) -> None:
        counts = counted("each", self.AFTER)
        # The rule looks after the particle has aged: frame 5 shows what it did at an age of five frames.
        self.assertEqual(counts[:8], [0, 0, 0, 0, 0, 1, 2, 3])

    def test_once(self) -> None:
        self.assertEqual(counted("once", self.AFTER)[-1], 1)

    def test_becomes_and_stops(self) -> None:
        window = {"kind": "between", "quantity": {"kind": "age"}, "low": 4.9 / 24, "high": 9.1 / 24}
        self.assertEqual(counted("becomes", window)[4:8], [0, 1, 1, 1])
        stops = counted("stops", window)
        self.assertEqual((stops[9], stops[10], stops[-1]), (0, 1, 1))

    def test_becomes_twice(self) -> None:
        spans = [
            {"kind": "between", "quantity": {"kind": "age"}, "low": low, "high": low + 0.2}
            for low in (0.2, 1.0)
        ]
        self.assertEqual(counted("becomes", {"kind": "any", "conditions": spans}, last=40)[-1], 2)

    def test_birth_is_for_source_newborns_and_children(self) -> None:
        spawn = {"kind": "spawn", "count": 3, "group": "b", "parent": "kept"}
        raw = document(
            rule(add(), trigger="birth"),
            rule(spawn, trigger="once", condition=compare("age", "above", 0.2)),
            groups=["a", "b"],
            attributes=COUNT,
        )
        raw["rules"] = [
            rule(add(), trigger="birth"),
            rule(spawn, trigger="once", who=["a"], condition=compare("age", "above", 0.2)),
        ]
        last = run(raw, 20)[-1]
        self.assertEqual(last.columns["own count"].tolist(), [1, 1, 1, 1])

    def test_contact_and_death(self) -> None:
        fall = rule({"kind": "gravity"}, {"kind": "bounce", "shape": "plane", "bounciness": 0.0}, id="f")
        hit = rule({"kind": "move", "group": "b"}, trigger="contact", who=["a"])
        spawn = rule(
            {"kind": "spawn", "count": 2, "group": "c", "lifetime": 50.0}, trigger="death", who=["b"]
        )
        frames = run(
            document(
                fall,
                hit,
                spawn,
                groups=["a", "b", "c"],
                position=[0.0, 1.0, 0.0],
                shapes=[PLANE],
                source={"lifetime": 1.0},
            )
        )
        self.assertEqual(frames[5].population.tolist(), [1, 0, 0])
        self.assertEqual(frames[18].population.tolist(), [0, 1, 0])
        self.assertEqual(frames[-1].population.tolist(), [0, 0, 2])

    def test_an_edge_has_no_otherwise(self) -> None:
        raw = document(
            rule(add(), trigger="becomes", condition=self.AFTER, otherwise=[add()]), attributes=COUNT
        )
        (problem,) = read_effect(raw).problems
        self.assertIn("no 'otherwise'", problem.text)


class OrderAndGroups(unittest.TestCase):
    def test_later_rules_see_what_earlier_ones_changed(self) -> None:
        big = rule({"kind": "set", "attribute": "radius", "amount": 1.0}, id="big")
        mark = rule(
            add(), id="mark", condition=compare({"kind": "attribute", "attribute": "radius"}, "above", 0.5)
        )
        self.assertEqual(track(run(document(big, mark, attributes=COUNT), 4), "own count")[-1], 5)
        self.assertEqual(track(run(document(mark, big, attributes=COUNT), 4), "own count")[-1], 4)

    def test_nobody_is_left_below_a_removal(self) -> None:
        frames = run(
            document(
                rule({"kind": "remove"}, condition={"kind": "chance", "probability": 0.5}),
                rule(add()),
                count=100,
                attributes=COUNT,
            ),
            1,
        )
        self.assertTrue(20 < frames[0].held[1] < 80)
        self.assertEqual(frames[0].held[0] + frames[0].held[1], 100)

    def test_otherwise(self) -> None:
        split = rule(add(1.0), condition={"kind": "chance", "probability": 0.4}, otherwise=[add(-1.0)])
        counts = run(document(split, count=200, attributes=COUNT), 0)[0].columns["own count"]
        self.assertEqual(sorted(set(counts.tolist())), [-1, 1])

    def test_outer_groups_catch_inner_ones(self) -> None:
        raw = document(rule(add(), who=["a"]), groups=["a", "b", "c"], attributes=COUNT)
        raw["groups"][1]["parent"] = "a"
        raw["sources"][0]["group"] = "b"
        self.assertEqual(run(raw, 0)[0].held[0], 1)
        raw["sources"][0]["group"] = "c"
        self.assertEqual(run(raw, 0)[0].held[0], 0)

    def test_time_in_group_starts_anew(self) -> None:
        move = rule(
            {"kind": "move", "group": "b"}, trigger="once", condition=compare("age", "at_least", 0.499)
        )
        mark = rule(
            add(), who=["b"], trigger="becomes", condition=compare("time_in_group", "at_least", 0.499)
        )
        raw = document(move, mark, groups=["a", "b"], attributes=COUNT)
        counts = track(run(raw, 40), "own count")
        self.assertEqual(int(np.flatnonzero(counts)[0]), 24)

    def test_switched_off_rules_do_not_run_but_keep_their_number(self) -> None:
        frames = run(document(rule(add(5.0), enabled=False, id="off"), rule(add()), attributes=COUNT), 2)
        self.assertEqual(frames[-1].columns["own count"][0], 3)
        self.assertEqual(frames[-1].held.tolist(), [0, 1])


class Switching(unittest.TestCase):
    def test_a_rule_that_waits_is_switched_on_and_off_particle_by_particle(self) -> None:
        fall = rule({"kind": "gravity", "acceleration": 10.0}, id="fall", waits=True)
        on = rule(
            {"kind": "switch", "rule": "fall", "on": True},
            id="on",
            trigger="becomes",
            condition={
                "kind": "all",
                "conditions": [compare("time", "at_least", 0.5), compare("number", "below", 1.0)],
            },
        )
        off = rule(
            {"kind": "switch", "rule": "fall", "on": False},
            id="off",
            trigger="becomes",
            condition=compare("time", "at_least", 1.0),
        )
        frames = run(document(on, off, fall, count=2))
        # Half a second of falling for the first, none for the second.
        self.assertAlmostEqual(track(frames, "velocity", 0)[-1][1], -5.0, places=3)
        self.assertEqual(track(frames, "velocity", 1)[-1][1], 0.0)
        self.assertEqual([frame.held[2] for frame in frames[::12]], [0, 0, 1, 0, 0])

    def test_time_since_a_rule_acted(self) -> None:
        pulse = rule(
            add(), id="pulse", trigger="becomes", condition=compare("time", "at_least", 0.5), label="Pulse"
        )
        later = rule(
            add(10.0),
            id="later",
            trigger="becomes",
            condition=compare({"kind": "since_rule", "rule": "pulse"}, "at_least", 0.25),
        )
        # Before it has ever acted the time is very long; so the rule asks that it has acted at all.
        acted = compare({"kind": "attribute", "attribute": "count"}, "at_least", 1.0)
        later["condition"] = {"kind": "all", "conditions": [acted, later["condition"]]}
        counts = track(run(document(pulse, later, attributes=COUNT), 30), "own count")
        self.assertEqual((np.flatnonzero(counts >= 1)[0], np.flatnonzero(counts > 1)[0]), (12, 18))

    def test_back_to_where_it_came_from(self) -> None:
        there = rule(
            {"kind": "move", "group": "c"},
            id="there",
            who=["a", "b"],
            trigger="becomes",
            condition={"kind": "between", "quantity": {"kind": "time"}, "low": 0.49, "high": 0.6},
        )
        back = rule(
            {"kind": "move_back"}, id="back", who=["c"], condition=compare("time_in_group", "at_least", 0.249)
        )
        raw = document(there, back, groups=["a", "b", "c"], count=3)
        raw["sources"].append({**raw["sources"][0], "id": "second", "group": "b"})
        populations = [frame.population.tolist() for frame in run(raw, 30)]
        self.assertEqual(
            (populations[10], populations[14], populations[20]), ([3, 3, 0], [0, 0, 6], [3, 3, 0])
        )

    def test_broken_rules_are_left_out_and_the_run_goes_on(self) -> None:
        broken = [
            rule(add(7.0), id="deleted", who=["gone"]),
            rule(add(7.0), id="wrong-type", condition=compare("age", "above", [1.0, 2.0, 3.0])),
            rule(
                add(7.0),
                id="fact",
                condition={**compare("age", "above", 1.0), "quantity": {"kind": "touching", "shape": None}},
            ),
            rule(add(7.0), {"kind": "switch", "rule": "gone"}, id="no-such-rule"),
        ]
        effect = read_effect(document(*broken, rule(add(), id="whole"), attributes=COUNT))
        self.assertEqual([problem.path[1] for problem in effect.problems], [0, 1, 2, 3])
        frames = run(effect, 4)
        self.assertEqual((track(frames, "own count")[-1], frames[-1].held.tolist()), (5, [0, 0, 0, 0, 1]))


class Lifetimes(unittest.TestCase):
    def leaves(self, raw: dict[str, Any]) -> float:
        return max(frame.time for frame in run(raw) if frame.count) + 1 / raw["clock"].get(
            "frames_per_second", 24.0
        )

    def test_exact_for_any_frame_rate(self) -> None:
        for fps in (24.0, 25.0, 60.0):
            raw = document(source={"lifetime": 1.5}, clock={"duration": 3.0, "frames_per_second": fps})
            self.assertAlmostEqual(self.leaves(raw), 1.5, delta=0.51 / fps)

    def test_two_seconds_after_entering(self) -> None:
        # Practice, no source: reset the age first, then set two seconds: it leaves exactly two seconds after entering.
        enter = rule(
            {"kind": "set", "attribute": "age", "amount": 0.0},
            {"kind": "set", "attribute": "lifetime", "amount": 2.0},
            trigger="becomes",
            condition=compare("time", "at_least", 0.999),
        )
        raw = document(enter, source={"lifetime": 1.7}, clock={"duration": 5.0})
        self.assertAlmostEqual(self.leaves(raw), 3.0, delta=1e-6)

    def test_living_on_for_a_time(self) -> None:
        for age, left_over in (("back", 0.0), ("on", 1.0)):
            for fps in (24.0, 25.0, 60.0):
                lease = rule(
                    {"kind": "live_on", "time": 2.0, "age": age},
                    trigger="becomes",
                    condition=compare("time", "at_least", 0.999),
                )
                raw = document(
                    lease, source={"lifetime": 1.7}, clock={"duration": 5.0, "frames_per_second": fps}
                )
                self.assertAlmostEqual(self.leaves(raw), 3.0, delta=1e-6)
                frames = run(raw)
                self.assertAlmostEqual(track(frames, "lifetime")[-1], 2.0 + left_over, places=3)

    def test_two_seconds_times_noise(self) -> None:
        """Each leaves exactly when its own draw says: the time it was given is read back from the field where it stood."""
        uneven = {"kind": "noise", "id": "n", "label": "N", "size": 0.3, "softness": 100.0}
        given = {"kind": "field", "field": "n", "low": 0.5, "high": 2.0}
        lease = rule(
            {"kind": "live_on", "time": given},
            trigger="becomes",
            condition=compare("time", "at_least", 0.499),
        )
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}
        raw = document(
            lease,
            fields=[uneven],
            shapes=[ball],
            count=200,
            source={"shape": "ball", "placement": {"kind": "inside"}},
            clock={"duration": 4.0},
        )
        effect = read_effect(raw)
        frames = run(effect)
        plan = Plan(effect, MemoryAssets())
        times = 0.5 + 1.5 * plan.beginning.field_strength("n", frames[0].columns["position"], 0.0)
        last = {
            int(event["particle"]): float(event["time"])
            for frame in frames
            for event in frame.events
            if event["what"] == Happening.DEATH
        }
        gone = np.array([last[particle] for particle in range(200)])
        self.assertGreater(times.std(), 0.15)
        # They leave with the step that ends nearest to their time: no later and no earlier on average.
        self.assertLess(np.abs(gone - 0.5 - times).max(), 0.5 / 24 + 1e-3)
        self.assertLess(abs(np.mean(gone - 0.5 - times)), 0.1 / 24)

    def test_quantities_of_life(self) -> None:
        frames = run(document(source={"lifetime": 2.0}), 24)
        effect = read_effect(document(source={"lifetime": 2.0}))
        moment = recorded_moment(Plan(effect, MemoryAssets()), frames[-1].columns, 1, 24)
        from hailridge.core.kinds.quantities.life import LifeFraction, Remaining

        self.assertAlmostEqual(float(LifeFraction().read(moment, slice(0, 1))[0]), 0.5, places=4)
        self.assertAlmostEqual(float(Remaining().read(moment, slice(0, 1))[0]), 1.0, places=4)


class Writing(unittest.TestCase):
    def test_rates_do_not_depend_on_the_steps(self) -> None:
        for attribute_rule in (
            add(2.0, "count", "second"),
            {"kind": "multiply", "attribute": "radius", "factor": 0.25, "per": "second"},
        ):
            ends = []
            for steps in (1, 5):
                last = run(
                    document(rule(attribute_rule), attributes=COUNT, clock={"steps_per_frame": steps}), 24
                )[-1].columns
                ends.append((float(last["own count"][0]), float(last["radius"][0])))
            np.testing.assert_allclose(ends[0], ends[1], rtol=1e-4)

    def test_values_that_are_not_finite_are_left_out_and_reported(self) -> None:
        huge = rule({"kind": "multiply", "attribute": "count", "factor": 1e30, "per": "occasion"}, id="huge")
        raw = document(huge, attributes=[{"id": "count", "label": "Count", "initial": 1.0}])
        made, frames = simulation(raw, 5)
        self.assertTrue(np.isfinite(frames[-1].columns["own count"]).all())
        self.assertEqual(made.findings[0].item, f"rules/{made.effect.rules[0].id}")
        self.assertIn("not a finite number", made.findings[0].text)

    def test_limits_are_kept(self) -> None:
        frames = run(document(rule(add(-5.0, "radius")), rule(add(5.0, "opacity"), id="o")), 2)
        self.assertEqual((frames[-1].columns["radius"][0], frames[-1].columns["opacity"][0]), (0.0, 1.0))

    def test_speed_keeps_direction(self) -> None:
        frames = run(
            document(
                rule({"kind": "set", "attribute": "speed", "amount": 2.0}), speed=5.0, axis=[3.0, 4.0, 0.0]
            ),
            1,
        )
        np.testing.assert_allclose(frames[-1].columns["velocity"][0], [1.2, 1.6, 0], atol=1e-5)


class ConditionTrees(unittest.TestCase):
    """A truth table: random trees against plain Python over the same numbers."""

    FRAMES = run(
        document(
            count=60,
            speed={"kind": "spread", "value": 3.0, "spread": 2.0},
            source={"radius": {"kind": "spread", "value": 0.5, "spread": 0.4}},
        ),
        6,
    )
    EFFECT = document(count=60)

    @staticmethod
    def trees() -> st.SearchStrategy[dict[str, Any]]:
        leaf = st.builds(
            lambda quantity, comparison, threshold: compare(quantity, comparison, threshold),
            st.sampled_from(["speed", "age", "own_random"])
            | st.just({"kind": "attribute", "attribute": "radius"}),
            st.sampled_from(["above", "at_least", "below", "at_most"]),
            st.floats(0, 5, width=32),
        )
        return st.recursive(
            leaf,
            lambda inner: st.one_of(
                st.builds(
                    lambda kind, many: {"kind": kind, "conditions": many},
                    st.sampled_from(["all", "any"]),
                    st.lists(inner, max_size=3),
                ),
                st.builds(lambda one: {"kind": "not", "condition": one}, inner),
            ),
            max_leaves=6,
        )

    def plain(self, tree: dict[str, Any], values: dict[str, float]) -> bool:
        match tree["kind"]:
            case "all":
                return all(self.plain(inner, values) for inner in tree["conditions"])
            case "any":
                return any(self.plain(inner, values) for inner in tree["conditions"])
            case "not":
                return not self.plain(tree["condition"], values)
        read = values[tree["quantity"].get("attribute", tree["quantity"]["kind"])]
        threshold = float(np.float32(tree["threshold"]))
        if tree["quantity"]["kind"] == "age":
            # Ages go by steps: a threshold is met at the nearest one.
            threshold = round(threshold * 24) / 24
        return {
            "above": read > threshold,
            "at_least": read >= threshold,
            "below": read < threshold,
            "at_most": read <= threshold,
        }[tree["comparison"]]

    @settings(max_examples=60, deadline=None)
    @given(trees())
    def test_agrees_with_plain_python(self, tree: dict[str, Any]) -> None:
        effect = read_effect(document(rule(add(), condition=tree), count=60, attributes=COUNT))
        frame = self.FRAMES[-1]
        moment = recorded_moment(
            Plan(effect, MemoryAssets()),
            {**frame.columns, "key": np.arange(60, dtype=np.uint64)},
            frame.count,
            6,
        )
        from hailridge.core.kinds.quantities.identity import OwnRandom

        own = OwnRandom().read(moment, slice(0, 60))
        speeds = np.linalg.norm(frame.columns["velocity"], axis=1)
        expected = [
            self.plain(
                tree,
                {
                    "speed": float(speeds[k]),
                    "age": float(frame.columns["age"][k]),
                    "own_random": float(own[k]),
                    "radius": float(frame.columns["radius"][k]),
                },
            )
            for k in range(60)
        ]
        ids, of = holders(moment, effect.rules[0].condition, [])
        self.assertEqual((ids.tolist(), of), ([k for k in range(60) if expected[k]], 60))


class TwoThresholds(unittest.TestCase):
    def test_it_lets_go_further_back(self) -> None:
        """A speed that swings between 0 and 2 m/s: beginning above 1.5 and ending below 0.5 flickers less, and both ends are where they should be."""
        swing = {"kind": "as_it_is", "quantity": {"kind": "formula", "text": "1 + sin(6.283185307 * time) + 0.35 * sin(60 * time)"}}
        note = {"kind": "add", "attribute": "n", "amount": 1.0, "per": "occasion"}
        own = [{"id": "n", "label": "N"}, {"id": "q", "label": "Q"}]
        reads = {"kind": "attribute", "attribute": "q"}
        for margin, below in ((0.0, False), (1.0, False), (1.0, True)):
            test = compare(reads, "below" if below else "above", 0.5 if below else 1.5) | {"margin": margin}
            raw = document(
                rule({"kind": "set", "attribute": "q", "amount": swing}, id="swing"),
                rule(note, id="count", condition=test, trigger="becomes"),
                attributes=own, clock={"duration": 2.0, "frames_per_second": 120.0},
            )  # fmt: skip
            frames = run(raw)
            values = np.array([frame.columns["own q"][0] for frame in frames])
            held, begun = False, 0
            for value in values:
                ahead = value < 0.5 if below else value > 1.5
                kept = value < 0.5 + margin if below else value > 1.5 - margin
                begun += int(ahead and not held)
                held = ahead or (held and kept)
            self.assertEqual(frames[-1].columns["own n"][0], begun)
            self.assertEqual(frames[-1].held[1], int(held))
            # Two swings in two seconds begin twice, or once more where the first has begun already.
            self.assertTrue(begun > 4 if margin == 0 else begun in (2, 3), begun)

    def test_a_range_lets_go_outside(self) -> None:
        """It begins between 0.5 and 1.5 and ends outside 0.2 to 1.8: by a loop over what was recorded."""
        swing = {"kind": "as_it_is", "quantity": {"kind": "formula", "text": "1 + 0.95 * sin(3 * time) + 0.2 * sin(47 * time)"}}
        test = {"kind": "between", "quantity": {"kind": "attribute", "attribute": "q"}, "low": 0.5, "high": 1.5}
        begun = {}
        for margin in (0.0, 0.3):
            raw = document(
                rule({"kind": "set", "attribute": "q", "amount": swing}, id="swing"),
                rule({"kind": "add", "attribute": "n", "amount": 1.0, "per": "occasion"}, condition=test | {"margin": margin}, trigger="becomes"),
                attributes=[{"id": "n", "label": "N"}, {"id": "q", "label": "Q"}], clock={"duration": 4.0, "frames_per_second": 120.0},
            )  # fmt: skip
            frames = run(raw)
            held = [False]
            for value in (frame.columns["own q"][0] for frame in frames):
                held.append(0.5 <= value <= 1.5 or (held[-1] and 0.5 - margin <= value <= 1.5 + margin))
            begun[margin] = sum(now and not before for before, now in pairwise(held))
            self.assertEqual([frame.held[1] for frame in frames], held[1:])
            self.assertEqual(frames[-1].columns["own n"][0], begun[margin])
        self.assertLess(begun[0.3], begun[0.0])

    def test_equality_has_nothing_further_back(self) -> None:
        test = compare("number", "equal", 1.0) | {"margin": 0.5}
        self.assertIn("further back", read_effect(document(rule({"kind": "drag"}, condition=test))).problems[0].text)


class Chance(unittest.TestCase):
    def share(self, per: str, probability: float, steps: int = 1) -> float:
        once = rule(
            {"kind": "move", "group": "b"},
            condition={"kind": "chance", "probability": probability, "per": per},
        )
        raw = document(once, count=4000, groups=["a", "b"], clock={"steps_per_frame": steps, "duration": 1.0})
        return run(raw)[-1].population[1] / 4000

    def test_per_particle_is_decided_once(self) -> None:
        self.assertAlmostEqual(self.share("particle", 0.3), 0.3, delta=0.03)

    def test_per_second_does_not_depend_on_steps(self) -> None:
        for steps in (1, 4):
            self.assertAlmostEqual(self.share("second", 0.3, steps), 0.3, delta=0.03)

    def test_per_occasion_is_decided_anew(self) -> None:
        # 25 looks (frame 0 and 24 steps) at 5 %: 1 − 0.95²⁵.
        self.assertAlmostEqual(self.share("occasion", 0.05), 1 - 0.95**25, delta=0.03)

    def test_a_field_is_how_likely_something_is(self) -> None:
        """Beyond the gradient all go, before it none, and in between as many as it says (tests per tenth, five standard deviations)."""
        rise = {
            "kind": "gradient",
            "id": "rise",
            "label": "Rise",
            "start": [0.0, 0.0, 0.0],
            "end": [0.0, 4.0, 0.0],
        }
        rise["course"] = "evenly"
        likely = {"kind": "chance", "probability": {"kind": "field", "field": "rise"}}
        tall = {
            "kind": "box",
            "id": "tall",
            "label": "Tall",
            "size": [1.0, 6.0, 1.0],
            "position": [0.0, 2.0, 0.0],
        }
        raw = document(
            rule({"kind": "move", "group": "b"}, condition=likely),
            count=20_000,
            groups=["a", "b"],
            fields=[rise],
            shapes=[tall],
            source={"shape": "tall", "placement": {"kind": "inside"}},
        )
        frame = run(raw, 0)[0]
        height, gone = frame.columns["position"][:, 1], frame.columns["group"] == 1
        self.assertEqual((gone[height < 0].sum(), (~gone[height >= 4]).sum()), (0, 0))
        for low in np.arange(0, 4, 0.4):
            tenth = (height >= low) & (height < low + 0.4)
            expected, number = float(np.mean(height[tenth]) / 4), int(tenth.sum())
            spread = np.sqrt(expected * (1 - expected) / number)
            self.assertLess(abs(gone[tenth].mean() - expected), 5 * spread)

    def test_a_chance_can_have_keyframes(self) -> None:
        keys = [{"at": 0.0, "value": 0.0, "ease": "hold"}, {"at": 0.5, "value": 1.0}]
        likely = {"kind": "chance", "probability": {"keys": keys}, "per": "occasion"}
        frames = run(
            document(rule({"kind": "move", "group": "b"}, condition=likely), count=50, groups=["a", "b"]), 20
        )
        self.assertEqual([frames[at].population[1] for at in (11, 13)], [0, 50])


class Events(unittest.TestCase):
    def test_a_life_story(self) -> None:
        move = rule(
            {"kind": "move", "group": "b"}, trigger="becomes", condition=compare("age", "at_least", 0.499)
        )
        frames = run(document(move, groups=["a", "b"], source={"lifetime": 1.0}))
        events = np.concatenate([frame.events for frame in frames])
        self.assertEqual(
            [Happening(int(what)) for what in events["what"]],
            [Happening.BIRTH, Happening.RULE, Happening.MOVE, Happening.DEATH],
        )
        self.assertEqual(events["frame"].tolist(), [0, 12, 12, 24])
        self.assertEqual((events["previous"][2], events["present"][2]), (0, 1))

    def test_counts_agree_with_events(self) -> None:
        spawn = rule(
            {"kind": "spawn", "count": 3, "group": "b", "lifetime": 0.5},
            trigger="once",
            who=["a"],
            condition=compare("age", "above", 0.3),
        )
        frames = run(document(spawn, count=40, groups=["a", "b"]))
        births = sum(np.count_nonzero(frame.events["what"] == Happening.BIRTH) for frame in frames)
        deaths = sum(np.count_nonzero(frame.events["what"] == Happening.DEATH) for frame in frames)
        self.assertEqual((births, deaths), (sum(f.births for f in frames), sum(f.deaths for f in frames)))
        self.assertEqual((births, deaths), (160, 160))


if __name__ == "__main__":
    unittest.main()
