"""Writes the colour ramps that ship: 256 colours each, six hexadecimal digits a colour.

viridis, plasma, magma and cividis are read from Matplotlib (their data is in the public domain, CC0). The others are ours: lightness rises evenly in
OKLab (Ottosson 2020, from memory) between hand-picked colours, so that they read as evenly as the first four; they begin light enough to be seen on
a dark stage.
"""

from __future__ import annotations

import json
from pathlib import Path

import matplotlib
import numpy as np

OUT = Path(__file__).parent.parent / "src/hailridge/core/kinds/looks/data/ramps.json"
BORROWED = ["viridis", "plasma", "magma", "cividis"]
OURS = {
    "rime": ["#35618f", "#4f8db4", "#7fb6cd", "#b8dde4", "#f4fbfa"],
    "lantern": ["#8a3f1d", "#b9601f", "#d78a35", "#ecbd66", "#fdf3cf"],
    "lichen": ["#3a6153", "#5f8751", "#8ba556", "#c0c46c", "#f3efc6"],
    "dusk": ["#6a4285", "#95497a", "#c4686f", "#e59a72", "#fbdcae"],
}
LMS = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005]])
LAB = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]])


def linear(encoded: np.ndarray) -> np.ndarray:
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def encoded(light: np.ndarray) -> np.ndarray:
    light = np.clip(light, 0, 1)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


def between(colors: list[str]) -> np.ndarray:
    rgb = np.array([[int(color[k : k + 2], 16) / 255 for k in (1, 3, 5)] for color in colors])
    lab = np.cbrt(linear(rgb) @ LMS.T) @ LAB.T
    # Evenly in lightness: hue and chroma follow where they were picked.
    lightness = np.linspace(lab[0, 0], lab[-1, 0], 256)
    mixed = np.stack([lightness, *(np.interp(lightness, lab[:, 0], lab[:, axis]) for axis in (1, 2))], axis=1)
    return encoded((mixed @ np.linalg.inv(LAB).T) ** 3 @ np.linalg.inv(LMS).T)


def main() -> None:
    tables = {name: matplotlib.colormaps[name](np.arange(256))[:, :3] for name in BORROWED}
    tables |= {name: between(colors) for name, colors in OURS.items()}
    packed = {name: "".join(f"{round(float(value) * 255):02x}" for value in table.ravel()) for name, table in tables.items()}
    OUT.write_text(json.dumps(packed, indent=1) + "\n")


if __name__ == "__main__":
    main()
