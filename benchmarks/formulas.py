"""Formulas: the register machine against numexpr in the same run, reading hostile text, an edit until its frame is there."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from statistics import median
from typing import Any

import numexpr
import numpy as np
from tests.core.test_formulas import hostile
from tests.support import document, rule

from benchmarks.figures import Figure, size
from benchmarks.figures import turns as repeated
from hailridge.core.formulas.formula import Formula
from hailridge.core.formulas.reading import FormulaError, Words
from hailridge.core.kinds.words import words_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect

COUNT = size(100_000)

TEN = "a * b + sin(a) * 0.5 - sqrt(abs(b)) / (1 + a * a) + exp(-b * b)"
"""Twelve operations on two numbers of each particle, as Python, numexpr and the formula language all write them."""


def _in_turns(one: Callable[[], Any], other: Callable[[], Any], turns: int = 40) -> tuple[float, float]:
    """Median seconds of two things done in turns."""
    took: tuple[list[float], list[float]] = ([], [])
    for _turn in range(repeated(turns)):
        for what, mine in zip((one, other), took, strict=True):
            begun = time.perf_counter()
            what()
            mine.append(time.perf_counter() - begun)
    return median(took[0]), median(took[1])


def formulas() -> Iterator[Figure]:
    draw = np.random.default_rng(5)
    given = {"a": draw.normal(size=COUNT), "b": draw.normal(size=COUNT), "p": draw.normal(size=(COUNT, 3)) * 3}
    words = Words({"a": "number", "b": "number", "p": "vector"})
    plain, noisy = Formula(TEN, words), Formula(f"{TEN} + noise(p)", words)

    np.testing.assert_allclose(plain(given), numexpr.evaluate(TEN, local_dict=given), rtol=1e-9)
    own, theirs = _in_turns(lambda: plain(given), lambda: numexpr.evaluate(TEN, local_dict=given))
    yield Figure(f"ten operations on {COUNT:,} particles, against numexpr", theirs / own, "times as fast", 1.4, "higher", f"{own * 1e3:.2f} ms")
    both, theirs = _in_turns(lambda: noisy(given), lambda: numexpr.evaluate(TEN, local_dict=given))
    yield Figure("the same with one noise, in numexpr's times without it", both / theirs, "times", 3, "lower", f"{both * 1e3:.2f} ms")


def hostile_formulas() -> Iterator[Figure]:
    words, slowest = words_of(read_effect(document())), 0.0
    corpus = list(dict.fromkeys(hostile()))
    for text in corpus:
        begun = time.perf_counter()
        try:
            Formula(text, words)
        except FormulaError:
            slowest = max(slowest, time.perf_counter() - begun)
    yield Figure(f"the slowest of {len(corpus)} hostile formulas is answered", slowest * 1e3, "ms", 50, "lower", in_time=True)


def formula_edit() -> Iterator[Figure]:
    """From a changed text to the next frame of 10 000 particles: the document read, the plan made, the frame computed from the one before."""
    took = []
    for turn in range(repeated(12)):
        text = f"radius = 0.02 + 0.01 * sin(age * {turn + 3})\nvelocity += vec3(0, sin(time + id), 0) * dt"
        raw = document(rule({"kind": "formula", "text": text}, id="write"), rule({"kind": "gravity"}), count=10_000, speed=2.0)
        begun = time.perf_counter()
        simulation = Simulation(read_effect(raw), MemoryAssets())
        frames = simulation.frames(1)
        next(frames)
        took.append(time.perf_counter() - begun)
    yield Figure("an edited formula at 10,000 particles, until its frame is computed", median(took) * 1e3, "ms", 100, "lower", in_time=True)


ALL = [formulas, hostile_formulas, formula_edit]
