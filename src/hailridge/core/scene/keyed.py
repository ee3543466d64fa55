"""Keyframes of a plan: which parts have any, and the same document at a time, in which only those parts are others."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TypeVar

from hailridge.core.scene.curves import ReadyCurve
from hailridge.model.kind import Part, holders

Kept = TypeVar("Kept", bound=Part)


@dataclass
class Keyed:
    """The keyframes of one part and of those within it: its own by field, those of inner parts by the field, and the place in its list, that holds
    them."""

    curves: dict[str, ReadyCurve] = field(default_factory=dict)
    inner: dict[str, Keyed] = field(default_factory=dict)
    listed: dict[str, dict[int, Keyed]] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.curves or self.inner or self.listed)

    @classmethod
    def of(cls, part: Part, left_out: tuple[str, ...] = ()) -> Keyed:
        """Everything keyed in a part, apart from fields that are `left_out`."""
        found = cls({name: ReadyCurve(curve) for name, curve in part.tracks.items() if name not in left_out})
        for name in holders(type(part)):
            held = vars(part)[name]
            if name in left_out:
                continue
            if isinstance(held, Part):
                if inner := cls.of(held):
                    found.inner[name] = inner
            elif isinstance(held, list):
                entries = {index: cls.of(entry) for index, entry in enumerate(held) if isinstance(entry, Part)}
                if kept := {index: entry for index, entry in entries.items() if entry}:
                    found.listed[name] = kept
        return found

    def at(self, part: Kept, time: float) -> Kept:
        """The part as it is at a time (seconds). Whatever has no keyframes within it is the part's own."""
        values: dict[str, object] = {name: curve.at_time(time) for name, curve in self.curves.items()}
        for name, inner in self.inner.items():
            values[name] = inner.at(vars(part)[name], time)
        for name, entries in self.listed.items():
            listed = list(vars(part)[name])
            for index, entry in entries.items():
                listed[index] = entry.at(listed[index], time)
            values[name] = listed
        return part.twin(values)

    def values(self, part: Part, time: float) -> Iterator[tuple[str, float | list[float]]]:
        """What every keyed number is at a time, by the address of its field."""
        begins = f"{part.address}/" if part.address else ""
        for name, curve in self.curves.items():
            yield f"{begins}{name}", curve.at_time(time)
        for name, inner in self.inner.items():
            yield from inner.values(vars(part)[name], time)
        for name, entries in self.listed.items():
            for index, entry in entries.items():
                yield from entry.values(vars(part)[name][index], time)
