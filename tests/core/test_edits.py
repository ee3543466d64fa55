"""After an edit a run goes on from the last frame that the edit does not concern: what it then computes is what a run from the beginning gives."""

from __future__ import annotations

import copy
import json
import math
import random
import unittest
from collections.abc import Iterator
from contextlib import suppress
from functools import lru_cache
from typing import Any

import numpy as np

from hailridge import demo
from hailridge.core.looking.affected import differ_from
from hailridge.core.scene.timeline import Timeline
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.model.validation import DocumentError, read_effect
from tests.running.choosing import thorough
from tests.seeds import SEED, drawer

LAST = 26
EDITS = 9
"""Of each sort, in each demo."""

Edit = tuple[str, dict[str, Any]]


def leaves(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Paths of all numbers and flags within a document."""
    for key, value in node.items() if isinstance(node, dict) else enumerate(node):
        if isinstance(value, dict | list):
            yield from leaves(value, (*path, key))
        elif isinstance(value, int | float) and key not in ("format", "particle_budget"):
            yield (*path, key)


def put(document: dict[str, Any], path: tuple[Any, ...], value: Any) -> dict[str, Any]:
    changed = copy.deepcopy(document)
    node: Any = changed
    for key in path[:-1]:
        node = node[key]
    node[path[-1]] = value
    return changed


def at(document: Any, path: tuple[Any, ...]) -> Any:
    for key in path:
        document = document[key]
    return document


def edits(document: dict[str, Any], choose: random.Random) -> Iterator[Edit]:
    """Numbers and flags changed, numbers given keyframes that begin later, keyframes moved, items put elsewhere, taken out and put in again."""
    paths = list(leaves(document))
    for path in choose.sample(paths, min(EDITS, len(paths))):
        old = at(document, path)
        yield "changed", put(document, path, (not old) if isinstance(old, bool) else type(old)(old * 1.5 + 1))
    for path in choose.sample(paths, min(EDITS, len(paths))):
        old = at(document, path)
        if isinstance(old, float):
            keys = [{"at": 0.0, "value": old, "ease": "hold"}, {"at": 0.5, "value": old * 1.5 + 0.1, "ease": "linear"}]
            whole = put(document, path, {"keys": keys})
            later = put(whole, (*path, "keys", 1, "value"), old * 1.2 + 0.3)
            yield "keyed", whole
            yield "a later key moved", {"before": whole, "after": later}
    for name in ("rules", "sources", "shapes", "groups", "looks", "fields"):
        items = document.get(name, [])
        if len(items) > 1:
            yield f"{name} in another order", {**document, name: items[::-1]}
        if items:
            yield f"one less of {name}", {**document, name: items[:-1]}
    late = {"kind": "burst", "count": 3, "time": 0.6}
    sources = document["sources"]
    yield "a later source", {**document, "sources": [*sources, {**sources[0], "id": "later", "label": "Later", "emission": late}]}
    yield "shorter", put(document, ("clock", "duration"), 1.0)


class Edits(unittest.TestCase):
    def same(self, ours: Frame, theirs: Frame, told: str) -> None:
        self.assertEqual((ours.number, ours.count, ours.births, ours.deaths), (theirs.number, theirs.count, theirs.births, theirs.deaths), told)
        for name, column in theirs.columns.items():
            np.testing.assert_array_equal(ours.columns[name], column, err_msg=f"{told}: {name}")
        np.testing.assert_array_equal(ours.held, theirs.held, err_msg=told)
        self.assertEqual(ours.events.tobytes(), theirs.events.tobytes(), told)

    @thorough
    def test_going_on_equals_beginning_anew(self) -> None:
        """Source: runs from the beginning. Each demo, with edits of every sort, drawn by the seed of the day."""
        choose = drawer("edits")
        gone_on = 0
        for name in demo.names():
            raw = demo.document(name)
            raw["clock"] = {**raw["clock"], "duration": 1.25, "particle_budget": 1500}
            known = read_effect(raw).model_dump()
            # What several edits begin with is run once.
            self.run_of = lru_cache(3)(whole_run)
            for told, given in edits(known, choose):
                old, new = (given["before"], given["after"]) if "before" in given else (known, given)
                with suppress(DocumentError):
                    gone_on += self.compared(json.dumps(old), json.dumps(new), f"{name}: {told} (seed {SEED})")
        self.assertGreater(gone_on, 60)

    def compared(self, old: str, new: str, told: str) -> int:
        """Whether the run of the new document went on from one of the old."""
        before, after = read_effect(old), read_effect(new)
        until = differ_from(before, after)
        if until <= 0:
            return 0
        last = min(before.clock.last_frame, after.clock.last_frame, LAST)
        start = last if math.isinf(until) else Timeline(after.clock).last_frame_by(until, last)
        if start < 0:
            return 0
        found, fresh = self.run_of(old), self.run_of(new)[: last + 1]
        for ours, theirs in zip(found[: start + 1], fresh, strict=False):
            self.same(ours, theirs, told)
        later = Simulation(after, demo.assets())
        later.resume(found[start].columns, found[start].count, found[start].stand)
        for ours, theirs in zip(later.frames(last), fresh[start + 1 :], strict=True):
            self.same(ours, theirs, told)
        return 1


def whole_run(document: str) -> list[Frame]:
    return list(Simulation(read_effect(document), demo.assets()).frames(LAST))
