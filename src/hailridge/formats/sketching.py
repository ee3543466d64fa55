"""Layers drawn without a graphics card, for small pictures: quick stand-ins for what the stage draws."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageChops, ImageDraw

from hailridge.core.kinds.looks.drawn import Layer
from hailridge.core.kinds.looks.instances import Instances
from hailridge.core.scene.plan import Scene
from hailridge.core.state.orientation import turned

MOST = {"picture": 1500, "form": 900, "ribbon": 30_000}
MOST_PARTICLES = 6000
LAMP = np.array([0.35, 0.75, 0.6]) / np.linalg.norm([0.35, 0.75, 0.6])
"""In the camera's own directions, as on the stage."""

Project = Callable[[NDArray[np.float64]], tuple[NDArray[np.float64], NDArray[np.float64]]]


@dataclass
class Easel:
    """Where is drawn: an image with the depth of its shapes (h, w) m, a projection to pixels and depths, the camera's right, up and back as rows
    (3, 3), pixels a metre at a depth of 1, and canvas pixels a pixel of the finished picture."""

    image: Image.Image
    depths: NDArray[np.float64]
    project: Project
    axes: NDArray[np.float64]
    focal: float
    finer: int
    cells: dict[Any, Image.Image] = field(default_factory=dict)

    def visible(self, pixels: NDArray[np.float64], depth: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which places lie in the picture and before its shapes: (n,)."""
        height, width = self.depths.shape
        inside = (pixels[:, 0] >= 0) & (pixels[:, 0] < width) & (pixels[:, 1] >= 0) & (pixels[:, 1] < height) & (depth > 0.01)
        x, y = (pixels[:, axis].clip(0, limit - 1).astype(int) for axis, limit in ((0, width), (1, height)))
        return np.asarray(inside & (depth <= self.depths[y, x] + 0.05))


def draw_layer(easel: Easel, scene: Scene, layer: Layer) -> None:
    """Draw one look, far to near, thinned out where there is too much of it."""
    if layer.shader == "ribbon":
        _ribbons(easel, layer)
        return
    stride = max(1, -(-len(layer.radius) // MOST.get(layer.shader, MOST_PARTICLES)))
    pixels, depth = easel.project(layer.position[::stride].astype(np.float64))
    seen = np.flatnonzero(easel.visible(pixels, depth) & (layer.color[::stride, 3] >= 8))
    order = seen[np.argsort(-depth[seen], kind="stable")]
    rows = order * stride
    sizes = layer.radius[rows] * easel.finer if layer.shader == "dot" else np.maximum(layer.radius[rows] / depth[order] * easel.focal, 0.8)
    if layer.shader == "picture":
        _pictures(easel, scene, layer, rows, pixels[order], sizes)
    elif layer.shader == "sheet":
        _sheets(easel, layer, rows)
    elif layer.shader == "form":
        _forms(easel, scene, layer, rows)
    elif layer.settings.get("softness", 0) > 0:
        soft = Layer(**{**vars(layer), "extra": {"cell": np.zeros(len(layer.radius), np.int16)}, "settings": {**layer.settings, **_SOFT}})
        _pictures(easel, scene, soft, rows, pixels[order], sizes)
    else:
        _balls(easel, layer, rows, pixels[order], sizes)


_SOFT = {"picture": "soft", "columns": 1, "rows": 1, "ratio": 1.0, "facing": "camera"}


def _balls(easel: Easel, layer: Layer, rows: NDArray[np.intp], pixels: NDArray[np.float64], sizes: NDArray[Any]) -> None:
    draw = ImageDraw.Draw(easel.image, "RGBA")
    for row, (x, y), size in zip(rows, pixels, sizes, strict=True):
        red, green, blue, solid = (int(value) for value in layer.color[row])
        r = float(size)
        if layer.shader != "ball":
            draw.ellipse((x - r, y - r, x + r, y + r), fill=(red, green, blue, solid))
            continue
        draw.ellipse((x - r, y - r, x + r, y + r), fill=(red * 3 // 4, green * 3 // 4, blue * 3 // 4, solid))
        draw.ellipse((x - r * 0.75, y - r * 0.85, x + r * 0.55, y + r * 0.45), fill=(red, green, blue, solid))


def _sheets(easel: Easel, layer: Layer, rows: NDArray[np.intp]) -> None:
    """Flat rectangles, turned as the particles are, lighter the more they face the lamp."""
    draw = ImageDraw.Draw(easel.image, "RGBA")
    across, along, light = _turned_sheet(easel, layer, rows, float(layer.settings["ratio"]), 1.0)
    place = layer.position[rows].astype(np.float64)
    corners = np.stack([place + across * a + along * b for a, b in ((1, 1), (1, -1), (-1, -1), (-1, 1))], axis=1)
    pixels, _depth = easel.project(corners.reshape(-1, 3))
    for row, outline, shade in zip(rows, pixels.reshape(-1, 4, 2), light, strict=True):
        fill = tuple(int(min(255.0, value * shade)) for value in layer.color[row, :3])
        draw.polygon([(float(x), float(y)) for x, y in outline], fill=(*fill, int(layer.color[row, 3])))


def _turned_sheet(easel: Easel, layer: Layer, rows: NDArray[np.intp], wide: float, long: float) -> tuple[Any, Any, Any]:
    """Half edges (k, 3) m of sheets turned as their particles are, and how light they are (k,)."""
    turn, size = layer.extra["orientation"][rows], layer.radius[rows, None].astype(np.float64)
    x, z, y = (turned(turn, np.tile(axis, (len(rows), 1))) for axis in np.eye(3)[[0, 2, 1]])
    return x * size * wide, z * size * long, 0.4 + 0.62 * np.abs(y @ easel.axes.T @ LAMP)


def _pictures(easel: Easel, scene: Scene, layer: Layer, rows: NDArray[np.intp], pixels: NDArray[np.float64], sizes: NDArray[Any]) -> None:
    """Cells of a sheet, stretched over the parallelogram that each particle's picture covers."""
    ratio = float(layer.settings["ratio"])
    wide, long = (1.0, 1 / ratio) if ratio > 1 else (ratio, 1.0)
    if layer.settings["facing"] == "own":
        across, along, light = _turned_sheet(easel, layer, rows, wide, long)
        place = layer.position[rows].astype(np.float64)
        right, _d = easel.project(place + across)
        top, _d = easel.project(place - along)
        edges = np.stack([right - pixels, top - pixels], axis=1)
    else:
        roll = layer.extra.get("roll", np.zeros(len(layer.radius), np.float32))[rows].astype(np.float64)
        cos, sin, size = np.cos(roll), np.sin(roll), sizes.astype(np.float64)
        # Pixels run downward.
        edges = np.stack([np.stack([cos, -sin], axis=1) * wide * size[:, None], np.stack([-sin, -cos], axis=1) * long * size[:, None]], axis=1)
        light = np.ones(len(rows))
    for row, middle, (right_, top_), shade in zip(rows, pixels, edges, light, strict=True):
        _paste(easel, _cell(easel, scene, layer, int(layer.extra["cell"][row])), middle, right_, top_, layer.color[row], float(shade), layer)


def _cell(easel: Easel, scene: Scene, layer: Layer, number: int) -> Image.Image:
    key = (layer.settings["picture"], number)
    if key not in easel.cells:
        sheet = scene.plan.picture(key[0])
        whole = Image.open(io.BytesIO(sheet.png)).convert("RGBA")
        width, height = sheet.width // sheet.columns, sheet.height // sheet.rows
        left, upper = number % sheet.columns * width, number // sheet.columns * height
        easel.cells[key] = whole.crop((left, upper, left + width, upper + height)).resize((min(width, 96), max(1, min(width, 96) * height // width)))
    return easel.cells[key]


def _paste(easel: Easel, cell: Image.Image, middle: Any, right: Any, top: Any, color: Any, shade: float, layer: Layer) -> None:
    reach = np.abs(right) + np.abs(top)
    low = np.maximum(np.floor(middle - reach), 0).astype(int)
    high = np.minimum(np.ceil(middle + reach) + 1, easel.image.size).astype(int)
    area = right[0] * top[1] - right[1] * top[0]
    if (high <= low).any() or abs(area) < 0.5:
        return
    # From pixels back into the cell: x = u across, y = v up, each −1 to 1.
    inverse = np.array([[top[1], -top[0]], [-right[1], right[0]]]) / area
    flip = np.array([[cell.width / 2, 0], [0, -cell.height / 2]])
    matrix = flip @ inverse
    offset = matrix @ (low + 0.5 - middle) + np.array([cell.width / 2, cell.height / 2])
    size = (int(high[0] - low[0]), int(high[1] - low[1]))
    data = (*matrix[0], float(offset[0]), *matrix[1], float(offset[1]))
    stretched = np.asarray(cell.transform(size, Image.Transform.AFFINE, data, Image.Resampling.BILINEAR), np.float32)
    tint = np.clip(stretched[:, :, :3] * (color[:3].astype(np.float32) / 255 * shade), 0, 255)
    solid = stretched[:, :, 3] * (float(color[3]) / 255)
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    if layer.settings.get("mixing") == "light":
        added = Image.fromarray((tint * solid[:, :, None] / 255).astype(np.uint8))
        easel.image.paste(ImageChops.add(easel.image.crop(box), added), box)
    else:
        easel.image.paste(Image.fromarray(tint.astype(np.uint8)), box, Image.fromarray(solid.astype(np.uint8)))


def _forms(easel: Easel, scene: Scene, layer: Layer, rows: NDArray[np.intp]) -> None:
    """Solid forms, their faces far to near."""
    look: Any = next(look for look in scene.effect.looks if isinstance(look, Instances) and look.id == layer.look)
    shapes, starts = look.forms(scene), np.asarray(layer.settings["starts"])
    draw = ImageDraw.Draw(easel.image, "RGBA")
    for row in rows:
        shape = shapes[min(int(np.searchsorted(starts, row, side="right")) - 1, len(shapes) - 1)]
        turn = np.tile(layer.extra["orientation"][row], (len(shape.vertices), 1))
        world = turned(turn, shape.vertices.astype(np.float64)) * float(layer.radius[row]) + layer.position[row]
        pixels, depth = easel.project(world)
        corners = world[shape.faces]
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]) @ easel.axes.T
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
        light = 0.36 + 0.62 * np.maximum(0, normals @ LAMP)
        front = np.flatnonzero(normals[:, 2] > 0)
        for face in front[np.argsort(-depth[shape.faces[front]].mean(axis=1))]:
            fill = tuple(int(min(255.0, value * light[face])) for value in layer.color[row, :3])
            draw.polygon([(float(x), float(y)) for x, y in pixels[shape.faces[face]]], fill=(*fill, int(layer.color[row, 3])))


def _ribbons(easel: Easel, layer: Layer) -> None:
    points, color = layer.extra["points"], layer.color
    if len(points) < 2:
        return
    pixels, depth = easel.project(points[:, :3].astype(np.float64))
    seen = easel.visible(pixels, depth)
    widths = np.maximum(points[:, 3] / np.maximum(depth, 1e-6) * easel.focal * 2, 1.0)
    solid = color[:, 3].astype(np.float64) * np.clip(points[:, 3] / np.maximum(depth, 1e-6) * easel.focal * 2, 0.3, 1.0)
    # Pieces between lines, and their doubled ends, have no width on both sides.
    real = np.flatnonzero((points[:-1, 3] + points[1:, 3] > 0) & seen[:-1] & seen[1:])
    for at in real[:: max(1, -(-len(real) // MOST["ribbon"]))]:
        fill = (*(int(value) for value in color[at, :3]), int((solid[at] + solid[at + 1]) / 2))
        ImageDraw.Draw(easel.image, "RGBA").line([tuple(pixels[at]), tuple(pixels[at + 1])], fill=fill, width=max(1, round(widths[at])))
