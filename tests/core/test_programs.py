"""Formulas as programs: what is constant is worked out beforehand, registers are used again, threads change nothing, and every quantity has a word."""

from __future__ import annotations

import unittest
from typing import Any
from unittest.mock import patch

import numpy as np

from hailridge.core.formulas.formula import Formula
from hailridge.core.formulas.reading import FormulaError, Words
from hailridge.core.kernels import formulas as op
from hailridge.core.kernels import threads
from hailridge.core.kernels.noise import SMOOTH, layered
from hailridge.core.kinds.words import NO_CALLS, words_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.model.attributes import BUILT_IN
from hailridge.model.kind import kinds
from hailridge.model.parts import Quantity
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, moment_of, rule

PLACE = Words({"p": "vector", "x": "number"})


def given(formula: str, **rest: Any) -> dict[str, Any]:
    return {"kind": "formula", "text": formula, **rest}


def valley() -> Document:
    """Fifty sleet pellets that leave a plate, with attributes of their own."""
    pull = rule({"kind": "gravity", "acceleration": 1.0})
    own = [
        {"id": "wetness", "label": "Wetness", "initial": {"kind": "spread", "value": 0.5, "spread": 0.4}},
        {"id": "cold-spot", "label": "Cold spot", "type": "flag", "initial": {"kind": "spread", "value": 0.5, "spread": 0.5}},
        {"id": "drift", "label": "Drift", "type": "vector", "initial": [1.0, 2.0, 2.0]},
    ]
    return document(pull, count=50, speed=2.0, attributes=own, groups=["sleet", "wet"])


class Programs(unittest.TestCase):
    def test_constants_are_worked_out_beforehand(self) -> None:
        program = Formula("x * (2 * pi / 3 + sqrt(16))", PLACE).program
        self.assertEqual(program.code[:, 0].tolist(), [op.MULTIPLY])
        self.assertAlmostEqual(float(program.constants[0]), 2 * np.pi / 3 + 4, places=12)
        self.assertEqual(Formula("2 + 3", PLACE).program.code.size, 0)

    def test_what_is_said_twice_is_computed_once(self) -> None:
        program = Formula("sin(x) * sin(x) + sin(x)", PLACE).program
        self.assertEqual(sum(row[0] == op.SINE for row in program.code), 1)

    def test_registers_are_used_again(self) -> None:
        text = " + ".join(f"sin(x * {n})" for n in range(1, 60))
        program = Formula(text, PLACE).program
        self.assertLess(program.registers - len(program.constants), 6)
        x = np.linspace(-3, 3, 1000)
        wanted = sum(np.sin(x * n) for n in range(1, 60))
        np.testing.assert_allclose(Formula(text, PLACE)({"x": x}), wanted, rtol=1e-12, atol=1e-12)

    def test_waves_and_exponentials_to_the_last_places(self) -> None:
        """Against NumPy's: two units in the last place, large and odd values too; in place and for any number at once."""
        draw = np.random.default_rng(3)
        x = np.concatenate([draw.normal(0, 3, 5000), draw.uniform(-9e4, 9e4, 5000), np.arange(-400, 400) * np.pi / 2, [0.0, -0.0, 1e-300]])
        wide = np.concatenate([x, [1e6, -3e9, 1e300, np.inf, np.nan]])
        with np.errstate(all="ignore"):
            for text, law in (("sin(x)", np.sin), ("cos(x)", np.cos)):
                for values in (x, wide):
                    found = Formula(text, PLACE)({"x": values})
                    np.testing.assert_allclose(found, law(values), rtol=0, atol=2.3e-16)
                self.assertLess(np.nanmax(np.abs(Formula(text, PLACE)({"x": x[:5000]}) / law(x[:5000]) - 1)), 1e-13)
            for values in (draw.uniform(-690, 690, 5000), np.array([-750.0, 710.0, 709.5, -745.0, np.inf, -np.inf, np.nan, 0.0])):
                np.testing.assert_allclose(Formula("exp(x)", PLACE)({"x": values}), np.exp(values), rtol=4.5e-16)
            np.testing.assert_allclose(Formula("sin(cos(exp(sin(x))))", PLACE)({"x": x}), np.sin(np.cos(np.exp(np.sin(x)))), atol=1e-15)

    def test_noise_is_that_of_noise_fields(self) -> None:
        """One octave of them; nothing at lattice points (Perlin 2002)."""
        places = np.random.default_rng(4).uniform(-40, 40, (3000, 3)).astype(np.float32)
        out = np.empty(3000, np.float32)
        layered(3000, places, np.int64(SMOOTH), np.int64(1), 0.5, np.zeros(3, np.float32), np.array([9], np.uint32), out)
        np.testing.assert_allclose(Formula("noise(p, 9)", PLACE)({"p": places}), out, atol=2e-6)
        np.testing.assert_array_equal(Formula("noise(p)", PLACE)({"p": np.round(places)}), 0)

    def test_what_nobody_needs_is_not_asked_for(self) -> None:
        formula = Formula("unused = p.y * 3\nx + 1", PLACE)
        self.assertEqual(formula.given, ["x"])
        self.assertEqual(float(formula({"x": 2.0})), 3.0)

    def test_threads_and_blocks_change_nothing(self) -> None:
        text = "noise(p * 2, floor(x)) + (x % 0.7) * length(p) ** 0.5 if p.y > 0 else x // 0.3"
        rng = np.random.default_rng(5)
        places, x = rng.normal(size=(20_011, 3)), rng.normal(size=20_011) * 3
        formula, found = Formula(text, PLACE), []
        for number in (1, 3):
            with patch.object(threads, "number_of_threads", return_value=number):
                found.append(formula({"p": places, "x": x}))
        np.testing.assert_array_equal(found[0], found[1])
        whole = np.concatenate([formula({"p": places[at : at + 77], "x": x[at : at + 77]}) for at in range(0, len(x), 77)])
        np.testing.assert_array_equal(found[0], whole)

    def test_remainders_and_powers_are_numpys(self) -> None:
        """Source: NumPy, for values of either sign, zero and what is no number."""
        edges = np.array([-7.5, -2.0, -0.3, -0.0, 0.0, 0.3, 2.0, 7.5, np.inf, -np.inf, np.nan])
        a, b = (side.ravel() for side in np.meshgrid(edges, edges))
        words = Words({"a": "number", "b": "number"})
        cases = {
            "a % b": np.mod, "a // b": np.floor_divide, "a ** b": np.power, "min(a, b)": np.minimum, "max(a, b)": np.maximum, "atan2(a, b)": np.arctan2,
        }  # fmt: skip
        for text, law in cases.items():
            with self.subTest(text), np.errstate(all="ignore"):
                np.testing.assert_allclose(Formula(text, words)({"a": a, "b": b}), law(a, b), rtol=1e-14)


