"""The order of a step: nothing recorded contradicts a rule, counts equal rings, actions work where they are offered, newborns get their share."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.looking.observe import recorded_moment, turn_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.model.effect import rule_numbers
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run, simulation, track

RATE: dict[str, Any] = {"kind": "rate", "rate": 400.0}
TURBULENCE = {"kind": "turbulence", "strength": 40.0, "size": 0.6}
COUNT = [{"id": "count", "label": "Count"}]


def stream(*rules: dict[str, Any], steps: int = 1, fps: float = 24.0, **changes: Any) -> dict[str, Any]:
    """A stream thrown all ways out of a point through whatever is around it, stirred by turbulence."""
    source = {"emission": RATE, "direction": {"kind": "any"}, "speed": {"kind": "spread", "value": 3.0, "spread": 2.0}}
    clock = {"duration": 1.5, "steps_per_frame": steps, "frames_per_second": fps}
    return document(rule(TURBULENCE, id="stir"), *rules, source=source, clock=clock, **changes)


def inside(shape: str) -> dict[str, Any]:
    return {"kind": "holds", "quantity": {"kind": "inside", "shape": shape}}


MOVING = {
    "keys": [{"at": 0.0, "value": [-1.0, 0.5, 0.0]}, {"at": 1.5, "value": [1.5, 0.0, 0.5]}]
}
BALL: dict[str, Any] = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 0.7, "position": MOVING}
GATE: dict[str, Any] = {"kind": "falloff", "id": "gate", "label": "Gate", "shape": "ball", "inner": 0.2, "outer": 1.0}


class TheRecord(unittest.TestCase):
    def wrong_side(self, kind: str, steps: int, keep_in: bool) -> int:
        """Recorded places, newborns and children included, for which a removing rule holds."""
        quantity = {"kind": "field", "field": "gate"}
        test = inside("ball") if kind == "shape" else compare(quantity, "above", 0.5)
        condition = {"kind": "not", "condition": test} if keep_in else test
        split = rule(
            {"kind": "spawn", "group": "a", "count": 2, "parent": "kept", "around": 0.5, "lifetime": 1.0},
            id="split",
            trigger="once",
            condition=compare("age", "above", 0.2),
        )
        raw = stream(rule({"kind": "remove"}, condition=condition), split, steps=steps, shapes=[BALL], fields=[GATE])
        effect = read_effect(raw)
        plan, wrong = Plan(effect, MemoryAssets()), 0
        for frame in run(effect):
            moment = recorded_moment(plan, frame.columns, frame.count, frame.number)
            holds = effect.rules[1].condition.holds(moment, moment.everyone())  # type: ignore[union-attr]
            wrong += int(np.count_nonzero(holds))
        return wrong

    def test_who_is_removed_is_never_shown(self) -> None:
        # Property: whatever moves, at any steps, "remove inside" leaves nobody inside, "remove outside" nobody outside.
        for kind in ("shape", "field"):
            for steps in (1, 3):
                for keep_in in (False, True):
                    with self.subTest(kind=kind, steps=steps, keep_in=keep_in):
                        self.assertEqual(self.wrong_side(kind, steps, keep_in), 0)

    def test_nobody_past_a_field_stands_in_the_old_group(self) -> None:
        condition = compare({"kind": "field", "field": "gate"}, "at_least", 0.5)
        raw = stream(
            rule({"kind": "move", "group": "b"}, who=["a"], condition=condition),
            shapes=[BALL], fields=[GATE], groups=["a", "b"],
        )  # fmt: skip
        effect = read_effect(raw)
        plan = Plan(effect, MemoryAssets())
        for frame in run(effect):
            moment = recorded_moment(plan, frame.columns, frame.count, frame.number)
            still = np.flatnonzero(moment.column("group") == 0)
            self.assertFalse((moment.field_of("gate", still) >= 0.5).any(), frame.number)

    def test_rings_are_whom_counts_count(self) -> None:
        near = compare({"kind": "field", "field": "gate"}, "above", 0.3)
        bounce = {"kind": "bounce", "shape": "floor", "bounciness": 0.6}
        raw = stream(
            rule({"kind": "gravity"}),
            rule(bounce, id="solid"),
            rule({"kind": "remove"}, id="gone", condition=compare("age", "above", 0.7)),
            rule({"kind": "move", "group": "b"}, id="on", who=["a"], condition=near),
            rule({"kind": "set", "attribute": "mass", "amount": 2.0}, id="both", condition=near,
                 otherwise=[{"kind": "move", "group": "a"}]),
            rule({"kind": "wind"}, id="blow", condition=near),
            rule({"kind": "add", "attribute": "mass", "amount": 1.0, "per": "occasion"}, id="hit", trigger="contact"),
            rule({"kind": "set", "attribute": "mass", "amount": 3.0}, id="end", trigger="death"),
            rule({"kind": "remove"}, id="luck", condition={"kind": "chance", "probability": 0.2, "per": "second"}),
            steps=2, groups=["a", "b"], fields=[GATE],
            shapes=[BALL, {"kind": "plane", "id": "floor", "label": "Floor", "position": [0.0, -0.6, 0.0]}],
        )  # fmt: skip
        effect = read_effect(raw)
        plan = Plan(effect, MemoryAssets())
        told = np.zeros(len(effect.rules), int)
        for frame in run(effect):
            moment = recorded_moment(plan, frame.columns, frame.count, frame.number)
            moment.departed, moment.looked = frame.departed, frame.looked.tolist()
            for ready in plan.rules:
                found = turn_of(moment, ready)
                ids = [*found.ids, *found.left]
                self.assertEqual((len(set(ids)), len(ids)), (frame.held[ready.index],) * 2, (frame.number, ready.rule.id))
                self.assertLessEqual(len(ids), found.of)
                told[ready.index] += len(ids)
                if ready.rule.id in ("gone", "luck") and not len(found.ids):
                    self.assertEqual(len(found.left), frame.held[ready.index])
        self.assertTrue((told > 0).all(), told)

    def test_the_removed_are_shown_where_they_left(self) -> None:
        gone = rule({"kind": "remove"}, condition=compare({"kind": "height"}, "above", 1.0))
        raw = document(gone, count=20, speed={"kind": "spread", "value": 2.0, "spread": 1.0})
        frames = run(raw)
        left = np.concatenate([frame.departed["position"] for frame in frames if frame.departed])
        self.assertEqual(len(left), 20)
        # At most one step of three metres a second beyond the height.
        self.assertTrue(((left[:, 1] > 1.0) & (left[:, 1] <= 1.0 + 3.0 / 24 + 1e-5)).all())

    def test_children_of_the_dying_meet_the_rules(self) -> None:
        spawn = {"kind": "spawn", "group": "b", "count": 5, "around": 0.5, "lifetime": 5.0}
        out = rule({"kind": "remove"}, who=["b"], condition=compare({"kind": "height"}, "above", 0.0))
        raw = document(rule(spawn, trigger="death"), out, count=30, groups=["a", "b"], source={"lifetime": 0.5})
        frames = run(raw)
        low = frames[-1].columns["position"][:, 1]
        self.assertGreater(len(low), 30)
        self.assertTrue((low <= 0).all())
        self.assertTrue(all((f.columns["position"][f.columns["group"] == 1, 1] <= 0).all() for f in frames))


class Missing(unittest.TestCase):
    def test_a_mesh_that_is_not_there_is_told_and_the_run_goes_on(self) -> None:
        mesh = {"kind": "mesh", "id": "rock", "label": "Rock", "asset": "gone"}
        made, frames = simulation(document(rule({"kind": "gravity"}), count=3, shapes=[mesh], clock={"duration": 0.2}))
        self.assertEqual([finding.text for finding in made.findings], ["the mesh of 'Rock' is missing; import it again. The run goes on without it."])
        self.assertEqual(frames[-1].count, 3)


class AskedTwice(unittest.TestCase):
    def test_a_rule_that_pushes_and_changes_holds_for_the_same_particles_both_times(self) -> None:
        chance = {"kind": "chance", "probability": 0.3, "per": "second"}
        kick = {"kind": "constant", "acceleration": [1.0, 0.0, 0.0]}
        note = {"kind": "add", "attribute": "count", "amount": 1.0, "per": "occasion"}
        raw = document(rule(kick, note, condition=chance), count=300, attributes=COUNT)
        for frame in run(raw, 30):
            # As many pushes of a step as were noted; at the first frame there is no motion yet, nor any chance.
            pushes = frame.columns["velocity"][:, 0] * 24
            np.testing.assert_allclose(pushes, frame.columns["own count"], atol=1e-3)
        self.assertGreater(frame.columns["own count"].sum(), 50)


class Places(unittest.TestCase):
    """Every action works wherever it may stand, and is told and left out alone where it may not."""

    def placed(self, action: dict[str, Any], trigger: str = "each", branch: str = "actions", **rest: Any) -> list[Any]:
        entry = rule(id="it", trigger=trigger, condition=rest.pop("condition", None))
        entry[branch] = [action]
        return run(document(entry, groups=["a", "b"], attributes=COUNT, count=4, **rest), 6)

    def test_approach_on_birth_is_told_and_the_run_goes_on(self) -> None:
        approach = {"kind": "approach", "attribute": "radius", "amount": 0.0}
        move = {"kind": "move", "group": "b"}
        raw = document(groups=["a", "b"], source={"actions": [approach, move]})
        effect = read_effect(raw)
        self.assertEqual([problem.path for problem in effect.problems], [("sources", 0, "actions", 0)])
        self.assertIn("'approach a value' cannot act on birth: it works at each step", effect.problems[0].text)
        self.assertEqual(run(effect, 2)[-1].population.tolist(), [0, 1])
        entry = rule({"kind": "gravity"}, move, id="it", trigger="becomes", condition=compare("age", "above", 0.1))
        effect = read_effect(document(entry, groups=["a", "b"]))
        self.assertEqual([problem.path for problem in effect.problems], [("rules", 0, "actions", 0)])
        frames = run(effect, 6)
        self.assertEqual((frames[-1].population.tolist(), float(frames[-1].columns["velocity"][0, 1])), ([0, 1], 0.0))

    def test_on_birth(self) -> None:
        spawn = {"kind": "spawn", "group": "b", "count": 3, "parent": "kept"}
        raw = document(groups=["a", "b"], count=4, source={"actions": [spawn]})
        self.assertEqual(run(raw, 0)[0].population.tolist(), [4, 12])
        half = {"kind": "chance", "probability": 0.5}
        raw = document(rule({"kind": "remove"}, trigger="birth", condition=half), count=400)
        frame = run(raw, 0)[0]
        self.assertAlmostEqual(frame.count, 200, delta=40)
        self.assertEqual(frame.held[0], 400 - frame.count)
        self.assertEqual(run(document(source={"actions": [{"kind": "remove"}]}), 1)[-1].count, 0)
        self.assertEqual(run(document(source={"actions": [{"kind": "live_on", "time": 0.125}]}), 4)[-1].count, 0)

    def test_births_on_birth_do_not_run_away_within_a_step(self) -> None:
        spawn = {"kind": "spawn", "group": "a", "count": 1, "parent": "kept"}
        self.assertEqual([frame.count for frame in run(document(rule(spawn, trigger="birth")), 3)], [2, 3, 4, 5])
        paint = rule({"kind": "set", "attribute": "mass", "amount": 7.0}, id="paint", trigger="birth")
        for frame in run(document(rule(spawn, trigger="birth"), paint), 3):
            self.assertTrue((frame.columns["mass"] == 7.0).all())
        # A rule that gives birth waits with them; the rules after it do not.
        other = rule({**spawn, "group": "b"}, who=["a"], trigger="birth")
        frame = run(document(other, paint | {"who": ["b"]}, groups=["a", "b"], count=4), 0)[0]
        self.assertEqual(sorted(frame.columns["mass"].tolist()), [1.0] * 4 + [7.0] * 4)

    def test_bounce_in_an_otherwise(self) -> None:
        never = compare("age", "above", 100.0)
        fall = rule({"kind": "gravity"})
        entry = rule(id="solid", condition=never, otherwise=[{"kind": "bounce", "shape": "floor", "bounciness": 0.0}])
        floor = {"kind": "plane", "id": "floor", "label": "Floor", "width": 9.0, "depth": 9.0}
        frames = run(document(fall, entry, shapes=[floor], position=[0.0, 1.0, 0.0]))
        self.assertAlmostEqual(float(frames[-1].columns["position"][0, 1]), 0.05, places=3)

    def test_pushes_in_an_otherwise(self) -> None:
        entry = rule(id="it", condition=compare("age", "above", 100.0), otherwise=[{"kind": "gravity", "acceleration": 2.4}])
        self.assertAlmostEqual(float(run(document(entry), 24)[-1].columns["velocity"][0, 1]), -2.4, places=4)


class Shares(unittest.TestCase):
    """What happens a bit each step uses each newborn's own share of the step."""

    def test_values_follow_age_for_whoever_is_born_within_a_step(self) -> None:
        grow = {"kind": "add", "attribute": "count", "amount": 2.0, "per": "second"}
        halve = {"kind": "approach", "attribute": "mass", "amount": 0.0, "manner": "half_life", "time": 0.5}
        even = {"kind": "approach", "attribute": "opacity", "amount": 0.0, "manner": "over", "time": 1.0}
        swing = {"kind": "approach", "attribute": "lifetime", "amount": 0.0, "manner": "half_life", "time": 9.0, "springiness": 0.3}
        turn = {"kind": "torque", "strength": 90.0}
        for fps, steps in ((24.0, 1), (25.0, 3), (60.0, 1)):
            raw = stream(rule(grow, halve, even, turn, swing, id="all"), fps=fps, steps=steps, attributes=COUNT)
            frame = run(raw)[-1]
            columns, age = frame.columns, frame.columns["age"]
            self.assertGreater(len(np.unique(np.round(age * fps * steps % 1, 2))), 5)
            np.testing.assert_allclose(columns["own count"], 2 * age, atol=1e-4)
            np.testing.assert_allclose(columns["mass"], 0.5 ** (age / 0.5), atol=1e-4)
            np.testing.assert_allclose(columns["opacity"], np.maximum(0, 1 - age), atol=1e-4)
            np.testing.assert_allclose(columns["spin"][:, 1], np.radians(90) * age, atol=1e-4)

    def test_falls_from_birth_within_a_step_are_exact(self) -> None:
        raw = document(rule({"kind": "gravity", "acceleration": 10.0}), source={"emission": RATE}, clock={"duration": 1.0})
        columns = run(raw)[-1].columns
        np.testing.assert_allclose(columns["position"][:, 1], -5 * columns["age"].astype(float) ** 2, atol=1e-4)


