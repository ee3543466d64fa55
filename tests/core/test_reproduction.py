"""Giving birth: laws of growth, streams and marks at any frame rate, who descends from whom, and bounds for what would never end."""

from __future__ import annotations

import re
import unittest
from typing import Any

import numpy as np
from scipy import stats

from hailridge.core.looking.advisories import advise
from hailridge.core.looking.descent import descent_of
from hailridge.core.looking.forecast import STEP, forecast
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.looking.ways_out import ways_out
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.state.events import Happening
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.model.validation import DocumentError, read_effect
from tests.seeds import NIGHT, drawer
from tests.support import Document, compare, document, rule, run, simulation

DAY: Document = {"frames_per_second": 10.0, "particle_budget": 3_000_000}
"""A clock with a generation a frame."""


def split(count: Any = 2.0, group: str = "a", **changes: Any) -> Document:
    given: Document = {"kind": "spawn", "count": count, "group": group, "parent": "removed", "lifetime": 1000.0, "speed": 0.0}
    return given | changes


def clock(frames: int, **changes: Any) -> Document:
    return DAY | {"duration": frames / 10} | changes


def counts(raw: Document) -> list[int]:
    simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
    return [frame.count for frame in simulation.frames()]


class Growth(unittest.TestCase):
    def test_two_to_the_power_of_n(self) -> None:
        raw = document(rule(split(), condition=compare("age", "at_least", 0.3)), count=2, clock=clock(30))
        self.assertEqual(counts(raw)[::3][:10], [2 * 2**n for n in range(10)])

    def test_galton_and_watson(self) -> None:
        """Each has two children, one or none by chance: mean mⁿ, variance of a generation, and how many lines die out (Harris 1963, ch. I).

        A count of 1.6 is one child, and one more with a chance of 0.6; otherwise, with a chance of 0.35, there is none: f(s) = 0.35 + 0.65 (0.4 s + 0.6 s²).
        """
        begun, generations = 4000, 12
        raw = document(
            rule(split(1.6), id="split", condition={"kind": "chance", "probability": 0.65, "per": "occasion"}, otherwise=[{"kind": "remove"}]),
            rule({"kind": "set", "attribute": "own", "amount": {"kind": "as_it_is", "quantity": {"kind": "family"}}}, id="name"),
            count=begun, attributes=[{"id": "own", "label": "Own", "share": 100}], clock=clock(generations + 2),
        )  # fmt: skip
        frames = run(raw)
        mean = 0.65 * 1.6
        lines = [np.bincount(frame.columns["family"], minlength=begun) for frame in frames]
        number = lines[generations].astype(float)
        # Variance of one: E[X²] − m²; after n generations σ² m^(n−1) (mⁿ − 1) / (m − 1).
        own = 0.65 * (0.4 * 1 + 0.6 * 4) - mean**2
        rounds = generations + 1
        spread = own * mean ** (rounds - 1) * (mean**rounds - 1) / (mean - 1)
        self.assertLess(abs(number.mean() - mean**rounds), 5 * np.sqrt(spread / begun))
        self.assertLess(abs(number.var() / spread - 1), 0.25)
        # The share that has died out: f applied n times to 0.
        lost = 0.0
        for _generation in range(rounds):
            lost = 0.35 + 0.65 * (0.4 * lost + 0.6 * lost**2)
        self.assertLess(abs(np.mean(number == 0) - lost), 5 * np.sqrt(lost * (1 - lost) / begun))
        np.testing.assert_array_equal(frames[-1].columns["own own"], frames[-1].columns["family"])

    def test_yule(self) -> None:
        """A birth a second each, at a chance per second: e^(λt) on average, geometric for each line (Harris 1963, ch. V), at two frame rates."""
        for rate in (24.0, 60.0):
            chance = {"kind": "chance", "probability": 1 - np.exp(-1.0), "per": "second"}
            raw = document(rule(split(1.0, parent="kept"), condition=chance), count=3000,
                clock={"duration": 2.0, "frames_per_second": rate, "particle_budget": 100_000})  # fmt: skip
            number = counts(raw)[-1] / 3000
            steps = round(2.0 * rate)
            # In whole steps it grows by (1 + λ dt)ⁿ with the chance of a step; the law of the limit lies within a few per cent of it.
            step = 1 - np.exp(-1 / rate)
            self.assertLess(abs(number / (1 + step) ** steps - 1), 5 * 1.2 / np.sqrt(3000))
            self.assertLess(abs(number / np.exp(2.0) - 1), 0.12)

    def test_fractions_are_chances(self) -> None:
        raw = document(rule(split(0.05, parent="kept"), trigger="once"), count=20_000, clock=clock(3))
        children = counts(raw)[-1] - 20_000
        self.assertLess(abs(children - 1000), 5 * np.sqrt(20_000 * 0.05 * 0.95))
        whole = document(rule(split(2.5, parent="kept"), trigger="once"), count=4000, clock=clock(3))
        last = run(whole)[-1].columns
        litters = np.bincount(last["parent_id"][last["parent_id"] >= 0], minlength=4000)
        self.assertEqual(set(litters.tolist()), {2, 3})
        self.assertLess(abs(litters.mean() - 2.5), 5 * 0.5 / np.sqrt(4000))

    def test_children_do_not_depend_on_the_order_of_rules(self) -> None:
        one, other = rule(split(3.0, "b"), id="one", who=["a"], condition=compare("age", "at_least", 0.3)), rule({"kind": "drag"}, id="other")
        noisy = {"groups": ["a", "b"], "count": 50, "clock": clock(8)}
        children = []
        for rules in ((one,), (one, other), (other, one)):
            last = run(document(*rules, **noisy))[-1].columns
            children.append(last["key"][last["group"] == 1])
        for keys in children[1:]:
            np.testing.assert_array_equal(children[0], keys)


