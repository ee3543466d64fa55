"""Kernels: compiled for declared types and no others, shared out among threads without a trace, kept by their contents."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

import hailridge
from hailridge.core.kernels import noise, philox, threads, tree
from hailridge.core.kernels.array_types import Int64
from hailridge.core.kernels.compiling import KERNELS, Spans, kernel

SOURCE = Path(hailridge.__file__).parent


class Threads(unittest.TestCase):
    def tearDown(self) -> None:
        threads.use_threads(threads._available())

    def test_the_number_of_threads_cannot_be_seen(self) -> None:
        random = np.random.default_rng(3)
        places = random.normal(0, 4, (30_001, 3)).astype(np.float32)
        keys = random.integers(0, 2**63, 30_001).astype(np.uint64)
        corners = random.normal(0, 1, (200, 3, 3))
        order, bounds, links = tree.build(corners.min(axis=1), corners.max(axis=1))
        triangles = np.zeros((200, 13))
        triangles[:, :9] = corners[order].reshape(200, 9)
        found = []
        for number in (1, 2, 5):
            threads.use_threads(number)
            flow, drawn = np.empty((30_001, 3), np.float32), np.empty((30_001, 4), np.float32)
            noise.curl(30_001, places, np.float32(0.5), np.int64(3), np.float32(0.5), np.float32(0.3), np.uint32(5), flow)
            philox.uniforms(30_001, keys, np.uint64(7), np.uint64(0), np.uint64(1), drawn)
            near, far, faces = np.empty((30_001, 3)), np.empty(30_001), np.empty(30_001, np.int32)
            tree.closest(30_001, places.astype(np.float64), triangles, bounds, links, np.float64(np.inf), near, far, faces)
            found.append([array.tobytes() for array in (flow, drawn, near, far, faces)])
        self.assertEqual(found[0], found[1])
        self.assertEqual(found[0], found[2])

    def test_every_item_is_done_once_and_spans_keep_together(self) -> None:
        threads.use_threads(3)
        for size in (0, 1, 63, 64, 65, 1000, 4097):
            done, begins = np.zeros(size, np.int64), []

            def work(begin: int, end: int, out: np.ndarray, begun: list[int]) -> None:
                out[begin:end] += 1
                begun.append(begin)

            threads.shared_out(work, size, (done, begins), 64)
            self.assertTrue((done == 1).all(), size)
            self.assertTrue(all(begin % 64 == 0 for begin in begins))

    def test_what_fails_in_another_thread_is_told_here(self) -> None:
        threads.use_threads(2)

        def work(begin: int, _end: int) -> None:
            raise ValueError(f"span {begin}")

        for _ in range(20):
            with self.assertRaisesRegex(ValueError, "span"):
                threads.shared_out(work, 100, (), 1)


class Compiling(unittest.TestCase):
    def test_nothing_compiles_for_other_types(self) -> None:
        out = np.empty((4, 4), np.float32)
        with self.assertRaises(TypeError):
            noise.noise(4, np.zeros((4, 3)), np.uint32(1), out)  # double precision
        with self.assertRaises(TypeError):
            noise.noise(4, np.zeros((4, 6), np.float32)[:, ::2], np.uint32(1), out)  # not in one piece
        self.assertEqual(len(noise.noise.ready().signatures), 1)

    def test_what_is_only_read_may_be_locked(self) -> None:
        places = np.full((4, 3), 0.3, np.float32)
        open_, locked = np.empty((4, 4), np.float32), np.empty((4, 4), np.float32)
        noise.noise(4, places, np.uint32(1), open_)
        places.flags.writeable = False
        noise.noise(4, places, np.uint32(1), locked)
        np.testing.assert_array_equal(open_, locked)

    def test_every_kernel_declares_types_and_says_what_it_does(self) -> None:
        self.assertGreater(len(KERNELS), 25)
        for each in KERNELS:
            self.assertTrue(each.signature, each.name)
            self.assertTrue(each.function.__doc__, each.name)
            if isinstance(each, Spans):
                self.assertEqual(each.function.__code__.co_varnames[:2], ("begin", "end"), each.name)

    def test_a_parameter_without_a_type_is_refused_when_declared(self) -> None:
        with self.assertRaisesRegex(TypeError, "fill: 'out' has no type"):

            @kernel()
            def fill(begin: Int64, end: Int64, out) -> None:  # type: ignore[no-untyped-def]
                pass


class Kept(unittest.TestCase):
    """The cache is found again after the program was moved, and is made anew where a kernel was changed."""

    def test_by_contents(self) -> None:
        folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, folder)

        def place(sources: Path) -> str:
            command = [sys.executable, "-P", str(sources / "cached.py")]
            return subprocess.run(command, capture_output=True, text=True, check=True, env=os.environ | {"HAILRIDGE_CACHE": str(folder)}).stdout

        here = place(SOURCE / "core" / "kernels")
        moved = folder / "elsewhere"
        shutil.copytree(SOURCE / "core" / "kernels", moved)
        self.assertEqual(place(moved), here)
        with (moved / "vectors.py").open("a") as file:
            file.write("\n")
        self.assertNotEqual(place(moved), here)
