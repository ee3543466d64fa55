"""Births: where, when and how many, with statistics from scipy."""

from __future__ import annotations

import unittest

import numpy as np
import trimesh
from scipy import stats

from hailridge.core.kinds.births.emissions import Burst, Pulses, Rate
from hailridge.core.scene.assets import MemoryAssets, Mesh
from hailridge.core.scene.span import Span
from tests.support import document, mesh_of, run


def born(count: int, shape: dict, assets: MemoryAssets | None = None, **source: object) -> np.ndarray:
    raw = document(
        count=count,
        shapes=[{"id": "s", "label": "S", **shape}],
        source={"shape": "s", "placement": {"kind": "surface"}, **source},
    )
    return run(raw, 0, assets)[0].columns["position"].astype(np.float64)


class Places(unittest.TestCase):
    def test_surface_is_even_by_area(self) -> None:
        # Two triangles with areas 1 : 9 and a third with 4.5; χ² over triangles at 0.1 %.
        mesh = mesh_of(
            [
                [0, 0, 0],
                [1, 0, 0],
                [0, 0, 1],
                [10, 0, 0],
                [13, 0, 0],
                [10, 0, 3],
                [20, 0, 0],
                [23, 0, 0],
                [20, 1.5, 0],
            ],
            [[0, 1, 2], [3, 4, 5], [6, 7, 8]],
        )
        points = born(20_000, {"kind": "mesh", "asset": "m"}, MemoryAssets({"m": mesh}))
        counts = [np.count_nonzero((points[:, 0] >= low) & (points[:, 0] < low + 9)) for low in (0, 10, 20)]
        areas = np.array([0.5, 4.5, 2.25])
        self.assertGreater(stats.chisquare(counts, areas / areas.sum() * 20_000).pvalue, 0.001)

    def test_inside_of_a_triangle_is_even(self) -> None:
        mesh = mesh_of([[0, 0, 0], [1, 0, 0], [0, 0, 1]], [[0, 1, 2]])
        points = born(20_000, {"kind": "mesh", "asset": "m"}, MemoryAssets({"m": mesh}))
        # The distance from the right angle's corner along x has the distribution function 1 − (1 − x)².
        self.assertGreater(
            stats.kstest(points[:, 0], lambda x: 1 - (1 - np.clip(x, 0, 1)) ** 2).pvalue, 0.001
        )

    def test_ball_surface(self) -> None:
        points = born(20_000, {"kind": "ball", "radius": 2.0, "position": [1.0, 2.0, 3.0]}) - [1, 2, 3]
        np.testing.assert_allclose(np.linalg.norm(points, axis=1), 2, atol=1e-5)
        # On a sphere the height is uniform (Archimedes).
        self.assertGreater(stats.kstest((points[:, 1] + 2) / 4, "uniform").pvalue, 0.001)

    def test_ball_volume_follows_the_cube_of_the_radius(self) -> None:
        points = born(20_000, {"kind": "ball", "radius": 2.0}, placement={"kind": "inside"})
        self.assertGreater(stats.kstest((np.linalg.norm(points, axis=1) / 2) ** 3, "uniform").pvalue, 0.001)

    def test_box_volume_turned_and_scaled(self) -> None:
        shape = {
            "kind": "box",
            "size": [2.0, 4.0, 6.0],
            "rotation": [30.0, 40.0, 50.0],
            "scale": 0.5,
            "position": [5.0, 0.0, 0.0],
        }
        points = born(20_000, shape, placement={"kind": "inside"}) - [5, 0, 0]
        turn = trimesh.transformations.euler_matrix(*np.radians([30, 40, 50]), axes="sxyz")[:3, :3]
        local = (
            points @ turn
        )  # the inverse rotation: trimesh is the outside reference for its sense and order
        for axis, size in enumerate((1, 2, 3)):
            self.assertGreater(stats.kstest(local[:, axis] / size + 0.5, "uniform").pvalue, 0.001)

    def test_centre_and_lift(self) -> None:
        points = born(5, {"kind": "plane", "position": [0.0, 2.0, 0.0]}, offset=0.03)
        np.testing.assert_allclose(points[:, 1], 2.03, atol=1e-6)
        centre = born(5, {"kind": "box", "position": [1.0, 2.0, 3.0]}, placement={"kind": "centre"})
        np.testing.assert_allclose(centre, [[1, 2, 3]] * 5)

    def test_what_encloses_nothing_says_so(self) -> None:
        from tests.support import simulation

        mesh = Mesh(np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.int32))
        raw = document(
            count=3,
            shapes=[{"kind": "mesh", "id": "m", "label": "Cairn", "asset": "x"}],
            source={"shape": "m", "placement": {"kind": "inside"}},
        )
        made, frames = simulation(raw, 0, MemoryAssets({"x": mesh}))
        self.assertEqual(frames[0].count, 3)
        self.assertIn("has no inside", made.findings[0].text)


