"""The command line, run as its users run it."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.support import document


def hailridge(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "hailridge.cli", *arguments], capture_output=True, text=True)


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_demos_and_schema(self) -> None:
        self.assertIn("hail-on-the-tin-roof", hailridge("demos").stdout)
        self.assertIn("$defs", json.loads(hailridge("schema").stdout))

    def test_check(self) -> None:
        self.assertIn("nothing to remark", hailridge("check", "hail-on-the-tin-roof").stdout)
        path = self.folder / "bad.json"
        path.write_text(json.dumps(document() | {"nme": 1}))
        done = hailridge("check", str(path))
        self.assertEqual(done.returncode, 1)
        self.assertIn("did you mean 'name'", done.stderr)
        self.assertIn("neither a file nor a demo", hailridge("check", "nowhere").stderr)

    def test_simulate(self) -> None:
        import pyarrow.parquet as pq

        out = self.folder / "hail.parquet"
        done = hailridge(
            "simulate",
            "hail-on-the-tin-roof",
            "--frames",
            "10:12",
            "--seed",
            "3",
            "--set",
            "clock.duration=1",
            "--out",
            str(out),
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(set(pq.read_table(out)["frame"].to_pylist()), {10, 11, 12})

    def test_a_dial_is_set_by_its_name(self) -> None:
        import pyarrow.parquet as pq

        ends = []
        for wind in ("[0,0,0]", "[6,0,0]"):
            out = self.folder / f"paper{len(ends)}.parquet"
            done = hailridge(
                "simulate", "paper-slips", "--frames", "30:30", "--set", f"wind={wind}", "--out", str(out)
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            ends.append(sum(pq.read_table(out)["x"].to_pylist()))
        self.assertGreater(ends[1], ends[0])

    def test_simulate_says_what_is_wrong(self) -> None:
        for arguments, words in (
            (("--out", "x.abc"), "no known kind"),
            (("--out", "x.csv", "--frames", "9:2"), "not in order"),
            (("--out", "x.csv", "--frames", "a:b"), "no range of frames"),
            (("--out", "x.csv", "--set", "nothing"), "cannot be set"),
            (("--out", "/nowhere/x.csv"), "could not be written"),
        ):
            done = hailridge("simulate", "starter", *arguments)
            self.assertEqual(done.returncode, 1)
            self.assertIn(words, " ".join(done.stderr.split()))

    def test_serving_beyond_this_machine_needs_a_token(self) -> None:
        done = hailridge("serve", "--host", "0.0.0.0", "--data", str(self.folder))
        self.assertIn("needs a token", done.stderr)


if __name__ == "__main__":
    unittest.main()
