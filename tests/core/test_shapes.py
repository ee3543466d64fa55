"""Shapes: their geometry, transforms, parents, paths, roughness, and what asks about them."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import trimesh

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan, Scene
from hailridge.core.space.geometry import Geometry
from hailridge.core.space.transforms import Transform, turning
from hailridge.model.validation import DocumentError, read_effect
from tests.core.test_curves import keys
from tests.support import document, rule, run, track

Shape = dict[str, Any]


def shape(kind: str, **fields: Any) -> Shape:
    return {"kind": kind, "id": kind, "label": kind.capitalize(), **fields}


def bodies(*shapes: Shape) -> Scene:
    return Plan(read_effect(document(shapes=list(shapes))), MemoryAssets()).beginning


def local(kind: str, **fields: Any) -> Geometry:
    return bodies(shape(kind, **fields)).pose(kind).geometry


def outside_mesh(geometry: Geometry) -> trimesh.Trimesh:
    return trimesh.Trimesh(geometry.vertices, geometry.faces, process=True)


class Form(unittest.TestCase):
    def test_volumes_and_areas(self) -> None:
        # Handbook geometry; drawn with flat faces, round shapes are a little smaller. Closed and facing outward: trimesh.
        cases: list[tuple[str, dict[str, float], float]] = [
            ("box", {}, 1.0),
            ("ball", {"radius": 2.0}, 4 / 3 * np.pi * 8),
            ("ring", {"radius": 2.0, "thickness": 1.0}, 2 * np.pi**2 * 2 * 0.25),
            ("tube", {"radius": 1.5, "height": 2.0}, np.pi * 2.25 * 2),
            ("cone", {"radius": 1.0, "top_radius": 0.5, "height": 3.0}, np.pi * 3 / 3 * (1 + 0.5 + 0.25)),
        ]
        for kind, fields, volume in cases:
            with self.subTest(kind):
                mesh = outside_mesh(local(kind, **fields))
                self.assertTrue(mesh.is_watertight)
                self.assertTrue(mesh.is_winding_consistent)
                self.assertAlmostEqual(mesh.volume / volume, 1.0, delta=0.04)
        disc = local("disc", radius=2.0, hole=1.0)
        self.assertAlmostEqual(float(disc.areas.sum()), np.pi * 3, delta=0.05)
        self.assertTrue((disc.normals[:, 1] > 0.99).all())

    def test_inside_agrees_with_the_formulas(self) -> None:
        points = np.random.default_rng(4).uniform(-1.3, 1.3, (5000, 3)).astype(np.float32)
        x, y, z = points.T
        around = np.hypot(x, z)
        # Analytic insides; drawn with flat faces, points near the surface may differ.
        formulas: list[tuple[str, dict[str, float], Any]] = [
            ("ring", {"thickness": 0.4}, np.hypot(around - 1, y) < 0.2),
            ("cone", {"top_radius": 0.2}, (y > 0) & (y < 1) & (around < 0.5 - 0.3 * y)),
            ("tube", {}, (np.abs(y) < 0.5) & (around < 0.5)),
            ("box", {}, (np.abs(points) < 0.5).all(axis=1)),
        ]
        for kind, fields, expected in formulas:
            with self.subTest(kind):
                self.assertLess(np.mean(local(kind, **fields).inside(points) != expected), 0.004)

    def test_what_has_an_inside(self) -> None:
        every = ("box", "ball", "ring", "cone", "plane", "disc", "path")
        self.assertEqual([kind for kind in every if local(kind).has_inside], ["box", "ball", "ring", "cone"])
        self.assertFalse(local("tube", capped=False).has_inside)

    def test_a_mesh_that_passes_through_itself(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=2)
        doubled = trimesh.util.concatenate([ball, ball.copy().apply_translation([0.8, 0, 0])])
        geometry = Geometry(doubled.vertices.astype(np.float32), doubled.faces.astype(np.int32))
        points = np.array([[0.4, 0, 0], [-0.8, 0, 0], [1.6, 0, 0], [2, 1, 0], [0.4, 0.99, 0]], np.float32)
        self.assertEqual(geometry.inside(points).tolist(), [True, True, True, False, False])

    def test_overlapping_members_have_one_inside(self) -> None:
        made = bodies(
            shape("ball", radius=1.0),
            {**shape("ball", radius=1.0, position=[0.8, 0.0, 0.0]), "id": "other"},
            shape("compound", members=["ball", "other"]),
        )
        pose = made.pose("compound")
        middle = np.array([[0.4, 0, 0], [-0.9, 0, 0], [1.7, 0, 0], [0, 1.2, 0]], np.float32)
        self.assertEqual(pose.inside(middle).tolist(), [True, True, True, False])

    def test_the_surface_of_overlapping_members_is_what_can_be_seen(self) -> None:
        # Two balls of radius 1, 0.8 apart: of each, a cap of height 0.6 is buried, and areas go as heights do (Archimedes).
        made = bodies(
            shape("ball", radius=1.0),
            {**shape("ball", radius=1.0, position=[0.8, 0.0, 0.0]), "id": "other"},
            shape("plane", position=[0.4, 0.0, 0.0]),
            shape("compound", members=["ball", "other"], buried="left_out"),
        )
        geometry = made.pose("compound").geometry
        u = np.random.default_rng(3).random((40_000, 4), np.float32)
        points, normals = geometry.on_surface(u)
        centres = np.where(points[:, :1] < 0.4, [[0.0, 0, 0]], [[0.8, 0, 0]])
        np.testing.assert_allclose(np.linalg.norm(points - centres, axis=1), 1, atol=0.012)
        self.assertGreater(np.einsum("ij,ij->i", points - centres, normals).min(), 0.98)
        expected = np.linspace(-1.0, 1.8, 8)
        shares, _edges = np.histogram(points[:, 0], bins=expected)
        # Even over the height: each seventh of it gets as many, to four standard errors.
        self.assertLess(np.abs(shares - 40_000 / 7).max(), 4 * np.sqrt(40_000 / 7))
        again, _normals = geometry.on_surface(u[::-1])
        np.testing.assert_array_equal(again[::-1], points)

    def test_closest_on_a_path(self) -> None:
        line = local("path", points=[[0.0, 0.0, 0.0], [2.0, 0.0, 0.0], [2.0, 2.0, 0.0]], smooth=False)
        places, distances = line.closest(np.array([[1, 1, 0], [3, 3, 0], [-1, 0, 0]], np.float32))
        np.testing.assert_allclose(distances, [1, np.sqrt(2), 1], atol=1e-6)
        np.testing.assert_allclose(places[1:], [[2, 2, 0], [0, 0, 0]], atol=1e-6)


class Place(unittest.TestCase):
    def test_transforms_agree_with_trimesh(self) -> None:
        # trimesh's matrices are the outside reference for order and sense.
        inner, outer = (
            Transform.of([1, 2, 3], [30, 40, 50], 2.0),
            Transform.of([-1, 0, 2], [10, -20, 70], 0.5),
        )

        def matrix(position: Any, degrees: Any, scale: float) -> Any:
            whole = trimesh.transformations.euler_matrix(*np.radians(degrees), axes="sxyz")
            whole[:3, :3] *= scale
            whole[:3, 3] = position
            return whole

        both = matrix([-1, 0, 2], [10, -20, 70], 0.5) @ matrix([1, 2, 3], [30, 40, 50], 2.0)
        points = np.random.default_rng(1).normal(size=(20, 3))
        expected = trimesh.transform_points(points, both)
        joined = inner.within(outer)
        np.testing.assert_allclose(joined.points(points), expected, atol=1e-9)
        np.testing.assert_allclose(joined.inverse().points(expected), points, atol=1e-9)

    def test_turning_takes_one_axis_to_another(self) -> None:
        for start, end in (([0, 0, 1], [1, 0, 0]), ([0, 1, 0], [0, -1, 0]), ([0, 0, 1], [0, 0, 1])):
            turn = turning(start, end)
            np.testing.assert_allclose(turn @ start, end, atol=1e-12)
            self.assertAlmostEqual(float(np.linalg.det(turn)), 1.0)

    def test_a_parent_carries_everything_below_it(self) -> None:
        made = bodies(
            shape("point", position=[0.0, 1.0, 0.0], rotation=[0.0, 90.0, 0.0], scale=2.0)
            | {"id": "control"},
            shape("box", position=[1.0, 0.0, 0.0], parent="control"),
            shape("ball", position=[0.0, 1.0, 0.0], parent="box"),
        )
        np.testing.assert_allclose(made.frame("box").translation, [0, 1, -2], atol=1e-9)
        np.testing.assert_allclose(made.frame("ball").translation, [0, 3, -2], atol=1e-9)
        self.assertEqual(made.frame("ball").scale, 2.0)

    def test_along_a_path(self) -> None:
        route = shape(
            "path", points=[[0.0, 0.0, 0.0], [4.0, 0.0, 0.0]], smooth=False, position=[0.0, 1.0, 0.0]
        )
        made = bodies(route, shape("box", path="path", travel=keys((0, 0.0), (2, 100.0)), facing=True))
        self.assertTrue(made.plan.stage.by_id["box"].moving)
        plan = Plan(
            read_effect(
                document(
                    shapes=[route, shape("box", path="path", travel=keys((0, 0.0), (2, 100.0)), facing=True)]
                )
            ),
            MemoryAssets(),
        )
        frame = plan.at(0.5).frame("box")
        np.testing.assert_allclose(frame.translation, [1, 1, 0], atol=1e-6)
        np.testing.assert_allclose(frame.rotation @ [0, 0, 1], [1, 0, 0], atol=1e-6)
        laps = Plan(
            read_effect(document(shapes=[route, shape("box", path="path", lap=2.0)])), MemoryAssets()
        )
        np.testing.assert_allclose(laps.at(3.0).frame("box").translation, [2, 1, 0], atol=1e-6)

    def test_circles_are_refused(self) -> None:
        circle = [shape("box", parent="ball"), shape("ball", parent="box")]
        own = [shape("compound", members=["compound"])]
        no_path = [shape("box", path="ball"), shape("ball")]
        for shapes, told in ((circle, "in a circle"), (own, "made of itself"), (no_path, "is no path")):
            with self.assertRaises(DocumentError) as caught:
                read_effect(document(shapes=shapes))
            self.assertIn(told, str(caught.exception))

    def test_zero_scale_is_refused(self) -> None:
        with self.assertRaises(DocumentError) as caught:
            read_effect(document(shapes=[shape("box", scale=0.0)]))
        self.assertIn("cannot be below 0.0001", str(caught.exception))


class Roughness(unittest.TestCase):
    def test_bounded_closed_and_changing(self) -> None:
        made = Plan(
            read_effect(
                document(
                    shapes=[
                        shape("ball", radius=1.0, roughness=0.2, roughness_size=0.5, roughness_change=1.0)
                    ]
                )
            ),
            MemoryAssets(),
        )
        first = made.at(0.0).pose("ball").geometry
        far = np.linalg.norm(first.vertices, axis=1)
        self.assertGreater(far.std(), 0.02)
        self.assertLess(np.abs(far - 1).max(), 0.3)
        self.assertTrue(outside_mesh(first).is_watertight)
        second = made.at(0.5).pose("ball").geometry
        self.assertGreater(np.abs(second.vertices - first.vertices).max(), 0.01)
        np.testing.assert_array_equal(made.at(0.0).pose("ball").geometry.vertices, first.vertices)

    def test_a_box_gets_triangles_to_bend(self) -> None:
        rough = local("box", roughness=0.1, roughness_size=0.3)
        self.assertGreater(len(rough.faces), 500)


class Moving(unittest.TestCase):
    """Shapes that move while particles meet them."""

    def test_a_source_hands_on_its_velocity(self) -> None:
        # Moving at 4 m/s; half of that is handed on.
        raw = document(
            shapes=[shape("ball", position=keys((0, [0.0, 0.0, 0.0]), (2, [8.0, 0.0, 0.0])))],
            source={
                "shape": "ball",
                "placement": {"kind": "centre"},
                "inherit": 50.0,
                "speed": 0.0,
                "emission": {"kind": "rate", "rate": 240.0},
            },
        )
        frame = run(raw, 24)[-1]
        np.testing.assert_allclose(frame.columns["velocity"], [[2, 0, 0]] * frame.count, atol=1e-3)
        # Born evenly along the way, at the places where the source was: x(birth) = 4 t, then carried on at 2 m/s.
        birth = 1.0 - frame.columns["age"]
        np.testing.assert_allclose(
            frame.columns["position"][:, 0], 4 * birth + 2 * frame.columns["age"], atol=2e-3
        )

    def test_a_burst_at_the_beginning_has_it_too(self) -> None:
        raw = document(
            shapes=[shape("ball", position=keys((0, [0.0, 0.0, 0.0]), (1, [3.0, 0.0, 0.0])))],
            source={"shape": "ball", "inherit": 100.0, "speed": 0.0},
        )
        np.testing.assert_allclose(run(raw, 0)[0].columns["velocity"], [[3, 0, 0]], atol=1e-3)

    def test_a_spinning_source_hands_on_its_turning(self) -> None:
        # ω × r: a quarter turn a second about y, 2 m from the axis.
        raw = document(
            shapes=[
                shape("point", rotation=keys((0, [0.0, 0.0, 0.0]), (4, [0.0, 360.0, 0.0]))) | {"id": "axis"},
                shape("ball", position=[2.0, 0.0, 0.0], parent="axis"),
            ],
            clock={"frames_per_second": 240.0},
            source={
                "shape": "ball",
                "placement": {"kind": "centre"},
                "inherit": 100.0,
                "speed": 0.0,
                "emission": {"kind": "burst", "count": 1, "time": 0.5},
            },
        )
        frame = run(raw, 120)[-1]
        self.assertAlmostEqual(float(np.linalg.norm(frame.columns["velocity"][0])), np.pi / 2 * 2, delta=0.01)

    def floor(self, way: Any, **fields: Any) -> Any:
        solid = rule({"kind": "bounce", "shape": "lid", "bounciness": 1.0, "friction": 0.0})
        lid = {**shape("box", size=[4.0, 0.2, 4.0], position=way, **fields), "id": "lid"}
        return run(document(solid, shapes=[lid], position=[0.0, 1.0, 0.0]))

    def test_a_rising_floor_throws(self) -> None:
        # A wall that comes at u gives a resting ball 2u (elastic, the wall far heavier: handbook mechanics).
        frames = self.floor(keys((0, [0.0, 0.0, 0.0]), (2, [0.0, 4.0, 0.0])))
        self.assertAlmostEqual(float(frames[-1].columns["velocity"][0, 1]), 4.0, delta=0.02)

    def test_a_turning_floor_does_not_let_through(self) -> None:
        frames = self.floor([0.0, 0.0, 0.0], rotation=keys((0, [0.0, 0.0, 0.0]), (2, [0.0, 0.0, 720.0])))
        speed = track(frames, "velocity")
        self.assertGreater(np.linalg.norm(speed[-1]), 0.5)

    def test_a_fast_floor_does_not_jump_past(self) -> None:
        frames = self.floor(keys((0, [0.0, -50.0, 0.0]), (1, [0.0, 50.0, 0.0])))
        self.assertAlmostEqual(float(frames[-1].columns["velocity"][0, 1]), 200.0, delta=2.0)

    def test_a_growing_ball_is_met_where_it_is(self) -> None:
        solid = rule(
            {"kind": "bounce", "shape": "ball", "bounciness": 0.0, "friction": 0.0}, {"kind": "gravity"}
        )
        raw = document(
            solid, shapes=[shape("ball", radius=keys((0, 0.5), (1, 1.0)))], position=[0.0, 3.0, 0.0]
        )
        height = track(run(raw), "position")[:, 1]
        self.assertGreaterEqual(height[-1], 1.0)

    def test_frames_are_the_same_when_looked_at_again(self) -> None:
        raw = document(
            rule({"kind": "attract", "shape": "ball"}),
            count=50,
            shapes=[
                shape(
                    "ball",
                    position=keys((0, [0.0, 0.0, 0.0]), (1, [3.0, 1.0, 0.0])),
                    roughness=0.1,
                    roughness_change=2.0,
                )
            ],
            source={"shape": "ball", "emission": {"kind": "rate", "rate": 40.0}},
        )
        first, second = run(raw), run(raw)
        for name, column in first[-1].columns.items():
            np.testing.assert_array_equal(column, second[-1].columns[name])


if __name__ == "__main__":
    unittest.main()
