"""Importing pictures, and writing stills and clips: bad input in words, files read back by other libraries."""

from __future__ import annotations

import io
import struct
import tempfile
import unittest
import zipfile
import zlib
from pathlib import Path

import av
import numpy as np
from PIL import Image

from hailridge.formats.clips import ClipError, ClipWriter, check_clip
from hailridge.formats.pictures import PictureError, picture_id, read_pictures


def png(width: int, height: int, mode: str = "RGBA", seed: int = 0) -> bytes:
    out = io.BytesIO()
    shape = (height, width, len(mode))
    Image.fromarray(np.random.default_rng(seed).integers(0, 255, shape, np.uint8)).save(out, "PNG")
    return out.getvalue()


def huge() -> bytes:
    """A small file that says it is 20 000 × 20 000 pixels."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", 20_000, 20_000, 8, 6, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(b"\0" * 1000))
        + chunk(b"IEND", b"")
    )


class Importing(unittest.TestCase):
    def test_a_sheet_and_its_cells(self) -> None:
        sheet = read_pictures([("my-flakes_2.png", png(64, 32))], 4, 2)
        self.assertEqual((sheet.name, sheet.count, sheet.width, sheet.ratio), ("my flakes 2", 8, 64, 1.0))

    def test_a_sequence_in_the_order_of_its_numbers(self) -> None:
        files = [(f"frame{number}.png", png(8, 16, seed=number)) for number in (10, 9, 1)]
        sheet = read_pictures(files)
        self.assertEqual(sheet.count, 3)
        whole = np.asarray(Image.open(io.BytesIO(sheet.png)))
        for at, number in enumerate((1, 9, 10)):
            left, upper = at % sheet.columns * 8, at // sheet.columns * 16
            given = np.asarray(Image.open(io.BytesIO(png(8, 16, seed=number))))
            np.testing.assert_array_equal(whole[upper : upper + 16, left : left + 8], given)

    def test_the_same_drawing_has_the_same_id_however_it_is_packed(self) -> None:
        loose = io.BytesIO()
        Image.open(io.BytesIO(png(16, 16))).save(loose, "PNG", compress_level=0)
        ids = {picture_id(read_pictures([("a.png", data)])) for data in (png(16, 16), loose.getvalue())}
        self.assertEqual(len(ids), 1)

    def test_bad_files_are_told_in_words(self) -> None:
        whole = png(64, 64)
        for files, cut, words in (
            ([("big.png", huge())], (1, 1), r"'big.png' is 20 000 × 20 000 pixels; .* up to 8 192 a side"),
            ([("cut.png", whole[: len(whole) // 2])], (1, 1), "'cut.png' is damaged or cut off"),
            ([("head.png", whole[:20])], (1, 1), "'head.png' is damaged"),
            ([("photo.jpg", b"\xff\xd8\xff\xe0 nothing")], (1, 1), "not a PNG file"),
            (
                [("odd.png", whole)],
                (3, 1),
                "64 pixels wide, which 3 columns do not divide evenly; 1, 2, 4, 8, 16, 32 columns would",
            ),
            ([("odd.png", whole)], (1, 0), "cannot be cut into 1 × 0"),
            (
                [("a.png", whole), ("b.png", png(32, 64))],
                (1, 1),
                "'b.png' is 32 × 64 pixels, but 'a.png' is 64 × 64",
            ),
            ([], (1, 1), "no file"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(PictureError, words):
                read_pictures(files, *cut)

    def test_five_hundred_damaged_files_never_do_worse_than_a_message(self) -> None:
        rng = np.random.default_rng(11)
        whole = bytearray(png(40, 24))
        for _ in range(500):
            damaged = bytearray(whole)
            for at in rng.integers(8, len(whole), 4):
                damaged[at] = rng.integers(0, 256)
            try:
                sheet = read_pictures([("x.png", bytes(damaged[: rng.integers(40, len(whole))]))])
                self.assertEqual(Image.open(io.BytesIO(sheet.png)).mode, "RGBA")
            except PictureError:
                pass


class Writing(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)

    def written(self, form: str, suffix: str, frames: int = 6) -> Path:
        writer = ClipWriter(Path(self.folder.name) / f"clip{suffix}", form, 64, 48, 24.0, first=3)  # type: ignore[arg-type]
        for number in range(frames):
            image = np.zeros((48, 64, 4), np.uint8)
            image[:, :, 3] = 255
            image[:24, :, 0] = 200
            image[24:, number * 8 : number * 8 + 8, 1] = 220
            writer.add(image.tobytes())
        return writer.finish()

    def test_a_still_is_exact(self) -> None:
        image = np.asarray(Image.open(self.written("still", ".png", 1)))
        self.assertEqual(image.shape, (48, 64, 3))
        self.assertEqual((image[0, 0].tolist(), image[40, 2].tolist()), ([200, 0, 0], [0, 220, 0]))

    def test_a_sequence_is_numbered_by_frame(self) -> None:
        with zipfile.ZipFile(self.written("png", ".zip")) as found:
            self.assertEqual(found.namelist()[:2], ["clip.00003.png", "clip.00004.png"])
            image = np.asarray(Image.open(io.BytesIO(found.read("clip.00005.png"))))
            self.assertEqual(image[40, 18].tolist(), [0, 220, 0])

    def test_clips_are_read_back_frame_by_frame(self) -> None:
        # Outside check: PyAV decodes what was written; red stays on top, and the green bar moves on by 8 pixels a frame.
        for form, suffix, codec in (("webm", ".webm", "vp9"), ("mp4", ".mp4", "h264")):
            with av.open(str(self.written(form, suffix))) as container:
                stream = container.streams.video[0]
                self.assertEqual(
                    (stream.codec_context.name.replace("libvpx-", ""), stream.average_rate), (codec, 24)
                )
                frames = [frame.to_ndarray(format="rgb24").astype(int) for frame in container.decode(stream)]
            self.assertEqual(len(frames), 6)
            for number, frame in enumerate(frames):
                self.assertTrue(np.abs(frame[10, 30] - [200, 0, 0]).max() < 30, frame[10, 30])
                self.assertEqual(int(frame[36, 4::8, 1].argmax()), number)

    def test_what_cannot_be_is_told(self) -> None:
        for given, words in (
            (("mp4", 1281, 720, 10), "need even numbers, 1280 or 1282"),
            (("webm", 6000, 400, 10), "from 16 to 4096"),
            (("png", 8192, 8192, 10), "million pixels"),
            (("still", 8, 8, 1), "from 16"),
            (("mp4", 640, 480, 0), "0 frames"),
        ):
            with self.assertRaisesRegex(ClipError, words):
                check_clip(*given)  # type: ignore[arg-type]
        writer = ClipWriter(Path(self.folder.name) / "x.png", "still", 64, 48, 24.0)
        with self.assertRaisesRegex(ClipError, "12288 bytes; 3 came"):
            writer.add(b"abc")

    def test_stopping_leaves_nothing_behind(self) -> None:
        writer = ClipWriter(Path(self.folder.name) / "gone.mp4", "mp4", 64, 48, 24.0)
        writer.add(bytes(writer.frame_bytes))
        writer.cancel()
        self.assertEqual(list(Path(self.folder.name).iterdir()), [])


if __name__ == "__main__":
    unittest.main()
