"""Draws the picture sets that ship: white drawings with transparency, so that particles tint them; sheets of square cells.

Every drawing is made here from noise, discs and lines with fixed seeds; nothing is taken from elsewhere.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

OUT = Path(__file__).parent.parent / "src/hailridge/core/scene/pictures"
CELL = 128


def grid(size: int = CELL) -> tuple[np.ndarray, np.ndarray]:
    at = (np.arange(size) + 0.5) / size * 2 - 1
    return np.meshgrid(at, at)


def clouds(rng: np.random.Generator, size: int, octaves: int = 5, coarse: int = 3) -> np.ndarray:
    """Value noise of several octaves, 0–1: (size, size)."""
    total, strength = np.zeros((size, size)), 1.0
    for octave in range(octaves):
        cells = coarse * 2**octave
        field = Image.fromarray((rng.random((cells + 2, cells + 2)) * 255).astype(np.uint8))
        total += np.asarray(field.resize((size, size), Image.Resampling.BICUBIC), float) / 255 * strength
        strength *= 0.55
    return (total - total.min()) / (total.max() - total.min())


def picture(light: np.ndarray, solid: np.ndarray) -> Image.Image:
    """Grey `light` and opacity `solid` (both 0–1) as an image; what cannot be seen is white, so that edges do not darken."""
    bytes_ = [(np.clip(channel, 0, 1) * 255 + 0.5).astype(np.uint8) for channel in (light, light, light, solid)]
    return Image.fromarray(np.stack(bytes_, axis=-1), "RGBA")


def soft(_rng: np.random.Generator, _index: int) -> Image.Image:
    x, y = grid()
    far = np.clip(1 - np.hypot(x, y), 0, 1)
    return picture(np.ones_like(x), far * far * (3 - 2 * far))


def puff(rng: np.random.Generator, _index: int) -> Image.Image:
    x, y = grid()
    noise = clouds(rng, CELL)
    reach = np.hypot(x, y) + (noise - 0.5) * 0.75
    body = np.clip((0.82 - reach) / 0.55, 0, 1)
    body = body * body * (3 - 2 * body) * np.clip((1 - np.hypot(x, y)) / 0.18, 0, 1)
    light = 0.72 + 0.28 * np.clip((-y * 0.7 - x * 0.3) * 0.6 + noise * 0.8, 0, 1)
    return picture(light, body * (0.55 + 0.45 * noise))


def flake(rng: np.random.Generator, _index: int) -> Image.Image:
    """A snow crystal: one arm with its branches, drawn six times."""
    size = CELL * 4
    image = Image.new("L", (size, size), 0)
    draw = ImageDraw.Draw(image)
    branches = [(float(rng.uniform(0.25, 0.9)), float(rng.uniform(0.12, 0.34))) for _ in range(int(rng.integers(2, 5)))]
    reach, plate = float(rng.uniform(0.82, 0.94)), float(rng.uniform(0.1, 0.28))
    for arm in range(6):
        turn = arm * np.pi / 3 + np.pi / 6
        along, aside = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
        end = lambda at: tuple((at * size / 2 + size / 2).tolist())  # noqa: E731
        draw.line([end(along * 0), end(along * reach)], fill=255, width=size // 34)
        for at, length in branches:
            for side in (1, -1):
                tip = along * (at + length * 0.5) + aside * length * 0.866 * side
                if np.hypot(*tip) < 0.97:
                    draw.line([end(along * at), end(tip)], fill=230, width=size // 46)
    corners = [(np.cos(a) * plate, np.sin(a) * plate) for a in np.arange(6) * np.pi / 3]
    draw.polygon([((x + 1) * size / 2, (y + 1) * size / 2) for x, y in corners], fill=170)
    solid = np.asarray(image.filter(ImageFilter.GaussianBlur(2.5)).resize((CELL, CELL), Image.Resampling.LANCZOS), float) / 255
    return picture(np.ones((CELL, CELL)), solid)


def spark(rng: np.random.Generator, _index: int) -> Image.Image:
    """A bright core with rays of uneven length."""
    x, y = grid()
    far, turn = np.hypot(x, y), np.arctan2(y, x)
    glow = np.exp(-far * far * 22) + 0.35 * np.clip(1 - far, 0, 1) ** 3
    for _ in range(int(rng.integers(5, 8))):
        angle, length, width = rng.uniform(0, 2 * np.pi), rng.uniform(0.5, 0.97), rng.uniform(0.012, 0.03)
        across = np.abs(far * np.sin(turn - angle))
        ahead = np.where(np.cos(turn - angle) > 0, np.clip(1 - far / length, 0, 1), 0)
        glow += ahead**1.5 * np.exp(-((across / width) ** 2))
    return picture(np.ones_like(x), glow * np.clip((1 - far) / 0.1, 0, 1))


def slip(rng: np.random.Generator, index: int) -> Image.Image:
    """A torn slip of a weather log: ruled paper with a drawn sign (sun, cloud, flake, gust, drops, pressure)."""
    size = CELL * 3
    image = Image.new("RGBA", (size, size), (255, 255, 255, 0))
    draw = ImageDraw.Draw(image)
    left, right, top, bottom = size * 0.2, size * 0.8, size * 0.04, size * 0.96
    torn = [(left + (right - left) * k / 14, bottom - float(rng.uniform(0, size * 0.045))) for k in range(15)]
    draw.polygon([(left, top), (right, top), *reversed(torn)], fill=(255, 255, 255, 255))
    for k in range(1, 10):
        y = top + (bottom - top) * k / 10.5
        draw.line([(left + 14, y), (right - 14, y)], fill=(205, 216, 222, 255), width=3)
    ink, c, r = (66, 82, 96, 255), (size / 2, size * 0.4), size * 0.15
    box = lambda x, y, s: (x - s, y - s, x + s, y + s)  # noqa: E731
    if index == 0:
        draw.ellipse(box(*c, r * 0.6), outline=ink, width=9)
        for k in range(8):
            a = k * np.pi / 4
            draw.line([(c[0] + np.cos(a) * r * 0.85, c[1] + np.sin(a) * r * 0.85), (c[0] + np.cos(a) * r * 1.25, c[1] + np.sin(a) * r * 1.25)], fill=ink, width=9)
    elif index == 1:
        for dx, dy, s in ((-0.6, 0.15, 0.55), (0.05, -0.2, 0.75), (0.7, 0.2, 0.5)):
            draw.ellipse(box(c[0] + dx * r, c[1] + dy * r, s * r), fill=ink)
        draw.rectangle((c[0] - 0.7 * r, c[1], c[0] + 0.75 * r, c[1] + 0.7 * r), fill=ink)
    elif index == 2:
        for k in range(3):
            a = k * np.pi / 3
            draw.line([(c[0] - np.cos(a) * r * 1.2, c[1] - np.sin(a) * r * 1.2), (c[0] + np.cos(a) * r * 1.2, c[1] + np.sin(a) * r * 1.2)], fill=ink, width=11)
    elif index == 3:
        for k, reach in enumerate((1.3, 1.0, 0.7)):
            y = c[1] + (k - 1) * r * 0.6
            draw.line([(c[0] - r * 1.2, y), (c[0] + r * reach * 0.7, y)], fill=ink, width=10)
            draw.arc(box(c[0] + r * reach * 0.7, y - r * 0.22, r * 0.22), -90, 90, fill=ink, width=10)
    elif index == 4:
        for dx, dy in ((-0.7, -0.3), (0.1, 0.2), (0.8, -0.35)):
            x, y = c[0] + dx * r, c[1] + dy * r
            draw.polygon([(x, y - r * 0.6), (x - r * 0.3, y + r * 0.1), (x + r * 0.3, y + r * 0.1)], fill=ink)
            draw.ellipse(box(x, y + r * 0.12, r * 0.31), fill=ink)
    else:
        draw.arc(box(*c, r), 150, 390, fill=ink, width=10)
        draw.line([c, (c[0] + r * 0.65, c[1] - r * 0.55)], fill=ink, width=10)
        draw.ellipse(box(*c, r * 0.12), fill=ink)
    for k in range(3):
        y = size * (0.66 + 0.08 * k)
        draw.line([(left + 26, y), (left + 26 + float(rng.uniform(0.3, 0.75)) * (right - left), y)], fill=(120, 136, 148, 255), width=6)
    return image.resize((CELL, CELL), Image.Resampling.LANCZOS)


def wisp(rng: np.random.Generator, index: int) -> Image.Image:
    """A flame that licks upward, one phase of eight that run into one another."""
    x, y = grid()
    phase = index / 8 * 2 * np.pi
    bend = 0.16 * np.sin(3.1 * y - phase) + 0.07 * np.sin(6.7 * y + 2 * phase + 1)
    height = (1 - y) / 2
    width = 0.42 * np.clip(1 - height, 0, 1) ** 0.7 * np.clip(height / 0.18, 0, 1) ** 0.5 + 1e-3
    inside = np.clip(1 - np.abs(x - bend * height * 1.4) / width, 0, 1)
    return picture(0.7 + 0.3 * inside, inside**1.3 * np.clip(height / 0.08, 0, 1) * np.clip((1 - height) / 0.1, 0, 1))


SETS: dict[str, tuple[str, Callable[[np.random.Generator, int], Image.Image], int, int]] = {
    "soft": ("Soft round", soft, 1, 1),
    "puffs": ("Puffs of vapour", puff, 4, 2),
    "flakes": ("Snow crystals", flake, 4, 2),
    "sparks": ("Sparks", spark, 4, 1),
    "wisps": ("Flame, eight phases", wisp, 4, 2),
    "slips": ("Slips of a weather log", slip, 3, 2),
}


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    index = {}
    for number, (key, (name, draw, columns, rows)) in enumerate(SETS.items()):
        sheet = Image.new("RGBA", (columns * CELL, rows * CELL), (255, 255, 255, 0))
        rng = np.random.default_rng(100 + number)
        for cell in range(columns * rows):
            sheet.paste(draw(rng, cell), (cell % columns * CELL, cell // columns * CELL))
        sheet.save(OUT / f"{key}.png", optimize=True)
        index[key] = {"name": name, "columns": columns, "rows": rows, "count": columns * rows, "width": sheet.width, "height": sheet.height}
    (OUT / "index.json").write_text(json.dumps(index, indent=1) + "\n")


if __name__ == "__main__":
    main()
