"""Sticking: place and orientation kept relative to shapes that move, turn, grow and change their form; letting go."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.state.orientation import from_matrices
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, rule, run


def stick(**changes: Any) -> Document:
    return rule({"kind": "stick", "shape": "door"} | changes, id="stick")


def keyed(*values: Any, every: float = 0.5) -> Document:
    return {"keys": [{"at": at * every, "value": value, "ease": "linear"} for at, value in enumerate(values)]}


def door(**changes: Any) -> Document:
    return {"kind": "box", "id": "door", "label": "Door", "size": [1.6, 2.0, 0.1], "position": [0.0, 0.0, 0.0]} | changes


SWINGING = {"rotation": keyed([0.0, 0.0, 0.0], [0.0, 70.0, 10.0], [0.0, -40.0, 0.0], [20.0, 10.0, 30.0]), "position": keyed([0.0, 0.0, 0.0], [0.3, 0.2, -0.4])}


def darts(shape: Document, *rules: Document, count: int = 60, duration: float = 2.0, depth: float = 0.0, **changes: Any) -> Document:
    """Thrown at the door from before it, turned any way, for whom it is sticky."""
    disc = {"kind": "disc", "id": "quiver", "label": "Quiver", "radius": 0.5, "position": [0.0, 0.0, 3.0]}
    source = {"shape": "quiver", "placement": {"kind": "surface"}, "direction": {"kind": "axis", "axis": [0.0, 0.0, -1.0], "cone": 8.0},
              "orientation": {"kind": "any"}, "radius": 0.03}  # fmt: skip
    return document(stick(depth=depth), *rules, count=count, speed=9.0, source=source, shapes=[disc, shape], clock={"duration": duration} | changes.pop("clock", {}),
        **changes)  # fmt: skip


def relative(raw: Document, frames: list[Frame], first: int) -> tuple[Any, Any]:
    """Where and how those who are stuck at frame `first` are in the door's own space, in each frame from there on: (f, k, 3), (f, k, 4)."""
    plan = Plan(read_effect(raw), MemoryAssets())
    who = frames[first].columns["id"][frames[first].columns["stuck"] > 0]
    places, turns = [], []
    for frame in frames[first:]:
        pose = plan.at(frame.time).pose("door").transform
        mine = np.isin(frame.columns["id"], who)
        places.append((frame.columns["position"][mine] - pose.translation) @ pose.rotation / pose.scale)
        turn = Rotation.from_matrix(pose.rotation).inv() * Rotation.from_quat(frame.columns["orientation"][mine])
        turns.append(turn.as_quat())
    return np.array(places), np.array(turns)


class OnWhatMoves(unittest.TestCase):
    """Against scipy.spatial.transform.Rotation and the door's own pose."""

    def test_place_and_orientation_stay_on_a_door_that_swings(self) -> None:
        for rate, steps in ((24.0, 1), (60.0, 1), (24.0, 3)):
            with self.subTest(rate=rate, steps=steps):
                push = rule({"kind": "gravity"}, {"kind": "wind"}, {"kind": "face_motion"}, id="push")
                raw = darts(door(**SWINGING), push, clock={"frames_per_second": rate, "steps_per_frame": steps})
                self.assertEqual(read_effect(raw).problems, [])
                frames = run(raw)
                first = round(rate * 0.6)
                places, turns = relative(raw, frames, first)
                self.assertGreater(places.shape[1], 40)
                self.assertLess(np.abs(places - places[0]).max(), 2e-6)
                self.assertLess(np.abs(np.abs(np.einsum("fkq,kq->fk", turns, turns[0])) - 1).max(), 1e-5)
                # On the surface: each one's radius off the box of half a size of (0.8, 1, 0.05).
                outside = np.maximum(np.abs(places[0]) - [0.8, 1.0, 0.05], 0)
                np.testing.assert_allclose(np.linalg.norm(outside, axis=1), 0.03, atol=1e-3)

    def test_after_five_hundred_frames_of_motion(self) -> None:
        raw = darts(door(rotation=keyed([0, 0, 0], [360.0 * 7, 1000.0, -700.0], every=21.0), scale=keyed(1.0, 1.7, 0.6, every=10.0)), duration=21.0)
        frames = run(raw)
        self.assertGreater(len(frames), 500)
        places, _turns = relative(raw, frames, 20)
        self.assertGreater(places.shape[1], 30)
        self.assertLess(np.abs(places - places[0]).max(), 1e-4 * 2.0)

    def test_they_move_with_it(self) -> None:
        """Velocity is that of the surface there: v = ω × r, for a door that turns steadily."""
        raw = darts(door(rotation=keyed([0, 0, 0], [0.0, 90.0, 0.0], every=2.0)))
        last = run(raw)[-2].columns
        stuck = last["stuck"] > 0
        spin = np.array([0.0, np.radians(45.0), 0.0])
        np.testing.assert_allclose(last["velocity"][stuck], np.cross(spin, last["position"][stuck]), atol=0.012)

    def test_resumed_it_is_the_same(self) -> None:
        raw = darts(door(**SWINGING))
        whole = run(raw)
        effect = read_effect(raw)
        other = Simulation(effect, MemoryAssets())
        other.resume({name: column.copy() for name, column in whole[20].columns.items()}, whole[20].count, whole[20].stand)
        for frame in range(21, 40):
            made = other.next_frame()
            assert made is not None
            for name in ("position", "orientation", "stuck_place"):
                np.testing.assert_array_equal(made.columns[name], whole[frame].columns[name])


