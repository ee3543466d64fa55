"""Who is far out and what threw them; touches as events; a sheet bent along a profile; what squeezes, swallows or flips."""

from __future__ import annotations

import csv
import io
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from hailridge.core.looking.observe import recorded_moment
from hailridge.core.looking.strays import strays_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.formats.touches import COLUMNS, TOUCH_WRITERS, csv_lines
from hailridge.model.validation import read_effect
from tests.support import PLANE, Document, compare, document, mesh_of, rule, run

GRAVITY = rule({"kind": "gravity", "acceleration": 9.81})


def looked_at(raw: Document, last: int) -> Any:
    """Strays of a run at its last frame."""
    effect = read_effect(raw)
    frames = run(effect, last)
    plan = Plan(effect, MemoryAssets())

    def at(number: int) -> Any:
        return recorded_moment(plan, frames[number].columns, frames[number].count, number)

    moment = at(last)
    moment.past = at
    return strays_of(moment, np.concatenate([frame.events for frame in frames]), np.concatenate([frame.touches for frame in frames]))


def crowd(*rules: Document, **changes: Any) -> Document:
    box = {"kind": "box", "id": "box", "label": "Box", "size": [1.0, 1.0, 1.0], "position": [0.0, 1.0, 0.0]}
    source = {"shape": "box", "placement": {"kind": "inside"}, "lifetime": 1000.0} | changes.pop("source", {})
    return document(*rules, count=200, source=source, shapes=[box, *changes.pop("shapes", [])], **changes)


class Lost(unittest.TestCase):
    def test_who_has_left_for_good_goes_and_the_last_rule_that_held_is_named(self) -> None:
        """Not one on contact, which says nothing where they are, nor one that never held for them."""
        fling = rule({"kind": "formula", "text": "position.x += 1e9"}, id="fling", condition=compare("age", "above", 0.3))
        never = rule({"kind": "drag"}, id="never", trigger="becomes", condition=compare("age", "above", 100.0))
        touch = rule({"kind": "drag"}, id="touch", trigger="contact")
        simulation = Simulation(read_effect(crowd(fling, never, touch, shapes=[PLANE])), MemoryAssets())
        frames = list(simulation.frames())
        self.assertEqual((frames[5].count, frames[12].count), (200, 0))
        (finding,) = (finding for finding in simulation.findings if "stray" in finding.text)
        self.assertEqual(finding.item, "rules/fling")
        self.assertIn("200 stray particles were removed", finding.text)


class Strays(unittest.TestCase):
    ONE = compare("birth_order", "equal", 17.0)

    def test_nobody_is_far_out(self) -> None:
        found = looked_at(crowd(), 10)
        self.assertEqual(found.count, 0)
        self.assertLess(found.furthest_distance, 1.0)
        np.testing.assert_allclose(found.middle, [0.0, 0.9, 0.0], atol=0.2)

    def test_thrown_by_a_rule_on_a_moment(self) -> None:
        throw = rule({"kind": "set", "attribute": "velocity", "amount": [400.0, 0.0, 0.0]}, trigger="once", id="throw",
            condition={"kind": "all", "conditions": [self.ONE, compare("age", "at_least", 0.5)]})  # fmt: skip
        found = looked_at(crowd(GRAVITY, throw), 30)
        self.assertEqual((found.count, found.found[0].id), (1, 17))
        told = found.found[0]
        self.assertEqual((told.collection, told.item, told.frame), ("rules", "throw", 12))
        self.assertAlmostEqual(told.after, 400.0, delta=1.0)
        # A frame is 1/24 s: at frame 30 it has gone 18 frames (and is as far out as that).
        self.assertAlmostEqual(told.distance, 400.0 * 18 / 24, delta=20.0)
        # The guard would hold everybody else.
        self.assertLess(max(found.size), 40.0)

    def test_thrown_by_a_push_and_born_fast(self) -> None:
        push = rule({"kind": "constant", "acceleration": [5000.0, 0.0, 0.0]}, id="push", condition=self.ONE)
        found = looked_at(crowd(push), 12)
        self.assertEqual((found.found[0].collection, found.found[0].item), ("rules", "push"))
        fast = {"kind": "mapped", "quantity": {"kind": "birth_order"}, "start": 198.5, "end": 198.6, "low": 0.0, "high": 300.0}
        found = looked_at(crowd(source={"speed": fast}), 12)
        self.assertEqual((found.count, found.found[0].collection, found.found[0].item), (1, "sources", "source"))


