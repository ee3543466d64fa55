"""Where the particles of a look were in earlier frames, and how they looked there: gathered once a frame, kept within a bound."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.layout import SUBSTEPS
from hailridge.core.scene.moment import Moment

MOST_ROWS = 4_000_000
"""Particles times frames that are remembered: about 300 MB."""


@dataclass
class Own:
    """What a look of trails says of particles as they are at a frame, all (n,): points and seconds that their trail has (infinite where it does
    not bound it), seconds after which a point is gone (0 for never), seconds for which it is left behind, metres of sway; whether a trail is
    laid in this frame, and when this one was begun (s), None where that is the same for all."""

    points: NDArray[np.float32]
    seconds: NDArray[np.float32]
    fade_time: NDArray[np.float32]
    outlive: NDArray[np.float32]
    sway: NDArray[np.float32]
    laid: NDArray[np.bool_] | None
    begun: NDArray[np.float32] | None


@dataclass
class Piece:
    """The particles of a look at one frame: ids ascending, places at the frame and at the steps within it, velocities, ages, paint, half widths."""

    frame: int
    time: float
    ids: NDArray[np.int32]
    places: NDArray[np.float32]
    between: NDArray[np.float32]
    velocities: NDArray[np.float32]
    ages: NDArray[np.float32]
    paint: NDArray[np.uint8]
    halves: NDArray[np.float32]
    groups: NDArray[np.uint8]
    over: list[Any]
    """Layers over the first that follows the trail: for each its mode, colours (3, n) and strengths (n,), or the layer itself if it follows it."""
    own: Own
    """What the look says of each of them."""


class Trace:
    """Pieces of frames by their number, the latest used last."""

    def __init__(self) -> None:
        self.pieces: OrderedDict[int, Piece] = OrderedDict()
        self.rows = 0

    def get(self, frame: int) -> Piece | None:
        piece = self.pieces.get(frame)
        if piece is not None:
            self.pieces.move_to_end(frame)
        return piece

    def keep(self, piece: Piece) -> None:
        self.pieces[piece.frame] = piece
        self.rows += len(piece.ids)
        while self.rows > MOST_ROWS and len(self.pieces) > 1:
            _frame, dropped = self.pieces.popitem(last=False)
            self.rows -= len(dropped.ids)


def piece_of(look: Any, moment: Moment) -> Piece:
    """What there is of a look's particles at a moment."""
    members = moment.scene.members(look.who)
    rows: Any = moment.everyone() if members.all() else np.flatnonzero(members[moment.column("group")])
    count = len(moment.column("id")[rows])
    paint, over = look.paint_along(moment, rows)
    widths = np.asarray(look.size.give(moment, rows), np.float32) * moment.column("radius")[rows]
    between = moment.read(SUBSTEPS, rows) if moment.particles.has(SUBSTEPS) else np.zeros((count, 0), np.float32)
    return Piece(
        moment.frame, moment.time, moment.column("id")[rows].copy(), moment.read("position", rows).copy(), between.copy(),
        moment.read("velocity", rows).copy(), moment.column("age")[rows].copy(), paint, np.array(widths, np.float32),
        moment.column("group")[rows].astype(np.uint8), over, look.own(moment, rows),
    )  # fmt: skip


def earlier(look: Any, moment: Moment, enough: Any) -> list[Piece]:
    """The pieces of the moment's frame and of those before it, newest first, until `enough(pieces)` says so or there are no more."""
    trace: Trace = moment.traces.setdefault(look.id, Trace())
    step = moment.scene.effect.clock.store_every
    pieces = [trace.get(moment.frame) or piece_of(look, moment)]
    if trace.get(moment.frame) is None:
        trace.keep(pieces[0])
    rows = len(pieces[0].ids)
    while pieces[-1].frame > 0 and moment.past is not None and not enough(pieces):
        number = (pieces[-1].frame - 1) // step * step
        piece = trace.get(number)
        if piece is None:
            before = moment.past(number)
            if before is None:
                break
            piece = piece_of(look, before)
            trace.keep(piece)
        pieces.append(piece)
        rows += len(piece.ids)
        if rows > MOST_ROWS:
            break
    return pieces