class Streams(unittest.TestCase):
    def flown(self, action: Document, rate: float, **changes: Any) -> Frame:
        raw = document(rule(action, who=["a"], id="leave"), groups=["a", "b"], speed=3.0, axis=[1.0, 0.0, 0.0],
            clock={"duration": 2.0, "frames_per_second": rate} | changes.pop("clock", {}), **changes)  # fmt: skip
        effect = read_effect(raw)
        self.assertEqual(effect.problems, [])
        return run(raw)[-1]

    def test_marks_at_even_distances_and_times(self) -> None:
        for rate in (7.0, 24.0, 60.0, 240.0):
            for per, number, apart in (("metre", 4.0, 0.25), ("second", 10.0, 0.3)):
                with self.subTest(rate=rate, per=per):
                    mark: Document = {"kind": "mark", "group": "b", "count": number, "per": per, "lifetime": 100.0, "inherit_life": 0.0}
                    last = self.flown(mark, rate)
                    places = last.columns["position"][last.columns["group"] == 1]
                    self.assertIn(len(places), (round(6 / apart), round(6 / apart) - 1))
                    np.testing.assert_allclose(places[:, 1:], 0, atol=1e-6)
                    np.testing.assert_allclose(places[:, 0], apart * (np.arange(len(places)) + 0.5), atol=2e-4)
                    # Each has lived since its parent was there.
                    ages = last.columns["age"][last.columns["group"] == 1]
                    np.testing.assert_allclose(ages, last.time - places[:, 0] / 3, atol=2e-4)

    def test_nothing_moves_a_mark(self) -> None:
        """Gravity and wind on everybody, a spinning parent: marks stay where and as they were left."""
        forces = rule({"kind": "gravity"}, {"kind": "wind", "velocity": [3.0, 0.0, 1.0]}, id="air")
        mark: Document = {"kind": "mark", "group": "b", "count": 5.0, "per": "metre"}
        source = {"spin": 90.0, "lifetime": 3.0}
        raw = document(forces, rule(mark, who=["a"], id="leave"), groups=["a", "b"], count=3, speed=2.0, source=source, clock={"duration": 1.5})
        frames = run(raw)
        early, late = frames[18].columns, frames[-1].columns
        marks = early["group"] == 1
        self.assertGreater(int(marks.sum()), 20)
        still = np.isin(late["id"], early["id"][marks])
        for name in ("position", "velocity", "orientation", "spin"):
            np.testing.assert_array_equal(early[name][marks], late[name][still], name)
        # Half of their life is what is given (2 s), half what their parent had left (3 s, less its age).
        np.testing.assert_allclose(late["lifetime"][still], 1.0 + 0.5 * (3.0 - late["born"][still]), atol=0.03)

    def test_a_stream_is_even_over_time_and_flies_on_from_where_it_began(self) -> None:
        """Births along the way, evenly: Kolmogorov and Smirnov against a uniform distribution (scipy.stats.kstest)."""
        stream = split(300.0, "b", per="second", parent="kept", heading="up", cone=0.0, speed=1.0)
        for rate in (12.0, 60.0):
            last = self.flown(stream, rate)
            there = last.columns["group"] == 1
            places, ages = last.columns["position"][there], last.columns["age"][there]
            self.assertEqual(int(there.sum()), 600)
            self.assertGreater(stats.kstest(places[:, 0] / 6, "uniform").pvalue, 0.9)
            # Upward at 1 m/s from where the parent was at its birth, which was as long ago as it is old.
            np.testing.assert_allclose(places[:, 1], ages, atol=1e-4)
            np.testing.assert_allclose(places[:, 0], 6 - 3 * ages, atol=2e-3)

    def test_a_stream_from_a_source_that_streams_and_keyframes(self) -> None:
        """A child a second from each of a growing number of parents: the sum of their ages, to the nearest child of each."""
        source = {"emission": {"kind": "rate", "rate": 20.0}}
        for rate in (10.0, 50.0):
            last = self.flown(split(2.0, "b", per="second", parent="kept"), rate, source=source)
            parents = last.columns["group"] == 0
            wanted = np.floor(2 * last.columns["age"][parents].astype(float) + 0.5 + 1e-4)
            self.assertLessEqual(abs(int((~parents).sum()) - int(wanted.sum())), 1)

    def test_resumed_it_leaves_the_same(self) -> None:
        mark: Document = {"kind": "mark", "group": "b", "count": 3.3, "per": "metre"}
        raw = document(rule(mark, who=["a"], id="leave"), groups=["a", "b"], count=5, speed={"kind": "spread", "value": 2.0, "spread": 1.0},
            clock={"duration": 1.5})  # fmt: skip
        whole = list(Simulation(read_effect(raw), MemoryAssets()).frames())
        again = Simulation(read_effect(raw), MemoryAssets())
        again.resume(whole[15].columns, whole[15].count, whole[15].stand)
        rest = list(again.frames())
        for one, other in zip(whole[16:], rest[-len(whole[16:]) :], strict=True):
            for name, column in one.columns.items():
                np.testing.assert_array_equal(column, other.columns[name], name)

    def test_where_a_stream_cannot_stand(self) -> None:
        for trigger in ("once", "birth", "contact", "death"):
            raw = document(rule(split(5.0, per="second", parent="kept"), trigger=trigger))
            (problem, *_rest) = read_effect(raw).problems
            self.assertIn("it works at each step", problem.text)


