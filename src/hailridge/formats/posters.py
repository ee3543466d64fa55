"""A small picture of a frame, drawn without a browser: shapes shaded by their slope, particles as shaded discs, back to front."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from hailridge.core.looking.observe import layers, recorded_moment
from hailridge.core.scene.assets import Assets
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.formats.sketching import Easel, draw_layer
from hailridge.model.effect import Effect

WIDTH, HEIGHT, FINER = 480, 300, 2
SHAPE = np.array([62, 75, 83], np.float64)
POSTER_AT = 0.6
"""Which part of the run a poster shows."""


def poster_of(effect: Effect, assets: Assets) -> bytes:
    """The poster of a document that is run here and now, up to the moment that posters show."""
    plan = Plan(effect, assets)
    simulation = Simulation(effect, assets, plan=plan)
    frames = list(simulation.frames(poster_frame(effect)))

    def moment_at(number: int) -> Moment:
        return recorded_moment(plan, frames[number].columns, frames[number].count, number)

    return poster_from(plan, moment_at)


def poster_frame(effect: Effect) -> int:
    """The frame that a poster shows."""
    return round(effect.clock.last_frame * POSTER_AT)


def poster_from(plan: Plan, moment_at: Callable[[int], Moment]) -> bytes:
    """The poster of a run whose moments are at hand by frame."""
    shown = moment_at(poster_frame(plan.effect))
    shown.past = moment_at
    return poster(shown)


def poster(moment: Moment) -> bytes:
    """A PNG of the moment from the stage's first point of view, 480 × 300."""
    shown = [pose.world for pose, shape in zip(moment.scene.poses, moment.scene.shapes, strict=True) if shape.visible]
    visible = [geometry for geometry in shown if len(geometry.faces)] if moment.scene.effect.picture.shapes else []
    drawn = layers(moment)
    # Particles say what there is to see; a ground plane may reach far beyond.
    places = [layer.position for layer in drawn if len(layer.position)] or [g.vertices for g in visible]
    settings = moment.scene.effect.picture
    camera = _Camera(np.concatenate(places) if places else np.zeros((1, 3)))
    if settings.camera == "own":
        camera.stand(**{name: value for name, value in moment.scene.plan.view(moment.time).items() if name != "focus"})
    canvas = np.full((HEIGHT * FINER, WIDTH * FINER, 3), np.round(np.asarray(settings.background) * 255), np.uint8)
    depths = np.full(canvas.shape[:2], np.inf)
    if visible:
        _draw_faces(canvas, depths, camera, np.concatenate([g.corners for g in visible]), np.concatenate([g.normals for g in visible]))
    image = Image.fromarray(canvas)
    easel = Easel(image, depths, camera.project, np.stack([camera.right, camera.up, -camera.ahead]), camera.focal, FINER)
    for layer in drawn:
        draw_layer(easel, moment.scene, layer)
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

    def stand(self, position: list[float], target: list[float], field_of_view: float) -> None:
        """Look from a place (m) at another, so wide (degrees, from top to bottom)."""
        self.centre = np.asarray(target, np.float64)
        away = np.asarray(position, np.float64) - self.centre
        self.distance = max(1e-3, float(np.linalg.norm(away)))
        self.ahead = -away / self.distance
        self.right = np.cross(self.ahead, [0.0, 1.0, 0.0])
        self.right /= max(1e-9, float(np.linalg.norm(self.right)))
        self.up = np.cross(self.right, self.ahead)
        self.focal = HEIGHT * FINER / (2 * float(np.tan(np.radians(field_of_view) / 2)))

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
