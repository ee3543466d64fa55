"""From when on two versions of an effect differ: what came before need not be computed again."""

from __future__ import annotations

import math
from typing import Any

from hailridge.core.scene.layout import recorded_for_looks
from hailridge.core.scene.plan import drifts
from hailridge.model.collections import COLLECTIONS
from hailridge.model.curves import agree_until
from hailridge.model.effect import Clock, Effect, Source
from hailridge.model.kind import Part
from hailridge.model.parts import Emission, Shape

NEVER, ALWAYS = float("inf"), float("-inf")

def differ_from(before: Effect, after: Effect) -> float:
    """Seconds of the effect up to which both give the same bytes; infinity where nothing computed differs, −infinity where all may."""
    if recorded_for_looks(before) != recorded_for_looks(after):
        return ALWAYS
    if len(before.sources) != len(after.sources) and (drifts(before) or drifts(after)):
        # Without history, ids are shared out among all sources from the beginning.
        return ALWAYS
    at = _clocks(before.clock, after.clock)
    for name, collection in COLLECTIONS.items():
        if not collection.computed or name == "sources":
            continue
        old, new = getattr(before, name), getattr(after, name)
        if len(old) != len(new):
            return ALWAYS
        for first, second in zip(old, new, strict=True):
            at = min(at, _parts(first, second, set(collection.shown)))
    return min(at, _sources(before.sources, after.sources))


def _clocks(before: Clock, after: Clock) -> float:
    at = NEVER
    if before.duration != after.duration:
        at = min(before.duration, after.duration) if "clock" == before.time_from == after.time_from else ALWAYS
    return min(at, _fields(before, after, {"duration"}))


def _sources(before: list[Source], after: list[Source]) -> float:
    at = NEVER
    for index in range(max(len(before), len(after))):
        first, second = (sources[index] if index < len(sources) else None for sources in (before, after))
        # A source at the end of the list changes nothing before its first birth.
        at = min(at, _begins(first or second) if first is None or second is None else _source(first, second))
    return at


def _source(before: Source, after: Source) -> float:
    if before.id != after.id:
        return ALWAYS
    differs = _parts(before, after, set(COLLECTIONS["sources"].shown))
    if differs == NEVER:
        return NEVER
    return max(differs, min(_begins(before), _begins(after)))


def _begins(source: Source | None) -> float:
    """The earliest time at which a source does anything. 0 stands for the beginning, before which a pre-roll may lie."""
    if source is None or not source.enabled:
        return NEVER
    begins = source.emission.begins()
    # A birth at that very moment belongs to the frame that ends with it.
    return math.nextafter(begins, ALWAYS) if begins > 0 else ALWAYS


def _parts(before: Part, after: Part, shown: set[str] | None = None) -> float:
    """`shown`: of an item, what decides no bytes."""
    if type(before) is not type(after):
        return ALWAYS
    left_out = shown or set()
    if isinstance(before, Emission):
        stops: tuple[float, float] = (getattr(before, "stop", NEVER), getattr(after, "stop", NEVER))
        if stops[0] != stops[1]:
            return min(*stops, _fields(before, after, {"stop"}))
    return _fields(before, after, left_out)


def _fields(before: Part, after: Part, left_out: set[str]) -> float:
    at = NEVER
    for name in type(before).model_fields:
        if name in left_out:
            continue
        old, new = before.tracks.get(name), after.tracks.get(name)
        if old is not None or new is not None:
            # A shape that begins to move is computed in another way, though it may be in the same place.
            at = min(at, ALWAYS if old is None or new is None else agree_until(old, new))
        else:
            at = min(at, _values(getattr(before, name), getattr(after, name)))
        if at == ALWAYS:
            break
    if isinstance(before, Shape) and at == NEVER and before.tracks.keys() != after.tracks.keys():
        return ALWAYS
    return at


def _values(before: Any, after: Any) -> float:
    if isinstance(before, Part) and isinstance(after, Part):
        return _parts(before, after)
    if isinstance(before, list) and isinstance(after, list) and before and isinstance(before[0], Part):
        if len(before) != len(after):
            return ALWAYS
        return min(_values(first, second) for first, second in zip(before, after, strict=True))
    return NEVER if before == after else ALWAYS
