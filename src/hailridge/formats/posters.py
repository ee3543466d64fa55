"""A small picture of a frame, drawn without a browser: shapes shaded by their slope, particles as shaded discs, back to front."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from hailridge.core.moment import Moment
from hailridge.core.observe import layers

WIDTH, HEIGHT, FINER = 480, 300, 2
BACKGROUND = (16, 20, 23)
SHAPE = np.array([92, 108, 116], np.float64)
MOST_PARTICLES = 6000


def poster(moment: Moment) -> bytes:
    """A PNG of the moment from the stage's first point of view, 480 × 300."""
    image = Image.new("RGB", (WIDTH * FINER, HEIGHT * FINER), BACKGROUND)
    draw = ImageDraw.Draw(image)
    visible = [g for shape, g in zip(moment.scene.effect.shapes, moment.scene.geometries, strict=True) if shape.visible and len(g.faces)]  # type: ignore[attr-defined]
    drawn = layers(moment)
    # Particles say what there is to see; a ground plane may reach far beyond.
    places = [layer.position for layer in drawn if len(layer.position)] or [g.vertices for g in visible]
    camera = _Camera(np.concatenate(places) if places else np.zeros((1, 3)))
    if visible:
        # All faces together: which shape a face belongs to says nothing of what it hides.
        _draw_faces(draw, camera, np.concatenate([g.corners for g in visible]), np.concatenate([g.normals for g in visible]))
    everything = [(layer.position, layer.radius, layer.color, layer.pixels if layer.shader == "dot" else 0.0) for layer in drawn]
    for position, radius, color, pixels in everything:
        _draw_particles(draw, camera, position, radius, color, pixels)
    out = io.BytesIO()
    image.resize((WIDTH, HEIGHT), Image.Resampling.LANCZOS).save(out, "PNG", optimize=True)
    return out.getvalue()


class _Camera:
    """Looks at the middle of what there is, from the front, the right and a little above."""

    def __init__(self, points: NDArray[np.float64]) -> None:
        low, high = np.quantile(points, [0.03, 0.97], axis=0)
        self.centre = (low + high) / 2
        toward = np.array([0.45, 0.32, 1.0])
        self.ahead = -toward / np.linalg.norm(toward)
        self.right = np.cross(self.ahead, [0.0, 1.0, 0.0])
        self.right /= np.linalg.norm(self.right)
        self.up = np.cross(self.right, self.ahead)
        self.distance = max(0.5, float(np.linalg.norm(high - low))) * 1.15
        self.focal = HEIGHT * FINER * 1.25

    def project(self, points: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Pixels (n, 2) and depths (n,) in metres."""
        away = points - self.centre
        depth = np.maximum(away @ self.ahead + self.distance, 1e-3)
        x = WIDTH * FINER / 2 + away @ self.right / depth * self.focal
        y = HEIGHT * FINER / 2 - away @ self.up / depth * self.focal
        return np.stack([x, y], axis=1), depth


def _draw_faces(draw: ImageDraw.ImageDraw, camera: _Camera, corners: NDArray[np.float64], normals: NDArray[np.float32]) -> None:
    pixels, depth = camera.project(corners.reshape(-1, 3))
    pixels = pixels.reshape(-1, 3, 2)
    light = 0.35 + 0.5 * np.abs(normals @ np.array([0.35, 0.85, 0.4]))
    for index in np.argsort(-depth.reshape(-1, 3).mean(axis=1)):
        shade = tuple(int(value) for value in SHAPE * light[index])
        draw.polygon([tuple(point) for point in pixels[index]], fill=shade)


def _draw_particles(
    draw: ImageDraw.ImageDraw, camera: _Camera, position: NDArray[np.float32], radius: NDArray[np.float32], color: NDArray[np.uint8], dots: float
) -> None:
    stride = max(1, len(position) // MOST_PARTICLES)
    pixels, depth = camera.project(position[::stride].astype(np.float64))
    sizes = np.full(len(depth), dots * FINER / 2) if dots else np.maximum(radius[::stride] / depth * camera.focal, 0.8)
    tint = color[::stride]
    for index in np.argsort(-depth):
        (x, y), r = pixels[index], float(sizes[index])
        if tint[index, 3] < 8 or not (-50 < x < WIDTH * FINER + 50 and -50 < y < HEIGHT * FINER + 50):
            continue
        red, green, blue = (int(value) for value in tint[index, :3])
        draw.ellipse((x - r, y - r, x + r, y + r), fill=(red * 3 // 4, green * 3 // 4, blue * 3 // 4))
        draw.ellipse((x - r * 0.75, y - r * 0.85, x + r * 0.55, y + r * 0.45), fill=(red, green, blue))