class FromTheRegistry(unittest.TestCase):
    def test_every_quantity_and_attribute_has_a_word(self) -> None:
        words = words_of(read_effect(valley()))
        for tag, cls in kinds("quantity").items():
            assert issubclass(cls, Quantity)
            if tag not in NO_CALLS:
                self.assertTrue((cls.word or tag) in words.readings or tag in words.variables, f"formulas have no word for '{tag}'")
        self.assertLessEqual(set(BUILT_IN), set(words.variables))
        self.assertEqual((words.variables["wetness"], words.variables["cold_spot"], words.variables["drift"]), ("number", "flag", "vector"))

    def test_the_same_as_the_quantities_themselves(self) -> None:
        moment = moment_of(valley(), 20)
        everyone = moment.everyone()
        pairs: dict[str, Any] = {
            "age": {"kind": "age"}, "speed": {"kind": "speed"}, "height()": {"kind": "height"}, "life_fraction()": {"kind": "life_fraction"},
            'place("x")': {"kind": "place", "axis": "x"}, 'distance_to("point")': {"kind": "distance", "shape": "point"},
            "neighbours(0.4)": {"kind": "neighbours", "distance": 0.4}, 'neighbours(distance=0.4, who=["Wet"])': {"kind": "neighbours", "distance": 0.4, "who": ["wet"]},
            "own_random(seed=3)": {"kind": "own_random", "seed": 3}, "cold_spot": {"kind": "marked", "attribute": "cold-spot"},
            "length(drift)": {"kind": "attribute", "attribute": "drift", "part": "size"}, "time": {"kind": "time"},
        }  # fmt: skip
        for text, plain in pairs.items():
            with self.subTest(text):
                quantity: Any = self.quantity(given(text))
                other: Any = self.quantity(plain)
                rows = np.array([0, 7, 49])
                np.testing.assert_allclose(quantity.read(moment, everyone), np.asarray(other.read(moment, everyone), np.float32), rtol=1e-6, atol=1e-6)
                np.testing.assert_allclose(quantity.read(moment, rows), np.asarray(other.read(moment, rows), np.float32), rtol=1e-6, atol=1e-6)

    def quantity(self, raw: dict[str, Any]) -> Any:
        effect = read_effect({**valley(), "rules": [rule({"kind": "remove"}, condition={**compare("age", "above", 1.0), "quantity": raw})]} if raw["kind"] != "marked" else {
            **valley(), "rules": [rule({"kind": "remove"}, condition={"kind": "holds", "quantity": raw})]})  # fmt: skip
        self.assertEqual(effect.problems, [])
        condition: Any = Plan(effect, MemoryAssets()).beginning.effect.rules[0].condition
        return condition.quantity

    def test_mistakes_are_told_in_words(self) -> None:
        cases = {
            "spead * 2": "did you mean 'speed'", "field": "needs the name of a field", "distance_to()": "needs the name of a shape",
            'distance_to("roof")': "there is no shape called 'roof'", "neighbours(reach=2)": "has no 'reach'; it takes distance, who",
            "neighbours(age)": "takes plain values", "velocity": "gives a vector", "height(1, 2)": "takes nothing",
            'own_random(seed="x")': "seed: ", "neighbours(-1)": "distance: ",
        }  # fmt: skip
        for text, told in cases.items():
            with self.subTest(text):
                effect = read_effect({**valley(), "rules": [rule({"kind": "remove"}, condition={**compare("age", "above", 1.0), "quantity": given(text)})]})
                self.assertIn(told, " ".join(problem.text for problem in effect.problems))

    def test_what_is_read_is_kept(self) -> None:
        """A formula that reads when a rule last acted makes that rule remember it; one that reads the spin has it kept."""
        since = rule({"kind": "remove"}, condition={**compare("age", "above", 1.0), "quantity": given('since_rule("first") + length(spin)')}, id="second")
        plan = Plan(read_effect({**valley(), "rules": [rule({"kind": "gravity"}, id="first"), since]}), MemoryAssets())
        self.assertLessEqual({"rules/first acted", "spin", "orientation"}, set(plan.columns))

    def test_what_is_no_number_counts_as_nothing(self) -> None:
        moment = moment_of(valley(), 4)
        np.testing.assert_array_equal(self.quantity(given("(age - age) / (age - age)")).read(moment, moment.everyone()), 0)
        self.assertTrue(np.isfinite(self.quantity(given("1 / (age - age)")).read(moment, moment.everyone())).all())

    def test_circles_of_words(self) -> None:
        with self.assertRaises(FormulaError):
            Formula('formula("age")', words_of(read_effect(valley())))
