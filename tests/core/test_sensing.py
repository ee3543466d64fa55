"""Sensing surfaces against geometry by hand and trimesh; steering along, away and over."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import trimesh

from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.scene.sensing import sensed
from hailridge.model.kind import kinds
from hailridge.model.validation import read_effect
from tests.support import Document, document, rule, run

RANDOM = np.random.default_rng(5)
BOX: Document = {"kind": "box", "id": "it", "label": "It", "size": [1.0, 2.0, 3.0], "position": [0.5, 0.0, -1.0], "rotation": [0.0, 30.0, 0.0]}
BALL: Document = {"kind": "ball", "id": "it", "label": "It", "radius": 0.7, "position": [0.0, 1.0, 0.0]}
FLOOR: Document = {"kind": "plane", "id": "it", "label": "It", "width": 40.0, "depth": 40.0}


def moment_over(shape: Document, places: Any) -> Any:
    effect = read_effect(document(count=len(places), shapes=[shape]))
    columns = {name: column.copy() for name, column in run(effect, 0)[0].columns.items()}
    columns["position"][:] = places
    return recorded_moment(Plan(effect, MemoryAssets()), columns, len(places), 0)


class Sensed(unittest.TestCase):
    def test_a_box_against_trimesh(self) -> None:
        """Source: trimesh, triangles.closest_point and face_normals."""
        places = RANDOM.uniform(-3, 3, (400, 3))
        moment = moment_over(BOX, places)
        pose = moment.scene.pose("it")
        mesh = trimesh.Trimesh(pose.world.vertices, pose.world.faces, process=False)
        # Of all faces the nearest, each asked by itself.
        each = np.stack([trimesh.triangles.closest_point(np.repeat(face[None], 400, axis=0), places) for face in mesh.triangles])
        faces = np.linalg.norm(each - places, axis=2).argmin(axis=0)
        theirs = each[faces, np.arange(400)]
        found = sensed(moment, "it", moment.everyone())
        np.testing.assert_allclose(found[:, :3], theirs, atol=1e-5)
        way = theirs - places
        np.testing.assert_allclose(found[:, 3:6], way / np.linalg.norm(way, axis=1, keepdims=True), atol=1e-4)
        # At an edge the normal is that of either face.
        agree = np.einsum("ij,ij->i", found[:, 6:], mesh.face_normals[faces])
        self.assertGreater(np.mean(agree > 0.999), 0.5)
        self.assertGreater(agree.min(), -1e-4)

    def test_quantities_read_one_part_each(self) -> None:
        moment = moment_over(BALL, [[2.0, 1.0, 0.0], [0.0, 3.0, 0.0]])
        read = lambda kind, axis: kinds("quantity")[kind].model_validate({"shape": "it", "axis": axis}).read(moment, moment.everyone())  # type: ignore[attr-defined]  # noqa: E731
        np.testing.assert_allclose(read("nearest_place", "x"), [0.7, 0.0], atol=1e-5)
        np.testing.assert_allclose(read("way_to_surface", "y"), [0.0, -1.0], atol=1e-5)
        np.testing.assert_allclose(read("surface_normal", "x"), [1.0, 0.0], atol=1e-5)
        point = moment_over({"kind": "point", "id": "it", "label": "It"}, [[0.0, 2.0, 0.0]])
        np.testing.assert_allclose(sensed(point, "it", point.everyone())[0], [0, 0, 0, 0, -1, 0, 0, 1, 0], atol=1e-6)


class Steering(unittest.TestCase):
    def flown(self, action: Document, rate: float, **changes: Any) -> Any:
        raw = document(rule(action | {"kind": "steer_by_surface", "shape": "it"}), clock={"frames_per_second": rate, "duration": 4.0}, **changes)
        return np.array([np.concatenate([f.columns["position"][0], f.columns["velocity"][0]]) for f in run(raw)])

    def test_it_flies_over_hills_at_its_height(self) -> None:
        hilly = FLOOR | {"roughness": 0.5, "roughness_size": 4.0}
        for rate in (24.0, 60.0):
            track = self.flown({"manner": "over", "height": 0.6, "within": 3.0}, rate, shapes=[hilly], position=[-6.0, 1.2, 0.0], axis=[1, 0, 0], speed=2.0)
            plan = Plan(read_effect(document(shapes=[hilly])), MemoryAssets())
            heights = plan.beginning.pose("it").closest(track[:, :3].astype(np.float32))[1]
            settled = heights[int(1.5 * rate) :]
            self.assertTrue((np.abs(settled - 0.6) < 0.2).all(), settled.round(2))
            self.assertGreater(track[-1, 0], -2.0)

    def test_it_turns_along_a_wall_and_keeps_away_from_one(self) -> None:
        wall = {"kind": "box", "id": "it", "label": "It", "size": [0.2, 6.0, 60.0], "position": [3.0, 0.0, 0.0]}
        along = self.flown({"manner": "along", "within": 1.5}, 24.0, shapes=[wall], axis=[1.0, 0.0, 1.0], speed=2.0)
        self.assertLess(along[:, 0].max(), 2.9)
        self.assertLess(abs(along[-1, 3]), 0.05)
        self.assertAlmostEqual(along[-1, 5], 2.0 / np.sqrt(2), places=2)
        away = self.flown({"manner": "away", "within": 1.5, "time": 0.1}, 24.0, shapes=[wall], axis=[1.0, 0.0, 0.0], speed=2.0)
        self.assertLess(away[:, 0].max(), 2.9)
        self.assertGreaterEqual(np.abs(2.9 - away[-1, 0]), 1.4)
        far = self.flown({"manner": "away", "within": 0.5}, 24.0, shapes=[wall], axis=[0.0, 0.0, 1.0], speed=2.0)
        np.testing.assert_allclose(far[-1, 3:], [0, 0, 2], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
