"""Contact against handbook mechanics, and the property that nothing gets through."""

from __future__ import annotations

import math
import unittest

import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.space.geometry import Geometry
from tests.support import PLANE, compare, document, mesh_of, rule, run, simulation, track

GRAVITY = rule({"kind": "gravity", "acceleration": 9.81})
RADIUS = 0.05


def bounce(shape: str = "plane", bounciness: float = 0.5, friction: float = 0.0) -> dict:
    return rule({"kind": "bounce", "shape": shape, "bounciness": bounciness, "friction": friction})


def dropped(height: float, e: float, fps: float = 240.0, seconds: float = 3.0, **rest: object) -> np.ndarray:
    raw = document(
        GRAVITY,
        bounce(bounciness=e),
        position=[0.0, height + RADIUS, 0.0],
        shapes=[PLANE],
        clock={"frames_per_second": fps, "duration": seconds},
        **rest,
    )
    return track(run(raw), "position")[:, 1] - RADIUS


class Bouncing(unittest.TestCase):
    """Handbook mechanics: rebound to e²h; all bounces over after √(2h/g) · (1 + e) / (1 − e)."""

    def test_rebound_height(self) -> None:
        for e in (0.3, 0.6, 0.9):
            height = dropped(2.0, e, seconds=2.0)
            hit = int(math.sqrt(2 * 2.0 / 9.81) * 240) + 1
            second = height[hit : hit + int(2 * e * math.sqrt(2 * 2.0 / 9.81) * 240) - 2]
            self.assertAlmostEqual(second.max(), e**2 * 2.0, delta=0.004)

    def test_rebound_at_24_frames_a_second(self) -> None:
        height = dropped(2.0, 0.8, fps=24.0, seconds=1.6)
        self.assertAlmostEqual(height[18:].max(), 0.64 * 2.0, delta=0.02)

    def test_total_bouncing_time(self) -> None:
        e, h = 0.6, 1.0
        height = dropped(h, e)
        ended = math.sqrt(2 * h / 9.81) * (1 + e) / (1 - e)
        at_rest = np.flatnonzero(height > 2e-4).max() / 240
        self.assertAlmostEqual(at_rest, ended, delta=0.05)

    def test_elastic_keeps_its_energy(self) -> None:
        height = dropped(1.0, 1.0, fps=24.0, seconds=10.0)
        self.assertGreater(height[-60:].max(), 0.97)
        self.assertLess(height.max(), 1.01)

    def test_rest_without_jitter(self) -> None:
        for fps in (24.0, 60.0):
            height = dropped(0.3, 0.2, fps=fps)[int(1.5 * fps) :]
            self.assertLess(np.ptp(height), 1e-5)
            self.assertLess(abs(height[-1]), 1e-4)


class Incline(unittest.TestCase):
    """Handbook mechanics: a = g (sin θ − μ cos θ), and no motion while tan θ ≤ μ."""

    def slid(self, degrees: float, friction: float) -> np.ndarray:
        turned = PLANE | {"rotation": [0.0, 0.0, degrees]}
        angle = math.radians(degrees)
        above = [-math.sin(angle) * RADIUS, math.cos(angle) * RADIUS, 0.0]
        raw = document(
            GRAVITY,
            bounce(bounciness=0.0, friction=friction),
            position=above,
            shapes=[turned],
            clock={"duration": 1.0},
        )
        path = track(run(raw), "position")
        return np.linalg.norm(path - path[0], axis=1)

    def test_slides(self) -> None:
        for degrees, friction in ((20.0, 0.1), (35.0, 0.3), (50.0, 0.0)):
            angle = math.radians(degrees)
            expected = 0.5 * 9.81 * (math.sin(angle) - friction * math.cos(angle))
            self.assertAlmostEqual(self.slid(degrees, friction)[-1], expected, delta=0.02 * expected + 1e-3)

    def test_stays(self) -> None:
        for degrees in (10.0, 25.0, 40.0):
            friction = math.tan(math.radians(degrees)) * 1.01
            self.assertLess(self.slid(degrees, friction)[-1], 2e-3)


