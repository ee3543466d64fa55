"""Documents made at random over the published JSON Schema: each validates or is refused in words, and whatever validates runs.

Drawn by the seed of the day; HAILRIDGE_GENERATED (a number of documents) explores further.
"""

from __future__ import annotations

import copy
import os
import random
import unittest
from typing import Any

import numpy as np

from hailridge.core.looking.observe import layers, recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.model.attributes import BUILT_IN
from hailridge.model.catalogue import json_schema
from hailridge.model.effect import Effect
from hailridge.model.validation import DocumentError, read_effect
from hailridge.model.wording import Problem
from tests.running.choosing import thorough
from tests.seeds import NIGHT, SEED, drawer

NUMBER = int(os.environ.get("HAILRIDGE_GENERATED") or (2000 if NIGHT else 400))
MENDED = 12
"""Times that a refused document is mended where it was refused before it is given up."""
FRAMES = 10

IDS = {
    "shape": ["s1", "s2", "s3"], "group": ["g1", "g2"], "field": ["f1", "f2"], "dial": ["d1"], "rule": ["r1", "r2", "r3"], "neighbourhood": ["n1", "n2"],
}  # fmt: skip
FORMULAS = ["position.y", "smoothstep(0, 1, position.x)", 'field("f1")', "noise(position * 3)", "1 / 0", "time +", "sin(time)", 'distance_to("s1")']
SHEETS = ["soft", "puffs", "crystals"]


