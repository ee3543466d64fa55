"""Particles that bounce off one another, against handbook mechanics: momentum, energy, exchange; and what rules make of a meeting."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from tests.support import PLANE, Document, compare, document, rule, run

RATES = ({"frames_per_second": 24.0}, {"frames_per_second": 60.0}, {"frames_per_second": 24.0, "steps_per_frame": 3})


def collide(**changes: Any) -> Document:
    return rule({"kind": "collide", "bounciness": 1.0} | changes, id="collide")


def two(*rules: Document, left: Document | None = None, right: Document | None = None, **changes: Any) -> Document:
    """A particle of group a from the left at 2 m/s, one of group b from the right at 1 m/s, on one line unless `aside`."""
    raw = document(*rules, groups=["a", "b"], position=[-1.0, 0.0, 0.0], axis=[1.0, 0.0, 0.0], speed=2.0, source={"radius": 0.1, "mass": 1.0} | (left or {}),
        clock={"duration": 2.0} | changes.pop("clock", {}), **changes)  # fmt: skip
    other = raw["sources"][0] | {"id": "other", "label": "Other", "group": "b", "shape": "far", "direction": {"kind": "axis", "axis": [-1.0, 0.0, 0.0]}, "speed": 1.0, "mass": 1.0}
    raw["sources"].append(other | (right or {}))
    raw["shapes"].append({"kind": "point", "id": "far", "label": "Far", "position": [1.0, changes.pop("aside", 0.0), 0.0]})
    return raw


class TwoBalls(unittest.TestCase):
    def test_equal_ones_exchange_velocities(self) -> None:
        """And they do so where they meet: 1.8 m between their surfaces, closing at 3 m/s, after 0.6 s, at any rate."""
        for clock in RATES:
            with self.subTest(clock):
                frames = run(two(collide(), clock=clock))
                last = frames[-1].columns
                np.testing.assert_allclose(last["velocity"][:, 0], [-1.0, 2.0], atol=1e-5)
                met = 0.6
                time = frames[-1].time - met
                np.testing.assert_allclose(last["position"][:, 0], [-1.0 + 2.0 * met - time, 1.0 - met + 2.0 * time], atol=1e-4)

    def test_momentum_and_energy(self) -> None:
        """p is kept; of the energy of the relative motion e² stays (handbook mechanics)."""
        for e in (0.0, 0.3, 0.8, 1.0):
            for light, heavy in ((1.0, 1.0), (1.0, 5.0), (0.2, 3.0)):
                with self.subTest(e=e, heavy=heavy):
                    last = run(two(collide(bounciness=e), left={"mass": light}, right={"mass": heavy}))[-1].columns
                    speeds, masses = last["velocity"][:, 0].astype(float), np.array([light, heavy])
                    self.assertAlmostEqual(float(speeds @ masses), 2.0 * light - 1.0 * heavy, delta=1e-4)
                    self.assertAlmostEqual(float(speeds[1] - speeds[0]), e * 3.0, delta=1e-4)
                    relative = light * heavy / (light + heavy) / 2
                    centre = (2.0 * light - heavy) ** 2 / (light + heavy) / 2
                    self.assertAlmostEqual(float(masses @ speeds**2) / 2, centre + relative * 9.0 * e**2, delta=1e-3)

    def test_off_centre(self) -> None:
        """Only the part along the line between them is exchanged; that line is square to nothing of the rest."""
        raw = two(collide())
        raw["shapes"][-1]["position"] = [1.0, 0.1, 0.0]
        last = run(raw)[-1].columns
        # They touch where the ball of 0.2 m around one meets the line 0.1 m aside: the normal is 30° off.
        normal = np.array([np.cos(np.radians(30.0)), np.sin(np.radians(30.0))])
        push = 3.0 * normal[0]
        np.testing.assert_allclose(last["velocity"][0, :2], np.array([2.0, 0.0]) - push * normal, atol=1e-4)
        np.testing.assert_allclose(last["velocity"][1, :2], np.array([-1.0, 0.0]) + push * normal, atol=1e-4)

    def test_fast_ones_do_not_slip_past(self) -> None:
        for speed in (5.0, 20.0, 38.0):
            last = run(two(collide(), left={"speed": speed}, right={"speed": speed}))[-1].columns
            np.testing.assert_allclose(last["velocity"][:, 0], [-speed, speed], rtol=1e-4)


class Held(unittest.TestCase):
    """One of the two is stuck to a wall at 1 m from the middle, the other comes at 2 m/s; bounciness 1."""

    def met(self, *rules: Document) -> list[Any]:
        wall = {"kind": "box", "id": "wall", "label": "Wall", "size": [0.2, 2.0, 2.0], "position": [1.2, 0.0, 0.0]}
        stick = rule({"kind": "stick", "shape": "wall", "depth": 0.0}, id="stick", who=["b"])
        # It stands a hair off the wall and sticks at its first step.
        raw = two(stick, *rules, collide(), right={"direction": {"kind": "axis", "axis": [1.0, 0.0, 0.0]}, "speed": 0.2})
        raw["shapes"][-1]["position"] = [0.99, 0.0, 0.0]
        raw["shapes"].append(wall)
        return run(raw)

    def test_who_is_stuck_is_a_wall_itself(self) -> None:
        frames = self.met()
        last = frames[-1].columns
        self.assertEqual(last["stuck"].tolist(), [0, 3])
        np.testing.assert_allclose(last["velocity"][:, 0], [-2.0, 0.0], atol=1e-5)
        np.testing.assert_allclose(last["position"][1], frames[5].columns["position"][1], atol=1e-6)
        self.assertEqual(last["contact_count"].tolist(), [1, frames[5].columns["contact_count"][1] + 1])

    def test_who_was_let_go_is_not(self) -> None:
        """Equal masses exchange velocities (handbook mechanics); the wall then sends it back or holds it, but the striker stands still."""
        age = compare("age", "at_least", 0.3)
        last = self.met(rule({"kind": "let_go"}, id="go", who=["b"], condition=age))[-1].columns
        self.assertAlmostEqual(float(last["velocity"][0, 0]), 0.0, delta=1e-5)


class Places(unittest.TestCase):
    def test_a_touch_lies_between_the_two(self) -> None:
        """On the surface of the one that is told, toward the other; the normal leads off the other's surface."""
        told = 0
        for frame in run(two(collide())):
            for touch in frame.touches:
                mine, other = (frame.columns["position"][frame.columns["id"] == touch[name]][0] for name in ("particle", "other"))
                off = (mine - other) / np.linalg.norm(mine - other)
                np.testing.assert_allclose(touch["normal"], off, atol=1e-5)
                np.testing.assert_allclose(touch["place"], mine - off * 0.1, atol=1e-5)
                told += 1
        self.assertEqual(told, 2)


