"""The command line, run as its users run it."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from typer.testing import CliRunner

from hailridge.cli import app
from hailridge.commands.simulating import Stopped, Told
from hailridge.core.kernels import compiling
from hailridge.core.kernels.compiling import KERNELS
from tests.support import document, rule


def asked(*arguments: str) -> Any:
    """What a command says and how it ends, in this process."""
    return CliRunner().invoke(app, list(arguments))


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
        out = str(self.folder / "x.csv")
        for code, arguments, words in (
            # 2: it is to be typed otherwise; 1: it could not be done.
            (2, ("--out", "x.abc"), "no known kind"),
            (2, ("--out", ".csv"), "no known kind"),
            (2, ("--out", out, "--frames", "9:2"), "not in order; write the first one first, such as 2:9"),
            (2, ("--out", out, "--frames", "a:b"), "no range of frames; write A:B"),
            (2, ("--out", out, "--frames", ":"), "no range of frames"),
            (2, ("--out", out, "--frames", "0:99999"), "there is no frame 99999: the effect has frames 0 to"),
            (2, ("--out", out, "--seed", "-3"), "there is no seed -3; seeds go from 0 to"),
            (2, ("--out", out, "--set", "nothing"), "does not say what to set to what"),
            (2, ("--out", out, "--set", "rules.99.label=x"), "rules has entries 0 to"),
            (2, ("--out", out, "--set", "name.first=x"), "name is a value and has nothing called 'first'"),
            (1, ("--out", out, "--set", "clock.durration=2"), "did you mean 'duration'"),
            (1, ("--out", out, "--set", "clock.duration=long"), "clock, duration"),
            (1, ("--out", str(self.folder / "none" / "x.csv")), "there is no folder"),
            (1, ("--out", str(self.folder / "none" / "x.usdc")), "there is no folder"),
            (1, ("--out", str(self.folder / "none" / "x.parquet")), "there is no folder"),
        ):
            with self.subTest(words=words, arguments=arguments):
                done = asked("simulate", "starter", *arguments)
                self.assertEqual(done.exit_code, code, done.output)
                self.assertIn(words, " ".join(done.output.split()))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_wrong_name_is_told_before_anything_is_loaded(self) -> None:
        for arguments in (("simulate", "hale", "--out", "x.csv"), ("check", "hale"), ("--help",), ("simulate", "--help")):
            said = subprocess.run([sys.executable, "-X", "importtime", "-m", "hailridge.cli", *arguments], capture_output=True, text=True, cwd=self.folder)
            loaded = {line.rsplit("|", 1)[1].strip() for line in said.stderr.splitlines() if line.startswith("import time:")}
            self.assertTrue(loaded, said.stderr[-300:])
            self.assertEqual({"numpy", "numba", "hailridge.model", "hailridge.core"} & loaded, set(), arguments)

    def test_dials_of_numbers_take_numbers(self) -> None:
        from hailridge.commands.errors import AskedWrongly
        from hailridge.commands.loading import set_value

        raw = document() | {"dials": [{"id": "pace", "label": "Pace", "type": "number", "value": 1.0}]}
        with self.assertRaisesRegex(AskedWrongly, "'Pace' takes a number, not 'abc'"):
            set_value(raw, "Pace=abc")
        set_value(raw, "Pace=2.5")
        self.assertEqual(raw["dials"][0]["value"], 2.5)

    def test_text_is_set_as_text(self) -> None:
        from hailridge.commands.loading import set_value

        raw = document()
        for change in ("name=Neu", "rules=[]", "clock.duration=2", "summary=a = b"):
            set_value(raw, change)
        self.assertEqual((raw["name"], raw["rules"], raw["clock"]["duration"], raw["summary"]), ("Neu", [], 2, "a = b"))

    def test_nothing_is_overwritten_unasked(self) -> None:
        for kind in ("csv", "ply"):
            arguments = ("simulate", "starter", "--frames", "0:1", "--out", str(self.folder / f"x.{kind}"))
            self.assertEqual(asked(*arguments).exit_code, 0)
            before = {path.name: path.read_bytes() for path in self.folder.iterdir()}
            again = asked(*arguments, "--seed", "99")
            self.assertEqual(again.exit_code, 1)
            self.assertIn("exists already", " ".join(again.output.split()))
            self.assertEqual({path.name: path.read_bytes() for path in self.folder.iterdir()}, before)
            self.assertEqual(asked(*arguments, "--seed", "99", "--overwrite", "--quiet").output, "")
            self.assertNotEqual({path.name: path.read_bytes() for path in self.folder.iterdir()}, before)
        self.assertEqual(sorted(path.name for path in self.folder.iterdir()), ["x.0000.ply", "x.0001.ply", "x.csv"])

    def test_stopped_in_the_middle(self) -> None:
        """Ctrl+C, and being told to end, in the middle of writing: no file, no part of one, and exit code 130."""
        raw = document(rule({"kind": "turbulence"}), count=5_000, clock={"duration": 500.0})
        path = self.folder / "long.json"
        path.write_text(json.dumps(raw))
        for kind, sign in (("csv", signal.SIGINT), ("parquet", signal.SIGTERM), ("ply", signal.SIGINT), ("usdc", signal.SIGTERM)):
            with self.subTest(kind):
                command = [sys.executable, "-m", "hailridge.cli", "simulate", str(path), "--out", str(self.folder / f"x.{kind}")]
                process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
                until = time.monotonic() + 60
                while not [file for file in self.folder.rglob("*") if ".writing" in str(file) and file.is_file()] and time.monotonic() < until:
                    if kind == "usdc" and list(self.folder.glob(".writing*")):
                        break  # USD keeps it in memory until the end
                    time.sleep(0.05)
                time.sleep(0.5)
                process.send_signal(sign)
                _out, told = process.communicate(timeout=60)
                self.assertEqual(process.returncode, 130, told)
                self.assertIn("nothing was written", told)
                self.assertNotIn("Traceback", told)
                self.assertEqual([file.name for file in self.folder.iterdir()], ["long.json"])

    def test_stopped_while_a_kernel_is_loaded(self) -> None:
        """An exception in what the compiler calls back from native code ended the process with a fault of memory, and left what was begun."""
        told = Told()
        compiling._LOADING.append(KERNELS[0])
        self.addCleanup(compiling._LOADING.clear)
        frames = iter([1, 2])

        def step() -> int:
            told.ask(signal.SIGINT, None)
            return next(frames)

        self.assertEqual(told.while_computing(step), 1)
        with self.assertRaises(Stopped):
            told.while_computing(step)
        compiling._LOADING.clear()
        fresh = Told()
        with self.assertRaises(Stopped):
            fresh.while_computing(lambda: fresh.ask(signal.SIGINT, None))

    def test_check_of_several_and_of_folders(self) -> None:
        good, bad, odd = (self.folder / f"{name}.json" for name in ("a-good", "b-bad", "c-odd"))
        good.write_text(json.dumps(document()))
        bad.write_text(json.dumps(document() | {"nme": 1}))
        odd.write_text("[1, 2, 3]")
        done = asked("check", str(self.folder))
        self.assertEqual(done.exit_code, 1)
        for words in ("a-good.json:", "b-bad.json:", "did you mean 'name'", "has to be one JSON object"):
            self.assertIn(words, done.output)
        told = json.loads(asked("check", "--json", str(good), str(bad), "hail-on-the-tin-roof").stdout)
        self.assertEqual([(Path(entry["effect"]).stem, entry["ok"]) for entry in told], [("a-good", True), ("b-bad", False), ("hail-on-the-tin-roof", True)])
        self.assertTrue(all(advisory["place"] for entry in told for advisory in entry["advisories"]))
        self.assertEqual(asked("check", "--quiet", str(good)).output, "")
        binary = self.folder / "d.json"
        binary.write_bytes(b"\xff\xfe\x00")
        (self.folder / "empty").mkdir()
        for name, words in ((str(binary), "is not JSON"), (str(self.folder / "empty"), "no documents"), ("nowhere", "neither a file nor a demo")):
            done = asked("check", name)
            self.assertEqual((done.exit_code, words in " ".join(done.output.split())), (1, True), done.output)

    def test_version_and_exit_codes(self) -> None:
        from hailridge import __version__

        self.assertEqual(asked("--version").output.strip(), f"hailridge {__version__}")
        self.assertEqual(asked("simulate", "starter").exit_code, 2)
        self.assertEqual(asked("nonsense").exit_code, 2)

    def test_effects_travel(self) -> None:
        here, there, file = self.folder / "here", self.folder / "there", self.folder / "two.hailridge.zip"
        own = self.folder / "own.json"
        own.write_text(json.dumps(document() | {"name": "Of my own"}))
        self.assertEqual(asked("export", "hail-on-the-tin-roof", str(own), "--out", str(file)).exit_code, 0)
        done = asked("import", str(file), "--data", str(here))
        self.assertEqual((done.exit_code, done.output.count("imported")), (0, 2), done.output)
        again = self.folder / "again.hailridge.zip"
        self.assertEqual(asked("export", "Hail on the tin roof", "Of my own", "--data", str(here), "--out", str(again)).exit_code, 0)
        self.assertEqual(again.read_bytes(), file.read_bytes())
        for arguments, words in (
            (("export", "Of my own", "--data", str(here), "--out", str(again)), "exists already"),
            (("export", "Nobody", "--data", str(here), "--out", str(self.folder / "n.zip")), "neither a file nor a demo"),
            (("export", "starter", "--out", str(self.folder / "no" / "n.zip")), "there is no folder"),
            (("import", str(own), "--data", str(there)), "no file of effects"),
            (("import", str(self.folder / "none.zip"), "--data", str(there)), "cannot be read"),
        ):
            done = asked(*arguments)
            self.assertEqual((done.exit_code, words in " ".join(done.output.split())), (1, True), done.output)
        asked("import", str(again), "--data", str(here))
        self.assertIn("by its id", " ".join(asked("export", "Of my own", "--data", str(here), "--out", str(self.folder / "n.zip")).output.split()))

    def test_serving_beyond_this_machine_needs_a_token(self) -> None:
        done = asked("serve", "--host", "0.0.0.0", "--data", str(self.folder))
        self.assertEqual((done.exit_code, "needs a token" in done.output), (2, True))


if __name__ == "__main__":
    unittest.main()