class OnWhatChanges(unittest.TestCase):
    def test_a_ball_that_grows(self) -> None:
        """Each stays in its direction, its own radius above the surface (the ball is exact)."""
        raw = darts({"kind": "ball", "id": "door", "label": "Door", "radius": keyed(0.6, 0.6, 1.4, 0.9)})
        frames = run(raw)
        first = frames[14]
        who = first.columns["id"][first.columns["stuck"] > 0]
        self.assertGreater(len(who), 30)
        plan = Plan(read_effect(raw), MemoryAssets())
        ways = None
        for frame in frames[14:]:
            ball = plan.at(frame.time).pose("door").geometry.ball
            assert ball is not None
            mine = np.isin(frame.columns["id"], who)
            away = frame.columns["position"][mine]
            distance = np.linalg.norm(away, axis=1)
            np.testing.assert_allclose(distance, ball[1] + 0.03, atol=1e-3)
            now = away / distance[:, None]
            ways = now if ways is None else ways
            np.testing.assert_allclose(now, ways, atol=1e-5)

    def test_a_surface_that_heaves(self) -> None:
        """On the same triangle of a roughened plane that changes, at the same height above it."""
        heaving = {"kind": "plane", "id": "door", "label": "Door", "width": 3.0, "depth": 3.0, "rotation": [90.0, 0.0, 0.0], "roughness": 0.25,
                   "roughness_size": 0.5, "roughness_change": 0.8}  # fmt: skip
        raw = darts(heaving)
        frames = run(raw)
        plan = Plan(read_effect(raw), MemoryAssets())
        first = frames[16]
        who = first.columns["id"][first.columns["stuck"] > 0]
        self.assertGreater(len(who), 40)
        moved = 0.0
        for frame in frames[16:]:
            mine = np.isin(frame.columns["id"], who)
            self.assertTrue((frame.columns["stuck"][mine] > 0).all())
            _places, distances = plan.at(frame.time).pose("door").closest(frame.columns["position"][mine])
            # The height over its own triangle is its radius; a neighbour that leans over it may be nearer.
            self.assertLess(float(distances.max()), 0.03 + 1e-3)
            self.assertGreater(float(np.median(distances)), 0.02)
            moved = max(moved, float(np.abs(frame.columns["position"][mine] - first.columns["position"][np.isin(first.columns["id"], who)]).max()))
        self.assertGreater(moved, 0.05)


