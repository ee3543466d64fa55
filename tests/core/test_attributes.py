"""Attributes of one's own, of every type: first values, writing, limits, what children get, and what comes back from a record."""

from __future__ import annotations

import math
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from hailridge.core.looking.observe import recorded_moment, values_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.state.orientation import angles_of, from_angles
from hailridge.core.step.simulation import Simulation
from hailridge.model.attributes import BUILT_IN, table_of
from hailridge.model.exchanging import exchanged, referred
from hailridge.model.migrations import migrate
from hailridge.model.validation import DocumentError, read_effect
from tests.support import compare, document, rule, run

FIRST = {
    "number": ("heat", 2.5), "whole": ("hits", 3.0), "flag": ("hot", 1.0), "vector": ("home", [1.0, -2.0, 3.0]),
    "color": ("tint", [0.2, 0.4, 0.6]), "orientation": ("pose", [20.0, 30.0, 40.0]),
}  # fmt: skip
SECOND = {
    "number": -4.0, "whole": 7.4, "flag": 0.0, "vector": [4.0, 5.0, 6.0], "color": [0.9, 0.1, 0.3], "orientation": [0.0, 90.0, 0.0],
}  # fmt: skip
KEPT = {"number": ("f4", 1), "whole": ("i4", 1), "flag": ("u1", 1), "vector": ("f4", 3), "color": ("f4", 3), "orientation": ("f4", 4)}


def declared(**share: float) -> list[dict]:
    return [
        {"id": name, "label": name.capitalize(), "type": kind, "initial": value, "share": share.get(name, 0.0)} for kind, (name, value) in FIRST.items()
    ]


def kept(kind: str, value: object) -> np.ndarray:
    """What a column keeps of a value: whole numbers rounded, orientations as SciPy makes them of turns about fixed axes."""
    if kind == "orientation":
        return Rotation.from_euler("xyz", value, degrees=True).as_quat().astype(np.float32)  # type: ignore[arg-type]
    return np.rint(value) if kind == "whole" else np.asarray(value, np.float32)  # type: ignore[call-overload,no-any-return]


class EveryType(unittest.TestCase):
    def test_first_values_are_kept_in_their_own_form(self) -> None:
        columns = run(document(count=3, attributes=declared()), 1)[-1].columns
        for kind, (name, value) in FIRST.items():
            with self.subTest(kind):
                column = columns[f"own {name}"]
                self.assertEqual((column.dtype.str[1:], column[0].size), KEPT[kind])
                np.testing.assert_allclose(column, np.broadcast_to(kept(kind, value), column.shape), atol=1e-6)

    def test_set_and_read(self) -> None:
        for kind, (name, _value) in FIRST.items():
            with self.subTest(kind):
                raw = document(rule({"kind": "set", "attribute": name, "amount": SECOND[kind]}), attributes=declared())
                np.testing.assert_allclose(run(raw, 1)[-1].columns[f"own {name}"][0], kept(kind, SECOND[kind]), atol=1e-6)

    def test_read_as_one_number(self) -> None:
        # Length of a vector, lightness of a colour (IEC 61966-2-1 weights), angle of a turn (SciPy), parts by name.
        turn = Rotation.from_euler("xyz", FIRST["orientation"][1], degrees=True).magnitude()
        for name, part, expected in (
            ("heat", "size", 2.5), ("hits", "size", 3.0), ("hot", "size", 1.0), ("home", "size", math.sqrt(14)), ("home", "y", -2.0),
            ("tint", "size", 0.2126 * 0.2 + 0.7152 * 0.4 + 0.0722 * 0.6), ("tint", "z", 0.6), ("pose", "size", math.degrees(turn)),
        ):  # fmt: skip
            with self.subTest(name, part=part):
                amount = {"kind": "mapped", "quantity": {"kind": "attribute", "attribute": name, "part": part}, "start": -1000.0,
                          "end": 1000.0, "low": -1000.0, "high": 1000.0}  # fmt: skip
                raw = document(rule({"kind": "set", "attribute": "out", "amount": amount}), attributes=[*declared(), {"id": "out", "label": "Out"}])
                self.assertAlmostEqual(float(run(raw, 1)[-1].columns["own out"][0]), expected, delta=2e-3)

    def test_limits_clamp_what_is_written_and_first_given(self) -> None:
        limited = [{"id": "heat", "label": "Heat", "initial": {"kind": "spread", "value": 1.0, "spread": 5.0}, "limited": True, "low": 0.0, "high": 2.0},
                   {"id": "hits", "label": "Hits", "type": "whole", "initial": 2.0, "limited": True, "low": 0.0, "high": 4.0}]  # fmt: skip
        add = {"kind": "add", "attribute": "hits", "amount": 1.0, "per": "occasion"}
        with self.assertRaisesRegex(DocumentError, "may become -4"):
            read_effect(document(attributes=limited))
        limited[0]["initial"] = 1.5
        grow = {"kind": "add", "attribute": "heat", "amount": 3.0, "per": "second"}
        columns = run(document(rule(add, grow), attributes=limited, clock={"duration": 1.0}))[-1].columns
        self.assertEqual((columns["own hits"].tolist(), columns["own heat"].tolist()), ([4], [2.0]))

    def test_flags_are_facts(self) -> None:
        mark = rule({"kind": "set", "attribute": "hot", "amount": 0.0}, condition=compare("own_random", "above", 0.5), trigger="birth", id="mark")
        fact = {"kind": "holds", "quantity": {"kind": "marked", "attribute": "hot"}}
        raw = document(mark, rule({"kind": "remove"}, condition=fact, id="go"), count=400, attributes=declared())
        frames = run(raw, 2)
        self.assertTrue(150 < frames[-1].count < 250)
        self.assertFalse(frames[-1].columns["own hot"].any())

    def test_nothing_that_leaps_is_approached(self) -> None:
        for name in ("hits", "hot"):
            for action in ({"kind": "approach", "attribute": name, "amount": 1.0}, {"kind": "add", "attribute": name, "amount": 1.0}):
                problems = read_effect(document(rule(action), attributes=declared())).problems
                self.assertRegex(problems[0].text, "little by little")

    def test_a_value_of_the_wrong_width_is_told(self) -> None:
        problems = read_effect(document(rule({"kind": "set", "attribute": "home", "amount": 1.0}), attributes=declared())).problems
        self.assertEqual(problems[0].text, "has to be three numbers")
        with self.assertRaisesRegex(DocumentError, "attribute 1 'Home', initial: has to be three numbers"):
            read_effect(document(attributes=[{"id": "home", "label": "Home", "type": "vector", "initial": 1.0}]))


