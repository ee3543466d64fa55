"""A small picture of a frame, drawn without a browser: shapes shaded by their slope, particles as shaded discs, back to front."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from hailridge.core.assets import Assets
from hailridge.core.drawn import Layer
from hailridge.core.engine.simulation import Simulation
from hailridge.core.moment import Moment
from hailridge.core.observe import layers, recorded_moment
from hailridge.core.orientation import turned
from hailridge.core.scene import Scene
from hailridge.model.effect import Effect

WIDTH, HEIGHT, FINER = 480, 300, 2
BACKGROUND = (16, 20, 23)
SHAPE = np.array([62, 75, 83], np.float64)
MOST_PARTICLES = 6000
POSTER_AT = 0.6
"""Which part of the run a poster shows."""


def poster_of(effect: Effect, assets: Assets) -> bytes:
    """The poster of a document that is run here and now, up to the moment that posters show."""
    simulation = Simulation(effect, assets)
    at = round(effect.clock.last_frame * POSTER_AT)
    frame = list(simulation.frames(at))[-1]
    return poster(recorded_moment(Scene(effect, assets), frame.columns, frame.count, at))


def poster(moment: Moment) -> bytes:
    """A PNG of the moment from the stage's first point of view, 480 × 300."""
    shown = [body.end.world for body in moment.scene.bodies.list if body.shape.visible]
    visible = [geometry for geometry in shown if len(geometry.faces)]
    drawn = layers(moment)
    # Particles say what there is to see; a ground plane may reach far beyond.
    places = [layer.position for layer in drawn if len(layer.position)] or [g.vertices for g in visible]
    camera = _Camera(np.concatenate(places) if places else np.zeros((1, 3)))
    canvas = np.full((HEIGHT * FINER, WIDTH * FINER, 3), BACKGROUND, np.uint8)
    depths = np.full(canvas.shape[:2], np.inf)
    if visible:
        _draw_faces(canvas, depths, camera, np.concatenate([g.corners for g in visible]), np.concatenate([g.normals for g in visible]))
    image = Image.fromarray(canvas)
    draw = ImageDraw.Draw(image)
    for layer in drawn:
        if layer.shader == "sheet":
            _draw_sheets(draw, depths, camera, layer)
        else:
            _draw_particles(draw, depths, camera, layer)
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


def _draw_faces(
    canvas: NDArray[np.uint8], depths: NDArray[np.float64], camera: _Camera, corners: NDArray[np.float64], normals: NDArray[np.float32]
) -> None:
    """Fill triangles with a depth buffer: canvas (h, w, 3), depths (h, w) metres. Those that reach behind the camera are left out."""
    corners, normals = _split(corners, normals, camera.distance * 0.4)
    pixels, depth = camera.project(corners.reshape(-1, 3))
    pixels, depth = pixels.reshape(-1, 3, 2), depth.reshape(-1, 3)
    light = 0.45 + 0.55 * np.abs(normals @ np.array([0.35, 0.85, 0.4]))
    height, width = depths.shape
    for (a, b, c), (da, db, dc), shade in zip(pixels, depth, light, strict=True):
        low = np.floor(np.minimum(np.minimum(a, b), c)).clip(0, [width, height]).astype(int)
        high = np.ceil(np.maximum(np.maximum(a, b), c)).clip(0, [width, height]).astype(int)
        area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        if min(da, db, dc) < 0.01 or abs(area) < 1e-9 or (high <= low).any():
            continue
        x, y = np.meshgrid(np.arange(low[0], high[0]) + 0.5, np.arange(low[1], high[1]) + 0.5)
        u = ((b[0] - x) * (c[1] - y) - (b[1] - y) * (c[0] - x)) / area
        v = ((c[0] - x) * (a[1] - y) - (c[1] - y) * (a[0] - x)) / area
        # Depth runs evenly in its reciprocal across the picture.
        here = 1.0 / np.maximum(u / da + v / db + (1 - u - v) / dc, 1e-9)
        box = (slice(low[1], high[1]), slice(low[0], high[0]))
        visible = (u >= 0) & (v >= 0) & (u + v <= 1) & (here < depths[box])
        depths[box][visible] = here[visible]
        canvas[box][visible] = (SHAPE * shade).astype(np.uint8)


def _split(corners: NDArray[np.float64], normals: NDArray[np.float32], longest: float) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """Quarter large triangles a few times, so that of a wide ground only the part behind the camera is left out."""
    for _ in range(5):
        edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
        large = edges > longest
        if not large.any():
            break
        a, b, c = (corners[large, k] for k in range(3))
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        quarters = [np.stack(three, axis=1) for three in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
        corners = np.concatenate([corners[~large], *quarters])
        normals = np.concatenate([normals[~large], *[normals[large]] * 4])
    return corners, normals


def _draw_particles(
    draw: ImageDraw.ImageDraw, depths: NDArray[np.float64], camera: _Camera, layer: Layer
) -> None:  # fmt: skip
    stride = max(1, len(layer.position) // MOST_PARTICLES)
    pixels, depth = camera.project(layer.position[::stride].astype(np.float64))
    radius = layer.radius[::stride]
    sizes = radius * FINER if layer.shader == "dot" else np.maximum(radius / depth * camera.focal, 0.8)
    tint = layer.color[::stride]
    for index in np.argsort(-depth):
        (x, y), r = pixels[index], float(sizes[index])
        if tint[index, 3] < 8 or not (0 <= x < WIDTH * FINER and 0 <= y < HEIGHT * FINER):
            continue
        if depth[index] > depths[int(y), int(x)] + 0.05:
            continue
        red, green, blue = (int(value) for value in tint[index, :3])
        draw.ellipse((x - r, y - r, x + r, y + r), fill=(red * 3 // 4, green * 3 // 4, blue * 3 // 4))
        draw.ellipse((x - r * 0.75, y - r * 0.85, x + r * 0.55, y + r * 0.45), fill=(red, green, blue))


def _draw_sheets(draw: ImageDraw.ImageDraw, depths: NDArray[np.float64], camera: _Camera, layer: Layer) -> None:
    """Flat rectangles, turned as the particles are, lighter the more they face the lamp."""
    stride = max(1, len(layer.position) // MOST_PARTICLES)
    place, size = layer.position[::stride].astype(np.float64), layer.radius[::stride, None].astype(np.float64)
    turn, tint = layer.extra["orientation"][::stride], layer.color[::stride]
    across, along, normal = (turned(turn, np.tile(axis, (len(place), 1))) for axis in np.eye(3)[[0, 2, 1]])
    sides = [(1, 1), (1, -1), (-1, -1), (-1, 1)]
    corners = np.stack([place + size * (across * layer.settings["ratio"] * a + along * b) for a, b in sides], axis=1)
    pixels, _depth = camera.project(corners.reshape(-1, 3))
    middle, depth = camera.project(place)
    light = 0.4 + 0.62 * np.abs(normal @ np.array([0.35, 0.75, 0.55]))
    for index in np.argsort(-depth):
        x, y = middle[index]
        if tint[index, 3] < 8 or not (0 <= x < WIDTH * FINER and 0 <= y < HEIGHT * FINER) or depth[index] > depths[int(y), int(x)] + 0.05:
            continue
        fill = tuple(int(min(255.0, value * light[index])) for value in tint[index, :3])
        draw.polygon([(float(px), float(py)) for px, py in pixels.reshape(-1, 4, 2)[index]], fill=fill)