class Aiming(unittest.TestCase):
    def test_children_aim_at_a_target_wherever_it_is(self) -> None:
        """Toward the nearest place of a ball that moves, exactly or within a cone; from each parent's own place."""
        moving = {"keys": [{"at": 0.0, "value": [5.0, 0.0, 0.0], "ease": "linear"}, {"at": 2.0, "value": [0.0, 5.0, 0.0], "ease": "linear"}]}
        ball: Document = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 0.5, "position": moving}
        for cone in (0.0, 20.0):
            child = split(3.0, "b", parent="kept", heading="target", target="ball", cone=cone, speed=2.0)
            raw = document(rule(child, id="aim", who=["a"], trigger="once", condition=compare("age", "at_least", 1.0)), count=40, groups=["a", "b"],
                shapes=[ball, {"kind": "box", "id": "box", "label": "Box", "size": [1.0, 1.0, 1.0]}],
                source={"shape": "box", "placement": {"kind": "inside"}}, clock={"duration": 1.2})  # fmt: skip
            frames = run(raw)
            first = next(frame for frame in frames if (frame.columns["group"] == 1).any()).columns
            born = first["group"] == 1
            parents = np.searchsorted(first["id"], first["parent_id"][born])
            middle = np.array([2.5, 2.5, 0.0])
            wanted = middle - first["position"][parents]
            wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
            angles = np.degrees(np.arccos(np.clip(np.einsum("ij,ij->i", first["velocity"][born], wanted) / 2, -1, 1)))
            self.assertEqual(int(born.sum()), 120)
            self.assertLess(angles.max(), cone / 2 + 0.3)
            self.assertTrue(cone == 0 or angles.max() > 0.4 * cone)

    def test_a_target_that_is_not_there(self) -> None:
        (problem,) = read_effect(document(rule(split(2.0, heading="target")))).problems
        self.assertIn("choose one as their target", problem.text)
        gone = read_effect(document(rule(split(2.0, heading="target", target="gone"))))
        self.assertIn("gone", gone.problems[0].text)