class HandedOn(unittest.TestCase):
    def children(self, share: float, count: int = 1) -> dict[str, np.ndarray]:
        """Children of a parent with the second values, whose own first values are the first ones."""
        sets = [{"kind": "set", "attribute": name, "amount": SECOND[kind]} for kind, (name, _first) in FIRST.items()]
        split = rule({"kind": "spawn", "group": "b", "count": float(count)}, trigger="once", who=["a"], id="split")
        shares = {name: share for name, _first in FIRST.values()}
        # The flag is turned round, so that what is handed on can be told from a first value.
        raw = document(rule(*sets, trigger="birth", who=["a"], id="sets"), split, groups=["a", "b"], attributes=declared(**shares))
        frame = run(raw, 2)[-1].columns
        return {name: frame[f"own {name}"][frame["group"] == 1] for name, _first in FIRST.values()}

    def test_all_none_and_some(self) -> None:
        none, whole, some = self.children(0.0), self.children(100.0), self.children(25.0)
        for kind, (name, first) in FIRST.items():
            if kind in ("flag", "orientation"):
                continue
            with self.subTest(kind):
                np.testing.assert_allclose(none[name][0], kept(kind, first), atol=1e-6)
                np.testing.assert_allclose(whole[name][0], kept(kind, SECOND[kind]), atol=1e-6)
                mixed = 0.75 * np.asarray(kept(kind, first)) + 0.25 * np.asarray(kept(kind, SECOND[kind]))
                np.testing.assert_allclose(some[name][0], np.rint(mixed) if kind == "whole" else mixed, atol=1e-6)

    def test_a_flag_by_chance(self) -> None:
        self.assertEqual((self.children(0.0)["hot"][0], self.children(100.0)["hot"][0]), (1, 0))
        # 2 000 children: the share without the flag is 30 % within four standard deviations of a binomial.
        hot = self.children(30.0, 2000)["hot"]
        self.assertAlmostEqual(float(1 - hot.mean()), 0.3, delta=4 * math.sqrt(0.3 * 0.7 / 2000))

    def test_a_turn_part_of_the_way(self) -> None:
        # Half of two turns, against SciPy's spherical interpolation: at the half they agree.
        some = self.children(50.0)["pose"][0]
        pair = Rotation.concatenate([Rotation.from_euler("xyz", FIRST["orientation"][1], degrees=True), Rotation.from_euler("xyz", SECOND["orientation"], degrees=True)])
        between = pair.mean()
        self.assertLess((Rotation.from_quat(some) * between.inv()).magnitude(), 1e-4)


