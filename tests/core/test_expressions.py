"""The formula language: the same values as plain Python, GLSL's own functions, errors that name their place, and nothing else let in."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge.core.formulas.formula import Formula
from hailridge.core.formulas.reading import FormulaError, Words

WORDS = Words(
    {"x": "number", "y": "number", "p": "vector", "on": "flag"},
    {"field": ("field", "number")},
    {"field": {"gate": "Wind gate", "mist": "Mist"}},
)
PLACES = np.array([[0.5, -1.0, 2.0], [3.0, 0.25, -4.0], [0.0, 0.0, 0.0]])
ENVIRONMENT: dict[str, Any] = {
    "x": np.array([0.5, -2.0, 3.0]),
    "y": np.array([4.0, 0.25, -1.0]),
    "p": PLACES,
    "on": np.array([True, False, True]),
    "field": lambda name: np.full(3, {"gate": 0.25, "mist": 0.75}[name]),
}


def value(text: str) -> Any:
    return Formula(text, WORDS)(ENVIRONMENT)


def refused(text: str) -> str:
    try:
        Formula(text, WORDS)
    except FormulaError as error:
        return str(error)
    raise AssertionError(f"{text!r} was read")


def expressions() -> st.SearchStrategy[str]:
    leaf = st.sampled_from(["x", "y"]) | st.floats(-9, 9, allow_nan=False, width=16).map(
        lambda number: f"({number!r})"
    )
    return st.recursive(
        leaf,
        lambda inner: (
            st.tuples(inner, st.sampled_from("+-*"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})")
            | inner.map(lambda e: f"sin({e})")
            | inner.map(lambda e: f"abs({e})")
            | st.tuples(inner, inner).map(lambda t: f"max({t[0]}, {t[1]})")
            | st.tuples(inner, inner, inner).map(lambda t: f"({t[0]} if {t[1]} > {t[2]} else -{t[0]})")
        ),
        max_leaves=12,
    )


class Values(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(expressions())
    def test_the_same_as_python_itself(self, text: str) -> None:
        """Source: Python's own evaluation, one place at a time."""
        given_values = np.broadcast_to(value(text), (3,))
        for row in range(3):
            names = {"x": float(ENVIRONMENT["x"][row]), "y": float(ENVIRONMENT["y"][row])}
            expected = eval(text, {"sin": math.sin, "abs": abs, "max": max, **names})
            np.testing.assert_allclose(given_values[row], expected, rtol=1e-9, atol=1e-9)

    def test_functions(self) -> None:
        """Expected values from the definitions in GLSL 4.60, section 8, worked out by hand."""
        cases = {
            "mix(2, 4, 0.25)": 2.5,
            "clamp(7, 0, 3)": 3,
            "step(1, 0.5)": 0,
            "smoothstep(0, 2, 1)": 0.5,
            "fract(-0.25)": 0.75,
            "remap(5, 0, 10, 100, 200)": 150,
            "length(vec3(2, 3, 6))": 7,
            "dot(vec3(1, 2, 3), vec3(4, -5, 6))": 12,
            "cross(vec3(1, 0, 0), vec3(0, 1, 0)).z": 1,
            "reflect(vec3(1, -1, 0), vec3(0, 1, 0)).y": 1,
            "distance(vec3(0, 0, 0), vec3(0, 3, 4))": 5,
            "normalize(vec3(0, 0, 9)).z": 1,
            "atan2(1, 0) / tau": 0.25,
            "-2 ** 2": -4,
            "7 % 4": 3,
            "1 < 2 <= 2 and not 3 > 4": True,
            "a = 3\nb = a * 2\na + b": 9,
        }
        for text, expected in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(float(value(text)), expected)

    def test_numbers_beside_vectors(self) -> None:
        np.testing.assert_allclose(value("p * x"), PLACES * ENVIRONMENT["x"][:, None])
        np.testing.assert_allclose(value("mix(p, p + 2, x)"), PLACES + 2 * ENVIRONMENT["x"][:, None])
        np.testing.assert_allclose(value("max(p, 0)"), np.maximum(PLACES, 0))
        np.testing.assert_allclose(value("p.y if on else x"), [-1.0, -2.0, 0.0])
        np.testing.assert_allclose(value("vec3(x, 0, 1).x"), ENVIRONMENT["x"])

    def test_lookups_by_id_or_label(self) -> None:
        np.testing.assert_allclose(value('field("gate") + field("Mist")'), 1.0)
        self.assertEqual(
            Formula('field("Wind gate") * 2', WORDS).named,
            [("field", "gate")],
            "kept by the id, not the label",
        )

    def test_division_by_zero_is_not_a_crash(self) -> None:
        self.assertTrue(np.isinf(value("1 / (x - x)")).all())


    def test_noise_with_any_seed(self) -> None:
        # 0/0 is no seed: no value comes of it, and nothing ends.
        self.assertTrue(np.isnan(value("noise(p, (x - x) / (x - x))")).all())
        self.assertTrue(np.isnan(value("noise(p, 1 / (x - x))")).all())
        # Each particle's own seed counts, not the first one's.
        own = value("noise(p * 1.7, floor(x * 3))")
        for row, number in enumerate(np.floor(ENVIRONMENT["x"] * 3)):
            self.assertEqual(own[row], value(f"noise(p * 1.7, {number})")[row])


class Refusals(unittest.TestCase):
    def test_each_names_its_place(self) -> None:
        cases = {
            "": "is empty",
            "x +": "cannot be read",
            "x + yy": "nothing called 'yy'; did you mean 'y'? (column 5)",
            "sine(x)": "no function called 'sine'; did you mean 'sin'?",
            "sin": "needs brackets",
            "sin(x, y)": "takes 1 value, not 2",
            "clamp(x, 1)": "takes 3 values, not 2",
            "length(x)": "needs a vector here, not a number",
            "x.y": "can only be taken from a vector",
            "p.w": "a vector has .x, .y and .z",
            "p > 1": "vectors cannot be compared",
            'field("gat")': "no field called 'gat'; did you mean 'gate'?",
            "field(x)": "in quotes",
            "a = 1": "the last line has to be the value",
            "x = 1\nx": "'x' already means something",
            "a = 1\nb +\n": "cannot be read",
            "a = 2\na + c": "(line 2, column 5)",
            "1e999": "too large",
        }
        for text, words in cases.items():
            with self.subTest(text):
                self.assertIn(words, refused(text))

    def test_nothing_else_is_let_in(self) -> None:
        for text in (
            "__import__('os')",
            "().__class__",
            "p.__class__",
            "[x for x in (1, 2)]",
            "lambda: 1",
            "'text'",
            "x[0]",
            "(x, y)",
            "f'{x}'",
            "sin(*p)",
            "sin(x=1)",
            "import os",
            "x if True else exec('1')",
            "(y := 3)",
            "1j",
            "x @ y",
            "x << 2",
        ):
            with self.subTest(text):
                refused(text)

    def test_long_and_deep_ones_end_soon(self) -> None:
        refused("x+" * 900 + "x")
        refused("(" * 900 + "x" + ")" * 900)
        refused("-" * 1500 + "x")
        self.assertTrue(np.isinf(float(value("9.0 ** 9 ** 9 ** 9"))))


if __name__ == "__main__":
    unittest.main()
