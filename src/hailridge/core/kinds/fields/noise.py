"""Fields that vary by noise and evolve in place."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import noise
from hailridge.core.kinds.fields.base import ShareField, in_space_of
from hailridge.core.state.particles import Array
from hailridge.model import fields
from hailridge.model.effect import ItemSeed

FORMS = {"smooth": "smooth", "billows": "billowing", "ridges": "ridged", "cells": "cellular"}

Form = Literal["smooth", "billows", "ridges", "cells"]


class NoiseField(ShareField):
    title: ClassVar[str] = "noise"
    also: ClassVar[str] = "clouds patchy irregular"
    rank: ClassVar[int] = 1
    sentence: ClassVar[str] = (
        "{form} noise, {size} across, covering {coverage}[, with edges {softness} soft][, {octaves} octaves][, changing {change}]"
        "[, carried by {carrier}][, {inverted}]"
    )
    help: ClassVar[str] = (
        "Irregular regions. *Covering* is the share of space where it is above 0.5; *softness* is how gently it goes from 0 to 1, 0 being a "
        "hard edge. With *change* above zero it evolves in place, that many times a second. Each octave adds detail half as large."
    )

    kind: Literal["noise"] = "noise"
    form: Form = fields.choice("smooth", FORMS, label="Form")
    size: float = fields.number(1.0, unit="m", low=1e-3, high=1e4, soft=(0.05, 10), label="Size")
    coverage: float = fields.number(50.0, unit="percent", low=0, high=100, soft=(0, 100), label="Covering")
    softness: float = fields.number(50.0, unit="percent", low=0, high=100, soft=(0, 100), label="Softness")
    octaves: int = fields.number(2, low=1, high=6, soft=(1, 6), whole=True, label="Octaves")
    roughness: float = fields.number(0.5, low=0, high=1, soft=(0, 1), label="Strength of each further octave")
    change: float = fields.number(0.0, unit="1/s", low=0, high=1000, soft=(0, 3), label="Change")
    carrier: str | None = fields.reference("shape", label="Carried by", optional="nothing")
    seed: ItemSeed = fields.number(0, low=0, high=2**31 - 1, whole=True, label="Seed")

    def shares(self, scene: Any, points: Array, time: float) -> Array:
        places = in_space_of(self.carrier, scene, points) / self.size
        salt = (self.item ^ scene.seed) & 0xFFFFFF
        values = evolving(self.form, places, self.octaves, self.roughness, self.change * time, salt)
        middle, spread = _course(self.form, self.octaves, self.roughness, self.coverage)
        return np.asarray(0.5 + (values - middle) / max(1e-6, self.softness / 50 * spread))


def evolving(form: str, places: Array, octaves: int, roughness: float, phase: float, salt: int) -> NDArray[np.float32]:
    """Noise at places (n, 3) in cells: (n,) float32. It is anew, yet without a jump, each time that `phase` grows by one."""
    whole = math.floor(phase)
    share = phase - whole
    out = layered(form, places, octaves, roughness, salt + whole * 7919)
    if share > 0:
        # Mixed so that the sum swings as far as either alone.
        angle = share * math.pi / 2
        after = layered(form, places, octaves, roughness, salt + (whole + 1) * 7919)
        rest = _REST[form]
        out = rest + (out - rest) * np.float32(math.cos(angle)) + (after - rest) * np.float32(math.sin(angle))
    return out


_REST = {"smooth": np.float32(0.0), "billows": np.float32(0.219), "ridges": np.float32(-0.219), "cells": np.float32(0.48)}
"""About the mean of each form: what evolves is the swing around it."""


def layered(form: str, places: Array, octaves: int, roughness: float, salt: int) -> NDArray[np.float32]:
    """The sum of several octaves at places (n, 3) in cells of the first: (n,) float32."""
    out = np.zeros(len(places), np.float32)
    salts = np.array([(salt * 31 + octave * 101) & 0xFFFFFF for octave in range(octaves)], np.uint32)
    moved = np.ascontiguousarray(places, np.float32)
    if form in _FORMS:
        noise.layered(len(out), moved, _FORMS[form], octaves, roughness, _SHIFT, salts, out)
        return out
    value = np.empty(len(places), np.float32)
    weight, sum_ = 1.0, 0.0
    for octave in range(octaves):
        noise.cells(len(out), moved * np.float32(2**octave) + _SHIFT * np.float32(octave + 1), salts[octave], value)
        out += value * np.float32(weight)
        sum_ += weight
        weight *= roughness
    return out / np.float32(sum_)


_FORMS = {"smooth": noise.SMOOTH, "billows": noise.BILLOWS, "ridges": noise.RIDGES}
"""Forms made of gradient noise; the other one is cellular."""

_SHIFT = np.array([0.37, 0.71, 0.13], np.float32)
"""Octaves must not have their lattice points, where gradient noise is zero, in one place."""


@lru_cache(maxsize=256)
def _sample(form: str, octaves: int, roughness: float) -> NDArray[np.float64]:
    """What values the noise takes: a sorted sample of places far from one another."""
    grid = np.stack(np.meshgrid(*[np.arange(20)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    return np.sort(layered(form, grid * np.array([1.618, 2.414, 1.303]), octaves, roughness, 1).astype(np.float64))


@lru_cache(maxsize=1024)
def _course(form: str, octaves: int, roughness: float, coverage: float) -> tuple[float, float]:
    """The value that `coverage` per cent of space lies above, and how far values reach: four standard deviations."""
    sample = _sample(form, octaves, roughness)
    if coverage <= 0 or coverage >= 100:
        # Beyond all values, so that the field is 0 or 1 throughout.
        return (float(sample[-1]) + 1e3, 4 * float(sample.std())) if coverage <= 0 else (float(sample[0]) - 1e3, 4 * float(sample.std()))
    return float(np.quantile(sample, 1 - coverage / 100)), 4 * float(sample.std())
