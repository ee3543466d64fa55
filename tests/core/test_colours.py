"""Colour: the sRGB transfer, the standard blend modes, ramps against Matplotlib, and layers over one another."""

from __future__ import annotations

import unittest

import matplotlib
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from hailridge.core.kinds.looks.blending import _MODES, blend, contrast, to_encoded, to_linear
from hailridge.core.kinds.looks.ramps import ReadyRamp, shipped
from hailridge.core.looking.observe import layers
from hailridge.model.ramps import SHIPPED, Ramp
from hailridge.model.validation import read_effect
from tests.support import Document, document, moment_of


def mixed(mode: str, below: list[float], above: list[float], strength: float = 1.0) -> list[float]:
    """One colour over another, as the page would show it, rounded."""
    channels = [np.array(color, np.float32)[:, None] for color in (below, above)]
    return [round(float(part), 4) for part in blend(mode, *channels, strength)[:, 0]]  # type: ignore[arg-type]


class Transfer(unittest.TestCase):
    def test_values_of_the_standard(self) -> None:
        # IEC 61966-2-1: the linear piece, the joint, and encoded 0.5 → 0.2140 (from memory, rounded).
        self.assertAlmostEqual(float(to_linear(0.04045)), 0.04045 / 12.92, places=9)
        self.assertAlmostEqual(float(to_linear(0.5)), 0.21404, places=5)
        self.assertAlmostEqual(float(to_encoded(0.18)), 0.46136, places=4)

    def test_there_and_back(self) -> None:
        values = np.linspace(0, 1, 256)
        np.testing.assert_allclose(to_encoded(to_linear(values)), values, atol=1e-9)

    def test_contrast_of_black_and_white(self) -> None:
        # WCAG 2.2: 21 to 1.
        self.assertAlmostEqual(contrast([0, 0, 0], [1, 1, 1]), 21.0, places=6)


class Blending(unittest.TestCase):
    """Values worked out by hand from the formulas of W3C Compositing and Blending Level 1."""

    def test_separable_modes(self) -> None:
        below, above = [0.25, 0.5, 0.8], [0.5, 0.4, 0.9]
        for mode, expected in {
            "normal": above,
            "multiply": [0.125, 0.2, 0.72],
            "screen": [0.625, 0.7, 0.98],
            "overlay": [0.25, 0.4, 0.96],
            "darken": [0.25, 0.4, 0.8],
            "lighten": [0.5, 0.5, 0.9],
            "color-dodge": [0.5, 0.8333, 1.0],
            "color-burn": [0.0, 0.0, 0.7778],
            "hard-light": [0.25, 0.4, 0.96],
            "soft-light": [0.25, 0.45, 0.8755],
            "difference": [0.25, 0.1, 0.1],
            "exclusion": [0.5, 0.5, 0.26],
        }.items():
            with self.subTest(mode=mode):
                np.testing.assert_allclose(mixed(mode, below, above), expected, atol=2e-4)

    def test_extremes_of_dodge_and_burn(self) -> None:
        # The standard: black below stays black under dodge, white below stays white under burn.
        self.assertEqual(mixed("color-dodge", [0, 0, 0.5], [1, 0.5, 1]), [0, 0, 1])
        self.assertEqual(mixed("color-burn", [1, 1, 0.5], [0, 0.5, 0]), [1, 1, 0])

    def test_modes_of_hue_and_light(self) -> None:
        below, above = [0.2, 0.4, 0.6], [0.8, 0.3, 0.1]

        def lum(color: list[float]) -> float:
            return 0.3 * color[0] + 0.59 * color[1] + 0.11 * color[2]

        # What each mode keeps, by its definition in the standard.
        for mode in ("hue", "saturation", "color"):
            self.assertAlmostEqual(lum(mixed(mode, below, above)), lum(below), places=3)
        self.assertAlmostEqual(lum(mixed("luminosity", below, above)), lum(above), places=3)
        self.assertEqual(mixed("color", [0.5] * 3, [0.5] * 3), [0.5] * 3)
        self.assertEqual(mixed("saturation", [0.2, 0.4, 0.6], [0.7] * 3), [round(lum(below), 4)] * 3)

    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.floats(0, 1, width=32), min_size=6, max_size=6), st.floats(0, 1, width=32))
    def test_every_mode_stays_within_colours(self, parts: list[float], strength: float) -> None:
        below, above = np.array(parts[:3], np.float32)[:, None], np.array(parts[3:], np.float32)[:, None]
        for mode in ["normal", *_MODES]:
            found = blend(mode, below, above, strength)  # type: ignore[arg-type]
            self.assertTrue(
                np.isfinite(found).all() and (found >= -1e-5).all() and (found <= 1 + 1e-5).all(), mode
            )
            np.testing.assert_allclose(blend(mode, below, above, 0.0), below)  # type: ignore[arg-type]


