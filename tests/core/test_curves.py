"""Keys, easings and curves; keyframes in the place of numbers."""

from __future__ import annotations

import json
import unittest
from typing import Any

import numpy as np
from pydantic import ValidationError
from scipy.interpolate import CubicHermiteSpline

from hailridge.core.kinds.shapes.path import smooth_line
from hailridge.core.scene.curves import ReadyCurve, RunningTotal
from hailridge.model.curves import SMOOTH, Curve, agree_until
from hailridge.model.validation import DocumentError, read_effect
from tests.support import document, rule, run, track


def keys(*given: tuple[Any, ...]) -> dict[str, Any]:
    """{"keys": …} from (at, value) or (at, value, ease)."""
    return {
        "keys": [
            {"at": float(entry[0]), "value": entry[1], **({"ease": entry[2]} if len(entry) > 2 else {})}
            for entry in given
        ]
    }


def ready(*given: tuple[Any, ...]) -> ReadyCurve:
    return ReadyCurve(Curve.model_validate(keys(*given)))


class Easing(unittest.TestCase):
    def test_cubic_bezier(self) -> None:
        # CSS Easing Functions 1: y(x) of the curve (0,0), (x1,y1), (x2,y2), (1,1), here by dense sampling of its parameter.
        t = np.linspace(0, 1, 200_001)
        for x1, y1, x2, y2 in (SMOOTH, [0.25, 0.1, 0.25, 1.0], [0.0, 0.0, 1.0, 1.0], [0.9, -0.4, 0.1, 1.4]):
            bezier = [
                3 * (1 - t) ** 2 * t * a + 3 * (1 - t) * t**2 * b + t**3 for a, b in ((x1, x2), (y1, y2))
            ]
            x = np.linspace(0, 1, 97)
            found = ready((0, 0.0, [x1, y1, x2, y2]), (1, 1.0)).over(x)
            np.testing.assert_allclose(found, np.interp(x, *bezier), atol=1e-6)

    def test_linear_hold_and_ends(self) -> None:
        curve = ready((1, 2.0), (2, 4.0, "hold"), (3, 0.0))
        np.testing.assert_allclose(curve.over(np.array([0, 1, 1.5, 2, 2.999, 3, 9])), [2, 2, 3, 4, 4, 0, 0])

    def test_vectors(self) -> None:
        curve = ready((0, [0.0, 1.0, 2.0]), (2, [2.0, 1.0, 0.0]))
        self.assertEqual(curve.at_time(1.0), [1.0, 1.0, 1.0])

    def test_catmull_rom_is_a_hermite_curve(self) -> None:
        # SciPy's Hermite spline with slopes of half the way between the neighbours is the same curve.
        points = np.array([[0, 0, 0], [1, 2, 0], [3, 1, 1], [4, 4, 2], [6, 0, 0]], float)
        slopes = np.gradient(points, axis=0)
        slopes[0], slopes[-1] = points[1] - points[0], points[-1] - points[-2]
        t = np.arange(4 * 24 + 1) / 24
        np.testing.assert_allclose(
            smooth_line(points, False), CubicHermiteSpline(np.arange(5), points, slopes)(t), atol=1e-9
        )
        closed = smooth_line(points, True)
        np.testing.assert_allclose(closed[0], closed[-1])

    def test_running_total(self) -> None:
        # A rate that rises evenly from 0 to 100 in two seconds gives t²·25 births, by hand.
        total = RunningTotal(ready((0, 0.0), (2, 100.0)), 0.0, 2.0)
        self.assertAlmostEqual(total.until(1.0), 25.0, places=3)
        np.testing.assert_allclose(total.when(np.array([25.0, 100.0])), [1.0, 2.0], atol=2e-3)

    def test_where_two_curves_part(self) -> None:
        first, same = (
            Curve.model_validate(keys((0, 1.0), (2, 3.0))),
            Curve.model_validate(keys((0, 1.0), (2, 3.0))),
        )
        other = Curve.model_validate(keys((0, 1.0), (2, 3.0), (4, 3.0), (5, 0.0)))
        self.assertEqual(agree_until(first, same), float("inf"))
        self.assertEqual(agree_until(first, other), 4.0)
        self.assertEqual(agree_until(first, None), float("-inf"))
        moved = Curve.model_validate(keys((0, 1.0), (2, 4.0)))
        self.assertEqual(agree_until(first, moved), 0.0)


