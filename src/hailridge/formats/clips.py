"""Writing clips and stills frame by frame: PNG, a numbered sequence of PNGs in a ZIP, WebM (VP9) or MP4 (H.264) through PyAV."""

from __future__ import annotations

import io
import re
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import numpy as np
from PIL import Image

from hailridge.formats.extras import MissingExtra, needed

ClipFormat = Literal["still", "png", "webm", "mp4"]

SUFFIXES: dict[str, str] = {"still": ".png", "png": ".zip", "webm": ".webm", "mp4": ".mp4"}
MEDIA: dict[str, str] = {"still": "image/png", "png": "application/zip", "webm": "video/webm", "mp4": "video/mp4"}

SHORTEST_SIDE, LONGEST_SIDE, LONGEST_VIDEO_SIDE = 16, 8192, 4096
MOST_PIXELS = 16_800_000
MOST_FRAMES = 20_000

# Constant quality: visually close to the frames, small enough to hand on.
_CODECS: dict[str, tuple[str, dict[str, str]]] = {
    "webm": ("libvpx-vp9", {"crf": "24", "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}),
    "mp4": ("libx264", {"crf": "16", "preset": "medium"}),
}


class ClipError(ValueError):
    """A clip that cannot be made as asked; the message says what to change."""


def file_stem(name: str) -> str:
    """A name in small letters, digits and hyphens, which every file system takes; empty where nothing is left of it."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")


def check_clip(form: ClipFormat, width: int, height: int, frames: int) -> None:
    """Raise ClipError where size or length cannot be written, or what writes such clips is not installed."""
    if form in _CODECS:
        try:
            needed("video")
        except MissingExtra as error:
            raise ClipError(str(error)) from None
    longest = LONGEST_VIDEO_SIDE if form in _CODECS else LONGEST_SIDE
    for side, name in ((width, "width"), (height, "height")):
        if not SHORTEST_SIDE <= side <= longest:
            raise ClipError(f"the {name} is {side} pixels; for this format it can be from {SHORTEST_SIDE} to {longest}")
        if form in _CODECS and side % 2:
            raise ClipError(f"the {name} is {side} pixels; WebM and MP4 need even numbers, {side - 1} or {side + 1} for instance")
    if width * height > MOST_PIXELS:
        raise ClipError(f"{width} × {height} are {width * height / 1e6:.0f} million pixels; the limit is {MOST_PIXELS / 1e6:.0f} million")
    if not 1 <= frames <= MOST_FRAMES:
        raise ClipError(f"{frames} frames cannot be written; the limit is {MOST_FRAMES}")


class ClipWriter:
    """Takes frames in order and writes them into one file.

    Parameters
    ----------
    path : Path
        Where the file comes to be; on `cancel` it goes.
    form : ClipFormat
        PNG still, ZIP of PNGs, WebM or MP4.
    width, height : int
        Pixels.
    frames_per_second : float
    first : int
        The number of the first frame, for the names in a sequence.
    stem : str
        What those names begin with; by default the file's own.
    """

    def __init__(
        self, path: Path, form: ClipFormat, width: int, height: int, frames_per_second: float, first: int = 0, stem: str = ""
    ) -> None:
        self.path, self.form, self.width, self.height, self.first = path, form, width, height, first
        self.stem = stem or path.stem
        self.written = 0
        self._zip: zipfile.ZipFile | None = None
        self._container: Any = None
        self._stream: Any = None
        if form == "png":
            # PNG is compressed already.
            self._zip = zipfile.ZipFile(path, "w", zipfile.ZIP_STORED)
        elif form in _CODECS:
            codec, options = _CODECS[form]
            self._container = needed("video").open(str(path), "w", format=form)
            self._stream = self._container.add_stream(codec, rate=Fraction(frames_per_second).limit_denominator(1001), options=options)
            self._stream.width, self._stream.height, self._stream.pix_fmt = width, height, "yuv420p"
            self._stream.codec_context.color_range = 1
            # BT.709, as pages and players expect of untagged pictures of this size.
            self._stream.codec_context.colorspace = self._stream.codec_context.color_primaries = self._stream.codec_context.color_trc = 1

    @property
    def frame_bytes(self) -> int:
        return self.width * self.height * 4

    def add(self, pixels: bytes) -> None:
        """One frame as rows of RGBA bytes, the top row first. ClipError where the number of bytes is wrong."""
        if len(pixels) != self.frame_bytes:
            raise ClipError(f"a frame of {self.width} × {self.height} has {self.frame_bytes} bytes; {len(pixels)} came")
        image = np.frombuffer(pixels, np.uint8).reshape(self.height, self.width, 4)
        if self._container is not None:
            frame = needed("video").VideoFrame.from_ndarray(np.ascontiguousarray(image[:, :, :3]), format="rgb24")
            frame = frame.reformat(format="yuv420p", src_colorspace="default", dst_colorspace="ITU709", dst_color_range="MPEG")
            frame.pts = self.written
            self._container.mux(self._stream.encode(frame))
        else:
            out = io.BytesIO()
            solid = bool((image[:, :, 3] == 255).all())
            Image.fromarray(image[:, :, :3] if solid else image).save(out, "PNG", compress_level=4)
            if self._zip is not None:
                self._zip.writestr(zipfile.ZipInfo(f"{self.stem}.{self.first + self.written:05d}.png"), out.getvalue())
            else:
                self.path.write_bytes(out.getvalue())
        self.written += 1

    def finish(self) -> Path:
        """Close the file; it is complete only now."""
        if self._container is not None:
            self._container.mux(self._stream.encode(None))
        self._close()
        return self.path

    def cancel(self) -> None:
        """Stop and remove what was written."""
        self._close()
        self.path.unlink(missing_ok=True)

    def _close(self) -> None:
        if self._container is not None:
            self._container.close()
            self._container = None
        if self._zip is not None:
            self._zip.close()
            self._zip = None
