"""One of the processes that run tests: is given portions, tells what becomes of each test. Spoken with in lines of JSON."""

from __future__ import annotations

import faulthandler
import json
import os
import signal
import sys
import time
import traceback
import unittest
import warnings
from typing import Any, TextIO

LONGEST = float(os.environ.get("HAILRIDGE_LONGEST", "600"))
"""Seconds that one test, or what is made ready for a class, may take: then the process ends with the lines at which every thread stands."""


class Telling(unittest.TestResult):
    """Tells each test's beginning, end and outcome; ends the process when one does not come to its end."""

    def __init__(self, told: TextIO, trace: TextIO) -> None:
        super().__init__()
        self.told, self.trace = told, trace
        self.texts: list[str] = []
        self.outcome = "passed"
        self.begun = 0.0

    def tell(self, **what: Any) -> None:
        self.told.write(json.dumps(what) + "\n")
        self.told.flush()

    def watch(self) -> None:
        faulthandler.dump_traceback_later(LONGEST, exit=True, file=self.trace)

    def startTest(self, test: unittest.TestCase) -> None:
        super().startTest(test)
        self.texts, self.outcome = [], "passed"
        self.tell(begin=test.id())
        self.watch()
        self.begun = time.perf_counter()

    def stopTest(self, test: unittest.TestCase) -> None:
        seconds = time.perf_counter() - self.begun
        self.watch()
        super().stopTest(test)
        self.tell(end=test.id(), outcome=self.outcome, seconds=seconds, text="\n".join(self.texts))

    def _went_wrong(self, test: Any, error: Any) -> None:
        self.outcome = "failed"
        self.texts.append(self._exc_info_to_string(error, test))  # type: ignore[attr-defined]
        if not isinstance(test, unittest.TestCase):
            # What is made ready for a whole class: no test of it has begun.
            self.tell(end=str(test), outcome="failed", seconds=0.0, text=self.texts.pop())

    def addError(self, test: Any, err: Any) -> None:
        self._went_wrong(test, err)

    def addFailure(self, test: Any, err: Any) -> None:
        self._went_wrong(test, err)

    def addSubTest(self, test: unittest.TestCase, subtest: Any, err: Any) -> None:
        if err is not None:
            self._went_wrong(test, err)
            self.texts[-1] = f"{subtest._subDescription()}\n{self.texts[-1]}"

    def addSkip(self, test: Any, reason: str) -> None:
        self.outcome = "skipped"
        if not isinstance(test, unittest.TestCase):
            self.tell(end=str(test), outcome="skipped", seconds=0.0, text=reason)

    def addUnexpectedSuccess(self, test: unittest.TestCase) -> None:
        self.outcome = "failed"
        self.texts.append("it was expected to fail, and passed")


class Timed(unittest.TestSuite):
    """Tells how long it takes to make a class ready."""

    def _handleClassSetUp(self, test: Any, result: Any) -> None:
        begun = time.perf_counter()
        new = getattr(result, "_previousTestClass", None) is not type(test)
        super()._handleClassSetUp(test, result)  # type: ignore[misc]
        if new:
            result.tell(setup=f"{type(test).__module__}.{type(test).__qualname__}", seconds=time.perf_counter() - begun)


def main(asked: TextIO, told: TextIO, trace: TextIO) -> None:
    """Serve until there is nothing more to be done."""
    warnings.simplefilter("ignore", DeprecationWarning)
    faulthandler.enable(trace)
    result = Telling(told, trace)
    loader = unittest.TestLoader()
    loader.suiteClass = Timed
    from tests import sharing
    from tests.running.choosing import portions

    try:
        for line in asked:
            wanted = json.loads(line)
            result.watch()
            if "choose" in wanted:
                try:
                    result.tell(chosen=[portion.told() for portion in portions(wanted["choose"])])
                except LookupError as error:
                    result.tell(refused=str(error))
            else:
                suite = loader.loadTestsFromNames(wanted["tests"])
                # Warnings of libraries about themselves are not ours to see each time.
                with warnings.catch_warnings():
                    suite.run(result)
                result._previousTestClass = None  # type: ignore[attr-defined]
                result.tell(over=True)
            faulthandler.cancel_dump_traceback_later()
    except Exception:
        traceback.print_exc()
        raise
    finally:
        faulthandler.cancel_dump_traceback_later()
        sharing.close()


if __name__ == "__main__":
    os.nice(int(sys.argv[4]))
    # A shell that runs in the background has its children ignore Ctrl+C; servers that are tested must not.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    with os.fdopen(int(sys.argv[1])) as asked, os.fdopen(int(sys.argv[2]), "w") as told, open(sys.argv[3], "w") as trace:
        main(asked, told, trace)
