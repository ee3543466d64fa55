"""What children get of their parents, attribute by attribute; where they are born; and a limb with random numbers of its own."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy import stats
from scipy.spatial import cKDTree

from hailridge import demo
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, rule, run

CLOCK: Document = {"frames_per_second": 10.0, "duration": 1.2, "particle_budget": 300_000}


def birth(*hands: Document, **changes: Any) -> Document:
    """Each of 'a' has a child in 'b' once it is half a second old."""
    given = [hand | {"id": f"h{number}"} for number, hand in enumerate(hands)]
    return rule({"kind": "spawn", "count": 1.0, "group": "b", "parent": "kept", "lifetime": 1000.0, "speed": 0.0, "hands": given} | changes,
        id="birth", who=["a"], trigger="once", condition=compare("age", "at_least", 0.5))  # fmt: skip


def of(attribute: str, share: float) -> Document:
    return {"kind": "attribute", "attribute": attribute, "share": share}


def children(raw: Document, frame: int = 5) -> tuple[dict[str, Any], dict[str, Any]]:
    """Columns of the children at a frame, and of the parent of each."""
    assert read_effect(raw).problems == [], read_effect(raw).problems
    columns = run(raw, frame)[-1].columns
    mine = np.flatnonzero(columns["parent_id"] >= 0)
    row_of = {int(number): row for row, number in enumerate(columns["id"])}
    theirs = np.array([row_of[int(parent)] for parent in columns["parent_id"][mine]])
    return {name: column[mine] for name, column in columns.items()}, {name: column[theirs] for name, column in columns.items()}


def scene(*rules: Document, **changes: Any) -> Document:
    return document(*rules, groups=["a", "b"], clock=CLOCK, **changes)


class Handing(unittest.TestCase):
    def test_numbers_by_their_share(self) -> None:
        """A share of the parent's, the rest what a newborn has of itself: v = s p + (1 − s) f."""
        own = [{"id": "worth", "label": "Worth", "initial": {"kind": "fixed", "value": 2.0}, "share": 100}]
        for share in (0.0, 30.0, 100.0):
            raw = scene(
                rule({"kind": "set", "attribute": "mass", "amount": 5.0}, {"kind": "set", "attribute": "worth", "amount": 10.0}, who=["a"], id="set"),
                birth(of("mass", share), of("worth", share)), attributes=own,
            )  # fmt: skip
            born, _parents = children(raw)
            part = share / 100
            self.assertAlmostEqual(float(born["mass"][0]), 5 * part + 1 * (1 - part), places=5)
            self.assertAlmostEqual(float(born["own worth"][0]), 10 * part + 2 * (1 - part), places=5)

    def test_a_flag_and_a_picture_by_chance(self) -> None:
        """Binomial: of 4000 children a share of 30 % get it, within four standard deviations; which get one says nothing of the other."""
        own = [{"id": "lit", "label": "Lit", "type": "flag", "share": 0}]
        raw = scene(
            rule({"kind": "set", "attribute": "lit", "amount": 1.0}, {"kind": "set", "attribute": "picture", "amount": 3.0}, who=["a"], id="set"),
            birth(of("lit", 30.0), of("picture", 30.0)), attributes=own, count=4000,
        )  # fmt: skip
        born, _parents = children(raw)
        for column, value in (("own lit", 1), ("picture", 3)):
            got = born[column].ravel() == value
            self.assertLess(abs(got.sum() - 1200), 4 * np.sqrt(4000 * 0.3 * 0.7), column)
        both = np.sum((born["own lit"].ravel() == 1) & (born["picture"].ravel() == 3))
        self.assertLess(abs(both - 360), 4 * np.sqrt(4000 * 0.09 * 0.91))

    def test_age_spin_and_time_in_its_group(self) -> None:
        raw = scene(birth(of("age", 50.0), of("spin", 25.0), {"kind": "group_time"}), source={"spin": {"kind": "fixed", "value": 80.0}})
        born, parents = children(raw)
        self.assertAlmostEqual(float(born["age"][0]), float(parents["age"][0]) / 2, places=5)
        np.testing.assert_allclose(born["spin"], parents["spin"] * 0.25, rtol=1e-5)
        self.assertEqual(born["entered"][0], parents["entered"][0])
        # Said of nothing, timers begin anew.
        plain, _parents = children(scene(birth()))
        self.assertEqual(float(plain["age"][0]), 0.0)
        self.assertGreater(float(plain["entered"][0]), 0.4)

    def test_what_a_rule_remembers(self) -> None:
        """A rule that acts once: with a clean memory it acts on every child; handed on, what was done to the parent counts for the child."""
        grow = rule({"kind": "add", "attribute": "radius", "amount": 0.1, "per": "occasion"}, id="grow", trigger="once")
        for hands, radius in (([], 0.15 + 0.1), ([{"kind": "memory", "rule": "grow"}], 0.15)):
            born, _parents = children(scene(grow, birth(*hands, inherit_radius=100.0)), 7)
            self.assertAlmostEqual(float(born["radius"][0]), radius, places=5)

    def test_what_cannot_be_handed_on_is_told_at_its_place(self) -> None:
        for hands, words in (
            ([of("color", 50.0)], "said in the sentence itself"), ([of("position", 50.0)], "how it is born"), ([of("mass", 50.0), of("mass", 20.0)], "twice"),
            ([{"kind": "memory", "rule": "nobody"}], "nobody"), ([of("nothing", 50.0)], "nothing"),
        ):  # fmt: skip
            problems = read_effect(scene(birth(*hands))).problems
            self.assertTrue(problems and words in problems[0].text and "hand" in problems[0].place, problems)