class Keyframes(unittest.TestCase):
    """Any number of a document can have keyframes in its place."""

    def test_a_number_follows_its_keys(self) -> None:
        push = {
            "kind": "constant",
            "acceleration": {
                "kind": "fixed",
                "value": keys((0, [0.0, 0.0, 0.0], "hold"), (1, [2.0, 0.0, 0.0])),
            },
        }
        speed = track(run(document(rule(push))), "velocity")[:, 0]
        np.testing.assert_allclose(speed[[24, 36, 48]], [0, 1, 2], atol=1e-5)

    def test_documents_keep_them(self) -> None:
        raw = document(rule({"kind": "turbulence", "size": keys((0, 1.0), (1, 2.0, SMOOTH))}))
        effect = read_effect(raw)
        run(effect, 3)
        again = read_effect(json.dumps(effect.model_dump()))
        self.assertEqual(again.model_dump(), effect.model_dump())
        self.assertEqual(effect.model_dump()["rules"][0]["actions"][0]["size"]["keys"][1]["ease"], SMOOTH)

    def test_mistakes_are_told_in_words(self) -> None:
        cases: list[tuple[dict[str, Any], str]] = [
            (keys((0, 1.0), (0, 2.0)), "in order of time"),
            (keys((0, 1.0), (1, -5.0)), "cannot be below 0.001"),
            (keys((0, 1.0, [2.0, 0.0, 0.5, 1.0]), (1, 1.0)), "within 0 and 1"),
            (keys((0, 1.0), (1, [1.0, 2.0, 3.0])), "all numbers"),
            ({"keys": []}, "at least 1"),
            # An easing that swings far below what the number allows.
            (keys((0, 1.0, [0.5, -9.0, 0.5, 1.0]), (1, 2.0)), "cannot be below"),
        ]
        for size, told in cases:
            with self.subTest(told), self.assertRaises(DocumentError) as caught:
                read_effect(document(rule({"kind": "turbulence", "size": size})))
            self.assertIn(told, str(caught.exception))
            self.assertIn("rule 1 'turbulence', action 1, size", str(caught.exception))

    def test_what_cannot_have_them(self) -> None:
        for clock in ({"duration": keys((0, 1.0))}, {"steps_per_frame": keys((0, 1.0))}):
            with self.assertRaises(DocumentError):
                read_effect(document(clock=clock))

    def test_amounts_check_all_their_keys(self) -> None:
        with self.assertRaises(DocumentError) as caught:
            read_effect(document(source={"radius": {"kind": "fixed", "value": keys((0, 0.1), (1, -0.1))}}))
        self.assertIn("may become -0.1 m, but cannot be below 0", str(caught.exception))

    def test_keyed_rate_gives_the_exact_count(self) -> None:
        # The area under the curve: 0 → 200 a second over one second, then 200 for one: 100 + 200.
        rate = {"kind": "rate", "rate": keys((0, 0.0), (1, 200.0))}
        for fps in (24.0, 30.0, 60.0):
            frames = run(
                document(source={"emission": rate}, clock={"frames_per_second": fps, "duration": 2.0})
            )
            self.assertEqual((frames[-1].count, frames[int(fps)].count), (300, 100))

    def test_time_cannot_run_backward(self) -> None:
        for clock in (
            {"effect_time": keys((0, 0.0), (1, 2.0), (2, 1.0))},
            {"effect_time": keys((0, 0.0, [0.5, 1.5, 0.5, 1.0]), (1, 2.0))},
        ):
            with self.assertRaises(DocumentError) as caught:
                read_effect(document(clock={"time_from": "curve", **clock}))
            self.assertIn("time cannot run backward", str(caught.exception))

    def test_a_curve_refuses_too_many_keys(self) -> None:
        with self.assertRaises(ValidationError):
            Curve.model_validate(keys(*[(index, 0.0) for index in range(500)]))


if __name__ == "__main__":
    unittest.main()
