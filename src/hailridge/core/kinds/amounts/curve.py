from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import PrivateAttr

from hailridge.core.scene.curves import ReadyCurve
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Rows
from hailridge.model import fields
from hailridge.model.attributes import BUILT_IN, Table
from hailridge.model.curves import Curve
from hailridge.model.parts import Amount

ALONG = {"life": "its life", "age": "its age", "time": "time on the clock"}


class OverCurve(Amount):
    """A value that follows a drawn curve."""

    title: ClassVar[str] = "a curve"
    also: ClassVar[str] = "over life grow fade keyframe"
    rank: ClassVar[int] = 2
    sentence: ClassVar[str] = "{curve} over {over}"
    help: ClassVar[str] = (
        "Follows a curve that you draw: over the particle's life (0 birth, 1 death), its age in seconds, or the time on the clock. Colours mix. "
        "Between two keys it goes straight, holds, or eases."
    )

    kind: Literal["curve"] = "curve"
    over: Literal["life", "age", "time"] = fields.choice("life", ALONG, label="Over")
    curve: Curve = fields.curve([{"at": 0.0, "value": 0.0}, {"at": 0.5, "value": 1.0}, {"at": 1.0, "value": 0.0}], along="over", label="Curve")
    _ready: ReadyCurve | None = PrivateAttr(default=None)

    def give(self, moment: Moment, rows: Rows) -> Any:
        if self._ready is None:
            self._ready = ReadyCurve(self.curve)
        if self.over == "time":
            value = self._ready.over(np.array([moment.time]))[0]
            return np.asarray(value, np.float32)
        places = moment.column("age")[rows]
        if self.over == "life":
            places = np.clip(places / np.maximum(moment.column("lifetime")[rows], np.float32(1e-9)), 0, 1)
        return self._ready.over(places).astype(np.float32)

    def extent(self, attributes: Table = BUILT_IN) -> tuple[float, float]:
        return self.curve.extent()

    def width(self, attributes: Table = BUILT_IN) -> int:
        return self.curve.width()
