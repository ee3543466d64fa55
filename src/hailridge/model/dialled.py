"""Dials that stand for a shape: wherever a document names a shape, ``dial:`` and the dial's id may stand in its place."""

from __future__ import annotations

from typing import Any

from hailridge.model.kind import DIAL, Part, Path, part_at

WRITING = ("id", "label", "name", "text", "summary")
"""Fields that name nothing, whatever stands in them."""


def settled(raw: dict[str, Any]) -> tuple[dict[str, Any], list[tuple[Path, Any]]]:
    """A raw document with the shapes in their dials' places, and what was written there: the path of each field and its value as it was.

    A dial that is not there, or stands for no shape, is left as it is written: nothing is called that.
    """
    dials = raw.get("dials")
    stands = {
        DIAL + str(dial["id"]): str(dial["shape"])
        for dial in (dials if isinstance(dials, list) else [])
        if isinstance(dial, dict) and dial.get("type") == "shape" and dial.get("shape") and "id" in dial
    }
    written: list[tuple[Path, Any]] = []

    def visit(value: Any, path: Path) -> Any:
        if isinstance(value, dict):
            fresh = {name: entry if name in WRITING else visit(entry, (*path, name)) for name, entry in value.items()}
            return value if all(fresh[name] is value[name] for name in value) else fresh
        if isinstance(value, list):
            if any(isinstance(entry, str) and entry in stands for entry in value):
                written.append((path, list(value)))
                return [stands.get(entry, entry) if isinstance(entry, str) else entry for entry in value]
            entries = [visit(entry, (*path, index)) for index, entry in enumerate(value)]
            return value if all(one is other for one, other in zip(entries, value, strict=True)) else entries
        if isinstance(value, str) and value in stands:
            written.append((path, value))
            return stands[value]
        return value

    return (visit(raw, ()) if stands else raw), written


def note(effect: Part, written: list[tuple[Path, Any]]) -> None:
    """Let each part of a document that was read remember what was written in it, so that it is written so again."""
    for path, value in written:
        part = part_at(effect, path[:-1])
        if isinstance(part, Part):
            part.write_as(str(path[-1]), value)
