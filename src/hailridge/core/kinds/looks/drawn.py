"""What the stage draws: arrays ready for the graphics card, made by looks from the particles of a moment."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

SOLID = 250
"""Opacity in bytes from which something counts as solid: it hides what is behind it and need not be put in order."""


@dataclass
class Layer:
    """One look's particles: positions (k, 3) m, radii (k,) m, colours (k, 4) bytes sRGB with opacity, ids and groups (k,).

    `shader` says what is drawn at each of them; `extra` holds further arrays that it needs, `settings` what is the same for all.
    """

    look: str
    shader: str
    position: NDArray[np.float32]
    radius: NDArray[np.float32]
    color: NDArray[np.uint8]
    id: NDArray[np.int32]
    group: NDArray[np.uint8]
    settings: dict[str, Any] = field(default_factory=dict)
    extra: dict[str, NDArray[Any]] = field(default_factory=dict)

    def head(self) -> dict[str, Any]:
        """What a page has to know beside the arrays."""
        opacity = self.color[:, 3]
        see_through = bool(len(opacity)) and bool((opacity < SOLID).any())
        solid = not len(opacity) or bool((opacity >= SOLID).any())
        return {"look": self.look, "shader": self.shader, "count": len(self.radius), "solid": solid, "seeThrough": see_through, **self.settings}

    def arrays(self) -> dict[str, NDArray[Any]]:
        return {
            "position": self.position, "radius": self.radius, "color": self.color, "id": self.id, "group": self.group, **self.extra,
        }  # fmt: skip


@dataclass
class Ribbons(Layer):
    """Lines of points, drawn as ribbons that face the camera: trails and links.

    `extra["points"]` (p, 4) holds place and half width (m) of every point, line after line, with the first and the last of a line repeated at
    width 0, so that lines do not run into one another; `color` (p, 4) has a row for each of them. `starts` (k + 1,) says where lines begin.
    """

    def head(self) -> dict[str, Any]:
        return {**super().head(), "points": len(self.extra["points"])}