class Places(unittest.TestCase):
    def test_on_its_surface_on_the_side_toward_which_it_flies(self) -> None:
        """As far from the middle as the parent's radius, evenly over the sphere (each coordinate of it is uniform: Archimedes)."""
        raw = scene(birth(count=3000.0, heading="any", speed=0.5, born="surface"), source={"radius": 0.25})
        born, parents = children(raw)
        ways = born["position"] - parents["position"]
        np.testing.assert_allclose(np.linalg.norm(ways, axis=1), 0.25, rtol=1e-4)
        np.testing.assert_allclose(born["velocity"], ways * 2, atol=1e-4)
        for axis in range(3):
            self.assertGreater(stats.kstest(ways[:, axis], "uniform", args=(-0.25, 0.5)).pvalue, 0.001)

    def test_at_a_place_by_a_quantity(self) -> None:
        """From one place to another by the parent's number."""
        number = {"kind": "mapped", "quantity": {"kind": "number"}, "start": 0.0, "end": 4.0, "low": [0.0, 0.0, 0.0], "high": [4.0, 8.0, 0.0]}
        born, parents = children(scene(birth(born="place", place=number), count=5))
        np.testing.assert_allclose(born["position"], np.stack([parents["id"], parents["id"] * 2, parents["id"] * 0], axis=1), atol=1e-5)

    def test_a_place_inside_an_obstacle(self) -> None:
        """Whoever is outside has no child inside: it appears on the near side (the ball's radius is 1, the child's 0.05)."""
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}
        solid = rule({"kind": "bounce", "shape": "ball"}, id="solid")
        raw = scene(solid, birth(born="place", place=[0.3, 0.2, 0.0], radius=0.05), shapes=[ball], position=[3.0, 0.0, 0.0])
        for frame in (5, 8):
            born, _parents = children(raw, frame)
            self.assertGreaterEqual(float(np.linalg.norm(born["position"][0])), 1.0 + 0.05 - 1e-3)


    def test_a_place_outside_what_it_is_kept_in(self) -> None:
        """Whoever is inside a hollow ball has no child outside it, in any recorded frame, nor does its stream."""
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}
        solid = rule({"kind": "bounce", "shape": "ball"}, id="solid")
        for pace in ("occasion", "second"):
            given: Document = {"born": "place", "place": [0.0, 4.0, 0.0], "radius": 0.05, "per": pace, "speed": 0.4, "heading": "any"}
            raw = scene(solid, birth(**given) | ({"trigger": "each"} if pace == "second" else {}), shapes=[ball], position=[0.3, 0.0, 0.0])
            self.assertEqual(read_effect(raw).problems, [])
            frames = run(raw)
            self.assertGreater(frames[-1].count, 1)
            for frame in frames:
                distances = np.linalg.norm(frame.columns["position"], axis=1)
                self.assertLessEqual(float(distances.max()), 1.0 - 0.05 + 2e-3)


