"""Motion against handbook mechanics: ballistics, drag, terminal speed, independence of steps."""

from __future__ import annotations

import math
import unittest

import numpy as np

from hailridge.core.kernels import noise
from tests.support import document, rule, run, track

GRAVITY = {"kind": "gravity", "acceleration": 9.81}


class Ballistics(unittest.TestCase):
    """Handbook mechanics: range v² sin 2θ / g, apex v² sin² θ / 2g, time of flight 2 v sin θ / g."""

    def path(self, degrees: float, fps: float = 24.0) -> np.ndarray:
        angle = math.radians(degrees)
        raw = document(
            rule(GRAVITY),
            speed=10.0,
            axis=[math.cos(angle), math.sin(angle), 0.0],
            clock={"frames_per_second": fps, "duration": 2.0},
        )
        return track(run(raw), "position")

    def test_parabola_is_exact_at_any_frame_rate(self) -> None:
        for fps in (24.0, 30.0, 60.0):
            for degrees in (30.0, 45.0, 75.0):
                path, angle = self.path(degrees, fps), math.radians(degrees)
                t = np.arange(len(path)) / fps
                np.testing.assert_allclose(path[:, 0], 10 * math.cos(angle) * t, atol=2e-4)
                np.testing.assert_allclose(path[:, 1], 10 * math.sin(angle) * t - 9.81 * t**2 / 2, atol=2e-4)

    def test_range_and_apex(self) -> None:
        path = self.path(40.0, 240.0)
        angle = math.radians(40)
        landed = np.flatnonzero(path[1:, 1] < 0)[0]
        self.assertAlmostEqual(
            path[landed + 1, 0], 100 * math.sin(2 * angle) / 9.81, delta=10 * math.cos(angle) / 240
        )
        self.assertAlmostEqual(path[:, 1].max(), (10 * math.sin(angle)) ** 2 / (2 * 9.81), places=2)


class DragAndWind(unittest.TestCase):
    def test_exponential_decay(self) -> None:
        # v0·e^(−kt) with k = ln 2 / half-life; the way is v0 (1 − e^(−kt)) / k.
        for fps, steps in ((24.0, 1), (24.0, 8), (60.0, 1)):
            raw = document(
                rule({"kind": "drag", "half_life": 0.5}),
                speed=8.0,
                clock={"frames_per_second": fps, "steps_per_frame": steps},
            )
            frames = run(raw)
            t = np.arange(len(frames)) / fps
            k = math.log(2) / 0.5
            np.testing.assert_allclose(track(frames, "velocity")[:, 1], 8 * np.exp(-k * t), rtol=1e-4)
            np.testing.assert_allclose(
                track(frames, "position")[:, 1], 8 * (1 - np.exp(-k * t)) / k, atol=1e-4
            )

    def test_terminal_speed(self) -> None:
        raw = document(rule(GRAVITY, {"kind": "drag", "half_life": 0.2}), clock={"duration": 4.0})
        self.assertAlmostEqual(track(run(raw), "velocity")[-1, 1], -9.81 / (math.log(2) / 0.2), places=4)

    def test_wind_is_taken_on_by_half_lives(self) -> None:
        raw = document(
            rule({"kind": "wind", "velocity": [4.0, 0.0, 0.0], "half_life": 0.5}), clock={"duration": 1.0}
        )
        velocity = track(run(raw), "velocity")[:, 0]
        self.assertAlmostEqual(velocity[12], 2.0, places=4)
        self.assertAlmostEqual(velocity[24], 3.0, places=4)

    def test_two_drags_add_up(self) -> None:
        drag = {"kind": "drag", "half_life": 1.0}
        once = track(run(document(rule({"kind": "drag", "half_life": 0.5}), speed=5.0)), "velocity")
        twice = track(run(document(rule(drag, drag), speed=5.0)), "velocity")
        np.testing.assert_allclose(once, twice, rtol=1e-5)

    def test_pushes_only_whom_the_rule_holds_for(self) -> None:
        raw = document(rule(GRAVITY, condition={"kind": "chance", "probability": 0.5}), count=400)
        moved = run(raw, 10)[-1].columns["position"][:, 1] < -0.1
        self.assertTrue(140 < np.count_nonzero(moved) < 260)