class KeptAndShown(unittest.TestCase):
    RAW = document(
        rule({"kind": "add", "attribute": "hits", "amount": 1.0, "per": "occasion"}, {"kind": "add", "attribute": "home", "amount": [1.0, 0.0, 0.0]}),
        count=5, speed=1.0, attributes=declared(),
    )  # fmt: skip

    def test_a_record_taken_up_again_gives_the_same_bytes(self) -> None:
        effect = read_effect(self.RAW)
        frames = run(effect, 20)
        made = Simulation(effect, MemoryAssets())
        made.resume(frames[8].columns, frames[8].count, frames[8].stand)
        again = list(made.frames(20))[-1]
        for name, column in frames[20].columns.items():
            self.assertEqual(again.columns[name].tobytes(), column.tobytes(), name)

    def test_the_probe_tells_each(self) -> None:
        effect = read_effect(self.RAW)
        made = Simulation(effect, MemoryAssets())
        frame = list(made.frames(3))[-1]
        values = (values_of(recorded_moment(made.plan, frame.columns, frame.count, 3), 0) or {})["values"]
        for kind, (name, _first) in FIRST.items():
            self.assertEqual(values[name]["type"], kind)
        np.testing.assert_allclose(values["pose"]["value"], FIRST["orientation"][1], atol=1e-3)
        self.assertEqual((values["hits"]["value"], values["hot"]["value"]), (7.0, 1.0))

    def test_the_table_has_a_row_for_each(self) -> None:
        table = table_of(declared())
        self.assertEqual(set(table) - set(BUILT_IN), {name for name, _first in FIRST.values()})
        for info in table.values():
            self.assertTrue(info.label and info.width in (1, 3), info.id)


class Changing(unittest.TestCase):
    def test_another_type_renews_whatever_follows(self) -> None:
        raw = document(rule({"kind": "set", "attribute": "heat", "amount": 0.5}), attributes=[{"id": "heat", "label": "Heat", "initial": 0.5}])
        for kind in FIRST:
            after = referred(raw, ("attributes", 0, "type"), kind)
            effect = read_effect(after)
            self.assertEqual((effect.problems, effect.attributes[0].type), ([], kind))
            run(effect, 1)

    def test_a_fact_brings_its_attribute(self) -> None:
        raw = document(rule({"kind": "remove"}, condition=compare("age", "above", 1.0)))
        after = exchanged(raw, ("rules", 0, "condition", "quantity"), "marked")
        effect = read_effect(after)
        self.assertEqual((effect.problems, effect.attributes[0].type), ([], "flag"))

    def test_older_attributes_are_lifted(self) -> None:
        old = [{"id": "a", "label": "A", "initial": 1.0, "inherited": True}, {"id": "b", "label": "B", "initial": 1.0, "inherited": False}]
        lifted = migrate({"format": 4, "attributes": old})
        self.assertEqual([(item["share"], "inherited" in item) for item in lifted["attributes"]], [(100.0, False), (0.0, False)])
        self.assertEqual(read_effect(lifted).problems, [])


class Turns(unittest.TestCase):
    def test_angles_against_scipy(self) -> None:
        angles = np.random.default_rng(4).uniform([-180, -89, -180], [180, 89, 180], (500, 3))
        made = from_angles(angles)
        known = Rotation.from_euler("xyz", angles, degrees=True)
        self.assertLess((Rotation.from_quat(made) * known.inv()).magnitude().max(), 1e-6)
        self.assertLess((Rotation.from_euler("xyz", angles_of(made), degrees=True) * known.inv()).magnitude().max(), 2e-3)

    def test_a_square_turn_about_y(self) -> None:
        for angles in ([10.0, 90.0, 30.0], [0.0, -90.0, 50.0]):
            known = Rotation.from_euler("xyz", angles, degrees=True)
            back = Rotation.from_euler("xyz", angles_of(from_angles([angles]))[0], degrees=True)
            self.assertLess((back * known.inv()).magnitude(), 2e-3)