class ManyBalls(unittest.TestCase):
    def cloud(self, *rules: Document, count: int = 600, **changes: Any) -> Document:
        room = {"kind": "box", "id": "room", "label": "Room", "size": [3.0, 3.0, 3.0]}
        source = {"shape": "room", "placement": {"kind": "inside"}, "direction": {"kind": "any"}, "radius": 0.06,
                  "mass": {"kind": "spread", "value": 1.0, "spread": 0.8}}  # fmt: skip
        return document(*rules, count=count, speed=3.0, source=source | changes.pop("source", {}), shapes=[room], clock={"duration": 1.0}, **changes)

    def test_momentum_is_kept_and_energy_never_grows(self) -> None:
        for e in (1.0, 0.6):
            frames = run(self.cloud(collide(bounciness=e)))
            masses = frames[0].columns["mass"].astype(float)
            momentum = np.array([masses @ frame.columns["velocity"] for frame in frames])
            energy = np.array([masses @ np.sum(frame.columns["velocity"].astype(float) ** 2, axis=1) / 2 for frame in frames])
            self.assertGreater(int(frames[-1].columns["contact_count"].sum()), 400)
            self.assertLess(np.abs(momentum - momentum[0]).max(), 1e-3 * masses.sum())
            if e == 1.0:
                np.testing.assert_allclose(energy, energy[0], rtol=1e-5)
            else:
                self.assertTrue((np.diff(energy) <= 1e-4).all())
                self.assertLess(energy[-1], 0.95 * energy[0])

    def test_nobody_is_sent_through_a_wall(self) -> None:
        walls = rule({"kind": "bounce", "shape": "room", "bounciness": 1.0, "friction": 0.0}, id="walls")
        for frame in run(self.cloud(walls, collide())):
            self.assertLess(float(np.abs(frame.columns["position"]).max()), 1.5)


class Meeting(unittest.TestCase):
    def test_they_exchange_colours_where_they_meet(self) -> None:
        paint = {"kind": "take_met", "attribute": "color"}
        raw = two(collide(), rule(paint, trigger="contact", id="paint"), left={"color": [1.0, 0.0, 0.0]}, right={"color": [0.0, 0.0, 1.0]})
        last = run(raw)[-1].columns
        np.testing.assert_allclose(last["color"], [[0, 0, 1], [1, 0, 0]], atol=1e-6)

    def test_rules_tell_whom_they_met(self) -> None:
        """Those of a that meet b leave children where they met and move on; b, who met a, does not."""
        met = {"kind": "holds", "quantity": {"kind": "met_last", "who": ["b"]}}
        born = {"kind": "spawn", "group": "b", "count": 3.0, "speed": 0.0, "lifetime": 9.0, "inherit_velocity": 0.0, "around": 0.0, "parent": "kept"}
        raw = two(collide(), rule(born, {"kind": "move", "group": "b"}, trigger="contact", condition=met, id="burst"))
        last = run(raw)[-1].columns
        self.assertEqual(len(last["id"]), 5)
        self.assertTrue((last["group"] == 1).all())

    def test_only_those_of_the_groups_named(self) -> None:
        self.assertEqual(int(run(two(collide(others=["b"])))[-1].columns["contact_count"].sum()), 2)
        only = rule({"kind": "collide", "others": []}, id="only", who=["a"])
        self.assertEqual(int(run(two(only))[-1].columns["contact_count"].sum()), 0)

    def test_a_least_speed_and_a_pause(self) -> None:
        self.assertEqual(int(run(two(collide(least=3.5)))[-1].columns["contact_count"].sum()), 0)
        self.assertEqual(int(run(two(collide(least=2.5)))[-1].columns["contact_count"].sum()), 2)

    def test_on_a_floor_with_a_quantity(self) -> None:
        """A touch of the floor afterwards is the last one: it is no longer a particle that was met."""
        gravity, floor = rule({"kind": "gravity"}), rule({"kind": "bounce", "shape": "plane"})
        marked = rule({"kind": "set", "attribute": "opacity", "amount": 0.5}, condition={"kind": "holds", "quantity": {"kind": "met_last", "who": []}}, id="mark")
        faint = compare("contact_count", "at_least", 1.0)
        raw = two(gravity, collide(), floor, marked, rule({"kind": "set", "attribute": "radius", "amount": 0.1}, condition=faint, id="same"), clock={"duration": 3.0})
        raw["shapes"].append(PLANE | {"position": [0.0, -3.0, 0.0]})
        frames = run(raw)
        self.assertTrue((frames[16].columns["opacity"] == 0.5).all())
        self.assertTrue((frames[-1].columns["met_group"] == -1).all())


if __name__ == "__main__":
    unittest.main()
