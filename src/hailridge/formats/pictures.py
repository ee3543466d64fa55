"""Importing pictures for particles: PNGs read with Pillow, checked, and laid out as one sheet of cells."""

from __future__ import annotations

import hashlib
import io
import re
import warnings
from pathlib import Path

import numpy as np
from PIL import Image

from hailridge.core.scene.assets import PictureSheet

LARGEST_FILE = 48 * 1024 * 1024
LONGEST_SIDE = 8192
"""Pixels; what graphics cards take without asking."""
MOST_PIXELS = 32_000_000
MOST_CELLS = 1024


class PictureError(ValueError):
    """A file that gives no usable picture; the message says what is wrong with it."""


def read_pictures(files: list[tuple[str, bytes]], columns: int = 1, rows: int = 1) -> PictureSheet:
    """Read one sheet that is cut into columns and rows, or several pictures of one size, in the order of the numbers in their names.

    Returns
    -------
    PictureSheet
        RGBA, re-encoded here: nothing of the given file but its pixels is kept.

    Raises
    ------
    PictureError
        Naming the file and what is wrong: kind, size, damage, cells that do not divide it, pictures of different sizes.
    """
    if not files:
        raise PictureError("no file was given")
    if len(files) > MOST_CELLS:
        raise PictureError(f"{len(files)} pictures are more than a set can hold; the limit is {MOST_CELLS}")
    if len(files) == 1:
        image = _read(*files[0])
        _check_cells(files[0][0], image, columns, rows)
        return _sheet(files[0][0], image, columns, rows, columns * rows)
    return _joined(sorted(files, key=lambda file: _natural(file[0])))


def _natural(name: str) -> list[tuple[int, str]]:
    """A key by which 2 comes before 10."""
    return [(int(piece), "") if piece.isdigit() else (0, piece.lower()) for piece in re.split(r"(\d+)", name)]


def _read(name: str, data: bytes) -> Image.Image:
    if len(data) > LARGEST_FILE:
        raise PictureError(f"'{name}' is {len(data) / 1e6:.0f} MB; the limit is {LARGEST_FILE / 1e6:.0f} MB")
    if not data.startswith(b"\x89PNG\r\n\x1a\n"):
        raise PictureError(f"'{name}' is not a PNG file; save it as PNG, which keeps its transparency")
    try:
        with warnings.catch_warnings():
            # The size is judged here, before anything is unpacked.
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            image = Image.open(io.BytesIO(data), formats=["PNG"])
    except Image.DecompressionBombError:
        width, height = int.from_bytes(data[16:20]), int.from_bytes(data[20:24])
        raise PictureError(_too_large(name, width, height)) from None
    except Exception as error:
        raise PictureError(f"'{name}' is damaged: {_reason(error)}") from None
    if max(image.size) > LONGEST_SIDE or image.width * image.height > MOST_PIXELS:
        raise PictureError(_too_large(name, *image.size))
    try:
        return _deep_grey(image) if image.mode.startswith("I") else image.convert("RGBA")
    except Exception as error:  # Pillow raises OSError, SyntaxError and others for damaged data
        raise PictureError(f"'{name}' is damaged or cut off: {_reason(error)}") from None


def _deep_grey(image: Image.Image) -> Image.Image:
    """A picture of one channel in 16 bits: Pillow would cut it off at 255 instead of rescaling it."""
    deep = np.asarray(image).astype(np.int64).clip(0, 65535)
    grey = ((deep + 128) // 257).astype(np.uint8)
    clear = image.info.get("transparency")
    solid = np.where(deep == clear, 0, 255).astype(np.uint8) if isinstance(clear, int) else np.full_like(grey, 255)
    return Image.fromarray(np.dstack([grey, grey, grey, solid]), "RGBA")


def _too_large(name: str, width: int, height: int) -> str:
    return (
        f"'{name}' is {width:,} × {height:,} pixels; a picture may have up to {LONGEST_SIDE:,} a side and {MOST_PIXELS // 1_000_000} million in all. "
        "Make it smaller; particles seldom cover more than a few hundred pixels."
    ).replace(",", " ")


def _reason(error: Exception) -> str:
    return str(error).strip().rstrip(".").lower() or type(error).__name__


def _check_cells(name: str, image: Image.Image, columns: int, rows: int) -> None:
    if columns < 1 or rows < 1 or columns * rows > MOST_CELLS:
        raise PictureError(f"'{name}' cannot be cut into {columns} × {rows}; a sheet has from 1 to {MOST_CELLS} cells")
    for size, number, what in ((image.width, columns, "columns"), (image.height, rows, "rows")):
        if size % number:
            fitting = [str(count) for count in range(1, 33) if size % count == 0]
            side = "wide" if what == "columns" else "high"
            raise PictureError(
                f"'{name}' is {size} pixels {side}, which {number} {what} do not divide evenly; {', '.join(fitting)} {what} would"
            )


def _joined(files: list[tuple[str, bytes]]) -> PictureSheet:
    images = [(name, _read(name, data)) for name, data in files]
    first, size = images[0][0], images[0][1].size
    for name, image in images:
        if image.size != size:
            both = f"'{name}' is {image.width} × {image.height} pixels, but '{first}' is {size[0]} × {size[1]}"
            raise PictureError(f"{both}; all have to be of one size")
    number = len(images)
    columns = max(1, min(number, round(float(np.sqrt(number * size[1] / size[0])))))
    rows = -(-number // columns)
    width, height = columns * size[0], rows * size[1]
    if max(width, height) > LONGEST_SIDE or width * height > MOST_PIXELS:
        raise PictureError(f"{number} pictures of {size[0]} × {size[1]} pixels are too much for one set; make them smaller, or take fewer")
    sheet = Image.new("RGBA", (width, height), (255, 255, 255, 0))
    for at, (_name, image) in enumerate(images):
        sheet.paste(image, (at % columns * size[0], at // columns * size[1]))
    return _sheet(first, sheet, columns, rows, number)


def _sheet(name: str, image: Image.Image, columns: int, rows: int, count: int) -> PictureSheet:
    out = io.BytesIO()
    image.save(out, "PNG")
    label = re.sub(r"[-_]+", " ", Path(name).stem).strip()[:80] or "Picture"
    return PictureSheet(label, columns, rows, count, image.width, image.height, out.getvalue())


def picture_id(sheet: PictureSheet) -> str:
    """A digest of what is drawn: the same set has the same id in every library."""
    cut = f"{sheet.columns} {sheet.rows} {sheet.count} ".encode()
    return hashlib.sha256(cut + np.asarray(Image.open(io.BytesIO(sheet.png))).tobytes()).hexdigest()[:32]
