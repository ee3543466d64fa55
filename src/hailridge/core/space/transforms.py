"""Placing shapes in the world: rotation, one scale, translation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float32]


def rotation_matrix(degrees: list[float]) -> NDArray[np.float64]:
    """Rotation about x, then y, then z, in degrees: (3, 3)."""
    x, y, z = np.radians(degrees)
    about_x = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    about_y = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    about_z = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    return np.asarray(about_z @ about_y @ about_x)


def turning(from_axis: Any, to_axis: Any) -> NDArray[np.float64]:
    """The shortest rotation that takes one unit vector to another: (3, 3) (Rodrigues' formula)."""
    a, b = np.asarray(from_axis, float), np.asarray(to_axis, float)
    cosine = float(a @ b)
    if cosine < -1 + 1e-12:
        square = np.cross(a, [1, 0, 0] if abs(a[0]) < 0.9 else [0, 1, 0])
        square /= np.linalg.norm(square)
        return np.asarray(2 * np.outer(square, square) - np.eye(3))
    x, y, z = np.cross(a, b)
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + skew + skew @ skew / (1 + cosine))


@dataclass(frozen=True)
class Transform:
    """world = scale · rotation · local + translation; rotation (3, 3), translation (3,) float64, metres."""

    rotation: NDArray[np.float64]
    scale: float
    translation: NDArray[np.float64]

    @classmethod
    def of(cls, position: Any, degrees: Any, scale: float) -> Transform:
        return cls(rotation_matrix(list(degrees)), float(scale), np.asarray(position, np.float64))

    def within(self, outer: Transform) -> Transform:
        """This transform inside another one: first this, then the outer."""
        return Transform(
            outer.rotation @ self.rotation, outer.scale * self.scale, outer.rotation @ self.translation * outer.scale + outer.translation
        )

    def inverse(self) -> Transform:
        back = self.rotation.T
        return Transform(back, 1 / self.scale, -(back @ self.translation) / self.scale)

    def points(self, local: Any) -> NDArray[np.float64]:
        """Places (n, 3) taken into the world."""
        return np.asarray(local, np.float64) @ (self.rotation.T * self.scale) + self.translation

    def vectors(self, local: Any) -> NDArray[np.float64]:
        """Directions (n, 3) turned into the world; lengths stay."""
        return np.asarray(local, np.float64) @ self.rotation.T

    def same(self, other: Transform) -> bool:
        return bool(
            self.scale == other.scale
            and np.array_equal(self.rotation, other.rotation)
            and np.array_equal(self.translation, other.translation)
        )

    def rows(self) -> NDArray[np.float64]:
        """Scaled rotation and translation as 12 numbers, for kernels."""
        return np.concatenate([(self.rotation * self.scale).ravel(), self.translation])


IDENTITY = Transform(np.eye(3), 1.0, np.zeros(3))