class Times(unittest.TestCase):
    def test_delays_are_met_to_the_nearest_step_without_bias(self) -> None:
        # 13 ± 1 frames: never before 12 nor after 14, 13 on average, at any number of steps.
        for steps in (1, 4):
            wait = {"kind": "spread", "value": 13 / 24, "spread": 1 / 24}
            go = rule({"kind": "move", "group": "b"}, condition=compare("time_in_group", "above", wait))
            raw = document(go, count=4000, groups=["a", "b"], clock={"steps_per_frame": steps})
            frames = run(raw, 20)
            moved = np.diff([frame.population[1] for frame in frames])
            at = np.repeat(np.arange(1, 21), moved)
            self.assertEqual((at.min(), at.max()), (12, 14))
            exact = frames[-1].columns["entered"][frames[-1].columns["group"] == 1] * 24
            self.assertAlmostEqual(float(exact.mean()), 13.0, delta=0.03)

    def test_fixed_delays_are_met_exactly(self) -> None:
        for comparison in ("above", "at_least", "equal"):
            go = rule({"kind": "move", "group": "b"}, who=["a"], condition=compare("age", comparison, 13 / 24))
            for steps in (1, 3, 8):
                frames = run(document(go, groups=["a", "b"], clock={"steps_per_frame": steps}), 16)
                self.assertEqual([frame.population[1] for frame in frames][11:15], [0, 0, 1, 1], (comparison, steps))
        held = rule({"kind": "move", "group": "b"}, condition=compare("age", "at_most", 3 / 24))
        frames = run(document(held, groups=["a", "b"]), 6)
        self.assertEqual([frame.held[0] for frame in frames], [1, 1, 1, 1, 0, 0, 0])

    def test_lives_are_met_to_the_nearest_step_without_bias(self) -> None:
        # A burst and a stream (Little's law: as many at once as are born in one life), both seen for as long as they live on average.
        life = {"kind": "spread", "value": 0.5, "spread": 0.3}
        frames = run(document(count=3000, source={"lifetime": life}))
        seen = sum(frame.count for frame in frames) / 3000 / 24
        self.assertAlmostEqual(seen, 0.5, delta=0.008)
        raw = document(source={"emission": {"kind": "rate", "rate": 2000.0}, "lifetime": life})
        self.assertAlmostEqual(float(np.mean([frame.count for frame in run(raw)[24:]])), 1000, delta=6)
        # Sparks that live for less than a step are seen by chance, in proportion.
        raw = document(source={"emission": {"kind": "rate", "rate": 2400.0}, "lifetime": 0.01})
        self.assertAlmostEqual(float(np.mean([frame.count for frame in run(raw)[1:]])), 24, delta=1)

    def test_practice_of_lifetimes(self) -> None:
        # Common practice, no source: 80 ± 60 frames give 20 to 140.
        life = {"kind": "spread", "value": 80 / 24, "spread": 60 / 24}
        deaths = [frame.deaths for frame in run(document(count=2000, source={"lifetime": life}, clock={"duration": 6.0}))]
        at = np.flatnonzero(deaths)
        self.assertEqual((at[0], at[-1]), (20, 140))

    def test_age_is_exact_at_any_length(self) -> None:
        raw = document(source={"lifetime": 150.0}, clock={"frames_per_second": 60.0, "duration": 151.0, "steps_per_frame": 8})
        simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
        counts = [frame.count for frame in simulation.frames(9_000)]
        self.assertEqual((counts[8_999], counts[9_000]), (1, 0))

    def test_one_off_births_count_from_frame_0(self) -> None:
        for emission in ({"kind": "burst", "count": 3}, {"kind": "one"}):
            raw = document(source={"emission": emission}, clock={"pre_roll": 1.0})
            self.assertTrue((run(raw, 0)[0].columns["age"] == 0).all())
            raw["sources"][0]["emission"]["time"] = -0.5
            np.testing.assert_allclose(run(raw, 0)[0].columns["age"], 0.5, atol=1e-6)
            # A time before the effect begins means its beginning.
            raw["sources"][0]["emission"]["time"] = -9.0
            np.testing.assert_allclose(run(raw, 0)[0].columns["age"], 1.0, atol=1e-6)
        stream_ = document(source={"emission": RATE}, clock={"pre_roll": 1.0})
        self.assertEqual(run(stream_, 0)[0].count, 400)