class Touches(unittest.TestCase):
    def fallen(self, clock: Document) -> tuple[Any, list[Any]]:
        solid = rule({"kind": "bounce", "shape": "plane", "bounciness": 0.0, "friction": 5.0})
        raw = document(GRAVITY, solid, position=[0.3, 2.05, 0.1], shapes=[PLANE], clock=clock)
        effect = read_effect(raw)
        return effect, list(Simulation(effect, MemoryAssets()).frames())

    def test_when_and_where(self) -> None:
        """From 2 m: √(2h ÷ g) s later at √(2 g h) m/s, on the floor under it, whatever the frames are (handbook mechanics)."""
        for clock in ({"frames_per_second": 24.0}, {"frames_per_second": 60.0, "steps_per_frame": 2}):
            effect, frames = self.fallen(clock)
            touches = np.concatenate([frame.touches for frame in frames])
            self.assertEqual(len(touches), 1)
            touch = touches[0]
            self.assertAlmostEqual(float(touch["time"]), np.sqrt(2 * 2.0 / 9.81), delta=2e-3)
            self.assertAlmostEqual(float(touch["speed"]), np.sqrt(2 * 2.0 * 9.81), delta=2e-2)
            np.testing.assert_allclose(touch["place"], [0.3, 0.0, 0.1], atol=1e-4)
            np.testing.assert_allclose(touch["normal"], [0, 1, 0], atol=1e-6)
            self.assertEqual(vars(effect.shapes[int(touch["shape"])])["id"], "plane")

    def test_as_a_table(self) -> None:
        """Read back by the csv module (RFC 4180) and by pyarrow."""
        effect, frames = self.fallen({})
        touches = np.concatenate([frame.touches for frame in frames])
        rows = list(csv.DictReader(io.StringIO(csv_lines(effect, touches))))
        self.assertEqual((tuple(rows[0]), len(rows), rows[0]["shape"]), (COLUMNS, 1, "Plane"))
        with tempfile.TemporaryDirectory() as folder:
            import pyarrow.parquet as pq

            for suffix, write in TOUCH_WRITERS.items():
                path = Path(folder) / f"touches{suffix}"
                write(path, effect, frames)
                if suffix == ".parquet":
                    self.assertEqual(pq.read_table(path).num_rows, 1)
                else:
                    self.assertEqual(len(list(csv.reader(io.StringIO(path.read_text())))), 2)


class BentSheet(unittest.TestCase):
    def test_it_faces_up_and_passes_through_its_points(self) -> None:
        points = [[-1.0, 0.5, 0.0], [0.0, 0.0, 9.0], [1.0, 0.5, 0.0]]
        plan = Plan(read_effect(document(shapes=[{"kind": "sheet", "id": "sheet", "label": "Sheet", "points": points, "depth": 2.0}])), MemoryAssets())
        geometry = plan.at(0.0).pose("sheet").geometry
        self.assertTrue((geometry.normals[:, 1] > 0).all())
        nearest, _normals, _heights = geometry.surface(np.array([[-1.0, 0.5, 0.3], [0.0, 0.0, -0.9]], np.float32))
        np.testing.assert_allclose(nearest, [[-1.0, 0.5, 0.3], [0.0, 0.0, -0.9]], atol=1e-6)
        self.assertAlmostEqual(float(np.abs(geometry.vertices[:, 2]).max()), 1.0)

    def test_what_rolls_into_it_swings_to_rest_at_its_bottom(self) -> None:
        sheet = {"kind": "sheet", "id": "sheet", "label": "Sheet", "points": [[-1.0, 0.5, 0.0], [0.0, 0.0, 0.0], [1.0, 0.5, 0.0]]}
        raw = document(GRAVITY, rule({"kind": "roll", "shape": "sheet", "friction": 0.05, "bounciness": 0.1}), position=[-0.6, 0.5, 0.0], shapes=[sheet],
            clock={"duration": 12.0})  # fmt: skip
        last = run(raw)[-1].columns
        self.assertLess(abs(float(last["position"][0, 0])), 0.12)
        self.assertLess(float(np.linalg.norm(last["velocity"][0])), 0.05)