class Ramps(unittest.TestCase):
    def test_perceptual_ramps_are_those_of_matplotlib(self) -> None:
        for name in ("viridis", "plasma", "magma", "cividis"):
            theirs = matplotlib.colormaps[name](np.arange(256))[:, :3]
            np.testing.assert_allclose(shipped(name), theirs, atol=0.5 / 255 + 1e-6)

    def test_ours_grow_lighter_all_the_way_and_can_be_seen(self) -> None:
        for name in SHIPPED[4:]:
            table = shipped(name).astype(np.float64)
            light = to_linear(table) @ np.array([0.2126, 0.7152, 0.0722])
            self.assertGreater(np.diff(light).min(), -2e-3, name)
            self.assertGreater(contrast(table[0], [0.063, 0.078, 0.09]), 1.5, name)

    def test_stops_mix_in_between_and_hold_at_the_ends(self) -> None:
        ramp = ReadyRamp(
            Ramp.model_validate(
                {"keys": [{"at": 0.25, "value": [0.0, 0.0, 0.0]}, {"at": 0.75, "value": [1.0, 0.5, 0.0]}]}
            )
        )
        found = ramp.at([-1.0, 0.25, 0.5, 0.75, 2.0, float("nan")]).T
        np.testing.assert_allclose(
            found, [[0, 0, 0], [0, 0, 0], [0.5, 0.25, 0], [1, 0.5, 0], [1, 0.5, 0], [0, 0, 0]], atol=2e-3
        )

    def test_reversed(self) -> None:
        there, back = ReadyRamp(Ramp(named="magma")), ReadyRamp(Ramp(named="magma", reversed=True))
        np.testing.assert_array_equal(there.at([0.0, 0.2]), back.at([1.0, 0.8]))


def painted(layer_list: list[Document], **changes: object) -> np.ndarray:
    """Colour bytes of the particles of a burst, drawn with these layers."""
    raw = document(count=int(changes.pop("count", 100)), **changes)  # type: ignore[arg-type]
    raw["looks"] = [{"kind": "balls", "id": "look", "layers": layer_list}]
    return layers(moment_of(raw))[0].color


