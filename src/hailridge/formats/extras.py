"""Formats that need a large package of their own: installed as extras, and told by name where they are not there."""

from __future__ import annotations

import importlib
from typing import Any

EXTRAS: dict[str, tuple[str, str]] = {
    "usd": ("pxr", "USD files need the package usd-core"),
    "video": ("av", "WebM and MP4 need the package av"),
    "arrow": ("pyarrow", "Parquet files need the package pyarrow"),
}
"""Name of the extra → the module that it brings, and what cannot be done without it."""


class MissingExtra(ValueError):
    """Something was asked for that needs an extra which is not installed; the message says how to install it."""

    def __init__(self, extra: str) -> None:
        self.extra = extra
        super().__init__(f"{EXTRAS[extra][1]}, which is not installed here: pip install \"hailridge[{extra}]\" brings it")


def needed(extra: str) -> Any:
    """The module that an extra brings. Raises MissingExtra where it is not installed."""
    try:
        return importlib.import_module(EXTRAS[extra][0])
    except ImportError:
        raise MissingExtra(extra) from None