class BadInput(unittest.TestCase):
    """Stated behaviour, and never an explosion."""

    def settled(self, raw: Document, most: float, assets: MemoryAssets | None = None) -> Any:
        frames = run(raw, assets=assets)
        for frame in frames:
            self.assertTrue(np.isfinite(frame.columns["position"]).all() and np.isfinite(frame.columns["velocity"]).all())
        last = frames[-1].columns
        self.assertLess(float(np.abs(last["velocity"]).max(initial=0)), most)
        return last

    def test_two_walls_that_squeeze(self) -> None:
        """A press that closes on particles: they are pushed out of the way or through nothing faster than the press moves."""
        down = {"keys": [{"at": 0.0, "value": [0.0, 2.0, 0.0], "ease": "linear"}, {"at": 1.0, "value": [0.0, 0.55, 0.0], "ease": "linear"}]}
        press = {"kind": "box", "id": "press", "label": "Press", "size": [2.0, 1.0, 2.0], "position": down}
        solid = rule({"kind": "bounce", "shape": "press", "bounciness": 0.2}, {"kind": "bounce", "shape": "plane", "bounciness": 0.2})
        last = self.settled(crowd(GRAVITY, solid, shapes=[press, PLANE], source={"radius": 0.08}), 40.0)
        self.assertGreater(float(last["position"][:, 1].min()), -0.2)

    def test_a_scale_through_next_to_nothing(self) -> None:
        scale = {"keys": [{"at": 0.0, "value": 1.0}, {"at": 0.5, "value": 0.0001}, {"at": 1.0, "value": 1.5}]}
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 0.6, "position": [0.0, 1.0, 0.0], "scale": scale}
        self.settled(crowd(GRAVITY, rule({"kind": "bounce", "shape": "ball"}), shapes=[ball]), 60.0)

    def test_open_flipped_and_self_crossing_meshes(self) -> None:
        tetra = [[-1, 0, -1], [1, 0, -1], [0, 0, 1], [0, 1.5, 0]]
        faces = {"open": [[0, 1, 3], [1, 2, 3]], "flipped": [[0, 2, 1], [0, 3, 1], [1, 3, 2], [2, 3, 0]], "crossing": [[0, 1, 2], [0, 1, 3], [0, 2, 3], [3, 2, 1], [1, 2, 0]]}
        for name, given in faces.items():
            with self.subTest(name):
                assets = MemoryAssets({"mesh": mesh_of(tetra, given)})
                shape = {"kind": "mesh", "id": "mesh", "label": "Mesh", "asset": "mesh", "roughness": 0.02, "roughness_change": 2.0}
                for action in ({"kind": "bounce", "shape": "mesh"}, {"kind": "slide", "shape": "mesh"}, {"kind": "roll", "shape": "mesh"}):
                    self.settled(crowd(GRAVITY, rule(action), shapes=[shape], source={"speed": 1.0}), 60.0, assets)

    def test_a_shape_that_appears_on_top_of_them(self) -> None:
        grow = {"keys": [{"at": 0.0, "value": 0.01}, {"at": 0.5, "value": 0.01}, {"at": 0.54, "value": 0.8}]}
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": grow, "position": [0.0, 1.0, 0.0]}
        last = self.settled(crowd(rule({"kind": "bounce", "shape": "ball", "bounciness": 0.5}), shapes=[ball], source={"radius": 0.02}), 60.0)
        away = np.linalg.norm(last["position"] - [0.0, 1.0, 0.0], axis=1)
        self.assertGreater(float(away.min()), 0.8)

    def test_a_region_smaller_than_a_particle(self) -> None:
        tiny = {"kind": "box", "id": "tiny", "label": "Tiny", "size": [0.01, 0.01, 0.01], "position": [0.0, 1.0, 0.0]}
        for response in ("stop", "wrap", "brake"):
            self.settled(crowd(rule({"kind": "keep", "response": response, "shape": "tiny"}), shapes=[tiny], source={"speed": 2.0, "radius": 0.1}), 60.0)


class Piles(unittest.TestCase):
    def test_a_pile_in_a_box_comes_to_rest(self) -> None:
        """400 with friction 0.4 and bounciness 0.2 at one step a frame: slow after six seconds, and no energy out of nothing."""
        room = {"kind": "box", "id": "room", "label": "Room", "size": [0.7, 4.0, 0.7], "position": [0.0, 2.0, 0.0]}
        rain = {"kind": "box", "id": "rain", "label": "Rain", "size": [0.62, 1.2, 0.62], "position": [0.0, 1.2, 0.0]}
        acts = rule({"kind": "bounce", "shape": "room", "bounciness": 0.2, "friction": 0.4}, {"kind": "push_apart", "rounds": 16}, id="solid")
        source = {"shape": "rain", "placement": {"kind": "lattice", "spacing": 0.105}, "emission": {"kind": "fill"}, "radius": 0.05, "speed": 0.02,
                  "direction": {"kind": "any"}}  # fmt: skip
        frames = run(document(GRAVITY, acts, source=source, shapes=[room, rain], clock={"duration": 6.0}))
        energy = np.array([float((0.5 * np.sum(f.columns["velocity"].astype(float) ** 2, axis=1) + 9.81 * f.columns["position"][:, 1]).sum()) for f in frames])
        self.assertGreater(frames[-1].count, 250)
        self.assertLess(float(np.linalg.norm(frames[-1].columns["velocity"], axis=1).mean()), 0.02)
        self.assertLess(float(np.diff(energy).max()), 2e-3 * (energy[0] - energy[-1]))
        inside = frames[-1].columns["position"] - [0.0, 2.0, 0.0]
        self.assertTrue((np.abs(inside) < [0.35, 2.0, 0.35]).all())


if __name__ == "__main__":
    unittest.main()
