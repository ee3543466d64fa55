"""What a run of the tests tells: each test as it ends, what failed, what took longest, and the line that counts; durations are kept for the next run."""

from __future__ import annotations

import json
import threading
import time
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

SLOWEST = 10

THOROUGH = 60.0
"""Seconds that a test with very many cases may take, where none is known."""

GUESSED = {"browser": 12.0, "web": 6.0, "runs": 6.0}
"""Seconds that a test of a package may take, where none is known from an earlier run."""


class Outcome:
    """Hears what the lanes tell. Safe to be told from several threads."""

    def __init__(self, seed: int) -> None:
        self.seed = seed
        self.lock = threading.Lock()
        self.begun = time.monotonic()
        self.counts: Counter[str] = Counter()
        self.failures: list[tuple[str, str]] = []
        self.seconds: dict[str, float] = {}
        self.busy: defaultdict[str, float] = defaultdict(float)

    def hear(self, told: dict[str, Any]) -> None:
        with self.lock:
            if "end" in told:
                self._ended(told)
            elif "setup" in told and told["seconds"] > 0.05:
                self._took(f"{told['setup']} (made ready)", told["seconds"], told["lane"])
            elif "missed" in told:
                self.counts["skipped"] += told["missed"]
                self.failures.append((told["portion"], f"{told['missed']} of its tests were not run"))

    def _ended(self, told: dict[str, Any]) -> None:
        name, outcome = told["end"], told["outcome"]
        self.counts[outcome] += 1
        if outcome == "failed":
            self.failures.append((name, f"{told['text'].rstrip()}\n(seed {self.seed}: HAILRIDGE_SEED={self.seed} draws the same again)"))
        self._took(name, told["seconds"], told["lane"], "" if outcome == "passed" else outcome.upper())
        if outcome == "failed":
            # At once, and again at the end.
            print(told["text"], flush=True)

    def _took(self, what: str, seconds: float, lane: str, word: str = "") -> None:
        self.seconds[what] = seconds
        self.busy[lane] += seconds
        print(f"{seconds:8.2f} s  {what.removeprefix('tests.')} {word}".rstrip(), flush=True)

    def close(self) -> int:
        """Tell how it went; returns the exit status."""
        for name, text in self.failures:
            print(f"\n{'=' * 100}\nFAILED {name}\n{'-' * 100}\n{text}")
        print(f"\nthe {SLOWEST} slowest:")
        for name, seconds in sorted(self.seconds.items(), key=lambda entry: -entry[1])[:SLOWEST]:
            print(f"{seconds:8.1f} s  {name.removeprefix('tests.')}")
        lanes = ", ".join(f"{lane} {seconds:.0f} s" for lane, seconds in self.busy.items())
        print(f"seed {self.seed}; {time.monotonic() - self.begun:.0f} s, of which {lanes}")
        counts = self.counts
        print(f"{counts['passed']} passed, {counts['failed']} failed, {counts['skipped']} skipped", flush=True)
        return 1 if counts["failed"] or not counts["passed"] else 0


def known(file: Path) -> dict[str, float]:
    """Durations of earlier runs by test; none where the file is missing or damaged."""
    try:
        found: dict[str, float] = json.loads(file.read_text())
    except (OSError, ValueError):
        return {}
    return found


def keep(file: Path, seconds: dict[str, float], whole: bool) -> None:
    """Keep durations for the next run: instead of those there are after a `whole` run, beside them after one of some tests."""
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(json.dumps(({} if whole else known(file)) | {name: round(value, 3) for name, value in seconds.items()}, indent=0))


def expected(portion: dict[str, Any], durations: dict[str, float]) -> float:
    """Seconds that a portion will take, by earlier runs or guessed by its package."""
    guess = THOROUGH if portion["thorough"] else next((seconds for package, seconds in GUESSED.items() if f"tests.{package}." in portion["name"]), 1.0)
    return durations.get(f"{portion['name']} (made ready)", 0.0) + sum(durations.get(test, guess) for test in portion["tests"])