class Crowding(unittest.TestCase):
    """Frost over the pane that ships: growth held back by a crowd, everybody keeping apart, close to the glass, near standstill."""

    def test_it_fills_the_pane_and_stays_on_it(self) -> None:
        raw = demo.document("frost-over-a-pane")
        raw["dials"][0]["value"] = 4.0
        frames = run(raw, assets=demo.assets())
        last = frames[-1].columns
        position, radius = last["position"], last["radius"]
        self.assertLess(float(np.abs(position[:, 0]).max()), 1.2 + 0.05)
        self.assertLess(float(np.abs(position[:, 1] - 1.0).max()), 0.75 + 0.05)
        self.assertLess(float(np.abs(position[:, 2]).max()), 0.05)
        # It comes to an end by itself: hardly anybody is born in the last second, long before the budget.
        self.assertLess(sum(frame.births for frame in frames[-24:]), len(radius) * 0.01)
        self.assertLess(len(radius), raw["clock"]["particle_budget"] // 3)
        # No denser than discs can lie: π/√12 of the pane (Lagrange, Thue), a little more where they overlap or stand off the glass.
        self.assertLess(float((np.pi * radius**2).sum()) / (2.4 * 1.5), np.pi / np.sqrt(12) * 1.25)
        pairs = cKDTree(position).query_pairs(0.02, output_type="ndarray")
        overlap = 1 - np.linalg.norm(position[pairs[:, 0]] - position[pairs[:, 1]], axis=1) / (radius[pairs[:, 0]] + radius[pairs[:, 1]])
        self.assertLess(float(np.quantile(overlap, 0.9)), 0.3)


class NewNumbers(unittest.TestCase):
    """One limb grows otherwise, and no other changes."""

    def grown(self, outcome: int) -> dict[int, np.ndarray[Any, Any]]:
        grow = rule({"kind": "spawn", "count": 1.6, "group": "b", "parent": "kept", "lifetime": 1000.0, "speed": {"kind": "spread", "value": 1.0, "spread": 0.5},
            "heading": "any"}, id="grow", condition={"kind": "all", "conditions": [compare("age", "at_least", 0.2), compare("generation", "below", 4.0)]},
            trigger="once")  # fmt: skip
        draw = rule({"kind": "redraw", "outcome": max(1, outcome)}, id="draw", trigger="birth", condition=compare("number", "equal", 2.0), enabled=outcome > 0)
        columns = run(scene(draw, grow, count=5), 11)[-1].columns
        return {family: columns["position"][columns["family"] == family] for family in range(5)}

    def test_one_limb_alone(self) -> None:
        plain, one, other = (self.grown(outcome) for outcome in (0, 1, 2))
        for family in (0, 1, 3, 4):
            np.testing.assert_array_equal(plain[family], one[family])
            np.testing.assert_array_equal(plain[family], other[family])
        for first, second in ((plain, one), (plain, other), (one, other)):
            self.assertFalse(np.array_equal(first[2], second[2]))
        np.testing.assert_array_equal(one[2], self.grown(1)[2])


if __name__ == "__main__":
    unittest.main()
