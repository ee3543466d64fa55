"""Sources: places, times, aims, and first values."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import trimesh
from scipy import stats
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hailridge.core.scene.assets import MemoryAssets, Mesh
from hailridge.core.state.orientation import about_axis, align, any_orientations, from_spin, product, turned
from hailridge.model.validation import DocumentError, read_effect
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import document, run, simulation

BOX = shape("box", size=[2.0, 1.0, 1.0])


def born(source: dict[str, Any], *shapes: Any, count: int = 2000, **changes: Any) -> dict[str, Any]:
    """Columns of what a source has born by frame 0."""
    raw = document(
        count=count,
        shapes=list(shapes or [BOX]),
        source={"shape": "box", "placement": {"kind": "surface"}, **source},
        **changes,
    )
    return run(raw, 0)[0].columns


class Listed(unittest.TestCase):
    def test_a_lattice_fills_its_shape(self) -> None:
        fill = {"placement": {"kind": "lattice", "spacing": 0.25}, "emission": {"kind": "fill"}}
        points = born(fill)["position"]
        self.assertEqual(len(points), 8 * 4 * 4)
        np.testing.assert_allclose(sorted(set(points[:, 0].round(4))), np.arange(8) * 0.25 - 0.875, atol=1e-4)
        self.assertTrue((np.abs(points) <= [1, 0.5, 0.5]).all())

    def test_jitter_stays_within_its_cell(self) -> None:
        place = {"kind": "lattice", "spacing": 0.25, "jitter": 50.0}
        regular = born({"placement": {**place, "jitter": 0.0}, "emission": {"kind": "fill"}})["position"]
        moved = born({"placement": place, "emission": {"kind": "fill"}})["position"]
        self.assertGreater(np.abs(moved - regular).max(), 0.05)
        self.assertLessEqual(np.abs(moved - regular).max(), 0.25 * 0.25 + 1e-6)
        other = born({"placement": {**place, "seed": 5}, "emission": {"kind": "fill"}})["position"]
        self.assertGreater(np.abs(moved - other).max(), 0.01)

    def test_a_lattice_of_ten_million_points_is_refused_in_words(self) -> None:
        raw = document(
            shapes=[BOX],
            source={
                "shape": "box",
                "placement": {"kind": "lattice", "spacing": 0.0005},
                "emission": {"kind": "fill"},
            },
        )
        made, frames = simulation(raw, 1)
        self.assertEqual(frames[-1].count, 0)
        self.assertIn("the limit is", made.findings[0].text)

    def test_too_much_is_refused_quickly(self) -> None:
        thin = shape("box", size=[50.0, 1e-3, 50.0], rotation=[0.0, 0.0, 40.0])
        for placement in (
            {"kind": "lattice", "spacing": 0.002},
            {"kind": "apart", "distance": 0.003, "where": "surface"},
            {"kind": "apart", "distance": 0.003, "where": "inside"},
        ):
            raw = document(
                shapes=[BOX], source={"shape": "box", "placement": placement, "emission": {"kind": "fill"}}
            )
            made, frames = simulation(raw, 0)
            self.assertEqual(frames[0].count, 0)
            self.assertIn("the limit is", made.findings[0].text)
        # A shape too thin for its box is not searched for ever: what finds no place is put on the surface.
        hair = trimesh.creation.cylinder(0.001, segment=[[0, 0, 0], [20, 20, 20]])
        assets = MemoryAssets({"m": Mesh(hair.vertices.astype(np.float32), hair.faces.astype(np.int32))})
        raw = document(
            count=20_000,
            shapes=[shape("mesh", asset="m")],
            source={"shape": "mesh", "placement": {"kind": "inside"}},
        )
        made, frames = simulation(raw, 0, assets)
        self.assertEqual(frames[0].count, 20_000)
        self.assertIn("so thin", made.findings[0].text)
        self.assertGreater(len(born({"placement": {"kind": "inside"}}, thin, count=500)["position"]), 0)

    def test_places_kept_apart(self) -> None:
        for where in ("surface", "inside"):
            points = born(
                {
                    "placement": {"kind": "apart", "distance": 0.1, "where": where},
                    "emission": {"kind": "fill"},
                }
            )["position"]
            nearest = cKDTree(points).query(points, k=2)[0][:, 1]
            self.assertGreaterEqual(nearest.min(), 0.1 - 1e-6)
            # Maximal sets of this kind leave no hole wider than about the distance itself.
            self.assertLess(np.median(nearest), 0.14)

    def test_faces_and_points_in_order(self) -> None:
        faces = born({"placement": {"kind": "faces"}}, count=12)["position"]
        box = trimesh.creation.box([2, 1, 1])
        expected = box.triangles_center
        self.assertEqual(len(cKDTree(expected).query_ball_point(faces, 0.4)), 12)
        points = born({"placement": {"kind": "points"}, "emission": {"kind": "fill"}})["position"]
        np.testing.assert_allclose(np.sort(np.abs(points), axis=0), [[1, 0.5, 0.5]] * 8)

    def test_more_births_than_places_go_round_again(self) -> None:
        points = born({"placement": {"kind": "points"}}, count=20)["position"]
        np.testing.assert_array_equal(points[:8], points[8:16])

    def test_any_order_is_an_order(self) -> None:
        place = {"kind": "lattice", "spacing": 0.25}
        fill = {"kind": "fill"}
        first = born({"placement": place, "emission": fill})["position"]
        mixed = born({"placement": {**place, "order": "any"}, "emission": fill})["position"]
        self.assertFalse(np.array_equal(first, mixed))
        np.testing.assert_allclose(np.unique(first, axis=0), np.unique(mixed, axis=0))

    def test_filling_needs_places_to_count(self) -> None:
        self.assertEqual(len(born({"emission": {"kind": "fill"}})["position"]), 0)

    def test_they_move_and_turn_with_their_shape(self) -> None:
        fill = {"placement": {"kind": "lattice", "spacing": 0.25}, "emission": {"kind": "fill"}}
        still = born(fill)["position"]
        turned_box = {**BOX, "rotation": [0.0, 30.0, 0.0], "position": [1.0, 2.0, 3.0], "scale": 2.0}
        moved = born(fill, turned_box)["position"]
        matrix = trimesh.transformations.euler_matrix(0, np.radians(30), 0)[:3, :3]
        np.testing.assert_allclose(moved, still @ matrix.T * 2 + [1, 2, 3], atol=1e-5)


class Inside(unittest.TestCase):
    def test_evenly_in_a_mesh(self) -> None:
        # Half of a cone's volume lies below 1 − 2^(−1/3) of its height (r³ law).
        points = born(
            {"placement": {"kind": "inside"}, "shape": "cone"},
            shape("cone", radius=1.0, height=1.0),
            count=20_000,
        )["position"]
        share = 1 - (1 - points[:, 1]) ** 3
        self.assertGreater(stats.kstest(share, "uniform").pvalue, 0.001)

    def test_by_area_on_twenty_thousand_triangles(self) -> None:
        mesh = trimesh.creation.icosphere(subdivisions=5)
        mesh.vertices *= [1.0, 2.0, 0.5]
        assets = MemoryAssets({"m": Mesh(mesh.vertices.astype(np.float32), mesh.faces.astype(np.int32))})
        raw = document(
            count=60_000,
            shapes=[shape("mesh", asset="m")],
            source={"shape": "mesh", "placement": {"kind": "surface"}},
        )
        points = run(raw, 0, assets)[0].columns["position"]
        # trimesh's own sampler, seeded, is the outside reference.
        expected, _faces = trimesh.sample.sample_surface(mesh, 60_000, seed=8)
        for axis in range(3):
            self.assertGreater(stats.ks_2samp(points[:, axis], expected[:, axis]).pvalue, 0.001)


class Along(unittest.TestCase):
    LINE = shape("path", points=[[0.0, 0.0, 0.0], [3.0, 0.0, 0.0], [3.0, 1.0, 0.0]], smooth=False)

    def test_even_places_on_a_path(self) -> None:
        place = {"kind": "along", "spacing": "even", "number": 5}
        points = born({"placement": place, "shape": "path", "emission": {"kind": "fill"}}, self.LINE)[
            "position"
        ]
        np.testing.assert_allclose(points, [[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [3, 1, 0]], atol=1e-5)

    def test_between_two_shares(self) -> None:
        points = born(
            {"placement": {"kind": "along", "start": 25.0, "end": 50.0}, "shape": "path"}, self.LINE
        )["position"]
        self.assertTrue(((points[:, 0] >= 1 - 1e-5) & (points[:, 0] <= 2 + 1e-5)).all())

    def test_normals_are_square_to_the_path(self) -> None:
        velocity = born(
            {
                "placement": {"kind": "along", "end": 50.0},
                "shape": "path",
                "direction": {"kind": "normal"},
                "speed": 1.0,
            },
            self.LINE,
        )["velocity"]
        np.testing.assert_allclose(velocity[:, 0], 0, atol=1e-5)
        angle = np.arctan2(velocity[:, 2], velocity[:, 1])
        self.assertGreater(stats.kstest(angle / (2 * np.pi) + 0.5, "uniform").pvalue, 0.001)


class Times(unittest.TestCase):
    def count(self, emission: Any, **clock: Any) -> list[int]:
        frames = run(document(source={"emission": emission}, clock={"duration": 2.0, **clock}))
        return [frame.births for frame in frames]

    def test_repeated_bursts(self) -> None:
        births = self.count({"kind": "pulses", "count": 5, "every": 0.5})
        self.assertEqual([index for index, number in enumerate(births) if number], [0, 12, 24, 36, 48])
        self.assertEqual(set(births), {0, 5})
        self.assertEqual(sum(self.count({"kind": "pulses", "count": 5, "every": 0.5, "times": 3})), 15)
        self.assertEqual(
            sum(self.count({"kind": "pulses", "count": 5, "every": 0.5, "start": 0.25, "stop": 1.0})), 10
        )

    def test_exactly_one(self) -> None:
        births = self.count({"kind": "one", "time": 1.0})
        self.assertEqual((births[24], sum(births)), (1, 1))

    def test_ordinals_go_on(self) -> None:
        raw = document(source={"emission": {"kind": "pulses", "count": 3, "every": 0.5}})
        self.assertEqual(run(raw)[-1].columns["birth_index"].tolist(), list(range(15)))

    def test_a_pre_roll_begins_already_running(self) -> None:
        steady = {"kind": "rate", "rate": 100.0}
        rolled = run(
            document(speed=2.0, source={"emission": steady, "lifetime": 1.0}, clock={"pre_roll": 1.5}), 0
        )[0]
        later = run(document(speed=2.0, source={"emission": steady, "lifetime": 1.0}), 36)[-1]
        self.assertEqual(rolled.time, 0.0)
        self.assertAlmostEqual(rolled.count, later.count, delta=1)
        np.testing.assert_allclose(
            np.sort(rolled.columns["position"][:, 1])[5:95],
            np.sort(later.columns["position"][:, 1])[5:95],
            atol=0.05,
        )
        # What is to begin at a time of its own still does.
        late = run(
            document(
                source={"emission": {"kind": "burst", "count": 4, "time": 0.5}}, clock={"pre_roll": 1.5}
            ),
            12,
        )
        self.assertEqual((late[11].count, late[12].count), (0, 4))


class Aims(unittest.TestCase):
    def test_at_a_target_that_moves(self) -> None:
        target = {**shape("point", position=keys((0, [0.0, 0.0, 5.0]), (1, [5.0, 0.0, 0.0]))), "id": "goal"}
        raw = document(
            speed=1.0,
            shapes=[target],
            source={
                "direction": {"kind": "target", "shape": "goal"},
                "emission": {"kind": "pulses", "count": 1, "every": 1.0},
            },
        )
        velocity = run(raw, 24)[-1].columns["velocity"]
        np.testing.assert_allclose(velocity[0], [0, 0, 1], atol=1e-5)
        self.assertGreater(velocity[1, 0], 0.99)

    def test_a_deleted_target_is_told(self) -> None:
        with self.assertRaises(DocumentError) as caught:
            read_effect(document(source={"direction": {"kind": "target", "shape": "gaol"}}))
        self.assertIn("there is no shape called 'gaol'", str(caught.exception))

    def test_from_the_centre(self) -> None:
        columns = born({"direction": {"kind": "centre"}, "speed": 1.0})
        away = columns["position"] / np.linalg.norm(columns["position"], axis=1, keepdims=True)
        np.testing.assert_allclose(columns["velocity"], away, atol=1e-4)


class Turned(unittest.TestCase):
    """SciPy's Rotation is the outside reference; it too puts w last."""

    def setUp(self) -> None:
        self.rng = np.random.default_rng(3)
        self.axes = self.rng.normal(size=(50, 3))
        self.axes /= np.linalg.norm(self.axes, axis=1, keepdims=True)
        self.angles = self.rng.uniform(-3, 3, 50)

    def same(self, ours: Any, theirs: Rotation) -> None:
        off = (Rotation.from_quat(ours) * theirs.inv()).magnitude()
        self.assertLess(float(np.max(off)), 1e-5)

    def test_axis_and_angle_and_products(self) -> None:
        first, second = about_axis(self.axes, self.angles), from_spin(self.axes[::-1] * self.angles[:, None])
        a, b = (
            Rotation.from_rotvec(self.axes * self.angles[:, None]),
            Rotation.from_rotvec(self.axes[::-1] * self.angles[:, None]),
        )
        self.same(first, a)
        self.same(product(first, second), a * b)
        np.testing.assert_allclose(turned(first, self.axes[::-1]), a.apply(self.axes[::-1]), atol=1e-5)

    def test_align(self) -> None:
        others = np.roll(self.axes, 7, axis=0)
        np.testing.assert_allclose(turned(align(self.axes, others), self.axes), others, atol=1e-5)
        # The shortest way there: the angle between them, no further.
        np.testing.assert_allclose(
            Rotation.from_quat(align(self.axes, others)).magnitude(),
            np.arccos(np.clip(np.sum(self.axes * others, axis=1), -1, 1)),
            atol=1e-4,
        )
        np.testing.assert_allclose(turned(align(self.axes, -self.axes), self.axes), -self.axes, atol=1e-5)

    def test_every_orientation_equally_likely(self) -> None:
        q = any_orientations(self.rng.uniform(size=(20_000, 4)).astype(np.float32))
        np.testing.assert_allclose(np.linalg.norm(q, axis=1), 1, atol=1e-5)
        # Turned axes of even orientations are even on the sphere: each coordinate uniform (Archimedes).
        heights = turned(q, np.tile([0.0, 1.0, 0.0], (len(q), 1)))[:, 1]
        self.assertGreater(stats.kstest((heights + 1) / 2, "uniform").pvalue, 0.001)

    def test_sources_turn_their_newborns(self) -> None:
        for facing, own, toward in (
            ({"kind": "normal", "own": "y"}, [0.0, 1.0, 0.0], "normal"),
            ({"kind": "motion", "own": "z"}, [0.0, 0.0, 1.0], "velocity"),
        ):
            columns = born({"orientation": facing, "direction": {"kind": "normal"}, "speed": 2.0}, count=200)
            axes = turned(columns["orientation"], np.tile(own, (200, 1)))
            np.testing.assert_allclose(axes, columns["velocity"] / 2, atol=1e-4, err_msg=toward)
        quarter = born({"orientation": {"kind": "turned", "axis": [0.0, 2.0, 0.0], "angle": 90.0}}, count=3)
        self.same(quarter["orientation"], Rotation.from_rotvec([[0, np.pi / 2, 0]] * 3))

    def test_orientation_is_kept_only_where_it_is_needed(self) -> None:
        self.assertNotIn("orientation", born({}, count=1))
        self.assertIn("orientation", born({"spin": 10.0}, count=1))

    def test_values_of_ones_own_on_birth(self) -> None:
        columns = born(
            {
                "actions": [
                    {
                        "kind": "set",
                        "attribute": "warmth",
                        "amount": {"kind": "spread", "value": 5.0, "spread": 1.0},
                    }
                ]
            },
            attributes=[{"id": "warmth", "label": "Warmth"}],
        )["own warmth"]
        self.assertGreater(stats.kstest(columns - 4, lambda x: np.clip(x / 2, 0, 1)).pvalue, 0.001)


if __name__ == "__main__":
    unittest.main()
