"""Runs all unittest suites and ends with the line that tells the outcome."""

from __future__ import annotations

import sys
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parent


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
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped", flush=True)
    return 1 if failed or passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