class Turbulence(unittest.TestCase):
    def places(self, count: int = 4000) -> np.ndarray:
        return np.random.default_rng(1).uniform(-8, 8, (count, 3)).astype(np.float32)

    def field(self, places: np.ndarray, drift: float = 0.3) -> np.ndarray:
        out = np.empty_like(places)
        noise.curl(
            len(places),
            places,
            np.float32(0.5),
            np.int64(3),
            np.float32(0.5),
            np.float32(drift),
            np.uint32(5),
            out,
        )
        return out.astype(np.float64)

    def test_curl_noise_has_no_divergence(self) -> None:
        # Bridson et al. 2007: the curl of a potential neither gathers nor thins. Central differences against the size of single slopes.
        places, h = self.places(), 2e-2
        slopes = []
        for axis in range(3):
            step = np.zeros(3, np.float32)
            step[axis] = h
            slopes.append((self.field(places + step)[:, axis] - self.field(places - step)[:, axis]) / (2 * h))
        divergence, size = np.sum(slopes, axis=0), np.sqrt(np.mean(np.square(slopes)))
        self.assertLess(np.sqrt(np.mean(divergence**2)), 0.02 * size)

    def test_noise_is_zero_at_lattice_points_and_smooth(self) -> None:
        # Perlin 2002, "Improving noise": zero at lattice points, quintic fade with continuous second derivatives.
        lattice = np.array(
            [[x, y, z] for x in range(-3, 3) for y in range(-3, 3) for z in range(-3, 3)], np.float32
        )
        out = np.empty((len(lattice), 4), np.float32)
        noise.noise(len(lattice), lattice, np.uint32(1), out)
        np.testing.assert_allclose(out[:, 0], 0, atol=1e-6)
        sides = [np.empty((len(lattice), 4), np.float32) for _ in range(2)]
        for side, shift in zip(sides, (-1e-4, 1e-4), strict=True):
            noise.noise(len(lattice), lattice + np.float32(shift), np.uint32(1), side)
        np.testing.assert_allclose(sides[0][:, 1:], sides[1][:, 1:], atol=5e-3)

    def test_gradient_agrees_with_differences(self) -> None:
        places, h = self.places(500), 1e-2
        value, plus, minus = (np.empty((500, 4), np.float32) for _ in range(3))
        noise.noise(500, places, np.uint32(9), value)
        for axis in range(3):
            step = np.zeros(3, np.float32)
            step[axis] = h
            noise.noise(500, places + step, np.uint32(9), plus)
            noise.noise(500, places - step, np.uint32(9), minus)
            np.testing.assert_allclose((plus[:, 0] - minus[:, 0]) / (2 * h), value[:, axis + 1], atol=0.01)

    def test_range(self) -> None:
        out = np.empty((4000, 4), np.float32)
        noise.noise(4000, self.places(), np.uint32(2), out)
        self.assertLessEqual(np.abs(out[:, 0]).max(), 1.1)
        self.assertGreater(out[:, 0].std(), 0.15)

    def test_result_hardly_depends_on_the_frame_rate(self) -> None:
        # Under 1 % of the way travelled between 24 and 60 frames a second (gentle turbulence and drag, a quarter of an eddy's time).
        ends = []
        for fps in (24.0, 60.0):
            swirl = {"kind": "turbulence", "strength": 1.0, "size": 4.0, "evolution": 0.0}
            raw = document(
                rule(swirl, {"kind": "drag", "half_life": 0.6}),
                count=1,
                position=[0.4, 0.7, 0.2],
                speed=2.0,
                clock={"frames_per_second": fps, "duration": 1.0},
            )
            ends.append(track(run(raw), "position"))
        way = np.linalg.norm(np.diff(ends[1], axis=0), axis=1).sum()
        self.assertLess(np.linalg.norm(ends[0][-1] - ends[1][-1]), 0.01 * way)


if __name__ == "__main__":
    unittest.main()
