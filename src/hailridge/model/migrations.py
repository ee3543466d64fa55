"""Lifting older documents to the present format. Each step takes a document of one format and returns it in the next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from hailridge.model.effect import FORMAT

Step = Callable[[dict[str, Any]], dict[str, Any]]

STEPS: dict[int, Step] = {}
"""Format number → the step that lifts it by one. Empty while there is only one format."""


def migrate(document: dict[str, Any]) -> dict[str, Any]:
    """Return `document` in the present format; documents of the future are left for validation to refuse."""
    version = document.get("format", FORMAT)
    while isinstance(version, int) and version < FORMAT and version in STEPS:
        document = STEPS[version](document)
        version = document.get("format", version + 1)
    return document
