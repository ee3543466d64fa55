"""Fields: each kind against its definition, combined, carried, turned inside out, drawn, and used where they may stand."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
import trimesh

from hailridge.core.kinds.fields.noise import evolving
from hailridge.core.looking.field_picture import boundaries, picture_box, scene_box, slice_through, surface
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run, track

BALL = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}
PLACES = np.random.default_rng(4).uniform(-2.5, 2.5, (20_000, 3)).astype(np.float32)


def field(kind: str, name: str = "f", **rest: Any) -> dict[str, Any]:
    return {"kind": kind, "id": name, "label": name.capitalize(), **rest}


def scene(*fields: dict[str, Any], shapes: list[dict[str, Any]] | None = None, **rest: Any) -> Plan:
    effect = read_effect(document(fields=list(fields), shapes=shapes or [BALL], **rest))
    assert not effect.problems, effect.problems
    return Plan(effect, MemoryAssets())


def values(made: Plan, name: str = "f", places: Any = PLACES, time: float = 0.0) -> Any:
    return made.at(time).field_strength(name, places, time).astype(float)


class Kinds(unittest.TestCase):
    def test_falloff_and_its_courses(self) -> None:
        distance = np.linalg.norm(PLACES, axis=1) - 1.0  # of a ball, by definition
        share = np.clip((0.8 - distance) / 1.0, 0, 1)
        keys = [{"at": 0.0, "value": 0.0}, {"at": 0.5, "value": 1.0}, {"at": 1.0, "value": 0.0}]
        expected = {
            "evenly": share,
            "smoothly": share * share * (3 - 2 * share),  # smoothstep, GLSL 4.60
            "drawn": 1 - np.abs(2 * share - 1),
        }
        for course, wanted in expected.items():
            made = scene(
                field("falloff", shape="ball", inner=-0.2, outer=0.8, course=course, curve={"keys": keys})
            )
            np.testing.assert_allclose(values(made), wanted, atol=2e-5)

    def test_gradient_along_any_line(self) -> None:
        start, end = np.array([0.5, -1.0, 0.0]), np.array([1.5, 1.0, 2.0])
        made = scene(field("gradient", start=start.tolist(), end=end.tolist(), course="evenly"))
        wanted = np.clip((PLACES - start) @ (end - start) / 9.0, 0, 1)
        np.testing.assert_allclose(values(made), wanted, atol=1e-6)

    def test_noise_covers_what_it_says(self) -> None:
        wide = np.random.default_rng(5).uniform(-40, 40, (40_000, 3)).astype(np.float32)
        for form in ("smooth", "billows", "ridges", "cells"):
            for coverage in (20.0, 50.0, 75.0):
                with self.subTest(form=form, coverage=coverage):
                    made = scene(field("noise", form=form, coverage=coverage, octaves=3))
                    self.assertAlmostEqual(
                        (values(made, places=wide) > 0.5).mean() * 100, coverage, delta=3.0
                    )
        for coverage, value in ((0.0, 0.0), (100.0, 1.0)):
            made = scene(field("noise", coverage=coverage))
            self.assertTrue((values(made) == value).all())

    def test_noise_evolves_without_a_jump(self) -> None:
        before, at, later = (evolving("smooth", PLACES, 2, 0.5, phase, 7) for phase in (0.999, 1.0, 1.5))
        self.assertLess(np.abs(at - before).max(), 0.01)
        self.assertLess(abs(np.corrcoef(evolving("smooth", PLACES, 2, 0.5, 0.0, 7), at)[0, 1]), 0.1)
        self.assertAlmostEqual(later.std() / at.std(), 1.0, delta=0.06)

    def test_formula_is_read_at_each_place(self) -> None:
        made = scene(
            field("falloff", "ring", shape="ball", inner=0.0, outer=1.0),
            field(
                "formula",
                text='d = length(position)\nclamp(2 - d, 0, 1) * dial("Power") - 0.5 * field("ring")',
            ),
            dials=[{"id": "power", "label": "Power", "value": 0.5}],
        )
        distance = np.linalg.norm(PLACES, axis=1)
        wanted = np.clip(np.clip(2 - distance, 0, 1) * 0.5 - 0.5 * values(made, "ring"), 0, 1)
        np.testing.assert_allclose(values(made), wanted, atol=1e-6)
        np.testing.assert_allclose(values(scene(field("formula", text="0 / 0 + position.x * 0"))), 0)

    def test_carried_by_a_moving_shape(self) -> None:
        keys = [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.0, "value": [2.0, 0.0, 0.0]}]
        ball = {**BALL, "position": {"keys": keys}, "rotation": [0.0, 0.0, 90.0]}
        made = scene(
            field("gradient", start=[0, 0, 0], end=[0, 1, 0], course="evenly", carrier="ball"), shapes=[ball]
        )
        # Turned by a quarter about z, its y axis points along −x; it has moved to x = 2.
        np.testing.assert_allclose(values(made, time=1.0), np.clip(2 - PLACES[:, 0], 0, 1), atol=1e-5)


class Combinations(unittest.TestCase):
    A = field("falloff", "a", shape="ball", inner=-0.5, outer=1.0)
    B = field("gradient", "b", start=[-2.0, 0.0, 0.0], end=[2.0, 0.0, 0.0])

    def test_each_operation(self) -> None:
        operations: dict[str, Any] = {
            "multiply": lambda a, b: a * b,
            "add": lambda a, b: np.clip(a + b, 0, 1),
            "maximum": np.maximum,
            "minimum": np.minimum,
            "subtract": lambda a, b: np.clip(a - b, 0, 1),
        }
        for operation, wanted in operations.items():
            for inverted in (False, True):
                made = scene(
                    self.A,
                    self.B,
                    field("combination", operation=operation, fields=["a", "b"], inverted=inverted),
                )
                whole = wanted(values(made, "a"), values(made, "b"))
                np.testing.assert_allclose(values(made), 1 - whole if inverted else whole, atol=1e-6)

    def test_circles_are_told_and_left_out(self) -> None:
        cases = {
            "combined with itself": [field("combination", "f", fields=["f"])],
            "in a circle": [field("combination", "f", fields=["g"]), field("combination", "g", fields=["f"])],
            "names no fields": [field("combination", "f")],
            "the same field twice": [self.A, field("combination", "f", fields=["a", "a"])],
            "no field called 'gone'": [field("combination", "f", fields=["gone"])],
            "gives a vector": [field("formula", "f", text="position")],
            "column 1": [field("formula", "f", text="positon.y")],
        }
        fall = rule({"kind": "gravity", "where": "f"}, id="fall")
        brake = rule({"kind": "drag"}, id="brake")
        for words, fields in cases.items():
            with self.subTest(words):
                effect = read_effect(document(fall, brake, fields=fields, shapes=[BALL]))
                self.assertIn(words, "; ".join(map(str, effect.problems)))
                self.assertFalse(effect.works("rules", 0), "it relies on a broken field")
                self.assertTrue(effect.works("rules", 1))
                self.assertEqual(track(run(effect, 12), "velocity")[-1].tolist(), [0, 0, 0])


class Uses(unittest.TestCase):
    HALF = field("formula", "half", text="0.5")

    def test_as_quantity_amount_and_strength(self) -> None:
        test = compare({"kind": "field", "field": "half"}, "above", 0.4)
        fall = rule({"kind": "gravity", "acceleration": 8.0, "where": "half"}, condition=test, id="fall")
        grow = rule(
            {
                "kind": "set",
                "attribute": "radius",
                "amount": {"kind": "field", "field": "half", "low": 0.0, "high": 3.0},
            }
        )
        frames = run(document(fall, grow, fields=[self.HALF]), 24)
        self.assertAlmostEqual(track(frames, "velocity")[-1][1], -4.0, places=4)
        self.assertAlmostEqual(track(frames, "radius")[-1], 1.5, places=5)

    def test_as_strength_of_changes(self) -> None:
        """Half the strength: half of the way, half of what is added, the square root of a factor, half of the pace."""
        own = [{"id": "v", "label": "V", "initial": 4.0}]
        changes: list[tuple[dict[str, Any], float]] = [
            ({"kind": "set", "amount": 10.0}, 7.0),
            ({"kind": "add", "amount": 3.0, "per": "occasion"}, 5.5),
            ({"kind": "multiply", "factor": 0.25, "per": "occasion"}, 2.0),
        ]
        for change, wanted in changes:
            raw = document(
                rule({"attribute": "v", "where": "half", **change}, trigger="once"),
                attributes=own,
                fields=[self.HALF],
            )
            self.assertAlmostEqual(track(run(raw, 2), "own v")[-1], wanted, places=5)
        halving = {"kind": "approach", "attribute": "v", "amount": 0.0, "manner": "half_life", "time": 0.5}
        for springiness in (0.0, 0.6):
            action = {**halving, "springiness": springiness}
            whole = track(run(document(rule(action), attributes=own), 48), "own v")
            weak = track(
                run(document(rule({**action, "where": "half"}), attributes=own, fields=[self.HALF]), 48),
                "own v",
            )
            np.testing.assert_allclose(weak[2::2], whole[1:25][: len(weak[2::2])], rtol=1e-3, atol=1e-4)

    def test_a_field_that_sweeps_across(self) -> None:
        ends = [{"at": 0.0, "value": [-3.0, 0.0, 0.0]}, {"at": 50 / 24, "value": [3.0, 0.0, 0.0]}]
        gate = {**BALL, "radius": 0.5, "position": {"keys": ends}}
        enter = rule(
            {"kind": "set", "attribute": "radius", "amount": 0.2},
            trigger="becomes",
            condition=compare({"kind": "field", "field": "f"}, "above", 0.5),
        )
        raw = document(enter, shapes=[gate], fields=[field("falloff", shape="ball", inner=0.0, outer=0.0)])
        grown = np.flatnonzero(track(run(raw), "radius") > 0.1)[0]
        # It moves 6 m in 50 frames and touches the origin with its front half a metre before its centre.
        self.assertAlmostEqual(grown, 50 * 2.5 / 6, delta=1.5)


class Pictures(unittest.TestCase):
    def test_surfaces_against_trimesh(self) -> None:
        """Source: trimesh (closed, its volume that of a ball)."""
        step = 0.08
        axis = np.arange(-1.6, 1.6, step)
        grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
        vertices, faces = surface(1 - np.linalg.norm(grid, axis=-1), np.full(3, -1.6), step)
        mesh = trimesh.Trimesh(vertices, faces, process=False)
        self.assertTrue(mesh.is_watertight)
        self.assertAlmostEqual(mesh.volume / (4 / 3 * np.pi), 1.0, delta=0.02)
        self.assertLess(np.abs(np.linalg.norm(vertices, axis=1) - 1).max(), step / 10)

    def test_boundaries_lie_where_they_are_set(self) -> None:
        made = scene(field("falloff", shape="ball", inner=0.3, outer=1.2)).beginning
        found = made.fields["f"]
        box = picture_box(made, found, scene_box(made, np.zeros((0, 3), np.float32)))
        drawn = {entry.name: entry.vertices for entry in boundaries(made, found, box, 0.0)}
        np.testing.assert_allclose(np.linalg.norm(drawn["inner"], axis=1), 1.3, atol=0.02)
        np.testing.assert_allclose(np.linalg.norm(drawn["outer"], axis=1), 2.2, atol=0.02)
        place, way = found.line(made)
        self.assertAlmostEqual(float(np.linalg.norm(place + way * 1.2)), 2.2, places=3)

    def test_a_slice_shows_the_values(self) -> None:
        made = scene(field("gradient", start=[0.0, 0.0, 0.0], end=[1.0, 0.0, 0.0], course="evenly")).beginning
        cut = slice_through(made, made.fields["f"], (np.zeros(3), np.ones(3)), 2, 0.5, 0.0)
        height, width = cut.values.shape
        wanted = np.broadcast_to((np.arange(width) + 0.5) / width * 255, (height, width))
        np.testing.assert_allclose(cut.values, wanted, atol=0.6)
        self.assertEqual((cut.corner, cut.across, cut.up), ([0, 0, 0.5], [1, 0, 0], [0, 1, 0]))


class FormulaCircles(unittest.TestCase):
    def test_fields_that_read_themselves_are_left_out_and_told(self) -> None:
        one = {"kind": "formula", "id": "f1", "label": "One"}
        for fields in (
            [{**one, "text": 'field("f1")'}],
            [{**one, "text": 'field("One") + 0.5'}],
            [{**one, "text": 'field("f2")'}, {"kind": "combination", "id": "f2", "label": "Two", "fields": ["f1"]}],
        ):
            effect = read_effect(document(fields=fields))
            self.assertIn("field", str(effect.problems[0]))
            self.assertFalse(effect.works("fields", 0))


if __name__ == "__main__":
    unittest.main()