class Descent(unittest.TestCase):
    def test_generation_family_and_parent(self) -> None:
        raw = document(
            rule(split(2.0), condition={"kind": "all", "conditions": [compare("age", "at_least", 0.2), compare("generation", "below", 3.0)]}),
            count=5, clock=clock(14),
        )  # fmt: skip
        frames = run(raw)
        last = frames[-1].columns
        self.assertEqual(len(last["id"]), 5 * 2**3)
        self.assertEqual(set(last["generation"].tolist()), {3})
        np.testing.assert_array_equal(np.bincount(last["family"]), np.full(5, 8))
        # Walked back through the recorded births: each line leads to its family's first in as many births as its generation.
        born = {int(one): int(other) for frame in frames for one, other in zip(frame.columns["id"], frame.columns["parent_id"], strict=True)}
        for each, family, generation in zip(last["id"], last["family"], last["generation"], strict=True):
            line = [int(each)]
            while born[line[-1]] >= 0:
                line.append(born[line[-1]])
            self.assertEqual((line[-1], len(line) - 1), (family, generation))

    def test_a_generation_limit_of_none(self) -> None:
        raw = document(rule(split(2.0), condition=compare("generation", "below", 0.0)), count=3, clock=clock(5))
        self.assertEqual(set(counts(raw)), {3})

    def limb(self, along: str, trigger: str = "once", dying: bool = False) -> tuple[Frame, Frame]:
        """Three that give birth to one each, which gives birth to one: then the second of the first three is removed, or its life ends."""
        grow = {"kind": "all", "conditions": [compare("age", "at_least", 0.2), compare("generation", "below", 2.0)]}
        end = [rule({"kind": "remove"}, id="end", condition={"kind": "all", "conditions": [compare("number", "equal", 1.0), compare("age", "at_least", 1.0)]})]
        prune = rule({"kind": "remove", "along": along}, id="prune", trigger=trigger, condition=compare("number", "equal", 1.0))
        if not dying:
            prune["condition"] = end.pop()["condition"]
        raw = document(
            rule(split(1.0, parent="kept"), id="grow", trigger="once", condition=grow), *end, prune,
            rule({"kind": "add", "attribute": "radius", "amount": 0.0, "per": "occasion"}, id="told", trigger="death"),
            count=3, clock=clock(14),
        )  # fmt: skip
        self.assertEqual(read_effect(raw).problems, [])
        frames = run(raw)
        return frames[8], frames[-1]

    def test_a_limb_is_removed(self) -> None:
        before, alone = self.limb("alone")
        self.assertEqual(before.count, 9)
        self.assertEqual(alone.count, 8)
        _before, descendants = self.limb("descendants")
        self.assertEqual(descendants.count, 6)
        self.assertNotIn(1, descendants.columns["id"].tolist() + descendants.columns["parent_id"].tolist())
        _before, family = self.limb("family")
        self.assertEqual(sorted(set(family.columns["family"].tolist())), [0, 2])

    def test_children_leave_with_their_parent(self) -> None:
        """On death: they leave in the same frame, and meet the rules on death as well."""
        before, after = self.limb("descendants", trigger="death", dying=True)
        self.assertEqual((before.count, after.count), (9, 6))

    def test_a_removed_link_ends_the_line(self) -> None:
        """Whose parent has gone is no descendant any more of whoever came before; its family is the same."""
        grow = {"kind": "all", "conditions": [compare("age", "at_least", 0.2), compare("generation", "below", 3.0)]}
        for along, left in (("descendants", 8), ("family", 0)):
            gone = rule({"kind": "remove"}, id="gone", condition={"kind": "all", "conditions": [compare("generation", "equal", 1.0), compare("age", "at_least", 0.7)]})
            prune = rule({"kind": "remove", "along": along}, id="prune", condition={"kind": "all", "conditions": [compare("number", "equal", 0.0), compare("age", "at_least", 1.2)]})
            raw = document(rule(split(2.0, parent="kept"), id="grow", trigger="once", condition=grow), gone, prune, count=1, clock=clock(15))
            # 1 + 2 + 4 + 8, less the two of the first generation; then the first alone, or all.
            self.assertEqual(counts(raw)[-1], {"descendants": 12, "family": 0}[along], left)


    def test_descent_read_from_the_births_of_a_run(self) -> None:
        """Whoever is still there: against a walk along the recorded parents, in a culture whose parents leave."""
        grow = {"kind": "all", "conditions": [compare("age", "at_least", 0.2), compare("generation", "below", 3.0)]}
        raw = document(rule(split(1.7), condition=grow), count=6, clock=clock(9))
        effect = read_effect(raw)
        frames = run(raw)
        events = np.concatenate([frame.events for frame in frames])
        last = frames[-1]
        moment = recorded_moment(Plan(effect, MemoryAssets()), last.columns, last.count, last.number)
        parent = {int(event["particle"]): int(event["parent"]) for event in events if event["what"] == Happening.BIRTH}

        def line(one: int) -> list[int]:
            return [one] if parent[one] < 0 else [one, *line(parent[one])]

        alive = last.columns["id"].tolist()
        self.assertTrue(set(parent) - set(alive))
        for one in parent:
            found = descent_of(moment, one, events)
            assert found is not None
            ancestors = line(one)
            self.assertEqual((found.generation, found.family, found.parent), (len(ancestors) - 1, ancestors[-1], parent[one]))
            self.assertEqual(found.limb.tolist(), [each for each in alive if one in line(each)])
            self.assertEqual(found.members.tolist(), [each for each in alive if line(each)[-1] == ancestors[-1]])
        self.assertIsNone(descent_of(moment, 10_000, events))


