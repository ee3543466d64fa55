"""First values that particles come back to, values to begin with, and how long it took from one thing to another."""

from __future__ import annotations

import unittest

import numpy as np

from hailridge.core.looking.elapsing import elapsed_between
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.looking.suggesting import present_attribute, present_quantity
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.model.kind import kinds
from hailridge.model.rounding import band_of, ends
from hailridge.model.validation import read_effect
from tests.core.test_shapes import shape
from tests.support import PLANE, compare, document, rule, run, track

SPREAD = {"kind": "spread", "value": 0.3, "spread": 0.2}


class FirstValues(unittest.TestCase):
    def test_back_to_what_each_was_born_with(self) -> None:
        grow = rule({"kind": "set", "attribute": "radius", "amount": 1.0}, id="grow", condition=compare("age", "below", 0.5))
        back = rule({"kind": "restore", "attribute": "radius"}, condition=compare("age", "at_least", 0.5))
        spawn = rule(
            {"kind": "spawn", "group": "b", "count": 1, "parent": "kept", "radius": 0.07},
            id="child", trigger="once", who=["a"], condition=compare("age", "above", 0.25),
        )  # fmt: skip
        frames = run(document(grow, spawn, back, count=50, groups=["a", "b"], source={"radius": SPREAD}))
        born = run(document(count=50, source={"radius": SPREAD}), 0)[0].columns["radius"]
        last = frames[-1].columns
        self.assertTrue((frames[3].columns["radius"] == 1.0).all())
        np.testing.assert_array_equal(last["radius"][:50], born)
        np.testing.assert_allclose(last["radius"][50:], 0.07)

    def test_approached_by_degrees(self) -> None:
        first = {"kind": "first", "attribute": "color"}
        paint = rule({"kind": "set", "attribute": "color", "amount": [1.0, 0.0, 0.0]}, id="paint", trigger="once")
        fade = rule({"kind": "approach", "attribute": "color", "amount": first, "manner": "over", "time": 1.0})
        colors = track(run(document(paint, fade, source={"color": [0.0, 0.0, 1.0]})), "color")
        np.testing.assert_allclose(colors[12], [0.5, 0.0, 0.5], atol=0.03)
        np.testing.assert_allclose(colors[-1], [0.0, 0.0, 1.0], atol=1e-6)