class Times(unittest.TestCase):
    def test_rate_gives_the_exact_count(self) -> None:
        for fps in (24.0, 25.0, 60.0):
            raw = document(
                clock={"duration": 5.0, "frames_per_second": fps},
                source={"emission": {"kind": "rate", "rate": 613.0}},
            )
            self.assertEqual(run(raw)[-1].count, 3065)

    def test_sub_step_births_are_even_in_time_and_place(self) -> None:
        # A stream of 50 m/s from a point: without sub-step births it would clump at each step.
        raw = document(
            speed=50.0, clock={"duration": 1.0}, source={"emission": {"kind": "rate", "rate": 5000.0}}
        )
        frame = run(raw)[-1]
        along = frame.columns["position"][:, 1] / 50.0
        self.assertGreater(stats.kstest(along, "uniform").pvalue, 0.5)
        np.testing.assert_allclose(frame.columns["age"], along, atol=1e-4)

    def test_start_stop_and_maximum(self) -> None:
        emission = Rate(kind="rate", rate=100.0, start=1.0, stop=2.0)
        span = Span(0.0, 1.0, False, 0.0, 10.0, lambda: None)
        self.assertEqual([emission.before(span, t) for t in (0.5, 1.0, 1.5, 2.0, 9.0)], [0, 0, 50, 100, 100])
        self.assertEqual(Rate(kind="rate", rate=100.0, maximum=30).before(span, 5.0), 30)
        frames = run(document(source={"emission": {"kind": "rate", "rate": 100.0, "maximum": 1}}))
        self.assertEqual(frames[-1].count, 1)

    def test_burst_happens_once(self) -> None:
        burst = Burst(kind="burst", count=7, time=0.5)
        spans = [Span(a, a + 0.25, False, 0.0, 10.0, lambda: None) for a in (0, 0.25, 0.5)]
        self.assertEqual([len(burst.births(span)) for span in spans], [0, 7, 0])
        self.assertEqual([frame.births for frame in run(document(count=60_000), 2)], [60_000, 0, 0])

    def test_no_more_are_asked_for_than_there_can_be(self) -> None:
        pulses = Pulses(kind="pulses", count=10, every=0.1)
        for most, births in ((5, 5), (19, 19), (25, 25), (30, 30), (500, 100)):
            self.assertEqual(len(pulses.births(Span(0.0, 0.95, True, 0.0, 10.0, lambda: None, most))), births)

    def test_what_is_due_lies_within_the_step(self) -> None:
        times = np.array([0.9, 1.0, 1.1, 1.5, 1.6])
        for first, due in ((False, [0, 0, 1, 1, 0]), (True, [0, 1, 1, 1, 0])):
            self.assertEqual(Span(1.0, 1.5, first, 0.0, 10.0, lambda: None).due(times).tolist(), [bool(one) for one in due])

    def test_frame_zero_shows_a_burst_at_zero(self) -> None:
        first = run(document(count=4), 0)[0]
        self.assertEqual((first.count, first.time), (4, 0.0))
        self.assertTrue((first.columns["age"] == 0).all())


class Lattices(unittest.TestCase):
    def test_every_cell_of_a_box_has_its_point_once(self) -> None:
        # 3 × 2 × 4 cells of 1 m: their middles, counted out by hand.
        places = born(1, {"kind": "box", "size": [3.0, 2.0, 4.0]}, placement={"kind": "lattice", "spacing": 1.0}, emission={"kind": "fill"})
        middles = {(x, y, z) for x in (-1.0, 0.0, 1.0) for y in (-0.5, 0.5) for z in (-1.5, -0.5, 0.5, 1.5)}
        self.assertEqual({tuple(np.round(place, 3).tolist()) for place in places}, middles)
        self.assertEqual(len(places), 24)


class FirstValues(unittest.TestCase):
    def test_eighty_plus_minus_sixty_frames(self) -> None:
        # Common practice, no source: a lifetime of 80 ± 60 frames gives 20 to 140 frames.
        life = {"kind": "spread", "value": 80 / 24, "spread": 60 / 24}
        frames = run(document(count=20_000, source={"lifetime": life}), 0)[0].columns["lifetime"] * 24
        self.assertGreaterEqual(frames.min(), 20 - 1e-3)
        self.assertLessEqual(frames.max(), 140 + 1e-3)
        self.assertGreater(stats.kstest((frames - 20) / 120, "uniform").pvalue, 0.001)

    def test_bell_stays_within_its_spread(self) -> None:
        bell = {"kind": "spread", "value": 1.0, "spread": 0.4, "shape": "bell"}
        radii = run(document(count=20_000, source={"radius": bell}), 0)[0].columns["radius"]
        self.assertTrue((np.abs(radii - 1) <= 0.4 + 1e-6).all())
        self.assertAlmostEqual(float(radii.std()), 0.2, delta=0.02)

    def test_speed_and_direction(self) -> None:
        velocity = run(document(count=100, speed=3.0, axis=[2.0, 0.0, 0.0]), 0)[0].columns["velocity"]
        np.testing.assert_allclose(velocity, [[3, 0, 0]] * 100, atol=1e-6)
        away = run(document(count=5000, speed=1.0, source={"direction": {"kind": "any"}}), 0)[0].columns[
            "velocity"
        ]
        self.assertLess(np.abs(away.mean(axis=0)).max(), 0.05)


if __name__ == "__main__":
    unittest.main()
