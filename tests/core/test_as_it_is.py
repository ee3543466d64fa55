"""A quantity as an amount: itself, in its own unit, held within what is possible where it stands."""

from __future__ import annotations

import unittest

import numpy as np

from hailridge.model.exchanging import NothingFits, exchanged
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run


def as_it_is(quantity: str | dict, **rest: float) -> dict:
    return {"kind": "as_it_is", "quantity": {"kind": quantity} if isinstance(quantity, str) else quantity, **rest}


class AsItIs(unittest.TestCase):
    def last(self, *rules: dict, **rest: object) -> dict[str, np.ndarray]:
        return run(document(*rules, count=200, speed={"kind": "spread", "value": 3.0, "spread": 2.0}, **rest), 3)[-1].columns

    def test_the_quantity_itself(self) -> None:
        columns = self.last(rule({"kind": "set", "attribute": "radius", "amount": as_it_is("speed", factor=0.1, added=0.01)}))
        speeds = np.linalg.norm(columns["velocity"], axis=1)
        np.testing.assert_allclose(columns["radius"], speeds * 0.1 + 0.01, rtol=1e-5)
        self.assertGreater(np.ptp(columns["radius"]), 0.2)

    def test_held_where_it_stands(self) -> None:
        # Below zero no radius, above one no opacity; a force with limits of its own is held at them.
        columns = self.last(
            rule({"kind": "set", "attribute": "radius", "amount": as_it_is("speed", factor=-1.0)}),
            rule({"kind": "set", "attribute": "opacity", "amount": as_it_is("speed", factor=100.0)}, id="o"),
            rule({"kind": "gravity", "acceleration": as_it_is("speed", factor=1e6)}, id="g"),
            clock={"frames_per_second": 24.0},
        )
        self.assertEqual((columns["radius"].max(), columns["opacity"].min()), (0.0, 1.0))
        self.assertGreaterEqual(columns["velocity"][:, 1].min(), 1.0 - 1000 * 3 / 24 - 1)

    def test_what_is_known_to_be_too_much_is_told(self) -> None:
        problems = read_effect(document(rule({"kind": "set", "attribute": "opacity", "amount": as_it_is("life_fraction", factor=2.0)}))).problems
        self.assertEqual(problems[0].text, "may become 2, but cannot be above 1")

    def test_two_quantities_compared(self) -> None:
        # Faster than its own random number times six: a threshold of its own for each.
        faster = compare("speed", "above", as_it_is("own_random", factor=6.0))
        columns = self.last(rule({"kind": "set", "attribute": "opacity", "amount": 0.25}, condition=faster))
        self.assertTrue(0.2 < (columns["opacity"] == 0.25).mean() < 0.8)

    def test_keyframes_on_its_factor(self) -> None:
        keyed = {"keys": [{"at": 0.0, "value": 0.0}, {"at": 1.0, "value": 1.0}]}
        raw = document(rule({"kind": "set", "attribute": "radius", "amount": as_it_is("speed", factor=keyed)}), speed=2.0, clock={"duration": 1.0})
        self.assertAlmostEqual(float(run(raw)[-1].columns["radius"][0]), 2.0, delta=1e-4)

    def test_three_numbers_are_more_than_one(self) -> None:
        raw = document(rule({"kind": "set", "attribute": "color", "amount": [1.0, 1.0, 1.0]}))
        with self.assertRaisesRegex(NothingFits, "one number; here three are needed"):
            exchanged(raw, ("rules", 0, "actions", 0, "amount"), "as_it_is")
        after = exchanged(document(rule({"kind": "set", "attribute": "mass", "amount": 1.0})), ("rules", 0, "actions", 0, "amount"), "as_it_is")
        self.assertEqual(read_effect(after).problems, [])