class Held(unittest.TestCase):
    def test_nothing_else_moves_them(self) -> None:
        push = rule({"kind": "gravity"}, {"kind": "turbulence", "strength": 50.0}, {"kind": "push_apart"}, {"kind": "bounce", "shape": "floor"}, id="push")
        floor = {"kind": "plane", "id": "floor", "label": "Floor", "width": 9.0, "depth": 9.0, "position": [0.0, -0.2, 0.0]}
        raw = darts(door(), push)
        raw["shapes"].append(floor)
        frames = run(raw)
        places, _turns = relative(raw, frames, 16)
        self.assertLess(np.abs(places - places[0]).max(), 1e-6)

    def test_sunk_in(self) -> None:
        raw = darts(door(), count=20, depth=0.06)
        last = run(raw)[-1].columns
        front = last["position"][last["stuck"] > 0][:, 2]
        np.testing.assert_allclose(front, 0.05 + 0.03 - 0.06, atol=2e-3)

    def test_lying_there_already(self) -> None:
        """Resting on a floor that becomes sticky later."""
        floor = {"kind": "plane", "id": "door", "label": "Door", "width": 9.0, "depth": 9.0, "position": keyed([0.0, 0.0, 0.0], [0.0, 0.0, 0.0], [2.0, 0.0, 0.0])}
        late = {"kind": "compare", "quantity": {"kind": "time"}, "comparison": "above", "threshold": 0.4}
        raw = document(rule({"kind": "gravity"}, {"kind": "bounce", "shape": "door", "bounciness": 0.0, "friction": 0.0}, id="fall"),
            rule({"kind": "stick", "shape": "door"}, id="stick", condition=late), shapes=[floor], position=[0.0, 0.06, 0.0], clock={"duration": 1.0})  # fmt: skip
        frames = run(raw)
        self.assertEqual(int(frames[8].columns["stuck"][0]), 0)
        self.assertEqual(int(frames[-1].columns["stuck"][0]), 2)
        self.assertAlmostEqual(float(frames[-1].columns["position"][0, 0]), 2.0, places=3)

    def test_let_go_with_the_speed_of_the_shape_and_not_at_once_again(self) -> None:
        """Off a board that rises at 2 m/s: the apex is v² / 2g above (handbook mechanics); it falls back onto it and sticks once more."""
        board = {"kind": "plane", "id": "door", "label": "Door", "width": 9.0, "depth": 9.0, "position": keyed([0.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 1.0, 0.0])}
        free = rule({"kind": "let_go"}, id="free", trigger="once", condition=compare("age", "at_least", 0.5))
        raw = document(stick(), rule({"kind": "gravity", "acceleration": 9.81}, id="fall"), free, shapes=[board], position=[0.0, 0.06, 0.0],
            clock={"duration": 2.0, "frames_per_second": 240.0})  # fmt: skip
        frames = run(raw)
        height = np.array([frame.columns["position"][0, 1] for frame in frames])
        stuck = np.array([frame.columns["stuck"][0] for frame in frames])
        self.assertEqual(stuck[100], 2)
        left = int(np.flatnonzero(stuck < 2)[np.flatnonzero(np.flatnonzero(stuck < 2) > 60)[0]])
        self.assertAlmostEqual(left / 240, 0.5, delta=0.01)
        self.assertAlmostEqual(float(height[left:].max() - height[left]), 2.0**2 / (2 * 9.81), delta=0.02)
        self.assertEqual(stuck[-1], 2)
        self.assertAlmostEqual(float(height[-1]), 1.05, places=3)

    def test_a_rule_on_contact_and_is_stuck(self) -> None:
        turn = rule({"kind": "set", "attribute": "own", "amount": 3.0}, id="touched", trigger="contact")
        told = rule({"kind": "set", "attribute": "radius", "amount": 0.01}, id="told", condition={"kind": "holds", "quantity": {"kind": "stuck", "shape": "door"}})
        raw = darts(door(), turn, told, attributes=[{"id": "own", "label": "Own"}])
        last = run(raw)[-1].columns
        stuck = last["stuck"] > 0
        self.assertGreater(int(stuck.sum()), 40)
        np.testing.assert_array_equal(last["own own"].ravel() == 3.0, stuck)
        np.testing.assert_array_equal(last["radius"] < 0.02, stuck)


class Turns(unittest.TestCase):
    def test_matrices_as_quaternions(self) -> None:
        """Source: scipy.spatial.transform.Rotation; half turns about each axis, where three of the four parts are nothing, among them."""
        turns = Rotation.concatenate([Rotation.random(300, random_state=3), Rotation.from_euler("xyz", [[180, 0, 0], [0, 180, 0], [0, 0, 180], [0, 0, 0]], degrees=True)])
        made = from_matrices(turns.as_matrix())
        np.testing.assert_allclose(np.abs(np.einsum("ij,ij->i", made, turns.as_quat())), 1.0, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
