"""Ending the trail that a particle has laid, and beginning a new one."""

from __future__ import annotations

from typing import ClassVar, Literal

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model.parts import LIVING, Action, Place


class BeginTrail(Action):
    title: ClassVar[str] = "begin a new trail"
    also: ClassVar[str] = "cut end break detach ribbon tail streak"
    sentence: ClassVar[str] = "begin a new trail"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "What the particle has laid so far ends where it is now, and it lays a new trail from here on, in every look of trails that draws it. "
        "What has ended is treated like the trail of one that has gone: it stays where it lies and fades for as long as the look says "
        "(*left behind for*), or goes at once where that is 0."
    )
    places: ClassVar[tuple[Place, ...]] = LIVING

    kind: Literal["begin_trail"] = "begin_trail"

    def needs(self) -> tuple[str, ...]:
        return ("trail_begun",)

    def act(self, moment: Moment, rows: Rows) -> None:
        moment.column("trail_begun")[rows] = moment.time
