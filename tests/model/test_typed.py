"""Numbers as they are typed, against cases worked out by hand; the page reads the same cases (browser.test_units)."""

from __future__ import annotations

import json
import unittest
from math import isclose
from pathlib import Path
from typing import get_args

from hailridge.model.typed import Reading, Unreadable, typed
from hailridge.model.units import MEASURES, UNITS, OwnUnit

CASES = json.loads((Path(__file__).resolve().parents[1] / "samples" / "typed_numbers.json").read_text("utf-8"))


class Typed(unittest.TestCase):
    def test_cases(self) -> None:
        for case in CASES:
            reading = Reading(case.get("unit"), case.get("fps", 24), case.get("present"), case.get("base"), case.get("share", False))
            with self.subTest(case["text"], unit=case.get("unit")):
                if "fault" in case:
                    with self.assertRaises(Unreadable) as told:
                        typed(case["text"], reading)
                    self.assertEqual(str(told.exception), case["fault"])
                else:
                    self.assertTrue(isclose(typed(case["text"], reading), case["value"], rel_tol=1e-12))

    def test_every_unit_can_be_typed_as_it_is_written(self) -> None:
        """A value is copied as it reads."""
        for unit, written in UNITS.items():
            if written and unit != "N":
                with self.subTest(unit):
                    self.assertEqual(typed(f"3 {written}", Reading(unit)), 0.03 if unit == "share" else 3)
        self.assertLessEqual(set(get_args(OwnUnit)) - {""}, set(MEASURES))
