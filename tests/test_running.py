"""How tests are run is tested too: what hangs, dies or cannot begin is told as that, and everything else is run."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.browser.serving import Server
from tests.running.choosing import portions
from tests.running.telling import expected
from tests.seeds import drawer, some

ROOT = Path(__file__).resolve().parents[1]


class Running(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def run_tests(self, *names: str, **said: str) -> tuple[int, str]:
        environment = os.environ | {"HAILRIDGE_TEST_CACHE": str(self.folder), "HAILRIDGE_SEED": "4711"} | said
        command = [sys.executable, str(ROOT / "tests" / "run.py"), *names]
        done = subprocess.run(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, timeout=300)
        return done.returncode, done.stdout

    def test_what_goes_wrong_is_told_and_the_rest_is_run(self) -> None:
        status, told = self.run_tests("running.samples.wrong", HAILRIDGE_LONGEST="4")
        self.assertEqual(status, 1)
        # Passed: before and after the one that hung. Failed: it, the one that ended its process, one that fails, one class.
        self.assertEqual(told.strip().splitlines()[-1], "2 passed, 4 failed, 3 skipped", told)
        self.assertRegex(told, r"(?s)FAILED tests\.running\.samples\.wrong\.Hanging\.test_2_hangs.*where every thread stood.*wrong\.py\", line \d+ in test_2_hangs")
        self.assertRegex(told, r"(?s)FAILED tests\.running\.samples\.wrong\.Ending\.test_ends_its_process.*the process ended with status 7")
        self.assertRegex(told, r"(?s)Failing\.test_fails.*the second of two.*as it should.*HAILRIDGE_SEED=4711 draws the same again")
        self.assertRegex(told, r"(?s)NotReady.*nothing is ready.*2 of its tests were not run")
        self.assertIn("the 10 slowest:", told)
        durations = json.loads((self.folder / "durations.json").read_text())
        self.assertIn("tests.running.samples.wrong.Hanging.test_3_after", durations)

    def test_without_a_browser_one_line_says_so(self) -> None:
        status, told = self.run_tests("browser.test_rules", "model.test_collections", CHROMIUM="/nowhere/chromium")
        self.assertEqual((status, told.count("Chromium is missing (/nowhere/chromium)")), (1, 2), told)
        self.assertRegex(told.strip().splitlines()[-1], r"^\d+ passed, 1 failed, \d\d skipped$")

    def test_a_name_that_means_nothing(self) -> None:
        status, told = self.run_tests("core.test_nothing")
        self.assertEqual(status, 1)
        self.assertIn("core.test_nothing", told)

    def test_a_server_that_dies_is_told_and_there_is_another(self) -> None:
        server = Server()
        self.addCleanup(server.end)
        self.assertEqual(server.death(), "")
        server.process.kill()
        server.process.wait()
        self.assertIn("the server died in the middle of this test (status -9)", server.death())
        server.begin_anew()
        self.assertEqual(server.death(), "")


class Choosing(unittest.TestCase):
    def test_packages_modules_classes_and_tests(self) -> None:
        everything = {test for portion in portions([]) for test in portion.tests}
        for name, least in (("core", 400), ("browser.test_rules", 11), ("browser.test_rules.Trees", 1), ("tests.model.test_dials", 5)):
            chosen = {test for portion in portions([name]) for test in portion.tests}
            self.assertGreaterEqual(len(chosen), least, name)
            self.assertLess(chosen, everything, name)
        quick = [portion for portion in portions(["quick"])]
        self.assertFalse(any(portion.browser or portion.thorough for portion in quick))
        self.assertGreater(sum(len(portion.tests) for portion in quick), 500)

    def test_what_shares_nothing_is_shared_out_by_itself(self) -> None:
        """A class with a server of its own is one portion; where it has none, each test is."""
        self.assertEqual([len(portion.tests) for portion in portions(["browser.test_library.Library"])], [6])
        self.assertEqual({len(portion.tests) for portion in portions(["browser.test_story.Story"])}, {1})

    def test_by_the_durations_of_the_last_run(self) -> None:
        portion = portions(["model.test_dials.Ranges"])[0].told()
        known = {f"{portion['name']} (made ready)": 2.0, **{test: 3.0 for test in portion["tests"]}}
        self.assertEqual(expected(portion, known), 2.0 + 3.0 * len(portion["tests"]))
        self.assertGreater(expected(portion, {}), 0)

    def test_a_share_is_the_same_all_day(self) -> None:
        self.assertEqual(some(list(range(100)), 0.2, "here"), some(list(range(100)), 0.2, "here"))
        self.assertNotEqual(drawer("here").random(), drawer("there").random())


if __name__ == "__main__":
    unittest.main()