class Bounds(unittest.TestCase):
    def findings(self, raw: Document) -> tuple[list[int], list[str]]:
        simulation = Simulation(read_effect(raw), MemoryAssets(), record=False)
        numbers = [frame.count for frame in simulation.frames()]
        return numbers, [finding.text for finding in simulation.findings]

    def test_what_is_no_number_of_children(self) -> None:
        root: Any = {"kind": "as_it_is", "quantity": {"kind": "formula", "text": "sqrt(0.0 - 1.0)"}}
        for count in (root, {"kind": "spread", "value": 0.0, "spread": 0.0}):
            raw = document(rule(split(count, parent="kept")), count=4, clock=clock(3))
            self.assertEqual(read_effect(raw).problems, [])
            self.assertEqual(set(counts(raw)), {4})
        for count, text in ((-3.0, "cannot be below 0"), (1e9, "cannot be above 10000")):
            self.assertIn(text, read_effect(document(rule(split(count)))).problems[0].text)
        with self.assertRaises(DocumentError) as caught:
            read_effect(document(rule(split(float("nan")))))
        self.assertIn("count", caught.exception.problems[0].place)

    def test_into_a_group_that_was_deleted(self) -> None:
        """Its rule is left out, with the reason at its place; the others go on."""
        raw = document(rule(split(2.0, "gone")), rule({"kind": "set", "attribute": "radius", "amount": 0.3}, id="other"), count=3, clock=clock(4))
        effect = read_effect(raw)
        self.assertEqual(len(effect.problems), 1)
        self.assertIn("gone", effect.problems[0].text)
        self.assertIn("action 1", effect.problems[0].place)
        last = run(raw)[-1]
        self.assertEqual(last.count, 3)
        np.testing.assert_allclose(last.columns["radius"], 0.3, rtol=1e-6)

    def test_at_the_budget_everybody_is_followed_by_one(self) -> None:
        """Nobody leaves for children that do not come, and whoever counts the others in the next step counts them."""
        near = {"kind": "neighbours", "distance": 100.0}
        told = rule({"kind": "set", "attribute": "own", "amount": {"kind": "as_it_is", "quantity": near}}, id="told", trigger="each")
        raw = document(rule(split(2.0), id="split"), told, count=8, attributes=[{"id": "own", "label": "Own"}], clock=clock(5, particle_budget=8))
        frames = run(raw)
        self.assertEqual([frame.count for frame in frames], [8] * 6)
        after = document(told, rule(split(2.0), id="split"), count=8, attributes=[{"id": "own", "label": "Own"}], clock=clock(5, particle_budget=8))
        np.testing.assert_array_equal(run(after)[-1].columns["own own"].ravel(), np.full(8, 7.0))

    def test_who_leaves_makes_room_for_children(self) -> None:
        """600 with two children each at their death, under a budget of 1,000: as many as there is room for, everybody a first one; then they keep up."""
        born = rule(split(2.0, parent="kept", lifetime=0.3), id="born", trigger="death")
        raw = document(born, count=600, source={"lifetime": 0.3}, clock=clock(12, particle_budget=1000))
        frames = run(raw)
        self.assertEqual([frame.count for frame in frames[::3]], [600, 1000, 1000, 1000, 1000])
        parents = frames[3].columns["parent_id"]
        np.testing.assert_array_equal(np.bincount(parents, minlength=600), [2] * 400 + [1] * 200)
        told = next(finding.text for finding in simulation(raw)[0].findings if "budget" in finding.text)
        self.assertIn("wanted 1,200 more, 2 for each of 600; 200 of them were held back", told)

    def test_a_budget_takes_only_what_is_beyond_it(self) -> None:
        """Never more than the budget, never fewer than without it as long as those fit: drawn growths, parents that leave or stay, some that are removed."""
        choose = drawer("budgets")
        for _growth in range(200 if NIGHT else 12):
            children, parent = choose.choice([1.0, 2.0, 3.0]), choose.choice(["kept", "removed"])
            rules = [rule(split(children, parent=parent, lifetime=choose.choice([0.4, 1000.0])), id="born", trigger=choose.choice(["death", "each"]))]
            if choose.random() < 0.5:
                rules.append(rule({"kind": "remove"}, id="out", condition=compare("age", "at_least", 0.2)))
            choose.shuffle(rules)
            begun, budget = choose.randrange(5, 60), choose.randrange(60, 400)
            given = {"count": begun, "source": {"lifetime": choose.choice([0.3, 1000.0])}}
            within = counts(document(*rules, clock=clock(6, particle_budget=budget), **given))
            free = counts(document(*rules, clock=clock(6), **given))
            for held, all_of_them in zip(within, free, strict=True):
                self.assertLessEqual(held, budget, (rules, given))
                if max(free) <= budget:
                    self.assertEqual(held, all_of_them, (rules, given))
            # The first that does not fit fills it.
            beyond = next((place for place, number in enumerate(free) if number > budget), None)
            if beyond is not None:
                self.assertEqual(within[beyond], budget, (rules, given, within, free))

    def test_ten_million_in_one_step(self) -> None:
        raw = document(rule(split(10_000.0, parent="kept")), count=1000, clock=clock(4, particle_budget=50_000))
        numbers, told = self.findings(raw)
        self.assertEqual(numbers[-1], 50_000)
        self.assertTrue(any("particle budget of 50,000 was reached" in text for text in told), told)

    def test_two_rules_that_feed_each_other(self) -> None:
        raw = document(
            rule(split(3.0, "b"), id="one", who=["a"]), rule(split(3.0, "a"), id="other", who=["b"]), count=2, groups=["a", "b"],
            clock=clock(20, particle_budget=20_000),
        )  # fmt: skip
        numbers, told = self.findings(raw)
        self.assertEqual(len(numbers), 21)
        self.assertLessEqual(max(numbers), 20_000)
        self.assertTrue(any("budget" in text for text in told))

    def test_marks_of_something_that_jumps_are_bounded(self) -> None:
        jump = {"kind": "add", "attribute": "position", "amount": [1e5, 0.0, 0.0], "per": "occasion"}
        mark: Document = {"kind": "mark", "group": "b", "count": 10_000.0, "per": "metre"}
        raw = document(rule(jump, id="jump", who=["a"], condition=compare("age", "at_least", 0.2)), rule(mark, id="mark", who=["a"]),
            groups=["a", "b"], clock=clock(6, particle_budget=30_000))  # fmt: skip
        self.assertLessEqual(max(self.findings(raw)[0]), 30_000)


