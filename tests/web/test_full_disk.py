"""A disk without room, a real one of 48 MB: documents are saved, computed frames make room for them, and what cannot be written is told in words."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any

from tests.support import document, rule
from tests.web.test_edges import Serving

SIZE = 48 * 1024 * 1024


class FullDisk(Serving):
    def setUp(self) -> None:
        super().setUp()
        self.disk = self.folder / "disk"
        self.disk.mkdir()
        mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "tmpfs", str(self.disk)], capture_output=True, text=True)
        if mounted.returncode:
            self.skipTest(f"no disk of its own can be made here: {mounted.stderr.strip()}")
        self.addCleanup(subprocess.run, ["umount", "-l", str(self.disk)], capture_output=True)

    def free(self) -> int:
        return shutil.disk_usage(self.disk).free

    def fill(self) -> None:
        """Another program takes all that is left."""
        other = os.open(self.disk / "other", os.O_CREAT | os.O_WRONLY | os.O_APPEND)
        for piece in (1 << 20, 1 << 12, 1):
            with suppress(OSError):
                while os.write(other, bytes(piece)) == piece:
                    pass
        os.close(other)

    def computed(self, port: int, effect: str) -> dict[str, Any]:
        """The effect's run, when it has come to its end."""
        first = trial = json.loads(self.ask(port, "POST", f"/api/effects/{effect}/trials", {"document": None})[1])
        self.assertIn("id", first)
        while trial.get("state") in ("computing", None):
            # Reading itself can need room for a moment.
            trial = self.trial(port, first)
        return trial

    def trial(self, port: int, trial: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.ask(port, "GET", f"/api/trials/{trial['id']}")[1])
        return found

    def test_documents_are_worth_more_than_frames(self) -> None:
        _server, port = self.started(data=self.disk / "data")
        raw = document(rule({"kind": "gravity"}), count=20_000, clock={"duration": 4.0})
        made = json.loads(self.ask(port, "POST", "/api/effects", {"document": raw})[1])
        run = self.computed(port, made["id"])
        self.assertEqual(run["state"], "failed")
        self.assertIn("the disk is almost full", run["message"])
        self.assertGreater(run["computed"], 3)
        # Something is left for what artists make, and that is not much.
        self.assertGreater(self.free(), 0.02 * SIZE)
        self.assertLess(self.free(), 0.6 * SIZE)

        self.fill()
        self.assertEqual(self.free(), 0)
        # A clip says why it cannot be written; nothing of it stays.
        status, told, _headers = self.ask(port, "POST", "/api/clips", {"format": "still", "width": 64, "height": 64})
        self.assertEqual((status, b"full" in told), (507, True), told)
        # Frames are let go, and the document is saved, large as it is.
        large = raw | {"name": "mine", "summary": "x" * 300, "rules": [rule({"kind": "gravity"}, id=f"r{number}") for number in range(60)]}
        status, told, _headers = self.ask(port, "PUT", f"/api/effects/{made['id']}", {"revision": 1, "document": large})
        self.assertEqual(status, 200, told)
        self.assertEqual(len(json.loads(self.ask(port, "GET", f"/api/effects/{made['id']}")[1])["document"]["rules"]), 60)
        self.assertGreater(self.free(), 0)
        # So can everything that is computed.
        status, told, _headers = self.ask(port, "POST", "/api/storage/clear", {})
        self.assertEqual(status, 200, told)
        self.assertGreater(self.free(), 0.05 * SIZE)

    def test_the_reserve_is_there_a_second_time(self) -> None:
        """Frames are let go though the disk is filled to its last byte again after the reserve was used."""
        _server, port = self.started(data=self.disk / "data")
        raw = document(rule({"kind": "gravity"}), count=20_000, clock={"duration": 4.0})
        made = json.loads(self.ask(port, "POST", "/api/effects", {"document": raw})[1])
        for again in range(3):
            run = self.computed(port, made["id"])
            self.assertGreater(run["computed"], 3, again)
            self.fill()
            self.assertEqual(self.free(), 0)
            status, told, _headers = self.ask(port, "POST", "/api/storage/clear", {})
            self.assertEqual(status, 200, (again, told))
            self.assertGreater(self.free(), 0.05 * SIZE, again)
            self.fill()
            status, told, _headers = self.ask(port, "POST", "/api/storage/clear", {})
            self.assertEqual(status, 200, (again, told))
            # And so is a document saved in what little there is.
            self.fill()
            saved = raw | {"name": f"again {again}"}
            status, told, _headers = self.ask(port, "PUT", f"/api/effects/{made['id']}", {"revision": again + 1, "document": saved})
            self.assertEqual(status, 200, (again, told))
            (self.disk / "other").unlink()

    def test_another_program_fills_it_while_a_run_is_computed(self) -> None:
        """The run fails in words, though there is no room left to write them in."""
        _server, port = self.started(data=self.disk / "data")
        raw = document(rule({"kind": "turbulence"}), count=300, clock={"duration": 60.0})
        made = json.loads(self.ask(port, "POST", "/api/effects", {"document": raw})[1])
        run = first = json.loads(self.ask(port, "POST", f"/api/effects/{made['id']}/trials", {"document": None})[1])
        while run["computed"] < 10:
            run = self.trial(port, first)
        self.fill()
        self.assertEqual(self.free(), 0)
        while run.get("state") in ("computing", None):
            run = self.trial(port, first)
        self.assertEqual((run["state"], "full" in run["message"]), ("failed", True), run)

    def test_the_command_line_says_so(self) -> None:
        self.fill()
        for suffix in ("usdc", "csv", "parquet", "npz", "ply"):
            out = self.disk / f"x.{suffix}"
            command = [sys.executable, "-m", "hailridge.cli", "simulate", "hail-on-the-tin-roof", "--frames", "0:40", "--quiet", "--out", str(out)]
            done = subprocess.run(command, capture_output=True, text=True)
            self.assertEqual(done.returncode, 1, (suffix, done.stderr))
            self.assertNotIn("Traceback", done.stderr)
            self.assertIn("no space left", " ".join(done.stderr.split()))
            self.assertEqual([Path(entry).name for entry in self.disk.iterdir()], ["other"], suffix)

