"""Mixing colours: the sRGB transfer of IEC 61966-2-1, and the blend modes of W3C Compositing and Blending Level 1.

Colours are channel by channel, (3, n) float32: NumPy is several times slower along an axis of three. Formulas and names of modes are the standards'.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

Channels = NDArray[np.float32]
"""Red, green and blue, sRGB-encoded 0–1: (3, n)."""

BlendMode = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light", "difference",
    "exclusion", "hue", "saturation", "color", "luminosity",
]  # fmt: skip

MODE_WORDS: dict[str, str] = {
    "normal": "normal", "multiply": "multiply", "screen": "screen", "overlay": "overlay", "darken": "darken", "lighten": "lighten",
    "color-dodge": "colour dodge", "color-burn": "colour burn", "hard-light": "hard light", "soft-light": "soft light",
    "difference": "difference", "exclusion": "exclusion", "hue": "hue", "saturation": "saturation", "color": "colour", "luminosity": "luminosity",
}  # fmt: skip
"""The standard's modes as they are read."""

LUMINOSITY = np.array([0.3, 0.59, 0.11], np.float32)
"""Weights of the standard's Lum()."""


def to_linear(encoded: Any) -> NDArray[np.float64]:
    """sRGB-encoded values 0–1 as light (IEC 61966-2-1)."""
    encoded = np.asarray(encoded, np.float64)
    return np.asarray(np.where(encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4))


def to_encoded(light: Any) -> NDArray[np.float64]:
    """Light 0–1 as sRGB-encoded values (IEC 61966-2-1)."""
    light = np.asarray(light, np.float64)
    return np.asarray(np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055))


def relative_luminance(color: Any) -> float:
    """Relative luminance of an sRGB-encoded colour (WCAG 2.2): 0 black, 1 white."""
    return float(to_linear(color) @ np.array([0.2126, 0.7152, 0.0722]))


def contrast(first: Any, second: Any) -> float:
    """Contrast ratio of two sRGB-encoded colours (WCAG 2.2): 1 to 21."""
    low, high = sorted((relative_luminance(first), relative_luminance(second)))
    return (high + 0.05) / (low + 0.05)


def blend(mode: BlendMode, below: Channels, above: Channels, strength: Any) -> Channels:
    """`above` laid over an opaque `below` with a strength (n,) or one for all: (3, n)."""
    mixed = above if mode == "normal" else _MODES[mode](below, above)
    return np.asarray(below + (mixed - below) * np.asarray(strength, np.float32), np.float32)


def _hard_light(below: Channels, above: Channels) -> Channels:
    return np.where(above <= 0.5, below * (2 * above), _screen(below, 2 * above - 1))


def _screen(below: Channels, above: Channels) -> Channels:
    return below + above - below * above


def _dodge(below: Channels, above: Channels) -> Channels:
    ratio = below / np.maximum(1 - above, np.float32(1e-12))
    return np.where(below == 0, np.float32(0), np.where(above >= 1, np.float32(1), np.minimum(1, ratio)))


def _burn(below: Channels, above: Channels) -> Channels:
    ratio = (1 - below) / np.maximum(above, np.float32(1e-12))
    return np.where(below >= 1, np.float32(1), np.where(above <= 0, np.float32(0), 1 - np.minimum(1, ratio)))


def _soft_light(below: Channels, above: Channels) -> Channels:
    root = np.where(below <= 0.25, ((16 * below - 12) * below + 4) * below, np.sqrt(np.maximum(below, 0)))
    return np.where(above <= 0.5, below - (1 - 2 * above) * below * (1 - below), below + (2 * above - 1) * (root - below))


def _lum(color: Channels) -> NDArray[np.float32]:
    return np.asarray(LUMINOSITY[0] * color[0] + LUMINOSITY[1] * color[1] + LUMINOSITY[2] * color[2])


def _set_lum(color: Channels, lum: NDArray[np.float32]) -> Channels:
    """The standard's SetLum with its ClipColor."""
    moved = color + (lum - _lum(color))
    light, least, most = _lum(moved), moved.min(axis=0), moved.max(axis=0)
    up = np.where(least < 0, light / np.maximum(light - least, np.float32(1e-12)), np.float32(1))
    moved = light + (moved - light) * up
    most = light + (most - light) * up
    down = np.where(most > 1, (1 - light) / np.maximum(most - light, np.float32(1e-12)), np.float32(1))
    return np.asarray(light + (moved - light) * down, np.float32)


def _sat(color: Channels) -> NDArray[np.float32]:
    return np.asarray(color.max(axis=0) - color.min(axis=0), np.float32)


def _set_sat(color: Channels, sat: NDArray[np.float32]) -> Channels:
    """The standard's SetSat: the least channel becomes 0, the largest `sat`, the middle one keeps its place between them."""
    least, span = color.min(axis=0), _sat(color)
    return np.asarray((color - least) * np.where(span > 0, sat / np.maximum(span, np.float32(1e-12)), np.float32(0)), np.float32)


_MODES: dict[str, Callable[[Channels, Channels], Channels]] = {
    "multiply": lambda below, above: below * above,
    "screen": _screen,
    "overlay": lambda below, above: _hard_light(above, below),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda below, above: np.abs(below - above),
    "exclusion": lambda below, above: below + above - 2 * below * above,
    "hue": lambda below, above: _set_lum(_set_sat(above, _sat(below)), _lum(below)),
    "saturation": lambda below, above: _set_lum(_set_sat(below, _sat(above)), _lum(below)),
    "color": lambda below, above: _set_lum(above, _lum(below)),
    "luminosity": lambda below, above: _set_lum(below, _lum(above)),
}