class Numbers(unittest.TestCase):
    def test_rules_are_numbered_as_they_are_read_and_computed(self) -> None:
        triggers = ["each", "becomes", "death", "contact", "each", "birth"]
        rules = [rule({"kind": "set", "attribute": "mass"}, id=f"r{n}", trigger=t) for n, t in enumerate(triggers)]
        effect = read_effect(document(*rules))
        self.assertEqual(rule_numbers(effect), [2, 3, 6, 5, 4, 1])

    def test_every_part_of_a_step_is_computed_in_that_order(self) -> None:
        # Each rule writes down when it acted, by doubling what is there and adding one.
        double = {"kind": "multiply", "attribute": "count", "factor": 2.0, "per": "occasion"}
        def digit(n: float) -> dict[str, Any]:
            return {"kind": "add", "attribute": "count", "amount": n, "per": "occasion"}

        bounce = rule({"kind": "gravity"}, {"kind": "bounce", "shape": "floor"}, id="solid")
        order = [
            rule(double, digit(1.0), id="end", trigger="death"),
            rule(double, digit(0.0), id="each", condition=compare("age", "above", 0.001)),
            rule(double, digit(1.0), id="hit", trigger="contact"),
            rule(double, digit(1.0), id="born", trigger="birth"),
        ]
        floor = {"kind": "plane", "id": "floor", "label": "Floor"}
        raw = document(
            bounce, *order, shapes=[floor], attributes=COUNT, position=[0.0, 0.0501, 0.0], speed=-1.0,
            source={"lifetime": 1 / 24},
        )  # fmt: skip
        simulated = run(raw, 1)
        self.assertEqual(simulated[0].columns["own count"].tolist(), [1.0])
        self.assertEqual(simulated[1].held.tolist()[1:], [1, 1, 1, 0])
        self.assertEqual(track(simulated, "own count")[-1], 1.0)


if __name__ == "__main__":
    unittest.main()
