"""A document is only read: whatever runs works on a copy of its own, so runs of one document can be side by side."""

from __future__ import annotations

import hashlib
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from pydantic import ValidationError

from hailridge import demo
from hailridge.core.looking.observe import layers, recorded_moment
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.model.effect import Effect
from hailridge.model.kind import Part, parts_of
from hailridge.model.validation import read_effect
from tests.support import document, rule

KEYED = {"keys": [{"at": 0.0, "value": 0.0}, {"at": 1.0, "value": 9.0}]}
SWEEP = {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.0, "value": [3.0, 0.0, 0.0]}]}


def everything(effect: Effect) -> list[Any]:
    """What every part of a document holds now, keyframed fields as they are and not as their keys."""
    held = []
    for path, part in parts_of(effect):
        held.append((path, part.item, {name: repr(value) for name, value in vars(part).items() if not isinstance(value, Part | list)}))
    return held


def digest(effect: Effect, last: int) -> str:
    total = hashlib.sha256()
    for frame in Simulation(effect, demo.assets()).frames(last):
        for name in sorted(frame.columns):
            total.update(frame.columns[name].tobytes())
    return total.hexdigest()


def moving() -> Effect:
    """Keyframes on a force, a shape and a dial, noise and chance."""
    ball = {"kind": "ball", "id": "ball", "label": "Ball", "position": SWEEP}
    push = rule(
        {"kind": "gravity", "acceleration": KEYED}, {"kind": "attract", "shape": "ball"},
        {"kind": "turbulence", "strength": {"kind": "dial", "dial": "d"}}, id="push",
    )  # fmt: skip
    chance = rule({"kind": "remove"}, condition={"kind": "chance", "probability": 0.4, "per": "second"}, id="chance")
    return read_effect(document(push, chance, count=300, speed=2.0, shapes=[ball], dials=[{"id": "d", "label": "D", "value": KEYED}]))


class Documents(unittest.TestCase):
    def test_nothing_can_be_written_into_one(self) -> None:
        effect = moving()
        for part, name in ((effect, "name"), (effect.clock, "seed"), (effect.rules[0], "label"), (effect.shapes[1], "visible")):
            with self.assertRaises(ValidationError):
                setattr(part, name, getattr(part, name))

    def test_running_and_looking_leave_it_as_it_was(self) -> None:
        for effect in (moving(), *(read_effect(demo.document(name)) for name in ("hail-on-the-tin-roof", "beacon-flash", "tin-flags-in-the-gust"))):
            before, spelled = everything(effect), effect.model_dump_json()
            frame = list(Simulation(effect, demo.assets()).frames(10))[-1]
            plan = Plan(effect, demo.assets())
            layers(recorded_moment(plan, frame.columns, frame.count, 10))
            plan.view(0.3)
            self.assertEqual(everything(effect), before)
            self.assertEqual(effect.model_dump_json(), spelled)

    def test_runs_of_one_document_side_by_side(self) -> None:
        effect = moving()
        alone = {last: digest(effect, last) for last in (12, 24, 36)}
        with ThreadPoolExecutor(3) as pool:
            for last, found in zip([*alone] * 4, pool.map(lambda last: digest(effect, last), [*alone] * 4), strict=True):
                self.assertEqual(found, alone[last], last)
