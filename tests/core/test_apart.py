"""Pushing apart: what is left of overlaps, momentum and energy, walls, threads; the softer push away."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from hailridge.core.kernels import threads
from hailridge.core.state.separating import push_apart
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, rule, run

RANDOM = np.random.default_rng(21)


def overlaps(places: Any, radii: Any) -> Any:
    """Of each pair that touches, how far the two overlap as a part of the smaller radius (scipy.spatial.cKDTree finds them)."""
    exact = places.astype(np.float64)
    pairs = cKDTree(exact).query_pairs(2.05 * float(radii.max()), output_type="ndarray")
    apart = np.linalg.norm(exact[pairs[:, 0]] - exact[pairs[:, 1]], axis=1)
    both, smaller = radii[pairs[:, 0]] + radii[pairs[:, 1]], np.minimum(radii[pairs[:, 0]], radii[pairs[:, 1]])
    return ((both - apart) / smaller)[apart < 1.01 * both]


class Rounds(unittest.TestCase):
    def test_half_full_and_evenly_packed_within_a_second(self) -> None:
        """20 000 grown to half of the volume: after 24 frames of four rounds 99.9 % of pairs overlap by less than 1 % of the radius."""
        number = 20_000
        radii = (RANDOM.uniform(0.8, 1.2, number)).astype(np.float32)
        radii *= np.float32((0.5 / (4 / 3 * np.pi * (radii.astype(float) ** 3).sum())) ** (1 / 3))
        places, velocities = RANDOM.random((number, 3)).astype(np.float32), np.zeros((number, 3), np.float32)
        for _frame in range(24):
            places, velocities = push_apart(places, velocities, radii, np.ones(number, np.float32), 1.0, 4)
        self.assertGreater(np.mean(overlaps(places, radii) < 0.01), 0.999)

    def test_momentum_is_kept_and_energy_never_added(self) -> None:
        """Handbook mechanics: equal and opposite impulses; what closes in is lost, as in an inelastic touch."""
        number = 3000
        places, velocities = RANDOM.random((number, 3)).astype(np.float32), RANDOM.normal(size=(number, 3)).astype(np.float32)
        radii, masses = RANDOM.uniform(0.01, 0.04, number).astype(np.float32), RANDOM.uniform(0.2, 5, number).astype(np.float32)
        middle = (masses[:, None] * places).sum(axis=0)
        for _round in range(20):
            moved, slowed = push_apart(places, velocities, radii, masses, 1.0, 1)
            before, after = (0.5 * (masses * (v.astype(float) ** 2).sum(axis=1)).sum() for v in (velocities, slowed))
            self.assertLessEqual(after, before * (1 + 1e-6))
            np.testing.assert_allclose((masses[:, None] * slowed).sum(axis=0), (masses[:, None] * velocities).sum(axis=0), atol=0.02)
            places, velocities = moved, slowed
        np.testing.assert_allclose((masses[:, None] * places).sum(axis=0), middle, atol=0.02)

    def test_the_same_bytes_for_any_number_of_threads(self) -> None:
        number, before, found = 6000, threads.number_of_threads(), []
        places, radii = RANDOM.random((number, 3)).astype(np.float32), np.full(number, 0.03, np.float32)
        try:
            for each in (1, 2, 3):
                threads.use_threads(each)
                found.append(push_apart(places, np.zeros((number, 3), np.float32), radii, np.ones(number, np.float32), 1.0, 4)[0])
        finally:
            threads.use_threads(before)
        for other in found[1:]:
            np.testing.assert_array_equal(other, found[0])

    def test_many_in_one_place_on_a_line_and_far_away(self) -> None:
        one = np.ones(200, np.float32)
        for places in (np.zeros((200, 3)), RANDOM.random((200, 3)) * [1, 0, 1], RANDOM.random((200, 3)) + 5e3, np.outer(np.linspace(0, 1, 200), [0, 1, 0])):
            moved = places.astype(np.float32)
            for _frame in range(80):
                moved, _speeds = push_apart(moved, np.zeros((200, 3), np.float32), 0.02 * one, one, 1.0, 4)
            self.assertTrue(np.isfinite(moved).all())
            if np.ptp(places[:, 0]) or not np.ptp(places):
                self.assertLess(overlaps(moved, 0.02 * one).max(initial=0.0), 0.05)
            else:
                # On a line there is no way past one another: it only grows longer, and stays a line.
                self.assertGreater(np.ptp(moved[:, 1]), 1.5)
            self.assertTrue((np.ptp(moved, axis=0)[np.ptp(places, axis=0) == 0] == 0).all() or not np.ptp(places))
        for radii in (np.zeros(200, np.float32), np.full(200, 0.1, np.float32)):
            same, _speeds = push_apart(places.astype(np.float32), np.zeros((200, 3), np.float32), radii, one, 0.0 if radii[0] else 1.0, 4)
            np.testing.assert_array_equal(same, places.astype(np.float32))


RATES = ((12.0, 1), (24.0, 1), (24.0, 4), (60.0, 1), (60.0, 3), (240.0, 1))
"""Frames a second, and steps a frame."""


def put(*places: tuple[float, float, float]) -> list[Document]:
    """Rules that put particle after particle at its place as it is born."""
    return [
        rule({"kind": "set", "attribute": "position", "amount": list(place)}, id=f"p{k}", trigger="birth", condition=compare("number", "equal", float(k)))
        for k, place in enumerate(places)
    ]


class Momentum(unittest.TestCase):
    """Handbook mechanics: an inelastic touch leaves both at the speed of their common centre, at any rate and steps."""

    def meeting(self, masses: tuple[float, float], frames: float, steps: int, **changes: Any) -> Any:
        """A ball at 1 m/s meets one at rest; columns of the last frame, two seconds later."""
        one, other = masses
        given = rule(
            {"kind": "set", "attribute": "velocity", "amount": [1.0, 0.0, 0.0]}, {"kind": "set", "attribute": "mass", "amount": one},
            id="one", trigger="birth", condition=compare("number", "equal", 0.0),
        )  # fmt: skip
        heavy = rule({"kind": "set", "attribute": "mass", "amount": other}, id="other", trigger="birth", condition=compare("number", "equal", 1.0))
        rules = [*put((0.0, 0.1, 0.0), (0.5, 0.1, 0.0)), given, heavy, rule({"kind": "push_apart"}, *changes.pop("actions", ()), id="apart")]
        clock = {"frames_per_second": frames, "steps_per_frame": steps, "duration": 2.0}
        raw = document(*rules, count=2, source={"radius": 0.1}, clock=clock, **changes)
        return run(raw)[-1].columns

    def test_both_end_at_the_common_speed(self) -> None:
        for frames, steps in RATES:
            for masses in ((1.0, 1.0), (1.0, 9.0), (9.0, 1.0)):
                speeds = self.meeting(masses, frames, steps)["velocity"][:, 0]
                common = masses[0] / sum(masses)
                np.testing.assert_allclose(speeds, common, rtol=0.01, err_msg=f"{frames} × {steps}, {masses}")

    def test_on_a_floor_as_in_the_air(self) -> None:
        """A floor holds up what lies on it; along it, momentum stays."""
        floor = {"kind": "plane", "id": "floor", "label": "Floor", "width": 9.0, "depth": 9.0}
        actions = ({"kind": "bounce", "shape": "floor", "bounciness": 0.0, "friction": 0.0}, {"kind": "gravity"})
        for frames, steps in RATES:
            columns = self.meeting((1.0, 1.0), frames, steps, actions=actions, shapes=[floor])
            np.testing.assert_allclose(columns["velocity"][:, 0], 0.5, rtol=0.01, err_msg=f"{frames} × {steps}")
            np.testing.assert_allclose(columns["velocity"][:, 1], 0.0, atol=1e-3)

    def test_the_centre_of_many_goes_straight_on(self) -> None:
        for frames, steps in RATES:
            source = {"shape": "box", "placement": {"kind": "inside"}, "radius": 0.09, "mass": {"kind": "spread", "value": 1.2, "spread": 0.8},
                      "speed": {"kind": "spread", "value": 0.8, "spread": 0.6}, "direction": {"kind": "any"}}  # fmt: skip
            box = {"kind": "box", "id": "box", "label": "Box", "size": [1.2, 1.2, 1.2]}
            clock = {"frames_per_second": frames, "steps_per_frame": steps, "duration": 2.0}
            found = run(document(rule({"kind": "push_apart"}, id="apart"), count=100, shapes=[box], source=source, clock=clock))
            first, last = found[0].columns, found[-1].columns
            masses = first["mass"].astype(float)[:, None]
            middle = lambda columns, name, masses=masses: (masses * columns[name]).sum(axis=0) / masses.sum()  # noqa: E731
            np.testing.assert_allclose(middle(last, "position"), middle(first, "position") + 2 * middle(first, "velocity"), atol=1e-3)
            np.testing.assert_allclose(middle(last, "velocity"), middle(first, "velocity"), atol=1e-4)


class InRules(unittest.TestCase):
    BOX: Document = {"kind": "box", "id": "box", "label": "Box", "size": [1.0, 1.0, 1.0], "position": [0.0, 0.5, 0.0]}

    def crowd(self, *actions: Document, **changes: Any) -> Document:
        """400 in a box of a metre on a floor that is solid to all of them, too large for it, pushing one another."""
        source = {"shape": "box", "placement": {"kind": "inside"}, "radius": 0.07}
        floor = {"kind": "plane", "id": "floor", "label": "Floor", "width": 9.0, "depth": 9.0}
        solid = {"kind": "bounce", "shape": "floor", "bounciness": 0.0, "friction": 0.5}
        return document(rule({"kind": "push_apart"}, solid, *actions, id="apart"), count=400, shapes=[self.BOX, floor], source=source, **changes)

    def test_nobody_is_pushed_through_a_wall(self) -> None:
        for rate in (24.0, 60.0):
            frames = run(self.crowd({"kind": "gravity"}, clock={"frames_per_second": rate, "duration": 1.5}))
            lows = [float(frame.columns["position"][:, 1].min()) for frame in frames[1:]]
            self.assertGreater(min(lows), 0.07 - 2e-3)
            self.assertLess(np.quantile(overlaps(frames[-1].columns["position"], np.full(400, 0.07)), 0.99), 0.15)

    def test_only_those_whom_it_concerns(self) -> None:
        raw = document(
            rule({"kind": "push_apart"}, who=["a"], id="apart"),
            rule({"kind": "move", "group": "b"}, condition=compare("number", "above", 99.5), trigger="once", id="out"),
            count=200, groups=["a", "b"], shapes=[self.BOX], source={"shape": "box", "placement": {"kind": "inside"}, "radius": 0.08},
        )  # fmt: skip
        first, last = (run(raw, 12)[k].columns["position"] for k in (0, 12))
        self.assertTrue((first[100:] == last[100:]).all())
        self.assertLess(overlaps(last[:100], np.full(100, 0.08)).max(), 0.01)
        raw["rules"][0]["actions"][0]["others"] = ["b"]
        self.assertLess(overlaps(run(raw, 24)[24].columns["position"], np.full(200, 0.08)).max(), 0.02)

    def test_resumed_it_goes_on_to_the_same_bytes(self) -> None:
        from hailridge.core.scene.assets import MemoryAssets
        from hailridge.core.step.simulation import Simulation

        effect = read_effect(self.crowd({"kind": "gravity"}))
        whole = list(Simulation(effect, MemoryAssets()).frames(12))
        again = Simulation(effect, MemoryAssets())
        again.resume(whole[5].columns, whole[5].count, whole[5].stand)
        np.testing.assert_array_equal(list(again.frames(12))[-1].columns["position"], whole[12].columns["position"])

    def test_the_soft_push_is_the_sum_of_all_nearby(self) -> None:
        """Two half of the reach apart: each is pushed by half of the strength; a third one between two others not at all."""
        push = {"kind": "repel", "neighbourhood": "near", "strength": 6.0}
        put = [
            rule({"kind": "set", "attribute": "position", "amount": [x, 0.0, 0.0]}, id=f"p{k}", trigger="birth", condition=compare("number", "equal", float(k)))
            for k, x in enumerate((0.0, 0.5, 10.0, 10.4, 10.8))
        ]
        raw = document(*put, rule(push, id="push"), count=5, neighbourhoods=[{"id": "near", "label": "Near", "reach": 1.0}],
            clock={"frames_per_second": 100.0, "duration": 0.1})  # fmt: skip
        for most in (0, 8):
            raw["neighbourhoods"][0]["most"] = most
            speeds = run(raw, 1)[1].columns["velocity"][:, 0] * 100
            np.testing.assert_allclose(speeds, [-3, 3, -4.8, 0, 4.8], atol=2e-3)


if __name__ == "__main__":
    unittest.main()
