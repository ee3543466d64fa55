"""Approaching a value gradually, by a half-life or over a time, with springiness on request; the curve does not depend on the steps."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kernels import memory as kernel
from hailridge.core.kinds.actions.weighted import Weighted, in_leaps
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import FOREVER_AGO, Array, Rows, as_factor, named_rows, number_of
from hailridge.model import fields
from hailridge.model.attributes import AttributeInfo, Table, remembered
from hailridge.model.parts import LASTING, Amount, Place

SETTLED_HALVES = 7.0
"""A springy approach 'over a time' is within one per cent after seven halvings (2⁻⁷ ≈ 0.8 %)."""


class Approach(Weighted):
    title: ClassVar[str] = "approach a value"
    also: ClassVar[str] = "grow shrink fade gradually toward smooth springy springily elastic"
    sentence: ClassVar[str] = "approach {attribute} {amount} {manner} {time}[, springiness {springiness}][, only in {where}]"
    category: ClassVar[str] = "Change"
    help: ClassVar[str] = (
        "Moves the attribute toward a value. *Over* a time: evenly, arriving when that time has passed since the rule began to hold. "
        "*Halving every*: each such time halves what is left, fast first, then ever slower. Springiness makes it swing past and "
        "settle: 0 not at all, 0.5 lively, 0.9 wobbly."
    )
    places: ClassVar[tuple[Place, ...]] = LASTING

    kind: Literal["approach"] = "approach"
    attribute: str = fields.reference("attribute", label="Attribute")
    amount: Amount = fields.amount(0.0, label="Toward", value_from="attribute", suggest="double")
    manner: Literal["over", "half_life"] = fields.choice("over", {"over": "over", "half_life": "halving every"}, label="How")
    time: float = fields.number(
        0.5, unit="s", low=1e-4, high=1e4, soft=(0.04, 5), label="Time",
        variants={"manner": {"half_life": {"label": "Halving every", "per_frame": "halving"}}},
    )  # fmt: skip
    springiness: float = fields.number(0.0, low=0, high=0.95, soft=(0, 0.95), label="Springiness")

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        yield from in_leaps(effect, self.attribute, "cannot be approached little by little; set it instead")

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        """When the approach began and was last at work, and the rate of a springy one."""
        # Keyframes may make it springy later on.
        springy = max(self.all_values("springiness")) > 0
        if springy:
            yield remembered(f"{self.address} rate", "vector" if attributes[self.attribute].width == 3 else "number")
        if springy or self.manner == "over":
            yield remembered(f"{self.address} began", "number")
            yield remembered(f"{self.address} worked", "number", float(FOREVER_AGO))

    def act(self, moment: Moment, rows: Rows) -> None:
        present = moment.read_attribute(self.attribute, rows)
        target = np.asarray(self.amount.give(moment, rows), np.float32)
        # Where a field weakens it, its time passes more slowly.
        weight = self.share(moment, rows)
        span = moment.elapsed(rows)
        pace = as_factor(span * weight) if present.ndim == 2 else span * weight
        if self.manner == "half_life" and self.springiness == 0:
            kept = (0.5 ** (np.asarray(pace, np.float64) / self.time)).astype(np.float32)
            moment.write_attribute(self.attribute, rows, target + (present - target) * kept)
            return
        elapsed, afresh = self._elapsed(moment, rows)
        if self.springiness > 0:
            moment.write_attribute(self.attribute, rows, self._spring(moment, rows, present, target, afresh, pace))
            return
        # Evenly: of the way that is left, this step's part of the time that is left.
        left = np.maximum(np.float32(self.time) - elapsed, 0)
        share = np.where(left > span * 1.001, span / np.maximum(left, 1e-9), 1.0).astype(np.float32)
        share = share * weight
        share = share[:, None] if present.ndim == 2 else share
        moment.write_attribute(self.attribute, rows, present + (target - present) * share)

    def _elapsed(self, moment: Moment, rows: Rows) -> tuple[Array, Array]:
        """Seconds since the approach began without a break, and for whom it begins now: (k,) each."""
        began, worked = moment.column(f"{self.address} began"), moment.column(f"{self.address} worked")
        # What it does now fills the time that has just passed: it began as that time did.
        now, span = np.float32(moment.time), np.atleast_1d(np.asarray(moment.elapsed(rows), np.float32))
        broken = now - np.float32(moment.dt * 1.5 + 1e-6)
        found: tuple[Array, Array] = kernel.elapsed(began, worked, *named_rows(rows), number_of(rows), now, broken, span)
        return found

    def _spring(self, moment: Moment, rows: Rows, present: Array, target: Array, afresh: Array, pace: Any) -> Any:
        """One exact step of a damped oscillator whose envelope halves every half-life (closed form, so any step gives the same curve)."""
        column = moment.column(f"{self.address} rate")
        rate = column[rows].astype(np.float64)
        rate[afresh] = 0.0
        half_life = self.time if self.manner == "half_life" else self.time / SETTLED_HALVES
        damping = math.log(2.0) / half_life
        ratio = 1.0 - self.springiness
        swing = damping / ratio * math.sqrt(max(1e-12, 1.0 - ratio * ratio))
        away = present.astype(np.float64) - target
        pace = np.asarray(pace, np.float64)
        kept, c, s = np.exp(-damping * pace), np.cos(swing * pace), np.sin(swing * pace)
        other = (rate + damping * away) / swing
        column[rows] = kept * (rate * c - (swing * away + damping * other) * s)
        return target + kept * (away * c + other * s)
