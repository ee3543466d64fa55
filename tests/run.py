"""Runs all unittest suites and ends with the line that tells the outcome."""

from __future__ import annotations

import faulthandler
import sys
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parent

LONGEST = 1200.0
"""Seconds that one test may take before all ends with the lines at which every thread stands: a search without end is a fault, too."""


class Watched(unittest.TextTestResult):
    """Ends the run when a test does not come to its end."""

    def startTest(self, test: unittest.TestCase) -> None:
        faulthandler.dump_traceback_later(LONGEST, exit=True)
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        faulthandler.cancel_dump_traceback_later()


def main() -> int:
    names = [name for name in sys.argv[1:] if name != "quick"]
    sys.path.insert(0, str(ROOT.parent))
    warnings.simplefilter("ignore", DeprecationWarning)
    loader = unittest.TestLoader()
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(ROOT), top_level_dir=str(ROOT.parent))
    )
    result = unittest.TextTestRunner(verbosity=1, resultclass=Watched).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped", flush=True)
    return 1 if failed or passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
