"""Every quantity read off a known state, and every amount given for it."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.kinds.amounts.first import FirstValue
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.model.kind import kinds
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run

BALL = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0, "position": [0.0, 0.0, 0.0]}


GATE = {
    "kind": "falloff",
    "id": "gate",
    "label": "Gate",
    "shape": "point",
    "inner": 1.0,
    "outer": 3.0,
    "course": "evenly",
}


class KnownState(unittest.TestCase):
    """Three particles set by hand; the expected values follow from the definitions."""

    def setUp(self) -> None:
        raw = document(
            count=3,
            groups=["a", "b"],
            shapes=[BALL, {"kind": "box", "id": "room", "label": "Room", "size": [4.0, 6.0, 4.0]}],
            fields=[GATE],
            attributes=[{"id": "warmth", "label": "Warmth", "initial": 2.5}, {"id": "hot", "label": "Hot", "type": "flag"}],
        )
        effect = read_effect(raw)
        frame = run(effect, 1)[-1]
        columns = {name: column.copy() for name, column in frame.columns.items()}
        columns["position"][:] = [[3, 4, 0], [0, -2, 0], [0, 0, 1.5]]
        columns["velocity"][:] = [[3, -4, 0], [0, 0, 2], [0, 0, 0]]
        columns["age"][:] = [0.5, 1.0, 3.0]
        columns["lifetime"][:] = [1.0, 4.0, 2.0]
        columns["entered"][:] = [0.0, 0.5, 0.75]
        columns["group"][:] = [0, 1, 1]
        columns["touching"][:] = [0, 1 << 1, 1 << 0]
        columns["contact_count"][:] = [0, 2, 5]
        columns["impact_speed"][:] = [0, 7, 1]
        columns["contact_time"][:] = [-1e30, 0.25, 1.0]
        columns["own hot"][:] = [1, 0, 1]
        columns["color"][:] = [[1, 1, 1], [0, 0, 0], [1, 0, 0]]
        self.moment: Moment = recorded_moment(Plan(effect, MemoryAssets()), columns, 3, 24)

    def read(self, kind: str, **fields: Any) -> list[Any]:
        quantity = kinds("quantity")[kind](kind=kind, **fields)
        whole = np.asarray(quantity.read(self.moment, slice(0, 3)))  # type: ignore[attr-defined]
        some = np.asarray(quantity.read(self.moment, np.array([0, 2])))  # type: ignore[attr-defined]
        np.testing.assert_array_equal(some, whole[[0, 2]], f"{kind} read for some is not what it is for all")
        out: list[Any] = whole.tolist()
        return out

    def test_each(self) -> None:
        expected: list[tuple[str, dict[str, Any], list[Any]]] = [
            ("age", {}, [0.5, 1, 3]),
            ("life_fraction", {}, [0.5, 0.25, 1]),
            ("remaining", {}, [0.5, 3, 0]),
            ("time_in_group", {}, [1, 0.5, 0.25]),
            ("speed", {}, [5, 2, 0]),
            ("height", {}, [4, -2, 0]),
            ("place", {"axis": "z"}, [0, 0, 1.5]),
            ("velocity_along", {"axis": "y"}, [-4, 0, 0]),
            ("distance", {"shape": "ball"}, [4, 1, 0.5]),
            ("distance", {"shape": "point"}, [5, 2, 1.5]),
            ("touching", {"shape": None}, [False, True, True]),
            ("touching", {"shape": "ball"}, [False, True, False]),
            ("contact_count", {}, [0, 2, 5]),
            ("impact_speed", {}, [0, 7, 1]),
            ("attribute", {"attribute": "warmth"}, [2.5, 2.5, 2.5]),
            ("attribute", {"attribute": "velocity"}, [5, 2, 0]),
            ("attribute", {"attribute": "color"}, [1, 0, 0.2126]),
            ("attribute", {"attribute": "velocity", "part": "y"}, [-4, 0, 0]),
            ("marked", {"attribute": "hot"}, [True, False, True]),
            ("formula", {"text": "speed + 2 * warmth - height()"}, [6, 9, 5]),
            ("birth_order", {}, [0, 1, 2]),
            ("number", {}, [0, 1, 2]),
            # The second and third are √(4 + 2.25) = 2.5 m apart, the first more than 4.9 m from both.
            ("neighbours", {"distance": 2.6}, [0, 1, 1]),
            ("neighbours", {"distance": 2.4}, [0, 0, 0]),
            ("neighbours", {"distance": 9.0, "who": ["b"]}, [2, 1, 1]),
            ("touching_group", {"gap": 2.45}, [False, True, True]),
            ("touching_group", {"gap": 2.35}, [False, False, False]),
            ("touching_group", {"gap": 9.0, "who": ["a"]}, [False, True, True]),
            ("time", {}, [1, 1, 1]),
            ("population", {"group": "b"}, [2, 2, 2]),
            # Three of a source, each the first of its family.
            ("generation", {}, [0, 0, 0]),
            ("family", {}, [0, 1, 2]),
            ("parent_number", {}, [-1, -1, -1]),
            ("inside", {"shape": "ball"}, [False, False, False]),
            ("inside", {"shape": "room"}, [False, True, True]),
            # The second is under the ball, the third at a point, which has no surface.
            ("steepness", {}, [0, 180, 0]),
            ("touch_normal", {"axis": "y"}, [0, -1, 0]),
            ("place_on_shape", {"shape": "room", "axis": "x"}, [3, 0, 0]),
            # 5, 2 and 1.5 m from the point, between boundaries at 1 and 3 m, falling evenly.
            ("field", {"field": "gate"}, [0, 0.5, 0.75]),
        ]
        for kind, fields, values in expected:
            with self.subTest(kind=kind, **fields):
                np.testing.assert_allclose(self.read(kind, **fields), values, atol=1e-5)
        # What is only kept where it is asked for is tested with what gives it (test_sliding, test_sticking).
        kept = {"stuck", "sliding", "touched_last", "met_last", "pull_along", "pull_away"}
        tested = {kind for kind, _, _ in expected} | {"since_contact", "since_rule", "own_random"} | kept
        # What neighbourhoods find, and what is sensed of surfaces, is tested where they are.
        elsewhere = {kind for kind, cls in kinds("quantity").items() if "neighbourhood" in cls.model_fields or cls.category == "Surfaces"}
        self.assertEqual(tested, set(kinds("quantity")) - elsewhere, "a quantity is not tested here")

    def test_time_since_contact(self) -> None:
        since = self.read("since_contact")
        self.assertGreater(since[0], 1e20)
        np.testing.assert_allclose(since[1:], [0.75, 0], atol=1e-6)

    def test_random_number_stays_and_depends_on_its_seed(self) -> None:
        first, again, other = (
            self.read("own_random"),
            self.read("own_random"),
            self.read("own_random", seed=1),
        )
        self.assertEqual(first, again)
        self.assertNotEqual(first, other)

    def test_equals_and_between(self) -> None:
        equal = read_effect(document(rule(condition=compare("contact_count", "equal", 2.0))))
        between = {"kind": "between", "quantity": {"kind": "speed"}, "low": 1.0, "high": 3.0}
        inside = read_effect(document(rule(condition=between)))
        for effect in (equal, inside):
            condition = effect.rules[0].condition
            assert condition is not None
            self.assertEqual(condition.holds(self.moment, slice(0, 3)).tolist(), [False, True, False])


class Extents(unittest.TestCase):
    """What an amount says of its range is what it gives."""

    def test_limits_on_one_side_hold(self) -> None:
        amount = FirstValue(attribute="radius")
        for low, high, expected in ((0.0, None, [0, 5]), (None, 2.0, [-3, 2]), (None, None, [-3, 5]), (0.0, 2.0, [0, 2])):
            np.testing.assert_array_equal(amount.within(low, high).held(np.array([-3.0, 5.0])), expected)

    def test_given_values_lie_within(self) -> None:
        amounts: list[dict[str, Any]] = [
            {"kind": "fixed", "value": 2.0},
            {"kind": "spread", "value": 2.0, "spread": 0.5},
            {"kind": "spread", "value": 2.0, "spread": 0.5, "shape": "bell"},
            {"kind": "mapped", "quantity": {"kind": "own_random"}, "low": -1.0, "high": 4.0},
            {
                "kind": "curve",
                "curve": {
                    "keys": [
                        {"at": 0.0, "value": 1.0, "ease": [0.3, -1.0, 0.6, 2.0]},
                        {"at": 1.0, "value": -2.0},
                    ]
                },
            },
            {"kind": "noise", "low": 1.0, "high": 3.0, "size": 0.2},
            {"kind": "field", "field": "gate", "low": 2.0, "high": -1.0},
            {"kind": "dial", "dial": "strength", "factor": -2.0},
            {"kind": "first", "attribute": "radius"},
            {"kind": "as_it_is", "quantity": {"kind": "own_random"}, "factor": -3.0, "added": 1.0},
            {"kind": "formula", "text": "3 * sin(id) - random(4)"},
        ]
        self.assertEqual({amount["kind"] for amount in amounts}, set(kinds("amount")))
        for amount in amounts:
            with self.subTest(kind=amount["kind"]):
                effect = read_effect(
                    document(
                        count=2000,
                        source={"lifetime": {"kind": "spread", "value": 2.0, "spread": 1.9}, "speed": amount},
                        fields=[GATE],
                        dials=[{"id": "strength", "label": "Strength", "value": 3.0}],
                    )
                )
                frame = run(effect, 20)[-1]
                moment = recorded_moment(Plan(effect, MemoryAssets()), frame.columns, frame.count, 20)
                given = effect.sources[0].speed
                values = np.asarray(given.give(moment, moment.everyone()))
                low, high = given.extent()
                self.assertGreaterEqual(values.min(), low - 1e-5)
                self.assertLessEqual(values.max(), high + 1e-5)
                self.assertEqual(given.width(), 1)

    def test_colours_have_three_components(self) -> None:
        raw = document(
            source={"color": {"kind": "spread", "value": [0.5, 0.6, 0.7], "spread": 0.1}}, count=500
        )
        colors = run(raw, 0)[0].columns["color"]
        # The same shift for all channels: a tint gets lighter or darker and keeps its hue.
        np.testing.assert_allclose(colors[:, 1] - colors[:, 0], 0.1, atol=1e-5)
        self.assertTrue((np.abs(colors[:, 0] - 0.5) <= 0.1 + 1e-6).all())


if __name__ == "__main__":
    unittest.main()
