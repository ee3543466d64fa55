"""Born on solid shapes: newborns and children belong to the side they leave for, keep their speed, and containers keep whom they hold."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge import demo
from hailridge.core.space.transforms import Transform
from tests.support import compare, document, rule, run

SOLID = rule({"kind": "bounce", "shape": "floor", "bounciness": 0.4, "friction": 0.0}, id="solid")
RADIUS = 0.05


def thrown(shape: dict[str, Any], *rules: dict[str, Any], fps: float = 24.0, steps: int = 1, solid: Any = SOLID, **source: Any) -> list[Any]:
    """A stream born on a solid shape called floor, without any force."""
    raw = document(
        solid,
        *rules,
        shapes=[{"id": "floor", "label": "Floor", **shape}],
        source={
            "shape": "floor", "placement": {"kind": "surface"}, "emission": {"kind": "rate", "rate": 300.0},
            "direction": {"kind": "normal", "cone": 100.0}, "speed": 2.0, **source,
        },
        clock={"duration": 0.6, "frames_per_second": fps, "steps_per_frame": steps},
    )  # fmt: skip
    return run(raw)


TURN = [30.0, 10.0, 65.0]
UP = Transform.of([0, 0, 0], TURN, 1.0).vectors(np.array([[0.0, 1.0, 0.0]]))[0]
FLAT: dict[str, dict[str, Any]] = {
    "plane": {"kind": "plane", "width": 4.0, "depth": 4.0},
    "disc": {"kind": "disc", "radius": 2.0},
}


class OnFlatShapes(unittest.TestCase):
    def test_newborns_leave_by_the_side_they_are_thrown_to_with_all_their_speed(self) -> None:
        for kind, shape in FLAT.items():
            for offset in (-0.04, -0.01, 0.0, 0.01, 0.04):
                for sign in (1.0, -1.0):
                    for fps, steps in ((24.0, 1), (60.0, 3)):
                        with self.subTest(kind, offset=offset, sign=sign, fps=fps):
                            frames = thrown({**shape, "rotation": TURN}, offset=offset, speed=2.0 * sign, fps=fps, steps=steps)
                            columns = frames[-1].columns
                            heights = columns["position"].astype(float) @ UP
                            self.assertTrue((sign * heights > RADIUS * 0.99).all())
                            np.testing.assert_allclose(np.linalg.norm(columns["velocity"], axis=1), 2.0, rtol=1e-5)
                            self.assertEqual(int(columns["contact_count"].sum()), 0)

    def test_what_is_noticed_first_changes_nothing(self) -> None:
        both = rule({"kind": "notice", "shape": "point"}, *SOLID["actions"], id="solid")
        with_it, without = (thrown({**FLAT["plane"], "rotation": TURN}, offset=-0.04, solid=solid)[-1].columns["position"] for solid in (both, SOLID))
        np.testing.assert_array_equal(with_it, without)
        self.assertTrue((without @ UP > RADIUS * 0.99).all())

    def test_those_who_do_not_move_lie_on_the_front(self) -> None:
        columns = thrown({**FLAT["plane"], "rotation": TURN}, speed=0.0)[-1].columns
        np.testing.assert_allclose(columns["position"] @ UP, RADIUS, atol=1e-4)

    def test_on_shapes_that_move(self) -> None:
        # The plane sinks at 3 m/s and turns; thrown off at 2 m/s in the world, they leave it upward all the same, and stay above it.
        keys = {"keys": [{"at": 0.0, "value": [0.0, 1.0, 0.0]}, {"at": 1.0, "value": [0.0, -2.0, 0.0]}]}
        for steps in (1, 4):
            frames = thrown({**FLAT["plane"], "position": keys}, steps=steps)
            for frame in frames:
                level = 1.0 - 3.0 * frame.time
                self.assertTrue((frame.columns["position"][:, 1] > level + RADIUS * 0.9).all(), frame.number)
            self.assertEqual(int(frames[-1].columns["contact_count"].sum()), 0)
        # It rises faster than they are thrown: against it they move down, so they are born below.
        rising = {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.0, "value": [0.0, 5.0, 0.0]}]}
        frames = thrown({**FLAT["plane"], "position": rising}, direction={"kind": "normal"})
        for frame in frames[1:]:
            self.assertTrue((frame.columns["position"][:, 1] < 5.0 * frame.time - RADIUS * 0.9).all(), frame.number)

    def test_a_source_close_to_a_floor_of_its_own(self) -> None:
        disc = {"kind": "disc", "id": "disc", "label": "Disc", "radius": 0.5}
        for height, speed, side in ((0.0, 2.0, 1), (-0.02, 2.0, 1), (0.02, -2.0, 1), (0.02, 2.0, 1), (-0.02, -2.0, -1)):
            raw = document(
                SOLID, shapes=[{"id": "floor", "label": "Floor", **FLAT["plane"]}, {**disc, "position": [0.0, height, 0.0]}],
                source={"shape": "disc", "placement": {"kind": "surface"}, "emission": {"kind": "rate", "rate": 200.0},
                        "direction": {"kind": "normal"}, "speed": speed},
                clock={"duration": 0.5},
            )  # fmt: skip
            heights = run(raw)[-1].columns["position"][:, 1]
            self.assertTrue((side * heights > RADIUS * 0.99).all(), (height, speed))

    def test_the_starters_source_moved_to_the_floor(self) -> None:
        raw = demo.document(demo.STARTER)
        raw["sources"][0]["shape"] = "floor"
        frames = run(raw, 36)
        self.assertGreater(frames[-1].count, 200)
        for frame in frames:
            # Over the floor; those who have flown beyond its edge fall.
            places = frame.columns["position"]
            over = (np.abs(places[:, [0, 2]]) < 3.9).all(axis=1)
            self.assertTrue((places[over, 1] > 0).all(), frame.number)
        self.assertGreater(float(frames[-1].columns["position"][:, 1].max()), 1.0)


class OnClosedShapes(unittest.TestCase):
    def test_thrown_off_a_box_they_are_outside(self) -> None:
        for offset in (-0.04, 0.0, 0.03):
            for shape in ({"kind": "box", "size": [1.0, 2.0, 1.0], "rotation": TURN}, {"kind": "ball", "radius": 0.8}):
                columns = thrown(shape, offset=offset, direction={"kind": "normal"})[-1].columns
                np.testing.assert_allclose(np.linalg.norm(columns["velocity"], axis=1), 2.0, rtol=1e-5)
                self.assertGreater(float(np.linalg.norm(columns["position"], axis=1).max()), 1.5)
                self.assertEqual(int(columns["contact_count"].sum()), 0)

    def test_born_inside_near_the_wall_they_stay_inside(self) -> None:
        inner = dict(placement={"kind": "inside"}, direction={"kind": "any"}, radius=0.2, speed=4.0)
        frames = thrown({"kind": "box", "size": [2.0, 2.0, 2.0]}, **inner)
        for frame in frames:
            self.assertLess(float(np.abs(frame.columns["position"]).max(initial=0)), 1.0 - 0.2 + 1e-3)
        self.assertGreater(frames[-1].columns["contact_count"].sum(), 100)


class Children(unittest.TestCase):
    def test_children_stay_on_their_parents_side(self) -> None:
        spawn = {
            "kind": "spawn", "group": "b", "count": 6, "around": 0.4, "heading": "any", "speed": 2.0, "radius": 0.12, "lifetime": 9.0,
        }  # fmt: skip
        burst = rule(spawn, id="burst", who=["a"], trigger="once", condition=compare("age", "above", 0.3))
        for trigger in ("once", "contact", "death"):
            split = {**burst, "trigger": trigger, "condition": burst["condition"] if trigger == "once" else None}
            raw = document(
                rule({"kind": "gravity"}), SOLID, split, count=150, groups=["a", "b"],
                shapes=[{"id": "floor", "label": "Floor", "kind": "plane", "width": 40.0, "depth": 40.0}],
                position=[0.0, 0.3, 0.0], speed={"kind": "spread", "value": 0.6, "spread": 0.5}, axis=[0.3, -1.0, 0.0],
                source={"radius": 0.03, "lifetime": 0.25 if trigger == "death" else 50.0},
            )  # fmt: skip
            frames = run(raw)
            children = frames[-1].columns["group"] == 1
            self.assertGreater(np.count_nonzero(children), 500, trigger)
            for frame in frames:
                grown = frame.columns["group"] == 1
                self.assertTrue((frame.columns["position"][grown, 1] > 0.06).all(), (trigger, frame.number))


if __name__ == "__main__":
    unittest.main()
