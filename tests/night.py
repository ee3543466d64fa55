"""What is too long for the day: `./run night`, or some of it by name.

    everything    all tests, with nothing left out: every generated document, the whole battery of the page
    user          an hour of the random user, on a new effect and on every demo
    mutations     faults put into the program, to see whether the tests notice (`tests.running.mutations`)
"""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]

PARTS: dict[str, tuple[list[str], dict[str, str]]] = {
    "everything": (["tests/run.py"], {"HAILRIDGE_NIGHT": "1", "HAILRIDGE_LONGEST": "5400"}),
    "user": (["tests/run.py", "browser.test_random_user"], {"HAILRIDGE_NIGHT": "1", "HAILRIDGE_LONGEST": "5400", "HAILRIDGE_MINUTES": "60"}),
    "mutations": (["-m", "tests.running.mutations"], {}),
}
"""What is run, and with what said to it."""


def main(names: list[str]) -> int:
    unknown = [name for name in names if name not in PARTS]
    if unknown:
        print(f"there is no '{unknown[0]}' in the night's run; there is {', '.join(PARTS)}", file=sys.stderr)
        return 2
    failed = []
    for name in names or list(PARTS):
        command, said = PARTS[name]
        print(f"── {name} ──", flush=True)
        if subprocess.run([sys.executable, *command], cwd=ROOT, env={**os.environ, **said}).returncode:
            failed.append(name)
    print(f"the night's run: {', '.join(failed)} failed" if failed else "the night's run: all well", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
