"""Sensing surfaces: the nearest place of a shape for each particle, found once for a state of the particles."""

from __future__ import annotations

import numpy as np

from hailridge.core.scene.bodies import Pose
from hailridge.core.scene.moment import Moment
from hailridge.core.state.particles import Array, Rows, lengths

ON_IT = 1e-9
"""Metres from a surface within which there is no direction to it."""


def sensed(moment: Moment, shape: str, rows: Rows) -> Array:
    """For each row the nearest place of a shape's surface (m), the direction to it, and the surface's normal there, in the world: (k, 9) float32."""
    pose = moment.scene.pose(shape)
    key = ("sensed", shape, moment.scene.time)
    return moment.each(key, ("position",), rows, lambda rows: nearest_of_surface(pose, moment.read("position", rows)))


def nearest_of_surface(pose: Pose, places: Array) -> Array:
    """As `sensed`, for places (k, 3) m."""
    out = np.zeros((len(places), 9), np.float32)
    if not len(places):
        return out
    geometry = pose.geometry
    if len(geometry.faces) or geometry.ball is not None:
        nearest, normals, _heights = geometry.surface(pose.transform.inverse().points(places).astype(np.float32))
        at, normals = pose.transform.points(nearest), pose.transform.vectors(normals)
    else:
        # A point or a path faces whoever looks at it.
        at = pose.closest(places)[0]
        normals = places - at
        normals = normals / np.maximum(lengths(normals), ON_IT)[:, None]
    way = at - places
    size = lengths(way)[:, None]
    out[:, :3], out[:, 6:] = at, normals
    out[:, 3:6] = np.where(size > ON_IT, way / np.maximum(size, ON_IT), 0)
    return out
