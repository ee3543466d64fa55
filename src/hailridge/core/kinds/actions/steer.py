"""Steering: an ordered list of urges among which a limited force is handed out (Reynolds 1987)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kernels import steering
from hailridge.core.kinds.actions.push import Push
from hailridge.core.kinds.urges.base import Flock
from hailridge.core.scene.moment import Moment
from hailridge.core.state.contributions import Contribution
from hailridge.core.state.particles import Array, Rows, lengths, number_of
from hailridge.model import fields
from hailridge.model.kind import Vector
from hailridge.model.parts import Amount, Urge

BEGINNING: list[dict[str, Any]] = [{"kind": "keep_apart"}, {"kind": "match"}, {"kind": "gather"}, {"kind": "wander", "weight": 0.5}]
"""What a flock begins with: it flies."""

FLOCKMATES = {"label": "Flockmates", "reach": {"kind": "fixed", "value": 3.0}, "most": 12, "angle": 300.0}

SHARING = {"in_order": "from top to bottom", "in_proportion": "in proportion"}


class Steer(Push):
    title: ClassVar[str] = "steer"
    also: ClassVar[str] = "flock swarm school herd birds moths fish crowd boids agents seek avoid"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = (
        "steer among {neighbourhood} at {pace} with at most {force}, handed out {sharing}[, up being {up}][, only in {where}]"
    )
    help: ClassVar[str] = (
        "A flock. Each urge below wishes for some acceleration; together they get no more than the largest force. *From top to bottom* each takes "
        "what it wants of what those above have left, so the order is the design; *in proportion* all are cut down alike. Beside each urge stands "
        "how much of the force it got. Top speed is a *speed limit* of its own; *face its motion* turns and banks them."
    )

    kind: Literal["steer"] = "steer"
    neighbourhood: str = fields.reference("neighbourhood", label="Flockmates", makes=FLOCKMATES)
    pace: Amount = fields.amount(2.0, unit="m/s", low=0, high=1e4, soft=(0.2, 10), label="Pace")
    force: Amount = fields.amount(6.0, unit="m/s2", low=0, high=1e5, soft=(0.5, 30), label="Largest force")
    sharing: Literal["in_order", "in_proportion"] = fields.choice("in_order", SHARING, label="Handed out")
    up: Vector = fields.vector([0.0, 1.0, 0.0], label="Up")
    urges: list[Urge] = fields.slot("urge", many=True, begin=BEGINNING, label="Urges")

    def asks_around(self) -> Iterator[tuple[str, str]]:
        yield from ((self.neighbourhood, what) for urge in self.urges for what in urge.asks())

    def adds(self, moment: Moment, rows: Rows) -> Iterator[Contribution]:
        number = number_of(rows)
        up = np.asarray(self.up, np.float32)
        size = float(np.linalg.norm(up))
        flock = Flock(
            moment, rows, self.neighbourhood, _each(self.pace.give(moment, rows), number), _each(self.force.give(moment, rows), number),
            up / size if size > 1e-9 else np.array([0.0, 1.0, 0.0], np.float32),
        )  # fmt: skip
        total = np.zeros((number, 3), np.float32)
        if self.sharing == "in_order":
            self._in_order(flock, total)
        else:
            self._in_proportion(flock, total)
        yield Contribution("push", total, self.share(moment, rows))

    def _in_order(self, flock: Flock, total: Array) -> None:
        """Each urge takes what it wants of what those above it have left; the last that gets anything is cut to that."""
        left, asked, given = flock.force.copy(), np.empty_like(flock.force), np.empty_like(flock.force)
        for urge in self.urges:
            wanted = np.ascontiguousarray(urge.wants(flock), np.float32)
            weight = np.float32(urge.weight)  # type: ignore[attr-defined]
            steering.hand_out(flock.number, wanted, weight, flock.force, left, total, asked, given)
            flock.moment.note_urge(urge.address, float(asked.sum()), float(given.sum()), flock.number)

    def _in_proportion(self, flock: Flock, total: Array) -> None:
        """All urges are added up; where that is more than the largest force, all are cut down alike."""
        sizes = []
        for urge in self.urges:
            wanted = urge.wants(flock) * np.float32(urge.weight)  # type: ignore[attr-defined]
            sizes.append(lengths(wanted))
            total += wanted
        scale = np.minimum(1, flock.force / np.maximum(lengths(total), 1e-9)).astype(np.float32)
        total *= scale[:, None]
        for urge, size in zip(self.urges, sizes, strict=True):
            self._tell(flock, urge, size, size * scale)

    @staticmethod
    def _tell(flock: Flock, urge: Urge, wanted: Array, got: Array) -> None:
        """Keep account of what an urge wanted and got, as parts of the largest force."""
        force = np.maximum(flock.force, 1e-9)
        flock.moment.note_urge(urge.address, float((np.minimum(wanted, 1e6) / force).sum()), float((got / force).sum()), flock.number)


def _each(given: Any, number: int) -> Array:
    return np.ascontiguousarray(np.broadcast_to(np.asarray(given, np.float32), (number,)))
