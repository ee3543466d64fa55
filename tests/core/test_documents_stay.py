"""A document is only read, and so is the plan that is made of it: runs and readers of one plan are side by side, at whatever times."""

from __future__ import annotations

import hashlib
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from pydantic import ValidationError

from hailridge import demo
from hailridge.core.looking.observe import layers, recorded_moment
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.model.effect import Effect
from hailridge.model.kind import Part, part_at, parts_of
from hailridge.model.validation import DocumentError, read_effect
from tests.support import document, rule

KEYED = {"keys": [{"at": 0.0, "value": 0.0}, {"at": 1.0, "value": 9.0}]}
SWEEP = {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.0, "value": [3.0, 0.0, 0.0]}]}


def everything(effect: Effect) -> list[Any]:
    """What every part of a document holds now, keyframed fields as they are and not as their keys."""
    held = []
    for path, part in parts_of(effect):
        held.append((path, part.item, {name: repr(value) for name, value in vars(part).items() if not isinstance(value, Part | list)}))
    return held


def digest(effect: Effect, last: int, plan: Plan | None = None) -> str:
    total = hashlib.sha256()
    for frame in Simulation(effect, demo.assets(), plan=plan).frames(last):
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
        for effect in (moving(), *(read_effect(demo.document(name)) for name in ("hail-on-the-tin-roof", "beacon-flash", "shutters-in-the-gust"))):
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


class Plans(unittest.TestCase):
    def test_nothing_of_one_changes(self) -> None:
        """Whatever is asked of a plan, in whatever order: its own document stays, and a time gives the same scene."""
        plan = Plan(moving(), demo.assets())
        before = everything(plan.effect)
        scenes = {time: (everything(plan.at(time).effect), plan.at(time).pose("ball").transform.translation.copy()) for time in (0.0, 0.3, 0.7, 1.0)}
        list(Simulation(plan.effect, demo.assets(), plan=plan).frames(10))
        for time in (1.0, 0.3, 0.0, 0.7):
            self.assertEqual(everything(plan.at(time).effect), scenes[time][0])
            np.testing.assert_array_equal(plan.at(time).pose("ball").transform.translation, scenes[time][1])
        self.assertEqual(everything(plan.effect), before)

    def test_only_what_has_keyframes_is_another(self) -> None:
        plan = Plan(moving(), demo.assets())
        early, late = plan.at(0.2), plan.at(0.8)
        self.assertIsNot(early.effect.rules[0], late.effect.rules[0])
        for shared in ("clock", "picture", "sources", "groups"):
            self.assertIs(getattr(early.effect, shared), getattr(late.effect, shared))
        self.assertIs(early.effect.rules[1], late.effect.rules[1])
        self.assertIs(early.turns.all[1], late.turns.all[1])
        gravity: Any = early.effect.rules[0].actions[0]
        self.assertAlmostEqual(gravity.acceleration.value, 1.8, places=6)

    def test_threads_run_and_read_different_times_of_one(self) -> None:
        effect = moving()
        plan = Plan(effect, demo.assets())
        alone = {last: digest(effect, last) for last in (8, 16, 24)}
        places = {time: Plan(effect, demo.assets()).at(time).pose("ball").transform.translation for time in np.linspace(0, 1, 17)}

        def work(number: int) -> None:
            if number % 3 == 0:
                last = [*alone][number % len(alone)]
                self.assertEqual(digest(effect, last, plan), alone[last])
            else:
                for time, place in [*places.items()][:: 1 if number % 2 else -1]:
                    np.testing.assert_array_equal(plan.at(time).pose("ball").transform.translation, place)

        with ThreadPoolExecutor(4) as pool:
            list(pool.map(work, range(24)))

    def test_every_part_has_an_address_of_its_own(self) -> None:
        for name in demo.names():
            effect = Plan(read_effect(demo.document(name)), demo.assets()).effect
            addresses = [part.address for _path, part in parts_of(effect)]
            self.assertEqual(len(set(addresses)), len(addresses), name)
            for _path, part in parts_of(effect):
                self.assertIs(part_at(effect, part.address.split("/") if part.address else []), part)

    def test_addresses_and_random_numbers_stay_when_lists_are_put_in_another_order(self) -> None:
        """Two chances one above the other: exchanged, each throws the same dice as before, and remembers under the same name."""
        chance = {"kind": "chance", "probability": 0.5}
        tests = [{**chance, "id": "first"}, {**chance, "id": "second"}]
        removed = []
        for order in (tests, tests[::-1]):
            raw = document(rule({"kind": "remove"}, condition={"kind": "all", "conditions": order}, trigger="birth", id="thin"), count=400)
            removed.append(list(Simulation(read_effect(raw), demo.assets()).frames(1))[-1].columns["id"])
        np.testing.assert_array_equal(removed[0], removed[1])
        plan = Plan(read_effect(raw), demo.assets())
        condition: Any = plan.effect.rules[0].condition
        self.assertEqual([part.address for part in condition.conditions], [f"rules/thin/condition/conditions/{name}" for name in ("second", "first")])

    def test_ids_are_filled_in_and_have_to_differ(self) -> None:
        raw = document(rule({"kind": "gravity"}, {"kind": "drag", "id": "0"}, {"kind": "drag"}))
        self.assertEqual([action.id for action in read_effect(raw).rules[0].actions], ["1", "0", "2"])
        again = read_effect(read_effect(raw).model_dump())
        self.assertEqual([action.id for action in again.rules[0].actions], ["1", "0", "2"])
        raw["rules"][0]["actions"][2]["id"] = "0"
        with self.assertRaises(DocumentError) as caught:
            read_effect(raw)
        self.assertIn("the id '0' is used twice in this list", str(caught.exception))
