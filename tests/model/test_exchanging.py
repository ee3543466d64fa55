"""No sequence of picks yields a document that cannot be saved: every kind exchanged for every other of its slot, everywhere."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from typing import Any

from hailridge import demo
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN
from hailridge.model.beginning import NothingFits
from hailridge.model.exchanging import exchanged, referred
from hailridge.model.kind import Kind, Path
from hailridge.model.places import place_of
from hailridge.model.validation import read_effect
from tests.running.choosing import thorough
from tests.seeds import NIGHT, drawer
from tests.support import compare, document, rule


def places(raw: Any, path: Path = (), whole: Any = None) -> Iterator[tuple[Path, str]]:
    """Every place of a document in which a kind stands, with its slot."""
    whole = whole if whole is not None else raw
    if isinstance(raw, dict):
        if "kind" in raw and path:
            place = place_of(whole, path)
            slot = "amount" if place.ui.get("type") == "amount" else str(place.ui.get("slot"))
            if slot in Kind.registry:
                yield path, slot
        for name, value in raw.items():
            yield from places(value, (*path, name), whole)
    elif isinstance(raw, list):
        for index, value in enumerate(raw):
            yield from places(value, (*path, index), whole)


def small(**more: Any) -> dict[str, Any]:
    """A document with one of nearly everything."""
    touching = {"kind": "holds", "quantity": {"kind": "touching", "shape": None}}
    return read_effect(
        document(
            rule({"kind": "set", "attribute": "color", "amount": [1.0, 0.0, 0.0]}, id="paint", condition=touching),
            rule({"kind": "gravity"}, {"kind": "bounce", "shape": "point", "bounciness": 1.0}, id="move",
                 condition={"kind": "all", "conditions": [compare("speed", "above", 3.0), touching]}),
            looks=[{"kind": "balls", "id": "look", "layers": [{"kind": "ramp"}, {"kind": "bands"}]},
                   {"kind": "trails", "id": "trail", "length": {"kind": "by_points", "points": 48}}],
            **more,
        )
    ).model_dump()  # fmt: skip


def value_at(raw: Any, path: Path) -> Any:
    for key in path:
        raw = raw[key]
    return raw


class Exchanging(unittest.TestCase):
    def check(self, raw: dict[str, Any], path: Path, told: Any) -> None:
        """It reads, and nothing is wrong at the place that changed."""
        effect = read_effect(raw)
        wrong = [str(problem) for problem in effect.problems if problem.path[: len(path)] == path]
        self.assertEqual(wrong, [], told)
        self.assertNotIn('""', str(raw).replace("'", '"').replace('"label": ""', "").replace('"summary": ""', "").replace('"unit": ""', ""), told)

    @thorough
    def test_every_kind_for_every_other_of_its_slot(self) -> None:
        raw, choose = small(), drawer("pairs of kinds")
        tried, seen = 0, set()
        for path, slot in list(places(raw)):
            # Each sort of place with a part of the pairs by the seed of the day, of values a smaller one; at night with all.
            sort = (slot, value_at(raw, path[:-1]).get("kind") if isinstance(value_at(raw, path[:-1]), dict) else "", path[-1] if slot != "amount" else path)
            if sort in seen:
                continue
            seen.add(sort)
            for before in Kind.registry[slot]:
                try:
                    first = exchanged(raw, path, before)
                except NothingFits:
                    continue
                for after in Kind.registry[slot]:
                    if not NIGHT and choose.random() < (0.85 if slot in ("amount", "shape", "quantity") else 0.6):
                        continue
                    try:
                        self.check(exchanged(first, path, after), path, (path, before, after))
                    except NothingFits:
                        continue
                    tried += 1
        self.assertGreater(tried, 400)

    def test_every_kind_can_be_added_to_every_list(self) -> None:
        raw = small()
        for slot, path in (
            ("action", ("rules", 0, "actions", 1)), ("action", ("sources", 0, "actions", 0)), ("condition", ("rules", 1, "condition", "conditions", 2)),
            ("layer", ("looks", 0, "layers", 2)),
        ):  # fmt: skip
            for kind, cls in Kind.registry[slot].items():
                if slot == "action" and ("step" if path[0] == "rules" else "birth") not in cls.places:  # type: ignore[attr-defined]
                    continue
                if getattr(cls, "only_in", ()):
                    with self.assertRaises(NothingFits):
                        exchanged(raw, path, kind)
                    continue
                self.check(exchanged(raw, path, kind), path, (path, kind))

    def test_every_attribute_in_every_action_with_every_amount(self) -> None:
        raw = small(attributes=[{"id": "own", "label": "Own"}])
        for action in ("set", "add", "approach"):
            first = exchanged(raw, ("rules", 0, "actions", 0), action)
            for attribute in [*BUILT_IN, "own"]:
                chosen = referred(first, ("rules", 0, "actions", 0, "attribute"), attribute)
                self.check(chosen, ("rules", 0), (action, attribute))
                for amount, cls in Kind.registry["amount"].items():
                    path = ("rules", 0, "actions", 0, "amount")
                    if getattr(cls, "single", False) and attribute in BUILT_IN and BUILT_IN[attribute].width == 3:
                        with self.assertRaisesRegex(NothingFits, "three are needed"):
                            exchanged(chosen, path, amount)
                        continue
                    self.check(exchanged(chosen, path, amount), ("rules", 0), (action, attribute, amount))

    def test_a_curve_keeps_the_value_and_comes_to_rest(self) -> None:
        # A vector ends at nothing, a colour stays what it was: black would hide the particles.
        at: Path = ("rules", 0, "actions", 0, "amount")
        for attribute, value, end in (("velocity", [1.0, 2.0, 3.0], [0.0, 0.0, 0.0]), ("color", [1.0, 0.5, 0.0], [1.0, 0.5, 0.0])):
            raw = referred(small(), (*at[:-1], "attribute"), attribute)
            raw["rules"][0]["actions"][0]["amount"] = {"kind": "fixed", "value": value}
            keys = value_at(exchanged(raw, at, "curve"), at)["curve"]["keys"]
            self.assertEqual([key["value"] for key in keys], [value, end])

    def test_sequences_of_picks(self) -> None:
        # A thousand and more picks in random places, each on what the one before has left.
        choose = drawer("picks")
        for name in ("sleet-under-the-lamp", "sparks-from-the-stove-pipe", demo.STARTER):
            raw = read_effect(demo.document(name)).model_dump()
            for _pick in range(80):
                path, slot = choose.choice(list(places(raw)))
                kind = choose.choice(list(Kind.registry[slot]))
                if slot == "shape" and kind == "mesh":
                    continue
                try:
                    after = exchanged(raw, path, kind)
                except NothingFits:
                    continue
                read_effect(after)
                if len(str(after)) < 40_000:
                    raw = after

    def test_what_was_there_is_kept_where_it_fits(self) -> None:
        raw = small()
        # A fact about anything takes over no nothing: the newest shape is meant.
        touched = exchanged(raw, ("rules", 0, "condition", "quantity"), "inside")
        fact = exchanged(raw, ("rules", 1, "condition", "conditions", 0, "quantity"), "touching")
        self.assertEqual(value_at(fact, ("rules", 1, "condition", "conditions", 0))["kind"], "holds")
        self.assertEqual(value_at(touched, ("rules", 0, "condition", "quantity")), {"kind": "inside", "shape": raw["shapes"][-1]["id"]})
        joined = exchanged(raw, ("rules", 0, "condition"), "any")
        self.assertEqual(value_at(joined, ("rules", 0, "condition", "conditions")), [raw["rules"][0]["condition"]])
        thrown = exchanged(exchanged(raw, ("sources", 0, "direction"), "axis"), ("sources", 0, "direction"), "normal")
        self.assertEqual(thrown["sources"][0]["id"], raw["sources"][0]["id"])
        lasting = exchanged(raw, ("looks", 1, "length"), "by_time")
        self.assertEqual(lasting["looks"][1]["length"], {"kind": "by_time", "seconds": {"kind": "fixed", "value": 2.0}})
        back = exchanged(lasting, ("looks", 1, "length"), "by_points")
        self.assertEqual(back["looks"][1]["length"], {"kind": "by_points", "points": {"kind": "fixed", "value": 48.0}})
        spread = exchanged(raw, ("rules", 1, "actions", 1, "bounciness"), "spread")
        self.assertEqual(value_at(spread, ("rules", 1, "actions", 1, "bounciness"))["kind"], "spread")

    def test_an_attribute_is_kept_with_the_value_that_it_is_given(self) -> None:
        """*Set colour* became *approach radius*, and *set opacity to 0.3* went to 1."""
        for attribute, value in (("color", [0.0, 0.0, 1.0]), ("opacity", 0.3)):
            raw = document(rule({"kind": "set", "attribute": attribute, "amount": {"kind": "fixed", "value": value}}, id="r"))
            for kind in ("approach", "add"):
                action = exchanged(raw, ("rules", 0, "actions", 0), kind)["rules"][0]["actions"][0]
                self.assertEqual((action["attribute"], action["amount"]), (attribute, {"kind": "fixed", "value": value}), kind)

    def test_inner_parts_are_whole(self) -> None:
        """The page reads values of what it was given: "– points" stood there, and *not* ended it."""
        raw = document(rule({"kind": "gravity"}, id="r"), looks=[{"kind": "balls", "id": "b"}])
        trails = exchanged(raw, ("looks", 0), "trails")["looks"][0]
        self.assertEqual(trails["length"]["points"], {"kind": "fixed", "value": 60.0})
        inner = exchanged(raw, ("rules", 0, "condition"), "not")["rules"][0]["condition"]["condition"]
        self.assertEqual((inner["quantity"]["kind"], inner["threshold"]), ("age", {"kind": "fixed", "value": 1.0}))

    def test_what_comes_after_a_formula_begins_with_something(self) -> None:
        """Both ends of a mapping were 0."""
        raw = document(rule({"kind": "set", "attribute": "opacity", "amount": {"kind": "formula", "text": "age * 0.2"}}, id="r"))
        mapped = exchanged(raw, ("rules", 0, "actions", 0, "amount"), "mapped")["rules"][0]["actions"][0]["amount"]
        self.assertEqual((mapped["low"], mapped["high"]), (0.125, 0.5))

    def test_what_is_said_stays_as_it_was_said(self) -> None:
        """*Colour*, typed where *set radius* stood, gave *set radius*."""
        raw = document(rule({"kind": "set", "attribute": "radius", "amount": {"kind": "fixed", "value": 0.3}, "where": None}, id="r"))
        for kind in ("set", "approach"):
            action = exchanged(raw, ("rules", 0, "actions", 0), kind, given={"attribute": "color"})["rules"][0]["actions"][0]
            self.assertEqual((action["attribute"], len(action["amount"]["value"])), ("color", 3), kind)

    def test_a_kind_chosen_again_begins_anew(self) -> None:
        fast = compare({"kind": "speed"}, "below", 3.0)
        both = {"kind": "all", "conditions": [fast, compare("age", "above", 9.0)]}
        raw = document(rule({"kind": "turbulence", "strength": 44.0, "size": 7.5, "id": "t"}, id="r", condition=both))
        fresh = exchanged(raw, ("rules", 0, "actions", 1), "turbulence")["rules"][0]["actions"][1]
        again = exchanged(raw, ("rules", 0, "actions", 0), "turbulence")["rules"][0]["actions"][0]
        self.assertEqual(again | {"id": None}, fresh | {"id": None})
        self.assertEqual(again["id"], "t")
        # What joins others keeps them; each of those begins anew by itself.
        whole = exchanged(raw, ("rules", 0, "condition"), "all")["rules"][0]["condition"]
        self.assertEqual(len(whole["conditions"]), 2)
        one = exchanged(raw, ("rules", 0, "condition", "conditions", 0), "compare")["rules"][0]["condition"]["conditions"]
        self.assertEqual((one[0]["quantity"]["kind"], one[0]["comparison"]), ("age", "above"))
        self.assertEqual(one[1]["threshold"], 9.0)

    def test_first_guesses_by_where_an_action_stands(self) -> None:
        raw = document(
            rule({"kind": "gravity"}, id="each"),
            rule({"kind": "gravity"}, id="dying", trigger="death"),
            rule({"kind": "gravity"}, id="old", condition=compare({"kind": "age"}, "above", 1.0)),
        )

        def added(kind: str, where: int = 0, **given: object) -> dict[str, Any]:
            found: dict[str, Any] = exchanged(raw, ("rules", where, "actions", 1), kind, given=given)["rules"][where]["actions"][1]
            return found

        # Where nothing says when, two children in the place of one at each step would be without end; with a condition that is a division.
        self.assertEqual([added("spawn")[name] for name in ("parent", "per")], ["kept", "second"])
        self.assertEqual([added("spawn", 2)[name] for name in ("parent", "per")], ["removed", "occasion"])
        self.assertEqual((added("add", attribute="mass")["per"], added("add", 1)["per"]), ("second", "occasion"))
        self.assertEqual((added("keep")["response"], added("keep", response="wrap")["response"]), ("stop", "wrap"))
        self.assertEqual([added(kind)["attribute"] for kind in ("take_from", "give_to", "take_met")], ["color"] * 3)

    def test_moving_never_begins_with_the_group_that_it_stands_in(self) -> None:
        groups = ["a", "b", "c"]

        def moved(who: list[str], there: list[str]) -> tuple[str, int]:
            raw = document(rule({"kind": "gravity"}, id="r", who=who), groups=there)
            changed = exchanged(raw, ("rules", 0, "actions", 1), "move")
            return changed["rules"][0]["actions"][1]["group"], len(changed["groups"])

        self.assertEqual([moved(who, groups) for who in (["a"], ["c"], ["b", "c"], [])], [("c", 3), ("b", 3), ("a", 3), ("c", 3)])
        # Where it is about all that there are, one is made.
        self.assertEqual([moved(who, groups[:1]) for who in (["a"], [])], [("group", 2)] * 2)
        self.assertEqual(moved(["a", "b", "c"], groups), ("group", 4))

    def test_a_shape_of_another_kind_is_as_large(self) -> None:
        raw = document(rule({"kind": "gravity"}, id="r"))

        def become(wanted: str, **shape: object) -> dict[str, Any]:
            changed: dict[str, Any] = exchanged(raw | {"shapes": [*raw["shapes"], {"id": "s", "label": "S", **shape}]}, ("shapes", len(raw["shapes"])), wanted)
            return changed["shapes"][-1]

        plane = become("plane", kind="ball", radius=0.3)
        self.assertEqual((plane["width"], plane["depth"]), (0.6, 0.6))
        self.assertEqual(become("ball", kind="plane", width=3.0, depth=8.0)["radius"], 4.0)
        self.assertEqual(become("box", kind="tube", radius=0.25, height=2.0)["size"], [0.5, 2.0, 0.5])
        self.assertEqual(become("box", kind="plane", width=3.0, depth=2.0)["size"], [3.0, 3.0, 2.0])
        tube = become("tube", kind="box", size=[1.0, 4.0, 3.0])
        self.assertEqual((tube["radius"], tube["height"]), (1.5, 4.0))
        # What says nothing of its size leaves the new one its own.
        self.assertEqual(become("ball", kind="point")["radius"], 0.5)

    def test_a_shape_that_is_made_for_it_is_seen(self) -> None:
        raw = document(rule({"kind": "gravity"}, id="r"))
        raw["shapes"] = []
        (made,) = exchanged(raw, ("rules", 0, "actions", 1), "bounce")["shapes"]
        self.assertTrue(made["visible"])

    def test_what_is_called_after_its_kind_is_called_after_the_new_one(self) -> None:
        raw = small()
        raw["shapes"] += [
            {"kind": "ball", "id": "one", "label": "Ball"},
            {"kind": "ball", "id": "two", "label": "Ball 2"},
            {"kind": "ball", "id": "named", "label": "Hailstone"},
        ]
        first = len(raw["shapes"]) - 3
        for kind in ("plane", "ring"):
            for offset in range(3):
                raw = exchanged(raw, ("shapes", first + offset), kind)
        self.assertEqual([shape["label"] for shape in raw["shapes"][first:]], ["Ring", "Ring 2", "Hailstone"])
        self.assertEqual([shape["id"] for shape in raw["shapes"][first:]], ["one", "two", "named"])
        # A formula finds things by their names.
        raw["shapes"].append({"kind": "ball", "id": "ball", "label": "Ball"})
        raw["fields"] = [{"kind": "formula", "id": "f", "label": "F", "text": 'distance_to("Ball")'}]
        self.assertEqual(exchanged(raw, ("shapes", first + 3), "box")["shapes"][-1]["label"], "Ball")

    def test_values_of_the_right_type_unit_and_size(self) -> None:
        raw = small()
        path = ("rules", 1, "condition", "conditions", 0, "quantity")
        # Before anything is known: halfway into a field, not 1, which nothing passes.
        field = exchanged({**raw, "fields": [{"kind": "falloff", "id": "f", "label": "F", "shape": "point"}]}, path, "field")
        self.assertEqual(value_at(field, path[:-1])["threshold"], {"kind": "fixed", "value": 0.5})
        asked: list[Any] = []

        def tell(sort: str, what: Any, who: list[str]) -> dict[str, Any]:
            asked.append((sort, what, who))
            return {"middle": 42.0, "lower": 30.0, "upper": 50.0, "lowest": 10.0, "highest": 80.0, "band": 12.0, "part": 8.0}

        self.assertEqual(value_at(exchanged(raw, path, "number", tell), path[:-1])["threshold"]["value"], 42.0)
        self.assertEqual(asked, [("quantity", {"kind": "number"}, [])])
        between = exchanged(raw, path[:-1], "between", tell)
        self.assertEqual([value_at(between, path[:-1])[name]["value"] for name in ("low", "high")], [30.0, 50.0])
        bands = exchanged(raw, ("looks", 0, "layers", 1, "quantity"), "age", tell)["looks"][0]["layers"][1]
        self.assertEqual((bands["start"], bands["width"]), (10.0, 12.0))
        red = referred(raw, ("rules", 0, "actions", 0, "attribute"), "velocity")["rules"][0]["actions"][0]["amount"]
        self.assertEqual(red, {"kind": "fixed", "value": [0.0, 2.0, 0.0]})
        added = exchanged(raw, ("rules", 0, "actions", 1), "set", tell)["rules"][0]["actions"][1]
        self.assertEqual(added["amount"]["value"], 42.0)

    def test_what_nobody_has_yet_begins_with_something(self) -> None:
        raw = small()
        for present, begun in ((0.0, [0.0, 180.0, 0.0]), (90.0, [0.0, 90.0, 0.0])):
            told = {name: [0.0, present, 0.0] for name in ("middle", "part")}
            end = ("rules", 0, "actions", len(raw["rules"][0]["actions"]))
            spun = exchanged(raw, end, "set", lambda *_, told=told: told, {"attribute": "spin"})
            self.assertEqual(spun["rules"][0]["actions"][-1]["amount"], {"kind": "fixed", "value": begun})
        # A quantity that is named by its kind alone is filled in, and what is held against it fits it.
        compared = exchanged(raw, ("rules", 0, "condition"), "compare", None, {"quantity": {"kind": "distance"}})["rules"][0]["condition"]
        self.assertEqual(compared["quantity"]["shape"], raw["shapes"][-1]["id"])

    def test_what_would_go_round_in_a_circle_is_refused_in_words(self) -> None:
        raw = small(shapes=[{"kind": "ball", "id": "ball", "label": "Ball", "parent": "point"}])
        with self.assertRaisesRegex(NothingFits, "carry one another in a circle"):
            referred(raw, ("shapes", 0, "parent"), "ball")
        way = {"kind": "path", "id": "way", "label": "Way"}
        raw = small(shapes=[{"kind": "ball", "id": "ball", "label": "Ball"}, way, {"kind": "ball", "id": "b", "label": "B", "path": "way"}])
        with self.assertRaisesRegex(NothingFits, "no path to move along"):
            exchanged(raw, ("shapes", 2), "box")
        with self.assertRaisesRegex(NothingFits, "no path to move along"):
            referred(raw, ("shapes", 0, "path"), "ball")
        self.assertEqual(referred(raw, ("shapes", 1, "parent"), None)["shapes"][1]["parent"], None)

    def test_a_dial_of_another_type(self) -> None:
        raw = small(dials=[{"id": "d", "label": "D", "type": "number", "value": 3.0}])
        colored = referred(raw, ("dials", 0, "type"), "color")
        self.assertEqual(read_effect(colored).dials[0].value, [1.0, 1.0, 1.0])
        self.assertEqual(read_effect(referred(colored, ("dials", 0, "type"), "number")).dials[0].value, 1.0)
        old = {**raw, "format": 3, "dials": [{"id": "d", "label": "D", "type": "vector", "value": 2.0}]}
        self.assertEqual(read_effect(old).dials[0].value, [2.0, 2.0, 2.0])

    def test_what_is_not_there_is_made_or_told(self) -> None:
        raw = small()
        field = exchanged(raw, ("rules", 0, "condition", "quantity"), "field")
        self.assertEqual(len(field["fields"]), 1)
        dial = exchanged(raw, ("rules", 0, "actions", 0, "amount"), "dial")
        self.assertEqual((dial["dials"][0]["type"], dial["dials"][0]["value"]), ("color", [1.0, 0.0, 0.0]))
        with self.assertRaises(NothingFits):
            exchanged({**raw, "rules": []}, ("looks", 0, "layers", 0, "quantity"), "since_rule")
        with self.assertRaises(LookupError):
            exchanged(raw, ("rules", 9, "condition"), "all")

    def test_every_declared_field_has_its_place(self) -> None:
        # What values follow is a field beside them, and what they begin at is known.
        for members in Kind.registry.values():
            for cls in members.values():
                for name, field in cls.model_fields.items():
                    ui = fields.ui_of(field)
                    for key in ("value_from", "unit_from"):
                        if ui.get(key):
                            self.assertIn(ui[key], cls.model_fields, (cls, name))


if __name__ == "__main__":
    unittest.main()
