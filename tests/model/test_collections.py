"""A list of a document is declared once, and found by whatever walks all of them."""

from __future__ import annotations

import unittest
from unittest.mock import patch

from hailridge.core.looking.affected import ALWAYS, NEVER, differ_from
from hailridge.model import fields
from hailridge.model.collections import COLLECTIONS, declared_in, named
from hailridge.model.comparing import changes
from hailridge.model.effect import Effect
from hailridge.model.kind import Identifier, Label, Part
from hailridge.model.places import FIXED_PARTS, ITEMS
from hailridge.model.validation import check
from hailridge.store.bakes import bake_key


class Beacon(Part):
    id: Identifier
    label: Label
    hue: str = "red"
    height: float = fields.number(1.0, low=0, high=10, label="Height")
    shows: str | None = fields.reference("beacon", label="Shows", optional="none")


class Wider(Effect):
    """A document with one more list, declared in one place."""

    beacons: list[Beacon] = fields.collection("beacon", most=3, shown=("hue",))


def effect(*beacons: dict) -> Wider:
    return Wider.model_validate({"beacons": [{"id": "one", "label": "One"} | beacon for beacon in beacons]})


class Collections(unittest.TestCase):
    def setUp(self) -> None:
        patched = patch.dict(COLLECTIONS, declared_in(Wider))
        patched.start()
        self.addCleanup(patched.stop)

    def test_each_says_what_it_is(self) -> None:
        beacons = COLLECTIONS["beacons"]
        self.assertEqual((beacons.word, beacons.item, beacons.slot, beacons.shown), ("beacon", Beacon, "", ("label", "visible", "hue")))
        self.assertIs(named("beacon"), beacons)
        self.assertEqual((named("shape").slot, named("look").computed, named("group").shown[-1]), ("shape", False, "color"))
        with self.assertRaisesRegex(LookupError, "nothing is called 'lamp'"):
            named("lamp")

    def test_ids_and_references_are_checked(self) -> None:
        self.assertEqual([problem.text for problem in check(effect({}, {}))], ["the id 'one' is used twice"])
        (problem,) = check(effect({"shows": "two"}))
        self.assertEqual((problem.place, problem.text), ("beacon 1 'One', shows", "there is no beacon called 'two'"))

    def test_what_is_only_shown_decides_no_bytes(self) -> None:
        first, again, higher = effect({}), effect({"label": "Another", "hue": "blue"}), effect({"height": 2.0})
        self.assertEqual((differ_from(first, again), differ_from(first, higher), differ_from(first, effect())), (NEVER, ALWAYS, ALWAYS))
        self.assertEqual(bake_key(first), bake_key(again))
        self.assertNotEqual(bake_key(first), bake_key(higher))

    def test_versions_are_compared_in_words(self) -> None:
        told = changes(effect({}).model_dump(), effect({"height": 2.0}).model_dump())
        self.assertTrue(any("beacon" in line for line in map(str, told)), told)


class OfEveryDocument(unittest.TestCase):
    def test_every_list_is_declared(self) -> None:
        lists = {name for name, field in Effect.model_fields.items() if str(field.annotation).startswith("list[")}
        self.assertEqual(lists, set(COLLECTIONS))
        self.assertEqual(set(ITEMS), lists | {"clock", "picture"})
        self.assertEqual(set(FIXED_PARTS), {"clock", "picture", "dials", "groups", "neighbourhoods", "attributes", "sources", "rules"})