class Layers(unittest.TestCase):
    def test_bands_of_fifty(self) -> None:
        # Numbers 0–49, 50–99, then from the first again (needs: id bands of 50, 100 …).
        color = painted(
            [{"kind": "bands", "width": 50.0, "colors": [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]}], count=120
        )
        self.assertEqual(
            color[[0, 49, 50, 99, 100], :2].tolist(), [[255, 0], [255, 0], [0, 255], [0, 255], [255, 0]]
        )
        color = painted(
            [{"kind": "bands", "width": 50.0, "colors": [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]], "after": "stay"}],
            count=120,
        )
        self.assertEqual(color[[49, 119], :2].tolist(), [[255, 0], [0, 255]])

    def test_a_ramp_between_a_minimum_and_a_maximum(self) -> None:
        layer = {
            "kind": "ramp",
            "quantity": {"kind": "number"},
            "start": 10.0,
            "end": 30.0,
            "ramp": {"named": "cividis"},
        }
        color = painted([layer])
        ends = (shipped("cividis")[[0, -1]] * 255 + 0.5).astype(np.uint8)
        self.assertEqual(color[[0, 10, 30, 99], :3].tolist(), [ends[0].tolist()] * 2 + [ends[1].tolist()] * 2)

    def test_layers_are_laid_over_one_another_bottom_to_top(self) -> None:
        grey = {"kind": "plain", "color": [0.5, 0.5, 0.5]}
        red = {"kind": "plain", "color": [1.0, 0.0, 0.0], "mode": "multiply", "strength": 0.5}
        # Half-way from 0.5 to what multiplying gives: (0.5, 0, 0).
        self.assertEqual(painted([grey, red])[0, :3].tolist(), [128, 64, 64])
        self.assertEqual(painted([red, grey])[0, :3].tolist(), [128, 128, 128])

    def test_channels_and_opacity_are_amounts(self) -> None:
        half = {
            "kind": "mapped",
            "quantity": {"kind": "number"},
            "start": 0.0,
            "end": 99.0,
            "low": 0.0,
            "high": 1.0,
        }
        raw = document(count=100)
        raw["looks"] = [
            {
                "kind": "balls",
                "id": "l",
                "opacity": half,
                "size": 2.0,
                "layers": [{"kind": "channels", "red": half, "green": 0.0, "blue": 1.0}],
            }
        ]
        drawn = layers(moment_of(raw))[0]
        self.assertEqual(drawn.color[[0, 99]].tolist(), [[0, 0, 255, 0], [255, 0, 255, 255]])
        self.assertAlmostEqual(float(drawn.radius[0]), 0.1, places=6)
        self.assertTrue(drawn.head()["seeThrough"])

    def test_the_colour_of_the_nearest(self) -> None:
        raw = document(
            count=40,
            source={
                "placement": {"kind": "inside"},
                "shape": "ball",
                "color": {"kind": "spread", "value": [0.5, 0.3, 0.2], "spread": 0.2},
            },
            shapes=[{"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}],
        )
        raw["looks"] = [
            {"kind": "balls", "id": "l", "layers": [{"kind": "other", "which": "nearest", "reach": 100.0}]}
        ]
        moment = moment_of(raw)
        drawn = layers(moment)[0]
        places, own = moment.column("position").astype(np.float64), moment.column("color")
        apart = np.linalg.norm(places[:, None] - places[None], axis=2)
        np.fill_diagonal(apart, np.inf)
        expected = (own[apart.argmin(axis=1)] * 255 + 0.5).astype(np.uint8)
        np.testing.assert_array_equal(drawn.color[:, :3], expected)
        raw["looks"][0]["layers"][0]["reach"] = 1e-4
        lonely = layers(moment_of(raw))[0].color[:, :3]
        np.testing.assert_array_equal(lonely, (own * 255 + 0.5).astype(np.uint8))

    def test_what_is_wrong_with_a_ramp_leaves_out_the_look_and_is_told(self) -> None:
        stop = {"at": 0.5, "value": [1.0, 1.0, 1.0]}
        for ramp, words in (
            ({"keys": [stop, stop]}, "stops 1 and 2 of the ramp lie at the same place, 0.5"),
            ({"keys": [{**stop, "at": 0.8}, stop]}, "out of order"),
            ({"keys": []}, "has no stops"),
            ({"named": "sunset"}, "no ramp called 'sunset'"),
            ({"keys": [{"at": 2.0, "value": [1.0, 1.0, 1.0]}]}, "from 0 to 1"),
        ):
            raw = document()
            raw["looks"] = [{"kind": "balls", "id": "l", "layers": [{"kind": "ramp", "ramp": ramp}]}]
            effect = read_effect(raw)
            self.assertIn(words, str(effect.problems[0]))
            self.assertFalse(effect.works("looks", 0))
            self.assertEqual(
                effect.model_dump()["looks"][0]["layers"][0]["ramp"]["keys"],
                Ramp.model_validate(ramp).model_dump()["keys"],
            )


if __name__ == "__main__":
    unittest.main()
