"""Layers of colour, laid over one another from the particle's own colour up."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.kinds.amounts.noisy import noise_share
from hailridge.core.kinds.looks.blending import MODE_WORDS, BlendMode, Channels, blend
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.near import nearest_of
from hailridge.core.scene.plan import Scene
from hailridge.core.state.particles import Rows, number_of
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Vector
from hailridge.model.parts import Amount, ColorLayer, Quantity
from hailridge.model.ramps import Ramp

WARM = {"named": "lantern", "reversed": False, "keys": []}
AFTER = {"again": "then again from the first", "stay": "the last for all further ones"}


class Layered(ColorLayer):
    """What all layers share: how they are laid over those below."""

    mode: BlendMode = fields.choice(
        "normal", MODE_WORDS, label="Blend mode", help="How it mixes with the layers below (W3C Compositing and Blending)."
    )
    strength: Amount = fields.amount(1.0, unit="share", low=0, high=1, soft=(0, 1), label="Strength")

    def strengths(self, moment: Moment, rows: Rows) -> Any:
        return np.clip(np.asarray(self.strength.give(moment, rows), np.float32), 0, 1)


class Plain(Layered):
    title: ClassVar[str] = "a colour"
    also: ClassVar[str] = "solid one"
    rank: ClassVar[int] = 0
    sentence: ClassVar[str] = "{color}[ by {mode}][ at {strength}]"
    help: ClassVar[str] = (
        "A colour: the same for all, or varied like any value: over life or time with any number of stops, ± a spread, by a field, a dial."
    )

    kind: Literal["plain"] = "plain"
    color: Amount = fields.amount([0.66, 0.83, 0.86], value="color", low=0, high=1, label="Colour")

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        return channels(self.color.give(moment, rows))


class OnRamp(Layered):
    title: ClassVar[str] = "a ramp over a quantity"
    also: ClassVar[str] = "gradient palette"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = "{ramp} as {quantity} goes from {start} to {end}[ by {mode}][ at {strength}]"
    help: ClassVar[str] = (
        "Colours that follow any quantity of the particle: the ramp's first colour at or below *from*, its last at or above *to*. *Fit to present "
        "values* sets both to what the particles have at this frame."
    )

    kind: Literal["ramp"] = "ramp"
    quantity: Quantity = fields.slot("quantity", {"kind": "life_fraction"}, label="Follows")
    start: float = fields.number(0.0, label="From", unit_from="quantity", suggest="lowest")
    end: float = fields.number(1.0, label="To", unit_from="quantity", suggest="highest")
    ramp: Ramp = fields.ramp({"named": "rime", "reversed": False, "keys": []}, label="Ramp")
    _ready: ReadyRamp | None = PrivateAttr(default=None)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if (fault := self.ramp.fault()) is not None:
            yield "ramp", fault
        if self.start == self.end and not (self.tracks.keys() & {"start", "end"}):
            yield "end", f"the ramp goes from {self.start:g} to {self.end:g}, so there is nothing between its ends; fit it to the present values"

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        self._ready = self._ready or ReadyRamp(self.ramp)
        read = np.asarray(self.quantity.read(moment, rows), np.float32)
        span = self.end - self.start or 1e-9
        return self._ready.at((read - np.float32(self.start)) * np.float32(1 / span))


class Bands(Layered):
    title: ClassVar[str] = "bands"
    also: ClassVar[str] = "steps thresholds"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{colors} in bands of {width} by {quantity} from {start}, {after}[ by {mode}][ at {strength}]"
    help: ClassVar[str] = (
        "Cuts a quantity into bands of equal width, each with a colour of its own: numbers 0 to 49, 50 to 99 and so on. After the last colour they "
        "begin again, or the last one stays."
    )

    kind: Literal["bands"] = "bands"
    quantity: Quantity = fields.slot("quantity", {"kind": "number"}, label="Of")
    start: float = fields.number(0.0, label="From", unit_from="quantity", suggest="lowest")
    width: float = fields.number(
        50.0, low=1e-6, soft=(1, 200), label="Width of a band", unit_from="quantity", suggest="band"
    )
    colors: list[Vector] = fields.colors(
        [[0.337, 0.706, 0.914], [0.902, 0.624, 0.0], [0.0, 0.62, 0.451], [0.941, 0.894, 0.259], [0.8, 0.475, 0.655], [0.835, 0.369, 0.0]],
        label="Colours",
    )  # fmt: skip
    after: Literal["again", "stay"] = fields.choice("again", AFTER, label="After the last")

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        read = np.nan_to_num(np.asarray(self.quantity.read(moment, rows), np.float64))
        band = np.floor((read - self.start) / self.width).clip(-1e15, 1e15).astype(np.int64)
        number = len(self.colors)
        band = band % number if self.after == "again" else band.clip(0, number - 1)
        table = np.asarray(self.colors, np.float32).T
        return np.stack([channel.take(band) for channel in table])


class ByGroup(Layered):
    title: ClassVar[str] = "the group's colour"
    also: ClassVar[str] = "state"
    rank: ClassVar[int] = 3
    sentence: ClassVar[str] = "their group's colour[ by {mode}][ at {strength}]"
    help: ClassVar[str] = "The display colour of the group that a particle is in: its state read off the picture."

    kind: Literal["by_group"] = "by_group"

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        return np.stack([channel.take(moment.column("group")[rows]) for channel in group_colors(moment.scene).T])


class ByNoise(Layered):
    title: ClassVar[str] = "noise"
    also: ClassVar[str] = "patchy"
    rank: ClassVar[int] = 4
    sentence: ClassVar[str] = "{ramp} by noise {size} across[, changing {change}][ by {mode}][ at {strength}]"
    help: ClassVar[str] = "Patches of a ramp's colours that drift through space: neighbours are alike, those further apart than *size* are not."

    kind: Literal["noise"] = "noise"
    ramp: Ramp = fields.ramp(WARM, label="Ramp")
    size: float = fields.number(0.5, unit="m", low=1e-3, high=1e4, soft=(0.05, 10), label="Size")
    change: float = fields.number(0.0, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")
    _ready: ReadyRamp | None = PrivateAttr(default=None)

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        if (fault := self.ramp.fault()) is not None:
            yield "ramp", fault

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        self._ready = self._ready or ReadyRamp(self.ramp)
        return self._ready.at(noise_share(moment.read("position", rows), self.size, self.change * moment.time, self.item ^ moment.scene.seed))


class OfAnother(Layered):
    title: ClassVar[str] = "another particle's colour"
    also: ClassVar[str] = "take mix neighbour"
    rank: ClassVar[int] = 5
    sentence: ClassVar[str] = "the colour of {which}[ of {who}][ within {reach}][ by {mode}][ at {strength}]"
    help: ClassVar[str] = (
        "The own colour of the nearest particle of the groups named, or of the parent as long as it lives. Where there is none, the layers "
        "below show."
    )

    kind: Literal["other"] = "other"
    which: Literal["nearest", "parent"] = fields.choice("nearest", {"nearest": "the nearest", "parent": "their parent"}, label="Which")
    who: list[str] = fields.reference("group", label="Of", many="everyone else")
    reach: float = fields.number(0.5, unit="m", low=1e-4, high=1e4, soft=(0.05, 5), label="Within")

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        found = self._found(moment, rows)
        return np.ascontiguousarray(moment.column("color").take(np.maximum(found, 0), axis=0).T) if moment.count else np.zeros((3, 0), np.float32)

    def strengths(self, moment: Moment, rows: Rows) -> Any:
        return np.broadcast_to(super().strengths(moment, rows), (number_of(rows),)) * (self._found(moment, rows) >= 0)

    def _found(self, moment: Moment, rows: Rows) -> Any:
        """Rows of the particles whose colour is taken, −1 for none: (k,) int64."""
        if self.which == "nearest":
            return nearest_of(moment, rows, self.reach, self.who, 1)[0][:, 0]
        parents, ids = moment.column("parent_id")[rows], moment.column("id")
        at = np.searchsorted(ids, parents).clip(0, max(0, len(ids) - 1))
        return np.where(ids[at] == parents, at, -1) if len(ids) else np.full(number_of(rows), -1)


class ByChannel(Layered):
    title: ClassVar[str] = "red, green and blue apart"
    also: ClassVar[str] = "rgb"
    rank: ClassVar[int] = 6
    sentence: ClassVar[str] = "red {red}, green {green}, blue {blue}[ by {mode}][ at {strength}]"
    help: ClassVar[str] = "Each channel is a value of its own, 0 to 1: a curve over life or time, mapped from a quantity, noise, or else."

    kind: Literal["channels"] = "channels"
    red: Amount = fields.amount(1.0, low=0, high=1, soft=(0, 1), label="Red")
    green: Amount = fields.amount(1.0, low=0, high=1, soft=(0, 1), label="Green")
    blue: Amount = fields.amount(1.0, low=0, high=1, soft=(0, 1), label="Blue")

    def tint(self, moment: Moment, rows: Rows) -> Channels:
        given = [np.asarray(amount.give(moment, rows), np.float32) for amount in (self.red, self.green, self.blue)]
        return np.stack([np.broadcast_to(channel, (number_of(rows),)) for channel in given])


def channels(given: Any) -> Channels:
    """What an amount gives for colours, (3,) or (k, 3), channel by channel: (3, 1) or (3, k)."""
    given = np.asarray(given, np.float32)
    return given[:, None] if given.ndim == 1 else np.ascontiguousarray(given.T)


def laid_over(moment: Moment, rows: Rows, layers: list[ColorLayer]) -> Channels:
    """The own colours of `rows` with layers over them, bottom to top: (3, k), 0–1."""
    color = channels(moment.read("color", rows))
    for layer in layers:
        entry: Any = layer
        color = blend(entry.mode, color, layer.tint(moment, rows), layer.strengths(moment, rows))
    return np.clip(np.nan_to_num(color), 0, 1)


def group_colors(scene: Scene) -> Any:
    """Display colours of all groups: (G, 3) 0–1."""
    if not scene.effect.groups:
        return np.ones((1, 3), np.float32)
    return np.array([[int(group.color[k : k + 2], 16) / 255 for k in (1, 3, 5)] for group in scene.effect.groups], np.float32)
