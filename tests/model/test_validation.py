"""Bad documents: refused with words that name the place, and nothing repaired in silence."""

from __future__ import annotations

import copy
import json
import unittest
from contextlib import suppress
from typing import Any
from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge import demo
from hailridge.model import validation
from hailridge.model.catalogue import json_schema
from hailridge.model.migrations import STEPS, migrate
from hailridge.model.validation import DocumentError, read_effect
from tests.seeds import NIGHT, drawer
from tests.support import compare, document, rule


def refused(raw: Any) -> str:
    try:
        problems = read_effect(raw).problems
    except DocumentError as error:
        return str(error)
    if problems:
        return "left out: " + "; ".join(map(str, problems))
    raise AssertionError("the document was accepted")


class Refusals(unittest.TestCase):
    def change(self, path: list[Any], value: Any) -> dict[str, Any]:
        raw = copy.deepcopy(
            document(rule({"kind": "gravity"}, label="Fall", condition=compare("age", "above", 1.0)))
        )
        node: Any = raw
        for key in path[:-1]:
            node = node[key]
        node[path[-1]] = value
        return raw

    def test_each_names_its_place(self) -> None:
        cases: list[tuple[list[Any], Any, str]] = [
            (["nme"], "x", "unknown field 'nme'; did you mean 'name'?"),
            (
                ["rules", 0, "acions"],
                [],
                "rule 1 'Fall', acions: unknown field 'acions'; did you mean 'actions'?",
            ),
            (
                ["sources", 0, "lifetime"],
                -2.0,
                "source 1 'Source', lifetime: may become -2 s, but cannot be below 0",
            ),
            (["sources", 0, "lifetime"], {"kind": "spread", "value": 1.0, "spread": 3.0}, "may become -2 s"),
            (["sources", 0, "group"], "gone", "source 1 'Source', group: there is no group called 'gone'"),
            (["sources", 0, "shape"], "pont", "there is no shape called 'pont'; did you mean 'point'?"),
            (["rules", 0, "who"], ["b"], "rule 1 'Fall', who: there is no group called 'b'"),
            (
                ["rules", 0, "actions", 0, "kind"],
                "gravty",
                "rule 1 'Fall', action 1: there is no kind 'gravty' here; did you mean 'gravity'?",
            ),
            (
                ["rules", 0, "condition", "threshold"],
                [1.0, 2.0, 3.0],
                "condition, threshold: has to be a single number",
            ),
            (["rules", 0, "condition", "threshold"], "1", "threshold"),
            (["rules", 0, "condition", "quantity"], {}, "has to say its kind"),
            (["clock", "duration"], -1.0, "clock, duration: is -1, but cannot be below 0.04"),
            (["clock", "steps_per_frame"], 1.5, "clock, steps a frame"),
            (["clock", "seed"], True, "clock, seed"),
            (["groups", 0, "id"], "Not An Id", "an id is made of small letters"),
            (["format"], 99, "format"),
        ]
        for path, value, words in cases:
            with self.subTest(path=path, value=value):
                self.assertIn(words, refused(self.change(path, value)))

    def test_numbers_that_are_none(self) -> None:
        for text in ("NaN", "Infinity", "-Infinity", "1e999"):
            raw = json.dumps(document()).replace('"speed": 0.0', f'"speed": {text}')
            self.assertIn("finite", refused(raw))

    def test_ids_and_circles(self) -> None:
        twice = document(rule({"kind": "gravity"}), rule({"kind": "gravity"}))
        self.assertIn("the id 'gravity' is used twice", refused(twice))
        circle = document(groups=["a", "b"])
        circle["groups"][0]["parent"], circle["groups"][1]["parent"] = "b", "a"
        self.assertIn("in a circle", refused(circle))
        self.assertIn(
            "every particle already has", refused(document(attributes=[{"id": "radius", "label": "R"}]))
        )

    def test_not_a_document(self) -> None:
        self.assertIn("is not JSON", refused("{"))
        self.assertIn("one JSON object", refused("[]"))
        self.assertIn("larger than", refused(" " * 3_000_000))
        deep: Any = compare("age", "above", 1.0)
        for _ in range(60):
            deep = {"kind": "not", "condition": deep}
        self.assertIn("nested", refused(document(rule(condition=deep))))
        self.assertIn("nested", refused("[" * 100_000 + "]" * 100_000))

    def test_all_problems_are_told_at_once(self) -> None:
        raw = document(rule({"kind": "bounce", "shape": "x"}, {"kind": "bounce", "shape": "y"}))
        problems = read_effect(raw).problems
        self.assertEqual(
            [problem.path for problem in problems],
            [("rules", 0, "actions", 0, "shape"), ("rules", 0, "actions", 1, "shape")],
        )

    @settings(max_examples=150, deadline=None)
    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats() | st.text(max_size=5),
            lambda inner: (
                st.lists(inner, max_size=3)
                | st.dictionaries(
                    st.sampled_from(
                        [
                            "kind",
                            "rules",
                            "sources",
                            "clock",
                            "groups",
                            "id",
                            "value",
                            "condition",
                            "who",
                            "x",
                        ]
                    ),
                    inner,
                    max_size=4,
                )
            ),
            max_leaves=12,
        )
    )
    def test_anything_is_either_read_or_refused(self, raw: Any) -> None:
        try:
            read_effect(json.dumps(raw))
        except DocumentError as error:
            self.assertTrue(str(error))


