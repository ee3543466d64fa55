"""Orientation set outright, against SciPy's rotations (which follow the same order of quaternions)."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from tests.core.test_curves import keys
from tests.support import Document, document, rule, run


def shape(kind: str, **given: Any) -> Document:
    return {"kind": kind, "id": kind, "label": kind.title(), **given}


def turned(*actions: Document, count: int = 40, **changes: Any) -> Document:
    """A crowd that is turned any way at birth and told how to be turned."""
    source = {"orientation": {"kind": "any"}, "speed": 1.0, "direction": {"kind": "any"}, **changes.pop("source", {})}
    return document(rule(*actions, id="turn"), count=count, source=source, **changes)


def rotations(frame: Any) -> Rotation:
    return Rotation.from_quat(frame.columns["orientation"].astype(np.float64))


class Orienting(unittest.TestCase):
    def assert_same(self, found: Rotation, wanted: Rotation, degrees: float = 0.01) -> None:
        self.assertLess(float(np.degrees((found * wanted.inv()).magnitude()).max()), degrees)

    def test_axis_and_angle(self) -> None:
        axis = np.array([1.0, 2.0, -0.5])
        raw = turned({"kind": "be_turned", "angle": {"kind": "formula", "text": "37 * id"}, "axis": axis.tolist()})
        last = run(raw, 3)[-1]
        angles = np.radians(37.0 * last.columns["id"])
        self.assert_same(rotations(last), Rotation.from_rotvec(angles[:, None] * axis / np.linalg.norm(axis)))

    def test_as_seen_from_a_shape_that_turns(self) -> None:
        """At every recorded frame, at several rates and steps, as the shape is turned at that frame."""
        ball = shape("ball", rotation=keys((0, [0.0, 0.0, 0.0], "linear"), (1, [40.0, 100.0, -30.0])), position=[2.0, 0.0, 0.0])
        action = {"kind": "be_turned", "angle": 20.0, "axis": [0.0, 0.0, 1.0], "space": "ball"}
        for clock in ({}, {"frames_per_second": 30.0, "steps_per_frame": 3}):
            for frame in run(turned(action, shapes=[ball], clock={"duration": 1.0, **clock})):
                degrees = frame.time * np.array([40.0, 100.0, -30.0])
                wanted = Rotation.from_euler("xyz", degrees, degrees=True) * Rotation.from_euler("z", 20, degrees=True)
                self.assert_same(rotations(frame), wanted, 0.05)

    def test_one_of_its_axes_along_a_direction(self) -> None:
        for own, axis in (("x", [1, 0, 0]), ("y", [0, 1, 0]), ("z", [0, 0, 1])):
            raw = turned({"kind": "point_along", "own": own, "direction": {"kind": "formula", "text": "velocity"}})
            last = run(raw, 3)[-1]
            ways = last.columns["velocity"].astype(np.float64)
            ways /= np.linalg.norm(ways, axis=1, keepdims=True)
            found = rotations(last)
            np.testing.assert_allclose(found.apply(np.array(axis, float)), ways, atol=1e-5)
            # By the shortest turn from upright: as far as the two directions are apart, and no twist besides.
            np.testing.assert_allclose(found.magnitude(), np.arccos(np.clip(ways @ np.array(axis, float), -1, 1)), atol=1e-4)
        twisted = turned({"kind": "point_along", "own": "y", "direction": [0.0, 0.0, 2.0], "angle": 90.0})
        self.assert_same(rotations(run(twisted, 2)[-1]), Rotation.from_euler("z", 90, degrees=True) * Rotation.from_euler("x", 90, degrees=True))

    def test_who_has_no_direction_and_who_is_stuck_stay_as_they_are(self) -> None:
        # Without the rule nobody turns: nothing spins them.
        still = turned({"kind": "point_along", "direction": {"kind": "formula", "text": "velocity if id % 2 == 0 else vec3(0, 0, 0)"}})
        frames = run(still, 5)
        first, last = rotations(run(still | {"rules": []}, 5)[-1]), rotations(frames[-1])
        odd = frames[-1].columns["id"] % 2 == 1
        self.assert_same(last[odd], first[odd])
        self.assertGreater(float((last[~odd] * first[~odd].inv()).magnitude().max()), 0.5)
        box = shape("box", size=[4.0, 1.0, 4.0], position=[0.0, -1.0, 0.0])
        raw = turned({"kind": "stick", "shape": "box"}, {"kind": "gravity"}, shapes=[box], source={"speed": 0.0})
        raw["rules"].append(rule({"kind": "be_turned", "angle": 10.0}, id="late", condition={"kind": "formula", "text": "time > 1"}))
        frames = run(raw)
        self.assertTrue((frames[-1].columns["stuck"] > 0).all())
        self.assert_same(rotations(frames[-1]), rotations(frames[23]))

    def test_little_by_little_whatever_the_steps(self) -> None:
        action = {"kind": "be_turned", "angle": 0.0, "half_life": 0.25}
        for clock in ({}, {"frames_per_second": 60.0}, {"steps_per_frame": 4}):
            frames = run(turned(action, clock={"duration": 1.0, **clock}))
            start = rotations(frames[0]).magnitude()
            for frame in (frames[len(frames) // 2], frames[-1]):
                # The rule acts at frame 0, too, where no time has passed.
                np.testing.assert_allclose(rotations(frame).magnitude(), start * 0.5 ** (frame.time / 0.25), atol=2e-3)

    def test_a_field_lets_them_go_part_of_the_way(self) -> None:
        field = {"kind": "formula", "id": "half", "label": "Half", "text": "0.5"}
        raw = turned({"kind": "be_turned", "angle": 0.0, "where": "half"}, fields=[field], source={"orientation": {"kind": "turned", "angle": 80.0}})
        raw["rules"][0]["trigger"] = "once"
        self.assertAlmostEqual(float(np.degrees(rotations(run(raw, 2)[-1]).magnitude()).max()), 40.0, 2)