class ToBeginWith(unittest.TestCase):
    def test_from_what_the_particles_have(self) -> None:
        effect = read_effect(document(count=401, speed={"kind": "spread", "value": 7.0, "spread": 2.0}, source={"radius": 0.2}))
        frame = run(effect, 0)[0]
        moment = recorded_moment(Plan(effect, MemoryAssets()), frame.columns, frame.count, 0)
        speed = present_quantity(moment, kinds("quantity")["speed"](kind="speed"), [])
        assert speed is not None
        self.assertAlmostEqual(speed.middle, 7.0, delta=0.4)
        self.assertTrue(5.0 <= speed.lowest < speed.lower < speed.middle < speed.upper < speed.highest <= 9.0)
        # From 5.1 to 8.9 or so: ends and bands are round.
        self.assertEqual((round(speed.lowest % 0.2, 9) % 0.2, round(speed.highest % 0.2, 9) % 0.2, speed.band), (0.0, 0.0, 0.5))
        # Where all are alike, what lies to either side; a quantity that nobody has is no number to begin with.
        radius = present_attribute(moment, "radius", ["a"])
        assert radius is not None
        self.assertEqual(radius.middle, 0.2)
        self.assertTrue(radius.lowest < 0.2 < radius.highest)
        self.assertEqual(len(present_attribute(moment, "velocity", []).middle), 3)  # type: ignore[union-attr]
        self.assertIsNone(present_attribute(moment, "color", []))
        self.assertIsNone(present_quantity(moment, kinds("quantity")["since_contact"](kind="since_contact"), []))

    def test_a_threshold_that_tells_nobody_apart_begins_half_way(self) -> None:
        """A field that nobody is in yet, a life that has just begun, an opacity that is whole: between what there can be."""
        field = {"kind": "falloff", "id": "front", "label": "Front", "shape": "far", "outer": 0.5}
        shapes = [shape("ball", id="far", label="Far", position=[9.0, 0.0, 0.0])]
        effect = read_effect(document(count=40, shapes=shapes, fields=[field], source={"lifetime": {"kind": "spread", "value": 4.0, "spread": 2.0}}))
        frames = run(effect, 24)
        moments = [recorded_moment(Plan(effect, MemoryAssets()), frame.columns, frame.count, frame.number) for frame in (frames[0], frames[24])]
        quantity = kinds("quantity")
        # After one second of four, give or take, what they have lived says more.
        for kind, later, within in (
            (quantity["field"](kind="field", field="front"), 0.5, 0.0),
            (quantity["life_fraction"](kind="life_fraction"), 0.25, 0.08),
            (quantity["attribute"](kind="attribute", attribute="opacity"), 0.5, 0.0),
        ):
            first, second = (present_quantity(moment, kind, []) for moment in moments)
            assert first is not None and second is not None
            self.assertEqual(first.middle, 0.5)
            self.assertTrue(0 <= first.lowest < first.lower < first.middle < first.upper < first.highest <= 1, first)
            self.assertAlmostEqual(second.middle, later, delta=within)

    def test_ramps_and_bands_begin_and_end_where_one_would_type_it(self) -> None:
        """Bands of age stood as *bands of 0.39 s from 0.05 s*."""
        cases: list[tuple[tuple[float, float, float | None, float | None], tuple[float, float, float]]] = [
            ((0.05, 2.4, 0.0, None), (0.0, 2.4, 0.5)),  # ages: nobody is younger than 0
            ((0.031, 0.049, 0.0, None), (0.031, 0.049, 0.002)),  # radii far from 0
            ((0.2, 0.9, 0.0, 1.0), (0.0, 1.0, 0.2)),  # shares have both ends
            ((3.0, 497.0, 0.0, None), (0.0, 500.0, 100.0)),
            ((-3.2, 4.1, None, None), (-3.5, 4.5, 1.0)),
        ]
        for given, (start, end, band) in cases:
            with self.subTest(given):
                self.assertEqual((*ends(*given), band_of(*ends(*given))), (start, end, band))


class FromOneToAnother(unittest.TestCase):
    def test_how_long_after_the_touch_did_each_stop(self) -> None:
        # Handbook mechanics: dropped from h with bounciness 0 a ball touches after √(2h/g); the rule stops it a quarter of a second later.
        stop = rule(
            {"kind": "set", "attribute": "mass", "amount": 2.0}, id="stop", trigger="becomes",
            condition=compare({"kind": "since_contact"}, "at_least", 0.25),
        )  # fmt: skip
        touched = compare({"kind": "contact_count"}, "at_least", 1.0)
        stop["condition"] = {"kind": "all", "conditions": [touched, stop["condition"]]}
        raw = document(
            rule({"kind": "gravity"}), rule({"kind": "bounce", "shape": "plane", "bounciness": 0.0}), stop,
            shapes=[PLANE], count=30, position=[0.0, 1.0, 0.0], speed={"kind": "spread", "value": 0.0, "spread": 1.0},
        )  # fmt: skip
        events = np.concatenate([frame.events for frame in run(raw)])
        found = elapsed_between(events, ("contact", 1), ("rule", 2))
        self.assertEqual(len(found.particles), 30)
        np.testing.assert_allclose(found.seconds, 0.25, atol=1e-5)
        np.testing.assert_array_equal(found.ends - found.begins, 6)
        falls = elapsed_between(events, ("birth", -1), ("contact", -1))
        self.assertGreater(float(falls.seconds.std()), 0.02)
        self.assertEqual(len(elapsed_between(events, ("rule", 2), ("contact", 1)).particles), 0)
        self.assertEqual(len(elapsed_between(events, ("group", 0), ("rule", 2)).particles), 30)


if __name__ == "__main__":
    unittest.main()
