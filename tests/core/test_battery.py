"""Every kind, ours or a stranger's, passes one battery (`hailridge.testing`); and the battery notices what it should."""

from __future__ import annotations

import subprocess
import sys
import unittest

from hailridge.model.kind import Kind
from hailridge.testing import check_kind
from tests.running.choosing import thorough

STRANGERS = '''
from typing import Any, ClassVar, Literal
import numpy as np
import hailridge.core
from hailridge.model import fields
from hailridge.model.parts import Action, Quantity
from hailridge.testing import check_kind

class Sound(Quantity):
    title: ClassVar[str] = "sound"
    sentence: ClassVar[str] = "sound times {much}"
    help: ClassVar[str] = "Keeps every promise."
    kind: Literal["sound"] = "sound"
    much: float = fields.number(1.0, low=0, high=2, label="How much")
    def read(self, moment, rows):
        return moment.column("age")[rows] * np.float32(self.much)

class Forgetful(Quantity):
    title: ClassVar[str] = "forgetful"
    sentence: ClassVar[str] = "forgetful"
    help: ClassVar[str] = "Gives the first rows, whichever are asked for."
    kind: Literal["forgetful"] = "forgetful"
    def read(self, moment, rows):
        return moment.column("age")[: rows.stop - rows.start if isinstance(rows, slice) else len(rows)]

class Moody(Action):
    title: ClassVar[str] = "moody"
    sentence: ClassVar[str] = "moody"
    help: ClassVar[str] = "Draws numbers that no seed decides."
    kind: Literal["moody"] = "moody"
    def act(self, moment, rows):
        moment.column("velocity")[rows] += np.float32(np.random.default_rng().random())

class Furlongs(Action):
    title: ClassVar[str] = "furlongs"
    sentence: ClassVar[str] = "go {far}"
    help: ClassVar[str] = "Far."
    kind: Literal["furlongs"] = "furlongs"
    far: float = fields.number(1.0, unit="furlong", label="How far")
    def act(self, moment, rows):
        return None

class Narrow(Action):
    title: ClassVar[str] = "narrow"
    sentence: ClassVar[str] = "narrow {much}"
    help: ClassVar[str] = "Fails at one of its limits."
    kind: Literal["narrow"] = "narrow"
    much: float = fields.number(1.0, low=0, high=2, label="How much")
    def act(self, moment, rows):
        1 / self.much

for kind in (Sound, Forgetful, Moody, Furlongs, Narrow):
    try:
        check_kind(kind)
        print(kind.title, "passes")
    except AssertionError as error:
        print(error)
'''


class EveryKind(unittest.TestCase):
    @thorough
    def test_all(self) -> None:
        for slot, members in Kind.registry.items():
            for tag, cls in members.items():
                with self.subTest(f"{slot} {tag}"):
                    check_kind(cls)


class Strangers(unittest.TestCase):
    def test_who_breaks_a_promise_is_told_from_who_keeps_it(self) -> None:
        # In a process of their own: what is registered stays registered.
        told = subprocess.run([sys.executable, "-c", STRANGERS], capture_output=True, text=True, check=True).stdout.splitlines()
        self.assertEqual(len(told), 5, told)
        for line, words in zip(
            told,
            (r"sound passes", r"quantity 'forgetful', rows: for \d+ rows other values", r"action 'moody', bytes: with three threads",
             r"action 'furlongs', words: 'far' has the unknown unit 'furlong'", r"action 'narrow', limits: 'much' at 0: ZeroDivisionError"),
            strict=True,
        ):  # fmt: skip
            self.assertRegex(line, words)
