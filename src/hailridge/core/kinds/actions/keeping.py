"""Keeping particles in a region or out of it: asked at the end of each step, so that no recorded frame shows anybody where nobody is to be."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows, as_factor, as_indices
from hailridge.model import fields
from hailridge.model.parts import LIVING, Action, Amount, Place

RESPONSES = {
    "remove": "remove", "stop": "hold at its border", "bounce": "send back from its border", "wrap": "bring round to the other side",
    "brake": "brake",
}  # fmt: skip

SIDES = {"outside": "outside", "inside": "inside"}

HAIR = 1e-4
"""Metres by which whoever is held at a border is put past it."""

FLAT = 1e-6
"""Metres: along an axis in which a shape is no wider than that it has no other side."""

EDGE = 0.5
"""A field at least as strong as that is inside."""


class Keeping(Action):
    """What both share: who is where nobody is to be is removed or braked."""

    category: ClassVar[str] = "Contact"
    places: ClassVar[tuple[Place, ...]] = LIVING

    response: str
    side: str
    half_life: Amount

    def inside(self, moment: Moment, indices: NDArray[np.intp]) -> NDArray[np.bool_]:
        """Who of these is in the region (k,)."""
        raise NotImplementedError

    def act(self, moment: Moment, rows: Rows) -> None:
        indices = as_indices(rows)
        inside = self.inside(moment, indices)
        astray = indices[inside if self.side == "inside" else ~inside]
        if len(astray):
            self.answer(moment, astray)

    def answer(self, moment: Moment, astray: NDArray[np.intp]) -> None:
        """Do what is to be done with those who are where nobody is to be."""
        if self.response == "remove":
            moment.doom(astray)
        else:
            kept = moment.left_of(astray, self.half_life.give(moment, astray))
            moment.write_attribute("velocity", astray, moment.column("velocity")[astray] * as_factor(np.asarray(kept, np.float32)))


class Keep(Keeping):
    title: ClassVar[str] = "keep in or out"
    also: ClassVar[str] = "boundary bound limit region guard cage inside outside leave enter wrap around edge"
    sentence: ClassVar[str] = "{response} whoever is {side} {shape}[, losing half its speed every {half_life}]"
    help: ClassVar[str] = (
        "Asked where everybody is at the end of the step, the shape too: newborns, children and moving shapes included, no frame shows anybody where "
        "nobody is to be. *Hold at its border* puts them back to the nearest place and takes what speed they had across it, *send back* turns that "
        "round; *bring round* lets them in on the other side of the shape's box; *brake* only slows them there."
    )

    begins: ClassVar[dict[str, dict[str, Any]]] = {"": {"response": "stop"}}

    kind: Literal["keep"] = "keep"
    response: Literal["remove", "stop", "bounce", "wrap", "brake"] = fields.choice("remove", RESPONSES, label="Response")
    side: Literal["outside", "inside"] = fields.choice("outside", SIDES, label="Whoever is")
    shape: str = fields.reference("shape", label="Shape")
    half_life: Amount = fields.amount(0.2, unit="s", low=1e-4, high=1000, soft=(0.01, 5), label="Half-life", per_frame="halving")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if self.response == "wrap" and self.side == "inside":
            yield "side", "whoever is inside has no other side to be brought to"

    def inside(self, moment: Moment, indices: NDArray[np.intp]) -> NDArray[np.bool_]:
        if self.response == "wrap":
            local, low, high = self._in_box(moment, indices)
            return np.asarray(np.all((local >= low) & (local <= high), axis=1))
        return np.asarray(moment.end.pose(self.shape).outward(moment.column("position")[indices]) < 0)

    def answer(self, moment: Moment, astray: NDArray[np.intp]) -> None:
        match self.response:
            case "stop":
                self._hold(moment, astray, 1.0)
            case "bounce":
                self._hold(moment, astray, 2.0)
            case "wrap":
                self._bring_round(moment, astray)
            case _:
                super().answer(moment, astray)

    def _hold(self, moment: Moment, rows: NDArray[np.intp], taken: float) -> None:
        """To the nearest place of the border, a hair past it; what speed they have across it, against the shape's own, is taken so many times: once
        it is lost, twice they come back with it."""
        pose = moment.end.pose(self.shape)
        local = pose.transform.inverse().points(moment.column("position")[rows])
        nearest, normals, _heights = pose.geometry.surface(local.astype(np.float32))
        way = -1.0 if self.side == "outside" else 1.0
        border, normals = pose.transform.points(nearest), pose.transform.vectors(normals) * way
        velocity = moment.column("velocity")[rows].astype(np.float64)
        own = moment.body(moment.scene.shape_index[self.shape]).speed_at(border, moment.dt)
        across = np.minimum(np.einsum("ij,ij->i", velocity - own, normals), 0.0)
        moment.write_attribute("position", rows, border + normals * HAIR)
        moment.write_attribute("velocity", rows, velocity - normals * (taken * across)[:, None])

    def _bring_round(self, moment: Moment, rows: NDArray[np.intp]) -> None:
        """In the box around the shape, in its own space, whoever has left on one side comes in on the other."""
        local, low, high = self._in_box(moment, rows)
        # Sides that are endless stay as they are.
        from_low = np.where(np.isfinite(low), low, 0.0)
        size = np.where(np.isfinite(low), high - from_low, 1.0)
        round_it = np.where(np.isfinite(low), from_low + np.mod(local - from_low, size), local)
        moment.write_attribute("position", rows, moment.end.pose(self.shape).transform.points(round_it))

    def _in_box(self, moment: Moment, rows: NDArray[np.intp]) -> tuple[NDArray[np.float64], ...]:
        """Places in the shape's own space (k, 3), and the lowest and highest corner (3,) of the box around it, endless where it is flat."""
        pose = moment.end.pose(self.shape)
        low, high = pose.geometry.bounds
        flat = high - low <= FLAT
        local = pose.transform.inverse().points(moment.column("position")[rows])
        return local, np.where(flat, -np.inf, low), np.where(flat, np.inf, high)


class KeepByField(Keeping):
    title: ClassVar[str] = "keep in or out of a field"
    also: ClassVar[str] = "boundary region zone noise falloff inside outside remove brake free"
    sentence: ClassVar[str] = "{response} whoever is {side} {field}[, losing half its speed every {half_life}]"
    help: ClassVar[str] = (
        "As *keep in or out*, of a region that a field gives, irregular and changing if that is: inside is where it is at least a half. It has no "
        "border to be held at."
    )

    kind: Literal["keep_field"] = "keep_field"
    response: Literal["remove", "brake"] = fields.choice("brake", {name: RESPONSES[name] for name in ("remove", "brake")}, label="Response")
    side: Literal["outside", "inside"] = fields.choice("outside", SIDES, label="Whoever is")
    field: str = fields.reference("field", label="Field")
    half_life: Amount = fields.amount(0.2, unit="s", low=1e-4, high=1000, soft=(0.01, 5), label="Half-life", per_frame="halving")

    def inside(self, moment: Moment, indices: NDArray[np.intp]) -> NDArray[np.bool_]:
        return np.asarray(moment.field_of(self.field, indices) >= EDGE)
