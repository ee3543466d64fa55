"""Rules on contact act where it happens: at the touch, within the step, whatever the steps are."""

from __future__ import annotations

import unittest

import numpy as np

from hailridge.formats.touches import csv_lines
from hailridge.model.validation import read_effect
from tests.support import PLANE, compare, document, rule, run, simulation, track

GRAVITY = rule({"kind": "gravity", "acceleration": 9.81})
BOUNCE = rule({"kind": "bounce", "shape": "plane", "bounciness": 0.8, "friction": 0.2})
STOP = rule({"kind": "set", "attribute": "speed", "amount": 0.0}, trigger="contact", id="stop")
RADIUS = 0.05
RATES = ({"frames_per_second": 24.0}, {"frames_per_second": 25.0}, {"frames_per_second": 60.0}, {"frames_per_second": 24.0, "steps_per_frame": 3})


def shower(*rules: dict, count: int = 300, **rest: object) -> dict:
    """Thrown down onto the plane from a box of heights, all at different moments of a step."""
    box = {"kind": "box", "id": "box", "label": "Box", "size": [2.0, 1.0, 2.0], "position": [0.0, 1.6, 0.0]}
    clock = {"duration": 1.5} | rest.pop("clock", {})  # type: ignore[operator]
    shapes = [PLANE, box, *rest.pop("shapes", [])]  # type: ignore[misc]
    source = {"shape": "box", "placement": {"kind": "inside"}, "speed": 4.0} | rest.pop("source", {})  # type: ignore[operator]
    return document(*rules, count=count, axis=[0.3, -1.0, 0.0], source=source, shapes=shapes, clock=clock, **rest)


class SentOff(unittest.TestCase):
    def test_what_pushes_it_goes_on_pushing_from_the_touch_on(self) -> None:
        """Pushed along the plane all the time, it comes down at 2 m/s and is sent up at 3 m/s by its rule: from the touch on it is ½ a t² further
        along at every recorded frame, at any rate (handbook mechanics)."""
        away = rule({"kind": "set", "attribute": "velocity", "amount": {"kind": "fixed", "value": [0.0, 3.0, 0.0]}}, trigger="contact", id="away")
        along = rule({"kind": "constant", "acceleration": {"kind": "fixed", "value": [4.0, 0.0, 0.0]}}, id="along")
        for clock in (*RATES, {"frames_per_second": 10.0}):
            with self.subTest(clock):
                frames = run(document(along, BOUNCE, away, position=[0.0, 1.03, 0.0], axis=[0.0, -1.0, 0.0], speed=2.0, shapes=[PLANE], clock={"duration": 1.0} | clock))
                touch = (1.03 - RADIUS) / 2.0
                after = [frame for frame in frames if frame.time > touch]
                self.assertGreater(len(after), 4)
                begun = next(frame.touches["place"][0, 0] for frame in frames if len(frame.touches))
                for frame in after:
                    since, place = frame.time - touch, frame.columns["position"][0]
                    np.testing.assert_allclose(place[:2], [begun + 2.0 * since**2, RADIUS + 3.0 * since], atol=2e-5)

    def test_who_has_come_off_touches_no_longer(self) -> None:
        """From a gap of a hundredth of its radius on: leaving at 0.1 m/s it is 4 mm away a frame later, a fiftieth of its radius."""
        touching = rule({"kind": "set", "attribute": "opacity", "amount": 0.5}, condition={"kind": "holds", "quantity": {"kind": "touching", "shape": "plane"}}, id="t",
            otherwise=[{"kind": "set", "attribute": "opacity", "amount": 1.0}])  # fmt: skip
        slow = rule({"kind": "bounce", "shape": "plane", "bounciness": 1.0}, id="slow")
        frames = run(document(slow, touching, position=[0.0, 0.21, 0.0], axis=[0.0, -1.0, 0.0], speed=0.1, source={"radius": 0.2}, shapes=[PLANE]))
        touched = [frame.number for frame in frames if frame.columns["opacity"][0] == 0.5]
        gaps = [float(frame.columns["position"][0, 1]) - 0.2 for frame in frames]
        self.assertTrue(touched)
        self.assertTrue(all(gaps[number] < 0.006 for number in touched), [gaps[number] for number in touched])


class Stopped(unittest.TestCase):
    def test_stays_where_it_touched(self) -> None:
        # Without gravity nothing moves it on, so every recorded frame after the touch has it on the floor.
        for clock in RATES:
            with self.subTest(clock):
                last = run(shower(BOUNCE, STOP, clock=clock))[-1].columns
                self.assertTrue((last["contact_count"] == 1).all())
                np.testing.assert_allclose(last["position"][:, 1], RADIUS, atol=2e-5)
                self.assertEqual(float(np.abs(last["velocity"]).max()), 0.0)

    def test_lies_still_under_gravity(self) -> None:
        for clock in RATES:
            with self.subTest(clock):
                last = run(shower(GRAVITY, BOUNCE, STOP, clock=clock))[-1].columns
                np.testing.assert_allclose(last["position"][:, 1], RADIUS, atol=1e-4)

    def test_where_the_way_meets_the_surface(self) -> None:
        # A straight way of known slope: the place of the touch follows from where it began (handbook geometry).
        first, *_rest, last = run(shower(BOUNCE, STOP))
        began, ended = first.columns["position"], last.columns["position"]
        fall = began[:, 1] - RADIUS
        np.testing.assert_allclose(ended[:, 0] - began[:, 0], 0.3 * fall, atol=2e-4)

    def test_on_a_surface_that_moves(self) -> None:
        lift = {"kind": "plane", "id": "lift", "label": "Lift", "width": 20.0, "depth": 20.0,
                "position": {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.5, "value": [0.0, 0.3, 0.0]}]}}  # fmt: skip
        solid = rule({"kind": "bounce", "shape": "lift", "bounciness": 0.8})
        frames = run(shower(solid, STOP, shapes=[lift]))
        for frame in frames:
            touched = frame.columns["contact_count"] > 0
            height = 0.2 * frame.time
            self.assertTrue((frame.columns["position"][touched, 1] > height + RADIUS - 1e-3).all(), frame.number)

    def test_only_those_for_whom_the_rule_holds(self) -> None:
        fast = compare("impact_speed", "above", 6.4)
        frames = run(shower(GRAVITY, BOUNCE, STOP | {"condition": fast}))
        stopped = frames[-1].columns["contact_count"] == 1
        self.assertTrue(0 < stopped.sum() < 300)