class Maker:
    """Values for a schema, small ones mostly, limits and wild ones now and then."""

    def __init__(self, choose: random.Random) -> None:
        self.choose = choose
        self.schema = json_schema()
        self.wild = 0.0
        self.wide = False
        self.bounds: tuple[float | None, float | None] | None = None
        """Within an amount, what its value may be."""

    def effect(self) -> dict[str, Any]:
        self.wild = self.choose.choice([0.0, 0.0, 0.0, 0.002])
        made: dict[str, Any] = {"format": 7, "name": "Made"}
        for name in ("clock", "picture"):
            if self.choose.random() < 0.5 and isinstance(part := self.value(self.schema["properties"][name], name, 0), dict):
                made[name] = part
        for name, prefix, most in (
            ("dials", "d", 1), ("shapes", "s", 3), ("fields", "f", 2), ("groups", "g", 2), ("neighbourhoods", "n", 2), ("attributes", "a", 1), ("sources", "source", 1),
            ("rules", "r", 3), ("looks", "look", 2),
        ):  # fmt: skip
            items = self.schema["properties"][name]["items"]
            made[name] = [self.item(items, name, f"{prefix}{n + 1}") for n in range(most)]
        if self.choose.random() < 0.95:
            self.untangle(made)
            for attribute in made["attributes"]:
                if isinstance(attribute, dict):
                    attribute |= {"type": self.choose.choice(["number", "whole", "flag"]), "initial": self.choose.randint(0, 1), "limited": False}
            for dial in made["dials"]:
                if isinstance(dial, dict):
                    dial["type"] = "number"
                    dial["value"] = self.choose.uniform(0, 1)
        clock = made.setdefault("clock", {})
        clock |= {"particle_budget": 80, "duration": 1.0, "frames_per_second": 24.0, "steps_per_frame": self.choose.choice([1, 1, 3])}
        for name in ("pre_roll", "time_from", "effect_time", "store_every"):
            clock.pop(name, None)
        return made

    def untangle(self, made: dict[str, Any]) -> None:
        """Nothing is within, carried by or made of what comes after it."""
        for name in ("shapes", "groups", "fields"):
            before: list[str] = []
            paths: list[str] = []
            for item in made[name]:
                if isinstance(item, dict):
                    for key, known in (("parent", before), ("path", paths)):
                        if key in item and item[key] not in known:
                            item[key] = self.choose.choice([*known, None])
                    for key in ("members", "fields"):
                        if isinstance(item.get(key), list):
                            item[key] = [entry for entry in item[key] if entry in before]
                    before.append(item["id"])
                    if item.get("kind") == "path":
                        paths.append(item["id"])

    def item(self, schema: dict[str, Any], name: str, identifier: str) -> Any:
        made = self.value(schema, name, 0)
        return made | {"id": identifier} if isinstance(made, dict) else made

    def value(self, schema: dict[str, Any], name: str, depth: int, beside: dict[str, Any] | None = None) -> Any:
        if self.choose.random() < self.wild:
            return self.choose.choice([None, "x" * 90, -1e9, 1e12, [], {}, True, "\ud800", [1, 2], "é"])
        if name == "id":
            # Items are given theirs; parts in lists get them when they are read.
            return None
        ui = schema.get("ui", {})
        if ui.get("type") != "amount":
            return self.plain(schema, ui, name, depth)
        # Amounts stand within amounts: how wide the outer one is, and within what bounds, goes on after the inner.
        outer = self.wide, self.bounds
        self.wide, self.bounds = self.width_of(ui, beside or {}) == 3, (ui.get("low"), ui.get("high"))
        made = self.plain(schema, ui, name, depth)
        self.wide, self.bounds = outer
        return made

    def width_of(self, ui: dict[str, Any], beside: dict[str, Any]) -> int:
        """Of an amount: as it is declared, or as the attribute or quantity beside it has it."""
        source = beside.get(ui.get("value_from") or "")
        if isinstance(source, str) and source in BUILT_IN:
            return BUILT_IN[source].width
        if isinstance(source, dict) and source.get("kind") == "attribute" and source.get("attribute") in BUILT_IN:
            return BUILT_IN[source["attribute"]].width
        return 3 if ui.get("value") in ("vector", "color") else 1

    def plain(self, schema: dict[str, Any], ui: dict[str, Any], name: str, depth: int) -> Any:
        if ui.get("type") == "value":
            low, high = (given if given is not None else end for given, end in zip(self.bounds or (None, None), (-10.0, 10.0), strict=True))
            number = {"minimum": low, "maximum": high}
            if self.choose.random() < 0.1:
                return self.keys(self.wide)
            return [self.number(number) for _ in range(3)] if self.wide else self.number(number)
        if ui.get("to") in IDS and name not in ("parent", "path"):
            known = IDS[ui["to"]]
            if ui["type"] == "references":
                return self.choose.sample(known, self.choose.randint(0, len(known)))
            return None if ui.get("optional") and self.choose.random() < 0.4 else self.choose.choice(known)
        if "$ref" in schema:
            return self.value(self.schema["$defs"][schema["$ref"].rsplit("/", 1)[1]], name, depth)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return self.choose.choice(schema["enum"])
        for key in ("oneOf", "anyOf"):
            if key in schema:
                return self.one_of(schema, schema[key], name, depth)
        match schema.get("type"):
            case "object":
                return self.thing(schema, depth)
            case "array":
                return self.list(schema, name, depth)
            case "string":
                return self.text(schema, name)
            case "boolean":
                return self.choose.random() < 0.5
            case "integer":
                return round(self.number(schema))
            case "number":
                return self.number(schema)
        return None

    def keys(self, wide: bool, number: dict[str, Any] | None = None) -> dict[str, Any]:
        """Keyframes of one sort of values, in order of time; numbers mostly within the limits of the one in whose place they stand."""
        ends = {} if number is None or self.choose.random() < 0.1 else number

        def value() -> Any:
            drawn = self.choose.uniform(0, 2)
            return [self.choose.uniform(0, 1) for _ in range(3)] if wide else min(max(drawn, ends.get("minimum", drawn)), ends.get("maximum", drawn))

        eases: list[Any] = ["linear", "hold", [0.4, 0.0, 0.6, 1.0], [0.2, -3.0, 0.8, 4.0]]
        return {"keys": [{"at": n * 0.3, "value": value(), "ease": self.choose.choice(eases)} for n in range(self.choose.randint(1, 3))]}

    def one_of(self, schema: dict[str, Any], options: list[dict[str, Any]], name: str, depth: int) -> Any:
        if name == "parent":
            return self.choose.choice([None, None, None, "s1", "g1"]) if any(option.get("type") == "null" for option in options) else "s1"
        plain = [option for option in options if option.get("type") != "object" or "keys" not in option.get("properties", {})]
        if depth > 5 and any(option.get("type") == "null" for option in options):
            return None
        # What holds others of its sort comes to an end.
        shallow = [option for option in plain if not any(word in option.get("$ref", "") for word in ("All", "Any_", "Not", "Mesh", "Formula"))]
        pool = shallow if depth > 3 and shallow else plain if self.choose.random() < 0.9 else options
        chosen = self.choose.choice(pool or options)
        if "keys" in chosen.get("properties", {}):
            number = next((option for option in options if option.get("type") == "number"), None)
            return self.keys(any(option.get("type") == "array" for option in options), number)
        return self.value(chosen, name, depth + 1)

    def thing(self, schema: dict[str, Any], depth: int) -> dict[str, Any]:
        made = {}
        for name, inner in schema.get("properties", {}).items():
            # A vector's default would be a number.
            needed = name in schema.get("required", ()) or name == "kind" or (self.wide and inner.get("ui", {}).get("type") == "value")
            if needed or self.choose.random() < 0.5:
                made[name] = self.value(inner, name, depth + 1, made)
        return made

    def list(self, schema: dict[str, Any], name: str, depth: int) -> list[Any]:
        if name in ("who", "members", "fields"):
            return self.choose.sample(IDS["group" if name == "who" else "shape" if name == "members" else "field"], self.choose.randint(0, 2))
        if name == "keys":
            return self.keys(self.wide if self.choose.random() < 0.95 else not self.wide)["keys"]
        low, high = schema.get("minItems", 0), min(schema.get("maxItems", 3), 3)
        return [self.value(schema["items"], name, depth + 1) for _ in range(self.choose.randint(low, max(low, high if depth < 4 else low)))]

    def text(self, schema: dict[str, Any], name: str) -> str:
        if name in ("shape", "parent", "path", "group", "field", "dial", "rule", "where"):
            to = {"where": "field", "path": "shape", "parent": self.choose.choice(["shape", "group"])}.get(name, name)
            return self.choose.choice(IDS[to])
        if name == "attribute":
            fitting = [key for key, info in BUILT_IN.items() if (info.width == 3) == self.wide] if self.bounds is not None else [*BUILT_IN, "a1"]
            return self.choose.choice(fitting)
        if name == "text":
            return self.choose.choice(FORMULAS)
        if name in ("asset", "sheet", "picture"):
            return self.choose.choice(SHEETS)
        if "#" in schema.get("pattern", ""):
            return f"#{self.choose.randrange(2**24):06x}"
        return self.choose.choice(["Some", "Other", "Name"])

    def number(self, schema: dict[str, Any]) -> float:
        low, high = schema.get("minimum", -10.0), schema.get("maximum", 10.0)
        ends = [low, high, 0.0, 1.0, 0.5]
        picked = self.choose.choice(ends) if self.choose.random() < 0.25 else self.choose.uniform(0, 3)
        return float(min(max(picked, low), high))


