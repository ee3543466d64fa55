from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from hailridge.core.kernels import noise
from hailridge.core.kinds.amounts.fixed import Mixture
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.effect import ItemSeed
from hailridge.model.kind import Value


class Noisy(Mixture):
    """A value that wanders between two ends with place and time."""

    title: ClassVar[str] = "noise"
    also: ClassVar[str] = "random smooth vary space"
    rank: ClassVar[int] = 11
    sentence: ClassVar[str] = "{low} to {high} by noise, {size} across[, changing {change}]"
    help: ClassVar[str] = (
        "Wanders between two values from place to place, and with time if *change* is above zero: neighbours are alike, those further apart than "
        "its size are not."
    )

    kind: Literal["noise"] = "noise"
    low: Value = fields.value(0.0, label="Between")
    high: Value = fields.value(1.0, label="And")
    size: float = fields.number(1.0, unit="m", low=1e-3, high=1e4, soft=(0.05, 10), label="Size")
    change: float = fields.number(0.0, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def give(self, moment: Moment, rows: Rows) -> Any:
        share = noise_share(moment.read("position", rows), self.size, self.change * moment.time, self.item ^ moment.scene.seed)
        return self.mixed(share)


def noise_share(places: Any, size: float, drift: float, salt: int) -> Any:
    """Two octaves of noise at places (k, 3) m, spread over 0–1: (k,) float32. `drift` moves the pattern, in cells."""
    total = np.zeros(len(places), np.float32)
    out = np.empty((len(places), 4), np.float32)
    for octave, strength in ((1.0, 0.75), (2.0, 0.35)):
        shift = np.array([0.37, 0.71 + drift * octave, 0.13], np.float32)
        moved = places * np.float32(octave / size) + shift
        noise.noise(len(places), np.ascontiguousarray(moved, np.float32), np.uint32((salt + int(octave)) & 0xFFFFFF), out)
        total += out[:, 0] * np.float32(strength)
    return np.clip(np.float32(0.5) + total, 0, 1)
