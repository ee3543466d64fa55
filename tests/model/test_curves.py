"""Curves of numbers where only numbers mean something."""

from __future__ import annotations

import unittest

from hailridge.model.validation import DocumentError, read_effect
from tests.support import document


class NumbersOnly(unittest.TestCase):
    def test_a_falloff_drawn_by_vectors_is_refused_in_words(self) -> None:
        # Its share came out three wide, and a speed limit within it ended the run.
        keys = [{"at": 0.0, "value": [1.0, 1.0, 1.0]}, {"at": 1.0, "value": [0.0, 0.0, 0.0]}]
        field = {"kind": "falloff", "id": "f", "label": "F", "shape": "point", "course": "drawn", "curve": {"keys": keys}}
        with self.assertRaises(DocumentError) as refused:
            read_effect(document(fields=[field]))
        self.assertIn("have to be numbers", str(refused.exception))
