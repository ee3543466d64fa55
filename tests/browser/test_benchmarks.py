"""Everything that is promised can be measured: each benchmark runs once, with few particles. (One had crashed unnoticed for two versions.)"""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
from pathlib import Path

from benchmarks.run import ALL

from tests.running.choosing import thorough

ROOT = Path(__file__).resolve().parents[2]


class Benchmarks(unittest.TestCase):
    @thorough
    def test_each_runs_at_a_tiny_size(self) -> None:
        # In a process of their own: sizes are decided as they are imported.
        page = (ROOT / "docs" / "benchmarks.md").read_text()
        command = [sys.executable, str(ROOT / "benchmarks" / "run.py")]
        done = subprocess.run(command, cwd=ROOT, env=os.environ | {"HAILRIDGE_TINY": "1"}, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr[-3000:])
        rows = [line for line in done.stdout.splitlines() if line.startswith("| ")]
        self.assertGreaterEqual(len(rows), len(ALL))
        self.assertEqual((ROOT / "docs" / "benchmarks.md").read_text(), page, "numbers of a few particles are not kept")


if __name__ == "__main__":
    unittest.main()
