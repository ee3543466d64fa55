"""Dials of every type: choices, ranges, shapes named through them; written as they were, computed as if the shape itself stood there."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge import demo
from hailridge.commands.errors import CommandError
from hailridge.commands.loading import set_value
from hailridge.core.looking.advisories import advise
from hailridge.model.dials import choices_in
from hailridge.model.kind import references
from hailridge.model.validation import DocumentError, read_effect
from tests.support import Document, document, rule, run

ONE, TWO = ({"kind": "ball", "id": name, "label": name.title(), "position": [place, 0.0, 0.0]} for name, place in (("one", 2.0), ("two", -2.0)))


def drawn(shape: str = "one", **dial: Any) -> Document:
    """A particle that is drawn to whatever the dial stands for, and a formula that asks how far that is."""
    goal = {"id": "goal", "label": "Goal", "type": "shape", "shape": shape} | dial
    far = {"kind": "formula", "text": 'distance_to("Goal") > 0.1 and length(origin_of("Goal")) > 0'}
    return document(rule({"kind": "attract", "shape": "dial:goal"}, id="pull", condition=far), shapes=[ONE, TWO], dials=[goal])


class ShapesByDials(unittest.TestCase):
    def test_it_is_computed_as_if_the_shape_stood_there(self) -> None:
        for shape, side in (("one", 1), ("two", -1)):
            self.assertGreater(side * run(drawn(shape), 20)[-1].columns["position"][0, 0], 0.5)

    def test_every_reference_of_every_demo_may_be_a_dial(self) -> None:
        """Each demo with all its shapes named through dials gives the same frames, and is written as it was."""
        for name in ("hail-on-the-tin-roof", "moths-at-the-lamp", "rime-in-the-gaps", "shutters-in-the-gust"):
            raw = demo.document(name)
            named = {value for _path, value in references(read_effect(raw), "shape")}
            dials = [{"id": f"by-{shape}", "label": f"By {shape}", "type": "shape", "shape": shape} for shape in sorted(named)]

            def through(node: Any, names: set[str] = named) -> Any:
                if isinstance(node, dict):
                    return {key: value if key in ("id", "label", "text", "kind") else through(value) for key, value in node.items()}
                if isinstance(node, list):
                    return [through(entry) for entry in node]
                return f"dial:by-{node}" if isinstance(node, str) and node in names else node

            parts = {key: through(raw[key]) for key in ("sources", "rules", "fields") if key in raw}
            turned = raw | parts | {"dials": [*raw.get("dials", []), *dials]}
            effect = read_effect(turned)
            self.assertEqual(effect.problems, [])
            written = effect.model_dump()
            self.assertIn("dial:by-", str(written["sources"]))
            self.assertEqual(read_effect(written).model_dump(), written)
            for one, other in zip(run(raw, 3, demo.assets()), run(turned, 3, demo.assets()), strict=True):
                for column in one.columns:
                    np.testing.assert_array_equal(one.columns[column], other.columns[column], err_msg=f"{name} {column}")

    def test_lists_name_shapes_through_dials_too(self) -> None:
        both = {"kind": "compound", "id": "both", "label": "Both", "members": ["one", "dial:goal"]}
        raw = drawn("two")
        effect = read_effect(raw | {"shapes": [*raw["shapes"], both]})
        self.assertEqual(effect.shapes[-1].members, ["one", "two"])  # type: ignore[attr-defined]
        self.assertEqual(effect.model_dump()["shapes"][-1]["members"], ["one", "dial:goal"])

    def test_what_is_used_is_known_and_what_is_wrong_is_told(self) -> None:
        unused = [advisory.text for advisory in advise(read_effect(drawn())) if "used nowhere" in advisory.text]
        self.assertEqual(unused, [])
        alone = drawn() | {"rules": [rule({"kind": "gravity"})]}
        self.assertIn("The dial 'Goal' is used nowhere.", [advisory.text for advisory in advise(read_effect(alone))])
        for dial in ({"shape": None}, {"type": "number"}, {"id": "other"}, {"shape": "dial:goal"}):
            try:
                problems = [str(problem) for problem in read_effect(drawn(**dial)).problems]  # type: ignore[arg-type]
            except DocumentError as error:
                problems = [str(error)]
            self.assertTrue(any("dial:goal" in text or "Goal" in text for text in problems), (dial, problems))
        value = drawn() | {"rules": [rule({"kind": "gravity", "acceleration": {"kind": "dial", "dial": "goal"}}, id="pull")]}
        self.assertTrue(any("is a shape, not a value" in str(problem) for problem in read_effect(value).problems), read_effect(value).problems)


class Choices(unittest.TestCase):
    def test_names_with_numbers(self) -> None:
        self.assertEqual(choices_in("calm 0.5, storm 2"), {"calm": 0.5, "storm": 2.0})
        self.assertEqual(choices_in("off, on, full blast 1e2, -3 -3"), {"off": 0, "on": 1, "full blast": 100, "-3": -3})
        for wrong in ("", "a, a", "a,,b", "a nan", "b inf"):
            self.assertEqual(choices_in(wrong), {}, wrong)

    def test_the_chosen_one_counts(self) -> None:
        for chosen, speed in (("calm", 0.5), ("storm", 2.0)):
            dial = {"id": "mode", "label": "Mode", "type": "choice", "options": "calm 0.5, storm 2", "chosen": chosen}
            raw = document(speed={"kind": "dial", "dial": "mode", "factor": 2.0}, dials=[dial])
            self.assertAlmostEqual(float(np.linalg.norm(run(raw, 2)[-1].columns["velocity"][0])), 2 * speed, 5)
            asked = document(rule({"kind": "remove"}, condition={"kind": "formula", "text": 'dial("Mode") > 1'}), dials=[dial])
            self.assertEqual(run(asked, 2)[-1].count, 0 if chosen == "storm" else 1)
        # Whoever writes other choices does not lose the document: the first of them counts.
        self.assertEqual(read_effect(document(dials=[dial | {"chosen": "gale"}])).dials[0].given, 0.5)
        with self.assertRaisesRegex(DocumentError, "names with numbers"):
            read_effect(document(dials=[dial | {"options": "a, a"}]))


class Ranges(unittest.TestCase):
    def test_values_and_keyframes_stay_within(self) -> None:
        dial = {"id": "pace", "label": "Pace", "limited": True, "low": 0.0, "high": 2.0, "value": 1.5, "standard": 1.0}
        self.assertEqual(read_effect(document(dials=[dial])).dials[0].standard, 1.0)
        keys = {"keys": [{"at": 0.0, "value": 0.0, "ease": "linear"}, {"at": 1.0, "value": 3.0, "ease": "linear"}]}
        for beyond, at in (({"value": 2.5}, 2.5), ({"value": keys}, 3.0), ({"low": 1.8}, 1.5), ({"low": 2.0, "high": 0.0}, None)):
            effect = read_effect(document(speed={"kind": "dial", "dial": "pace"}, dials=[dial | beyond]))
            told = [advisory for advisory in advise(effect) if "outside of its range" in advisory.text]
            self.assertEqual((effect.dials[0].outside(), len(told)), (at, at is not None), beyond)
        fixed = next(advisory.fix for advisory in advise(read_effect(document(dials=[dial | {"value": 2.5}]))) if advisory.fix and "value" in advisory.fix)
        self.assertEqual((fixed["path"], fixed["value"]), (["dials", 0, "value"], 2.0))
        with self.assertRaises(DocumentError):
            read_effect(document(dials=[dial | {"standard": [1.0, 2.0, 3.0]}]))

    def test_its_range_and_default_compute_nothing_anew(self) -> None:
        from hailridge.store.bakes import bake_key

        dial = {"id": "pace", "label": "Pace", "value": 1.5}
        plain, ranged = (read_effect(document(dials=[dial | more])) for more in ({}, {"limited": True, "high": 2.0, "standard": 1.0}))
        self.assertEqual(bake_key(plain), bake_key(ranged))


class FromTheCommandLine(unittest.TestCase):
    def test_a_dial_is_set_as_its_type_has_it(self) -> None:
        raw = drawn() | {"dials": [
            *drawn()["dials"], {"id": "pace", "label": "Pace of it", "value": 1.0},
            {"id": "mode", "label": "Mode", "type": "choice", "options": "calm, storm", "chosen": "calm"}]}  # fmt: skip
        for change in ("Goal=Two", "pace=2.5", "mode=storm"):
            set_value(raw, change)
        dials = read_effect(raw).dials
        self.assertEqual((dials[0].shape, dials[1].value, dials[2].given), ("two", 2.5, 1.0))
        set_value(raw, "Pace of it=3")
        self.assertEqual(raw["dials"][1]["value"], 3)
        with self.assertRaisesRegex(CommandError, "no shape called 'Three'; the shapes are Point, One, Two"):
            set_value(raw, "goal=Three")
        with self.assertRaisesRegex(CommandError, "'Mode' is one of calm, storm, not 'gale'"):
            set_value(raw, "mode=gale")