class OldAndOdd(unittest.TestCase):
    def test_old_documents_of_the_wrong_shapes_are_refused_in_words(self) -> None:
        """A demo in each older format, with something else in one of its places: read, or refused, and never a mistake of ours."""
        odd = [None, 5, "x", [], {}, [1], [None], {"keys": 3}, [[1]], True, {"kind": []}]
        choose, tried = drawer("old and odd"), 0
        for _document in range(2000 if NIGHT else 120):
            raw = demo.document(choose.choice(demo.names()))
            raw["format"] = choose.choice(list(STEPS))
            node: Any = raw
            for _level in range(choose.randrange(1, 6)):
                keys = list(node) if isinstance(node, dict) else list(range(len(node)))
                key = choose.choice(keys)
                if not isinstance(node[key], dict | list) or not node[key] or choose.random() < 0.2:
                    break
                node = node[key]
            else:
                keys = list(node) if isinstance(node, dict) else list(range(len(node)))
                key = choose.choice(keys)
            if key == "format":
                continue
            node[key] = choose.choice(odd)
            tried += 1
            try:
                read_effect(raw)
            except DocumentError as error:
                self.assertTrue(str(error))
        self.assertGreater(tried, 100)
        for name in ("looks", "dials", "sources", "attributes", "clock", "rules"):
            for value in odd:
                with suppress(DocumentError):
                    read_effect({"format": 1, name: value})

    def test_a_million_empty_rules_are_refused_before_they_are_looked_at(self) -> None:
        given = json.dumps({"rules": [{}] * 1_000_000})
        with patch.object(validation.Effect, "model_validate", side_effect=AssertionError("looked at")), self.assertRaises(DocumentError):
            read_effect(given)
        with self.assertRaisesRegex(DocumentError, "rules.*at most"):
            read_effect({"rules": [{}] * 4000})

    def test_what_cannot_be_seen_in_a_name(self) -> None:
        for name in ("a\0b", "safe\u202egpj.exe", "a\u2066b", "bell\x07"):
            self.assertIn("cannot be seen", refused(document() | {"name": name}))
        for name in ("two\u200dfamilies", "\u05d0\u200f(1)", "Häil ❄", "tab\tand\nline"):
            read_effect(document() | {"name": name})


class Reading(unittest.TestCase):
    def test_round_trip(self) -> None:
        effect = read_effect(demo.document("hail-on-the-tin-roof"))
        again = read_effect(effect.model_dump())
        self.assertEqual(effect.model_dump(), again.model_dump())

    def test_shorthand_becomes_a_fixed_amount(self) -> None:
        effect = read_effect(document(speed=3.0))
        self.assertEqual(effect.sources[0].speed.model_dump(), {"kind": "fixed", "value": 3.0})

    def test_empty_document_has_defaults(self) -> None:
        effect = read_effect({})
        self.assertEqual(
            (effect.clock.frames_per_second, effect.clock.last_frame, effect.rules), (24.0, 120, [])
        )

    def test_older_formats_are_lifted(self) -> None:
        STEPS[0] = lambda old: {
            **{key: value for key, value in old.items() if key != "title"},
            "format": 1,
            "name": old["title"],
        }
        try:
            self.assertEqual(read_effect({"format": 0, "title": "Old"}).name, "Old")
            self.assertEqual(migrate({"format": 7, "name": "x"}), {"format": 7, "name": "x"})
        finally:
            del STEPS[0]

    def test_values_over_life_became_curves(self) -> None:
        old = {"kind": "over_life", "birth": 0.0, "middle": [1.0, 0.5, 0.0], "at": 0.25, "end": 1.0}
        look = {"kind": "balls", "id": "look", "tint": "amount", "color": old}
        lifted = migrate({"format": 1, "looks": [look]})
        amount = lifted["looks"][0]["layers"][0]["color"]
        self.assertEqual(
            [(key["at"], key["value"]) for key in amount["curve"]["keys"]],
            [(0.0, [0.0] * 3), (0.25, [1.0, 0.5, 0.0]), (1.0, [1.0] * 3)],
        )
        self.assertEqual(read_effect({"format": 1, "name": "x", "looks": [look]}).format, 7)

    def test_births_at_the_beginning_of_a_pre_roll_stay_there(self) -> None:
        burst = {"kind": "burst", "count": 5}
        old = {
            "format": 3,
            "clock": {"pre_roll": 1.5},
            "sources": [{"emission": {**burst, **time}} for time in ({}, {"time": 0.0}, {"time": 2.0})],
        }
        self.assertEqual(
            [source["emission"].get("time") for source in migrate(old)["sources"]], [-1.5, -1.5, 2.0]
        )
        self.assertEqual(migrate({**old, "clock": {}})["sources"][0]["emission"], burst)

    def test_the_one_colour_of_a_look_became_layers(self) -> None:
        looks = [
            {"kind": "balls", "id": tint, "tint": tint, "color": 0.5} for tint in ("own", "group", "amount")
        ]
        lifted = migrate({"format": 2, "looks": looks})["looks"]
        kinds = [[layer["kind"] for layer in look["layers"]] for look in lifted]
        self.assertEqual(kinds, [[], ["by_group"], ["plain"]])
        self.assertNotIn("tint", lifted[0])

    def test_published_schema_describes_the_demos(self) -> None:
        schema = json_schema()
        self.assertEqual(schema["$schema"], "https://json-schema.org/draft/2020-12/schema")
        self.assertFalse(schema["additionalProperties"])
        self.assertIn("Turbulence", schema["$defs"])
        # Keyframes may stand in a number's place, and the published schema says so.
        size = schema["$defs"]["Turbulence"]["properties"]["size"]
        self.assertIn("keys", size["anyOf"][1]["properties"])


if __name__ == "__main__":
    unittest.main()