class WhereItHappens(unittest.TestCase):
    def test_children_begin_at_the_touch(self) -> None:
        burst = rule(
            {"kind": "spawn", "group": "b", "count": 2.0, "speed": 0.0, "lifetime": 9.0, "inherit_velocity": 0.0, "around": 0.0},
            {"kind": "remove"},
            trigger="contact", id="burst",
        )  # fmt: skip
        for clock in RATES:
            with self.subTest(clock):
                last = run(shower(BOUNCE, burst, groups=["a", "b"], clock=clock))[-1].columns
                self.assertEqual(len(last["id"]), 600)
                np.testing.assert_allclose(last["position"][:, 1], RADIUS, atol=1e-4)

    def test_two_surfaces_in_one_step_are_two_contacts(self) -> None:
        # A corner is met: the rule acts at each wall, and each shape reports once.
        walls = [
            {"kind": "plane", "id": "plane", "label": "Floor", "width": 20.0, "depth": 20.0},
            {"kind": "plane", "id": "wall", "label": "Wall", "width": 20.0, "depth": 20.0, "position": [1.0, 0.0, 0.0], "rotation": [0.0, 0.0, 90.0]},
        ]
        solid = [rule({"kind": "bounce", "shape": name, "bounciness": 1.0, "friction": 0.0}, id=name) for name in ("plane", "wall")]
        count = rule({"kind": "add", "attribute": "hits", "amount": 1.0, "per": "occasion"}, trigger="contact", id="count")
        raw = document(
            *solid, count, position=[0.5, 0.6, 0.0], axis=[1.0, -1.0, 0.0], speed=40.0, shapes=walls, clock={"duration": 0.2},
            attributes=[{"id": "hits", "label": "Hits", "initial": 0.0}],
        )  # fmt: skip
        _made, frames = simulation(raw)
        self.assertEqual(frames[-1].columns["own hits"].tolist(), [2.0])
        self.assertEqual(frames[-1].columns["contact_count"].tolist(), [2])
        # 40 m/s at 45° for some 0.2 s, reflected at both: as far from the corner as it went, on the other side of both (mirror images).
        way = 40.0 * frames[-1].time / np.sqrt(2)
        np.testing.assert_allclose(frames[-1].columns["position"][0, :2], [2 * (1 - RADIUS) - 0.5 - way, 2 * RADIUS - 0.6 + way], atol=2e-3)

    def test_a_rule_that_changes_nothing_leaves_every_bit(self) -> None:
        plain = run(shower(GRAVITY, BOUNCE))
        noted = run(shower(GRAVITY, BOUNCE, rule({"kind": "set", "attribute": "opacity", "amount": 1.0}, trigger="contact", id="note")))
        for name in ("position", "velocity", "contact_count", "touching"):
            self.assertEqual(plain[-1].columns[name].tobytes(), noted[-1].columns[name].tobytes(), name)

    def test_given_a_velocity_it_goes_on_with_it(self) -> None:
        # Thrown up on contact: from the moment of touch it rises as if thrown there, at any rate of frames (handbook ballistics).
        throw = rule({"kind": "set", "attribute": "velocity", "amount": [0.0, 6.0, 0.0]}, trigger="contact", id="throw")
        for clock in RATES:
            raw = document(GRAVITY, BOUNCE, throw, position=[0.0, 1.05, 0.0], shapes=[PLANE], clock={"duration": 1.0} | clock)
            heights = track(run(raw), "position")[:, 1] - RADIUS
            hit = np.sqrt(2 * 1.0 / 9.81)
            left = 1.0 - hit
            self.assertAlmostEqual(heights[-1], 6.0 * left - 9.81 / 2 * left**2, delta=0.004)

    def test_removed_at_the_touch_leaves_from_there(self) -> None:
        frames = run(shower(BOUNCE, rule({"kind": "remove"}, trigger="contact", id="remove")))
        heights = np.concatenate([frame.departed["position"][:, 1] for frame in frames if frame.departed])
        self.assertEqual(len(heights), 300)
        np.testing.assert_allclose(heights, RADIUS, atol=2e-5)


class Written(unittest.TestCase):
    def test_names_stand_over_the_lines_unless_they_have_been_written(self) -> None:
        raw = document(GRAVITY, BOUNCE, position=[0.0, 1.0, 0.0], shapes=[PLANE], clock={"duration": 2.0})
        touches = np.concatenate([frame.touches for frame in run(raw)])
        lines = csv_lines(read_effect(raw), touches).splitlines()
        self.assertEqual(lines[0], "time,frame,particle,shape,other,x,y,z,nx,ny,nz,speed")
        self.assertEqual(lines[1:], csv_lines(read_effect(raw), touches, head=False).splitlines())
        self.assertGreater(len(lines), 2)
