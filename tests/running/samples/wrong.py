"""One hangs, one ends its process, one fails, and between them are some that pass."""

from __future__ import annotations

import os
import time
import unittest


class Hanging(unittest.TestCase):
    def test_1_before(self) -> None:
        self.assertTrue(True)

    def test_2_hangs(self) -> None:
        time.sleep(300)

    def test_3_after(self) -> None:
        self.assertTrue(True)


class Ending(unittest.TestCase):
    def test_ends_its_process(self) -> None:
        os._exit(7)


class Failing(unittest.TestCase):
    def test_fails(self) -> None:
        with self.subTest("the second of two"):
            self.fail("as it should")

    def test_is_left_out(self) -> None:
        self.skipTest("not today")


class NotReady(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        raise OSError("nothing is ready")

    def test_one(self) -> None:
        self.assertTrue(True)

    def test_other(self) -> None:
        self.assertTrue(True)
