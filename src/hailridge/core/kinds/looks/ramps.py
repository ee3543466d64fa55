"""Reading colour ramps: a table of colours, looked up by a share 0–1."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.scene.curves import ReadyCurve
from hailridge.model.curves import Curve
from hailridge.model.ramps import Ramp

FINE = 1024
"""Entries of the table of a ramp with stops of one's own: four a step of eight bits."""

DATA = Path(__file__).parent / "data" / "ramps.json"


@cache
def shipped(name: str) -> NDArray[np.float32]:
    """The colours of a ramp that ships: (256, 3), sRGB-encoded 0–1. KeyError for a name that is not there."""
    packed = bytes.fromhex(json.loads(DATA.read_text(encoding="utf-8"))[name])
    return (np.frombuffer(packed, np.uint8).reshape(-1, 3) / 255).astype(np.float32)


def _own(ramp: Ramp) -> NDArray[np.float32]:
    return ReadyCurve(Curve(keys=ramp.keys)).over(np.linspace(0, 1, FINE)).astype(np.float32)


class ReadyRamp:
    """A ramp as a table, channel by channel."""

    def __init__(self, ramp: Ramp) -> None:
        table = shipped(ramp.named) if ramp.named is not None else _own(ramp)
        if ramp.reversed:
            table = table[::-1]
        self.table = np.ascontiguousarray(np.clip(table, 0, 1).T)

    def at(self, shares: Any) -> NDArray[np.float32]:
        """Colours at shares (n,) 0–1, held at the ends: (3, n). What is no number gets the first colour."""
        last = self.table.shape[1] - 1
        shares = np.nan_to_num(np.asarray(shares, np.float32), nan=0.0, posinf=1.0, neginf=0.0)
        places = np.clip(shares * np.float32(last) + np.float32(0.5), 0, last).astype(np.int64)
        return np.stack([channel.take(places) for channel in self.table])
