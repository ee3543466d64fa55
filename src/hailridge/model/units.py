"""Units: metres, seconds, kilograms; degrees in documents and interface."""

from __future__ import annotations

from dataclasses import dataclass
from math import pi
from typing import Literal

UNITS: dict[str, str] = {
    "": "",
    "m": "m",
    "s": "s",
    "kg": "kg",
    "deg": "°",
    "m/s": "m/s",
    "m/s2": "m/s²",
    "1/s": "a second",
    "1/s2": "m/s² a metre",
    "deg/s": "°/s",
    "deg/s2": "°/s²",
    "N": "N",
    "frame": "frames",
    "percent": "%",
    "share": "",
    "times": "×",
    "count": "",
    "px": "px",
    "steps": "steps",
}
"""Unit code in the document's field declarations → how it is written after a number."""

OwnUnit = Literal["", "m", "s", "kg", "deg", "m/s", "m/s2", "1/s", "deg/s", "percent"]

OWN_UNITS: dict[str, str] = {
    "": "no unit", "m": "m", "s": "s", "kg": "kg", "deg": "°", "m/s": "m/s", "m/s2": "m/s²", "1/s": "a second", "deg/s": "°/s", "percent": "%",
}  # fmt: skip
"""Units of what an artist declares."""


@dataclass(frozen=True)
class Measure:
    """What a unit measures, in words, and the suffixes that may stand behind a number where it is meant: what each is worth in it.

    Suffixes that depend on how many frames there are a second are worth "frame" (the time of one) or "per frame" (so many a second).
    """

    words: str
    suffixes: dict[str, float | Literal["frame", "per frame"]]


_RADIAN, _TURN, _GRAVITY = 180 / pi, 360.0, 9.80665
"""Degrees in a radian and in a turn; standard gravity in m/s² (CGPM 1901)."""

MEASURES: dict[str, Measure] = {
    "s": Measure(
        "a time (s, ms, min, h, f for frames)",
        {"s": 1, "sec": 1, "second": 1, "seconds": 1, "ms": 1e-3, "min": 60, "h": 3600, "f": "frame", "frame": "frame", "frames": "frame"},
    ),
    "m": Measure("a length (m, cm, mm, km)", {"m": 1, "cm": 1e-2, "mm": 1e-3, "km": 1e3, "µm": 1e-6}),
    "kg": Measure("a mass (kg, g, mg, t)", {"kg": 1, "g": 1e-3, "mg": 1e-6, "t": 1e3}),
    "deg": Measure("an angle (°, rad, turns)", {"°": 1, "deg": 1, "degrees": 1, "rad": _RADIAN, "turn": _TURN, "turns": _TURN}),
    "m/s": Measure("a speed (m/s, cm/s, km/h, m/f)", {"m/s": 1, "cm/s": 1e-2, "mm/s": 1e-3, "km/h": 1 / 3.6, "m/f": "per frame"}),
    "m/s2": Measure(
        "an acceleration (m/s², cm/s², g)", {"m/s2": 1, "m/s²": 1, "cm/s2": 1e-2, "cm/s²": 1e-2, "g": _GRAVITY}
    ),
    "1/s": Measure(
        "a rate (/s, /min, /f, Hz)",
        {
            "/s": 1, "1/s": 1, "hz": 1, "a second": 1, "per second": 1, "/min": 1 / 60, "/f": "per frame", "a frame": "per frame",
            "per frame": "per frame",
        },
    ),
    "1/s2": Measure("a number of m/s² a metre", {"1/s2": 1, "1/s²": 1, "m/s² a metre": 1}),
    "deg/s": Measure(
        "a turning speed (°/s, rad/s, turns/s, rpm)",
        {"°/s": 1, "deg/s": 1, "rad/s": _RADIAN, "turn/s": _TURN, "turns/s": _TURN, "rpm": 6, "°/f": "per frame"},
    ),
    "deg/s2": Measure(
        "a turning acceleration (°/s², rad/s²)", {"°/s2": 1, "°/s²": 1, "deg/s2": 1, "deg/s²": 1, "rad/s2": _RADIAN, "rad/s²": _RADIAN}
    ),
    "percent": Measure("a percentage", {"%": 1}),
    "share": Measure("a percentage", {"%": 0.01}),
    "times": Measure("a factor (×)", {"×": 1, "x": 1, "times": 1}),
    "count": Measure("a number (k for thousands)", {"k": 1e3, "M": 1e6}),
    "px": Measure("a number of pixels (px)", {"px": 1}),
    "steps": Measure("a number of steps", {"step": 1, "steps": 1}),
    "frame": Measure("a number of frames (f)", {"f": 1, "frame": 1, "frames": 1}),
}  # fmt: skip
"""Unit code → how it may be typed: the one table for the page, the command line and text. A unit that is not here takes bare numbers."""