class NothingGetsThrough(unittest.TestCase):
    PLATE = {"kind": "box", "id": "plate", "label": "Plate", "size": [4.0, 0.001, 4.0]}

    @settings(max_examples=40, deadline=None)
    @given(
        st.floats(1, 5000),
        st.floats(-60, 60),
        st.floats(0, 360),
        st.floats(0.0, 0.3),
        st.sampled_from([1.0, 24.0, 60.0]),
        st.floats(0, 1),
    )
    def test_a_thin_plate(
        self, speed: float, tilt: float, turn: float, radius: float, fps: float, e: float
    ) -> None:
        plate = self.PLATE | {"rotation": [tilt, turn, 0.0]}
        normal = trimesh.transformations.euler_matrix(*np.radians([tilt, turn, 0.0]), axes="sxyz")[:3, 1]
        start = normal * 3.0
        raw = document(
            bounce("plate", e),
            position=[float(x) for x in start],
            axis=[float(-x) for x in normal],
            speed=speed,
            shapes=[plate],
            source={"radius": radius},
            clock={"frames_per_second": fps, "duration": 3.0},
        )
        path = track(run(raw), "position")
        self.assertTrue((path @ normal > 0).all(), f"went through at {speed} m/s, {fps} fps")

    def test_a_shower_on_every_side_of_a_box(self) -> None:
        box = {"kind": "box", "id": "box", "label": "Box", "rotation": [10.0, 20.0, 30.0]}
        cloud = {"kind": "ball", "id": "cloud", "label": "Cloud", "radius": 4.0}
        raw = document(
            bounce("box", 0.3, 0.2),
            count=3000,
            shapes=[box, cloud],
            source={
                "shape": "cloud",
                "placement": {"kind": "surface"},
                "direction": {"kind": "normal"},
                "speed": {"kind": "spread", "value": -60.0, "spread": 50.0},
            },
        )
        turn = trimesh.transformations.euler_matrix(*np.radians([10, 20, 30]), axes="sxyz")[:3, :3]
        for frame in run(raw, 24):
            inside = np.abs(frame.columns["position"] @ turn).max(axis=1) < 0.5 - 1e-3
            self.assertFalse(inside.any(), f"frame {frame.number}")

    def test_a_seam_between_triangles(self) -> None:
        # Particles without size, aimed exactly at the edge that two triangles share and at a corner.
        mesh = mesh_of([[-1, 0, -1], [-1, 0, 1], [1, 0, 1], [1, 0, -1]], [[0, 1, 2], [0, 2, 3]])
        for x in (-1.0, -0.5, 0.0, 0.37, 0.99):
            shape = {"kind": "mesh", "id": "m", "label": "M", "asset": "m"}
            raw = document(
                bounce("m", 0.2),
                position=[x, 1.0, x],
                axis=[0.0, -1.0, 0.0],
                speed=40.0,
                shapes=[shape],
                source={"radius": 0.0},
            )
            self.assertTrue((track(run(raw, 10, MemoryAssets({"m": mesh})), "position")[:, 1] > 0).all())

    def test_a_ball(self) -> None:
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}
        raw = document(
            bounce("ball", 1.0), position=[0.0, 5.0, 0.0], axis=[0.0, -1.0, 0.0], speed=300.0, shapes=[ball]
        )
        path = track(run(raw, 3), "position")
        # Straight on and back: up, down 4 − radius, and up again with the same speed.
        self.assertAlmostEqual(path[1, 1], 5 + 300 / 24 - 2 * (4 - RADIUS), places=3)

    def test_born_overlapping_is_pushed_out_not_through(self) -> None:
        raw = document(GRAVITY, bounce(bounciness=0.0), position=[0.0, 0.01, 0.0], shapes=[PLANE])
        self.assertTrue((track(run(raw), "position")[:, 1] > 0).all())

    def test_who_is_come_upon_is_asked_of_before_it_goes_on(self) -> None:
        """A ball's surface grows by 0.5 m/s and reaches a particle's at half a second; its rule sends it up at 2 m/s (uniform motion)."""
        grown = {"keys": [{"at": 0.0, "value": 0.5, "ease": "linear"}, {"at": 1.0, "value": 1.0, "ease": "linear"}]}
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": grown}
        up = rule({"kind": "set", "attribute": "velocity", "amount": [0.0, 2.0, 0.0]}, trigger="contact", id="up")
        for clock in ({"frames_per_second": 24.0}, {"frames_per_second": 60.0}, {"frames_per_second": 24.0, "steps_per_frame": 3}):
            with self.subTest(clock):
                raw = document(bounce("ball", 0.0), up, position=[0.8, 0.0, 0.0], shapes=[ball], clock=clock | {"duration": 1.0})
                frames = run(raw)
                (asked,) = (frame.time for frame in frames if frame.acted[1])
                self.assertAlmostEqual(asked, 0.5, delta=1.01 / clock["frames_per_second"])
                self.assertEqual(frames[len(frames) // 2 - 1].columns["velocity"][0].tolist(), [0.0, 0.0, 0.0])
                self.assertAlmostEqual(float(frames[-1].columns["position"][0, 1]), 1.0, delta=0.03)


class WhatIsRemembered(unittest.TestCase):
    def between(self, rotations: list[list[float]], joined: bool, **rest: object) -> np.ndarray:
        """Contacts counted over five seconds of a ball that comes to rest between planes turned like that; as shapes of their own or as one."""
        planes = [
            {**PLANE, "id": f"p{n}", "label": f"P{n}", "rotation": turn, "width": 6.0, "depth": 6.0}
            for n, turn in enumerate(rotations)
        ]
        both = {"kind": "compound", "id": "both", "label": "Both", "members": [plane["id"] for plane in planes]}
        solid = ["both"] if joined else [plane["id"] for plane in planes]
        raw = document(
            GRAVITY,
            *(bounce(shape, 0.2, 0.3) | {"id": f"solid {n}"[:5] + str(n)} for n, shape in enumerate(solid)),
            shapes=[*planes, both],
            count=30,
            clock={"duration": 6.0},
            source={"direction": {"kind": "any"}, "speed": 0.3},
            **rest,
        )
        frames = run(raw)
        return np.array([frame.columns["contact_count"] for frame in frames[24:]])

    def test_resting_between_two_surfaces_is_no_new_contact(self) -> None:
        # A valley of two planes; a floor and a wall into which wind presses.
        for joined in (False, True):
            counts = self.between([[0, 0, -35.0], [0, 0, 35.0]], joined, position=[0.0, 0.8, 0.0])
            self.assertTrue((counts[-1] >= 1).all())
            # It rolls into the valley and bounces a little; after three seconds nothing is new any more.
            np.testing.assert_array_equal(counts[-1], counts[60])
            self.assertLess(counts[-1].max(), 20)

    def test_pressed_into_a_corner_by_a_strong_wind(self) -> None:
        wind = rule({"kind": "constant", "acceleration": [40.0, 0.0, 0.0]}, id="press")
        wall = {"kind": "plane", "id": "wall", "label": "Wall", "rotation": [0.0, 0.0, 90.0], "position": [1.0, 0.0, 0.0]}
        raw = document(
            GRAVITY, wind, bounce(bounciness=0.3), bounce("wall", 0.3) | {"id": "wall"},
            rule({"kind": "spawn", "group": "b", "count": 1, "parent": "kept"}, id="shatter", trigger="contact", who=["a"]),
            shapes=[PLANE, {**wall, "width": 20.0, "depth": 20.0}], count=10, groups=["a", "b"], clock={"duration": 5.0},
            position=[0.0, 0.5, 0.0],
        )  # fmt: skip
        frames = run(raw)
        born = np.array([frame.births for frame in frames])
        self.assertEqual(int(born[36:].sum()), 0)
        touching = frames[-1].columns["touching"][frames[-1].columns["group"] == 0]
        np.testing.assert_array_equal(touching, (1 << 1) | (1 << 2))

    def test_resting_is_one_contact(self) -> None:
        raw = document(GRAVITY, bounce(bounciness=0.0), position=[0.0, 1.05, 0.0], shapes=[PLANE])
        frames = run(raw)
        self.assertEqual(track(frames, "contact_count")[-1], 1)
        self.assertAlmostEqual(track(frames, "impact_speed")[-1], math.sqrt(2 * 9.81 * 1.0), delta=0.01)
        self.assertEqual(int(track(frames, "touching")[-1]), 1 << 1)

    def test_impact_speed_counts_only_what_goes_into_the_surface(self) -> None:
        raw = document(
            bounce(bounciness=1.0),
            position=[-1.0, 1.0 + RADIUS, 0.0],
            axis=[1.0, -1.0, 0.0],
            speed=10.0,
            shapes=[PLANE],
        )
        self.assertAlmostEqual(track(run(raw), "impact_speed")[-1], 10 / math.sqrt(2), places=4)

    def test_only_whom_the_rule_holds_for(self) -> None:
        solid = bounce() | {"condition": {"kind": "chance", "probability": 0.5}}
        raw = document(GRAVITY, solid, count=400, position=[0.0, 0.5, 0.0], shapes=[PLANE])
        below = run(raw)[-1].columns["position"][:, 1] < 0
        self.assertTrue(140 < np.count_nonzero(below) < 260)

    def test_newborn_children_are_caught(self) -> None:
        # Children thrown straight down from just above the plane, fast enough to pass it in their first step.
        spawn = {
            "kind": "spawn",
            "count": 20,
            "group": "b",
            "speed": 200.0,
            "heading": "motion",
            "cone": 10.0,
        }
        raw = document(
            bounce(),
            rule(spawn, trigger="once", who=["a"], condition=compare("age", "at_least", 0.1)),
            groups=["a", "b"],
            position=[0.0, 0.5, 0.0],
            axis=[0.0, -1.0, 0.0],
            speed=0.5,
            shapes=[PLANE],
        )
        frames = run(raw, 12)
        self.assertEqual(frames[-1].population[1], 20)
        for frame in frames:
            self.assertTrue((frame.columns["position"][:, 1] > 0).all())

    def test_strays_are_removed_and_told(self) -> None:
        raw = document(
            rule({"kind": "add", "attribute": "speed", "amount": 90_000.0, "per": "occasion"}),
            speed=1.0,
            clock={"duration": 4.0},
        )
        made, frames = simulation(raw)
        self.assertEqual(frames[-1].count, 0)
        self.assertIn("stray", made.findings[0].text)


class MeshGeometry(unittest.TestCase):
    """Closest points against trimesh."""

    def test_closest_points(self) -> None:
        torus = trimesh.creation.torus(1.0, 0.4)
        geometry = Geometry(torus.vertices.astype(np.float32), torus.faces.astype(np.int32))
        points = np.random.default_rng(3).uniform(-2, 2, (400, 3)).astype(np.float32)
        _places, distances = geometry.closest(points)
        reference = trimesh.proximity.closest_point_naive(torus, points.astype(np.float64))[1]
        np.testing.assert_allclose(distances, reference, atol=2e-6)

    def test_areas_and_normals(self) -> None:
        box = trimesh.creation.icosphere(subdivisions=2)
        geometry = Geometry(box.vertices.astype(np.float32), box.faces.astype(np.int32))
        np.testing.assert_allclose(geometry.areas, box.area_faces, rtol=1e-5)
        np.testing.assert_allclose(geometry.normals, box.face_normals, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