class Forecasts(unittest.TestCase):
    """The dry run against the run itself."""

    def both(self, raw: Document) -> tuple[Any, list[Frame]]:
        effect = read_effect(raw)
        self.assertEqual(effect.problems, [])
        return forecast(effect, MemoryAssets()), list(Simulation(effect, MemoryAssets(), record=False).frames())

    def test_exact_for_age_chance_generation_and_groups(self) -> None:
        """Whatever pushes and looks there are besides, frame by frame and group by group."""
        push = rule({"kind": "turbulence"}, {"kind": "drag", "half_life": 0.2}, id="push")
        hands = [{"kind": "memory", "rule": "push", "id": "h1"}, {"kind": "memory", "rule": "turn", "id": "h2"}, {"kind": "group_time", "id": "h3"}]
        twig = rule(split(1.4, "b", parent="kept", lifetime={"kind": "spread", "value": 0.6, "spread": 0.3}, born="surface", hands=hands), id="twig", who=["a"],
            condition={"kind": "all", "conditions": [compare("age", "at_least", 0.3), {"kind": "chance", "probability": 0.05, "per": "occasion"}]})  # fmt: skip
        stream = rule(split(6.0, "b", per="second", parent="kept", lifetime=0.4), id="stream", who=["a"], condition=compare("generation", "below", 2.0))
        turn = rule({"kind": "move", "group": "a"}, id="turn", who=["b"], condition=compare("time_in_group", "at_least", 0.25), trigger="once")
        calm = rule({"kind": "multiply", "attribute": "lifetime", "factor": 0.5, "per": "occasion"}, id="calm", who=["b"], trigger="birth")
        again = rule({"kind": "redraw"}, id="again", who=["a"], trigger="birth", condition=compare("number", "above", 20.0))
        for rate in (24.0, 50.0):
            raw = document(push, again, twig, stream, turn, calm, groups=["a", "b"], speed=2.0, source={"emission": {"kind": "rate", "rate": 40.0}, "lifetime": 1.5},
                clock={"duration": 2.0, "frames_per_second": rate})  # fmt: skip
            told, frames = self.both(raw)
            self.assertEqual((told.left_out, told.sampled_from, told.budget_at), ([], None, None))
            self.assertEqual(told.totals, [float(frame.count) for frame in frames])
            for index, group in enumerate("ab"):
                self.assertEqual(told.groups[group], [float(frame.population[index]) for frame in frames])
            self.assertGreater(max(told.groups["b"]), 100)

    def test_within_five_per_cent_above_a_sample(self) -> None:
        chance = {"kind": "chance", "probability": 0.7, "per": "second"}
        raw = document(rule(split(2.0), id="split", condition=chance), rule({"kind": "wind"}, id="wind"), count=3000,
            clock={"duration": 4.0, "particle_budget": 900_000})  # fmt: skip
        told, frames = self.both(raw)
        self.assertIsNotNone(told.sampled_from)
        real = np.array([frame.count for frame in frames])
        self.assertGreater(real[-1], 100_000)
        self.assertLess(float(np.abs(np.array(told.totals) / real - 1).max()), 0.05)

    def test_it_says_when_the_budget_is_reached_and_what_it_leaves_out(self) -> None:
        grow = rule(split(2.0), id="grow", label="Grow", condition=compare("age", "at_least", 0.1))
        raw = document(grow, count=1, clock={"duration": 5.0, "particle_budget": 50_000})
        told, _frames = self.both(raw)
        numbers, said = Bounds().findings(raw)
        (stopped,) = [int(re.findall(r"at frame (\d+) while 'Grow' wanted", text)[0]) for text in said if "budget" in text]
        self.assertEqual(told.budget_at, stopped)
        np.testing.assert_allclose(told.totals[:stopped], numbers[:stopped], rtol=0.05)
        # Nobody leaves for children that do not come: the run goes on with as many as there are.
        self.assertTrue(all(later >= 25_000 for later in numbers[stopped:]) and max(numbers) <= 50_000)
        ball: Document = {"kind": "ball", "id": "ball", "label": "Ball"}
        crowded = {"kind": "compare", "quantity": {"kind": "neighbours", "distance": 0.2}, "comparison": "below", "threshold": 5.0}
        raw = document(
            rule(split(2.0), id="one", label="Where few are", condition=crowded),
            rule(split(2.0), id="two", label="Burst", trigger="contact"), rule({"kind": "bounce", "shape": "ball"}, id="off"),
            rule({"kind": "mark", "group": "a", "count": 3.0}, id="three", label="Trace"),
            rule(split(0.5, parent="kept"), id="four", label="Seldom", trigger="once", condition=compare("age", "at_least", 0.5)),
            count=20, shapes=[ball], clock={"duration": 1.0},
        )  # fmt: skip
        told = forecast(read_effect(raw), MemoryAssets())
        self.assertEqual([text.split(",")[0].strip("'") for text in told.left_out], ["Rule 1 'Where few are", "Rule 5 'Burst", "Rule 3 'Trace"])
        for text, word in zip(told.left_out, ("neighbours", "contacts", "way"), strict=True):
            self.assertIn(word, text)
        # What it can follow it does.
        self.assertTrue(20 < told.totals[-1] < 40)

    def test_it_ends_by_count_not_by_the_clock(self) -> None:
        """After two seconds of computing it told another number on a busy machine."""
        grow = rule(split(2.0), id="grow", label="Grow", condition=compare("age", "at_least", 0.1))
        effect = read_effect(document(grow, count=10, clock={"duration": 5.0, "particle_budget": 50_000}))
        told = forecast(effect, MemoryAssets(), most=10.5 * STEP)
        self.assertEqual((len(told.totals), told.complete), (11, False))
        self.assertEqual(told.totals, forecast(effect, MemoryAssets()).totals[:11])
        self.assertTrue(forecast(effect, MemoryAssets()).complete)

    def test_nothing_for_what_does_not_multiply(self) -> None:
        burst = document(rule(split(2.0), trigger="contact"), rule({"kind": "bounce", "shape": "ball"}, id="off"), count=5,
            shapes=[{"kind": "ball", "id": "ball", "label": "Ball"}])  # fmt: skip
        self.assertEqual(forecast(read_effect(burst), MemoryAssets()).totals, [])
        self.assertEqual(forecast(read_effect(document(rule({"kind": "drag"}), count=5)), MemoryAssets()).totals, [])


