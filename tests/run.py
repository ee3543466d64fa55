"""Runs the tests in two processes and ends with the line that tells the outcome.

    tests/run.py                    all of them
    tests/run.py core               a package
    tests/run.py browser.test_rules a module, a class in it or a single test
    tests/run.py quick              between two commits: no browser, no server, nothing thorough

HAILRIDGE_SEED repeats what was drawn on a day (20261201); HAILRIDGE_NIGHT=1 leaves nothing out.
"""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.running.chromium import chromium_path  # noqa: E402
from tests.running.lanes import Ended, Lane, Queue  # noqa: E402
from tests.running.telling import Outcome, expected, keep, known  # noqa: E402
from tests.seeds import SEED  # noqa: E402

CACHE = Path(os.environ.get("HAILRIDGE_TEST_CACHE") or ROOT / ".cache" / "tests")
CHROMIUM = chromium_path()
NICE = 5
"""By how much the other lane gives way to the one in which pages are looked at: as much as the processes that compute for a page (`runs.worker`)."""

NO_CHROMIUM = f"Chromium is missing ({CHROMIUM}): `./run test` installs it, CHROMIUM names another"


def main(names: list[str]) -> int:
    # Both lanes draw by the same day, though midnight may come between.
    os.environ["HAILRIDGE_SEED"] = str(SEED)
    print(f"seed of the day: {SEED}", flush=True)
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
    outcome = Outcome(SEED)
    lanes = [Lane("browser", True, CACHE / "browser.trace"), Lane("other", False, CACHE / "other.trace", nice=NICE)]
    try:
        try:
            answer = lanes[0].process.ask({"choose": names}, lambda told: None, "chosen")
        except Ended as ended:
            answer = {"refused": str(ended)}
        if "refused" in answer:
            print(answer["refused"], file=sys.stderr)
            return 1
        durations = known(CACHE / "durations.json")
        portions = without_browser(answer["chosen"], outcome)
        queue = Queue(sorted(portions, key=lambda portion: -expected(portion, durations)))
        for lane in lanes:
            lane.begin(queue, outcome.hear)
        for lane in lanes:
            lane.thread.join()
    finally:
        for lane in lanes:
            lane.process.kill()
    keep(CACHE / "durations.json", outcome.seconds, whole=not names)
    return outcome.close()


def without_browser(portions: list[dict[str, Any]], outcome: Outcome) -> list[dict[str, Any]]:
    """All of them where there is a browser; else those that need none, and one line."""
    needed = [portion for portion in portions if portion["browser"]]
    if not needed or Path(CHROMIUM).exists():
        return portions
    outcome.hear({"end": "Chromium", "outcome": "failed", "seconds": 0.0, "text": NO_CHROMIUM, "lane": "browser"})
    outcome.counts["skipped"] += sum(len(portion["tests"]) for portion in needed)
    return [portion for portion in portions if not portion["browser"]]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
