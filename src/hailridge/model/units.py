"""Units: metres, seconds, kilograms; degrees in documents and interface."""

from __future__ import annotations

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