def mended(raw: dict[str, Any], problems: list[Problem]) -> dict[str, Any]:
    """The document without what was refused: each value goes back to its default, or its item goes."""
    mended = copy.deepcopy(raw)
    for problem in problems:
        node, path = mended, list(problem.path)
        while path:
            if len(path) == 1 or not _holds(node, path[0]) or not isinstance(node[path[0]], dict | list):
                break
            inner = node[path[0]]
            # What cannot stand without it goes with it.
            if (len(path) == 2 and isinstance(inner, dict) and path[1] in ("kind", "id")) or (len(path) > 1 and not _holds(inner, path[1])):
                break
            node, path = inner, path[1:]
        if path and _holds(node, path[0]):
            del node[path[0]]
    return mended


def _holds(node: Any, key: Any) -> bool:
    return key in node if isinstance(node, dict) else isinstance(node, list) and isinstance(key, int) and key < len(node)


class Generated(unittest.TestCase):
    @thorough
    def test_documents_validate_or_are_refused_in_words_and_run(self) -> None:
        print(f"(generated documents: seed {SEED}, {NUMBER})", flush=True)
        make = Maker(drawer("documents"))
        ran = refused = 0
        for number in range(NUMBER):
            raw = make.effect()
            effect = None
            for tries in range(MENDED):
                try:
                    effect = read_effect(raw)
                    break
                except DocumentError as error:
                    refused += tries == 0
                    self.assertTrue(error.problems and all(problem.text for problem in error.problems), number)
                    raw = mended(raw, error.problems)
            if effect is None:
                continue
            try:
                self.run_ten(effect)
            except Exception as error:
                raise AssertionError(f"document {number} of seed {SEED} ended with {error!r}: {effect.model_dump_json()}") from error
            ran += 1
        print(f"({ran} of {NUMBER} ran, {refused} were refused at first)", flush=True)
        # Most run; and refusals happen.
        self.assertGreater(ran, NUMBER * 0.8)
        self.assertGreater(refused, NUMBER // 50)

    def run_ten(self, effect: Effect) -> None:
        simulation = Simulation(effect, MemoryAssets())
        frame = None
        for frame in simulation.frames(FRAMES):
            for name in ("position", "velocity", "age", "radius"):
                self.assertTrue(np.isfinite(frame.columns[name]).all(), name)
            self.assertLessEqual(frame.count, 80)
        assert frame is not None
        plan = Plan(effect, MemoryAssets())
        moment = recorded_moment(plan, frame.columns, frame.count, frame.number)
        for layer in layers(moment):
            self.assertTrue(np.isfinite(layer.position).all())


if __name__ == "__main__":
    unittest.main()