class WaysOut(unittest.TestCase):
    def test_each_button_slows_the_growth_that_it_is_about(self) -> None:
        """Each change, made: the budget is reached later, or not at all."""
        grow = rule(split(2.0), id="grow", condition=compare("age", "at_least", 0.2))
        plain = rule(split(1.0, parent="kept"), id="grow", label="Plain")
        hazard = rule(split(3.0), id="grow", condition={"kind": "chance", "probability": 0.5, "per": "occasion"})
        for made, labels in (
            (grow, ["1.5 children instead of 2", "After 0.4 s instead of 0.2 s", "A budget of 40,000"]),
            (plain, ["0.5 children instead of 1", "So many a second instead of each time", "A budget of 40,000"]),
            (hazard, ["2 children instead of 3", "A chance of 25 % instead of 50 %", "A budget of 40,000"]),
        ):
            raw = document(made, count=4, clock={"duration": 6.0, "particle_budget": 20_000})
            effect = read_effect(raw)
            fixes = ways_out(effect, effect.rules[0].address)
            self.assertEqual([fix["label"] for fix in fixes], labels)
            (warned,) = [advisory for advisory in advise(effect, set()) if advisory.code == "growth"]
            self.assertEqual([warned.fix, *warned.others], fixes)
            before = forecast(effect, MemoryAssets()).budget_at
            assert before is not None
            for fix in fixes:
                changed = effect.model_dump()
                node: Any = changed
                for step in fix["path"][:-1]:
                    node = node[step]
                node[fix["path"][-1]] = fix["value"]
                after = forecast(read_effect(changed), MemoryAssets()).budget_at
                self.assertTrue(after is None or after > before, fix["label"])

    def test_of_a_source(self) -> None:
        raw = document(source={"emission": {"kind": "rate", "rate": 1e6}}, clock={"particle_budget": 1000})
        effect = read_effect(raw)
        labels = [fix["label"] for fix in ways_out(effect, effect.sources[0].address)]
        self.assertEqual(labels, ["500000 a second instead of 1e+06", "A budget of 2,000"])


if __name__ == "__main__":
    unittest.main()
