"""What is asked once is kept while what it was read from stays as it is."""

from __future__ import annotations

import unittest
from collections import Counter
from typing import Any
from unittest.mock import patch

import numpy as np

from hailridge.core.scene.bodies import Pose
from hailridge.core.scene.plan import Scene
from hailridge.core.state.asking import MOST_ANSWERS, Answers
from hailridge.core.state.neighbours import Grid
from tests.support import compare, document, rule, simulation


class Asking(unittest.TestCase):
    def setUp(self) -> None:
        self.answers = Answers()
        self.made: list[object] = []

    def ask(self, *reads: str, key: str = "question", also: object = None) -> object:
        def compute(before: object) -> object:
            self.made.append(before)
            return len(self.made)

        return self.answers.asked(key, reads, compute, also)

    def test_kept_until_a_column_that_was_read_changes(self) -> None:
        self.assertEqual([self.ask("position"), self.ask("position")], [1, 1])
        self.answers.changed("radius")
        self.assertEqual(self.ask("position"), 1)
        self.answers.changed("position")
        self.assertEqual(self.ask("position"), 2)
        # The answer of before is handed over, for what can be taken from it.
        self.assertEqual(self.made, [None, 1])

    def test_a_new_part_of_the_step_and_whatever_else_decides(self) -> None:
        self.assertEqual([self.ask("position", also=5), self.ask("position", also=5), self.ask("position", also=6)], [1, 1, 2])
        self.answers.begin_part()
        self.assertEqual(self.ask("position", also=6), 3)

    def test_questions_are_told_apart_and_the_oldest_forgotten(self) -> None:
        self.ask(key="first")
        for number in range(MOST_ANSWERS - 1):
            self.ask(key=f"other {number}")
        self.ask(key="first")
        self.assertEqual(len(self.made), MOST_ANSWERS)
        self.ask(key="one more")
        self.ask(key="other 0")
        self.assertEqual(len(self.made), MOST_ANSWERS + 2)


class InAStep(unittest.TestCase):
    """Grids and fields, asked by several rules."""

    def grids(self, *rules: dict) -> float:
        """How many grids are built in a frame of one step."""
        raw = document(*rules, count=50, groups=["a", "b"], speed=1.0, clock={"duration": 0.5})
        built: Counter[str] = Counter()
        first = Grid.__init__

        def counting(grid: Grid, *given: object) -> None:
            built["grids"] += 1
            first(grid, *given)  # type: ignore[arg-type]

        with patch.object(Grid, "__init__", counting):
            frames = simulation(raw)[1]
        return built["grids"] / len(frames)

    def fields_asked(self, raw: dict) -> tuple[int, int]:
        """How often fields are computed in a run, and how many frames it has."""
        asked: list[int] = []
        original = Scene.field_strength

        def counting(scene: Scene, *given: object) -> object:
            asked.append(1)
            return original(scene, *given)  # type: ignore[arg-type]

        with patch.object(Scene, "field_strength", counting):
            frames = simulation(raw)[1]
        return len(asked), len(frames)

    def counting(self, name: str, *actions: dict) -> dict:
        many = compare({"kind": "neighbours", "distance": 0.3}, "above", 1e6)
        return rule(*actions, condition=many, id=name)

    def test_one_grid_for_all_rules_that_change_nothing_of_it(self) -> None:
        paint = {"kind": "set", "attribute": "opacity", "amount": 0.5}
        self.assertEqual(self.grids(*(self.counting(f"r{number}", paint) for number in range(5))), 1.0)

    def test_a_move_to_the_group_that_one_is_in_already_changes_nothing(self) -> None:
        same = rule({"kind": "move", "group": "a"}, id="same")
        paint = {"kind": "set", "attribute": "opacity", "amount": 0.5}
        self.assertEqual(self.grids(self.counting("one", paint), same, self.counting("two", paint)), 1.0)

    def test_a_field_is_asked_for_once_for_all_who_read_it(self) -> None:
        field = {"kind": "gradient", "id": "up", "label": "Up"}
        within = compare({"kind": "field", "field": "up"}, "above", 0.5)
        fade = {"kind": "set", "attribute": "opacity", "amount": 0.5, "where": "up"}
        rules = [rule(fade, condition=within, id=f"r{number}") for number in range(4)]
        asked, frames = self.fields_asked(document(*rules, count=20, speed=1.0, fields=[field], clock={"duration": 0.5}))
        self.assertEqual(asked, frames)

    def test_distances_and_neighbours_are_computed_once_for_all_who_read_them(self) -> None:
        """Four rules that ask the same of everybody, one of a few of them: asked once a frame, and the same bytes as asked each time."""
        far, many = {"kind": "distance", "shape": "point"}, {"kind": "neighbours", "distance": 0.3}
        paint = {"kind": "set", "attribute": "opacity", "amount": {"kind": "as_it_is", "quantity": far, "factor": 0.1}}
        for quantity, place, name in ((far, Pose, "closest"), (many, Grid, "count")):
            rules = [rule(paint, condition=compare(quantity, "above", 0.0), id=f"r{number}") for number in range(4)]
            raw = document(*rules, rule({"kind": "drag"}, who=["b"], condition=compare(quantity, "above", 0.5), id="few"),
                count=60, speed=2.0, groups=["a", "b"], clock={"duration": 0.5})  # fmt: skip
            asked: list[int] = []
            original = getattr(place, name)

            def counting(self: object, *given: object, original: Any = original, asked: list[int] = asked, **rest: object) -> object:
                asked.append(1)
                return original(self, *given, **rest)

            with patch.object(place, name, counting):
                kept = simulation(raw)[1]
            self.assertLessEqual(len(asked), 2 * len(kept), name)
            with patch.object(Answers, "asked", lambda _self, _key, _reads, compute, _also=None: compute(None)):
                anew = simulation(raw)[1]
            for one, other in zip(kept, anew, strict=True):
                np.testing.assert_array_equal(one.columns["opacity"], other.columns["opacity"])

    def test_writing_the_same_place_again_asks_nothing_anew(self) -> None:
        field = {"kind": "gradient", "id": "up", "label": "Up"}
        within = compare({"kind": "field", "field": "up"}, "above", -1.0)

        def run(where: list[float]) -> int:
            put = {"kind": "set", "attribute": "position", "amount": where}
            rules = [rule(put, condition=within, id=f"r{number}") for number in range(3)]
            asked, frames = self.fields_asked(document(*rules, count=20, fields=[field], clock={"duration": 0.5}))
            return asked - frames

        # At rest where they are put, they are put there again without a change; elsewhere, the first writing of a run changes something.
        self.assertEqual(run([0.0, 0.0, 0.0]), 0)
        self.assertGreater(run([0.0, 1.0, 0.0]), 0)
