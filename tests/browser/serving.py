"""The application as its users start it, for browser tests, benchmarks and screenshots: a free port, an empty data folder, the demos."""

from __future__ import annotations

import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from tests.running.chromium import chromium_path
from tests.sharing import Beginning, let_end

CHROMIUM = chromium_path()
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
WELCOMED = "localStorage.hailridge ??= JSON.stringify({ welcomed: true })"
"""Run before a page's own scripts: its first visit, with hints, is over."""


class Server:
    """A running server; `seconds` is how long its latest start took to the first answer."""

    def __init__(self, command: Sequence[str] = (sys.executable, "-m", "hailridge.cli")) -> None:
        self.command = command
        self.folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.log = Path(self.folder.name) / "server.log"
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.seconds = 0.0
        self.killed = False
        self.start()
        self.beginning = Beginning(Path(self.folder.name))

    def __enter__(self) -> Server:
        return self

    def __exit__(self, *_: Any) -> None:
        self.end()

    def start(self) -> None:
        begun = time.perf_counter()
        self.killed = False
        options = ["--demo", "--data", self.folder.name, "--port", str(self.port)]
        with self.log.open("ab") as log:
            self.process = subprocess.Popen([*self.command, "serve", *options], stdout=log, stderr=log)
        while time.perf_counter() - begun < 120:
            try:
                urllib.request.urlopen(f"{self.url}/api/effects", timeout=30).read()
                self.seconds = time.perf_counter() - begun
                return
            except OSError:
                time.sleep(0.01)
            if self.process.poll() is not None:
                break
        raise AssertionError(f"the server did not start: {self._said()}")

    def begin_anew(self) -> None:
        """The library as it began, nothing running; a server that has died is started again."""
        if self.process.poll() is not None:
            self.start()
        let_end(Path(self.folder.name), self._stop)
        self.beginning.put_back()

    def _stop(self, effect: str) -> None:
        # It may have been deleted since.
        with suppress(OSError):
            urllib.request.urlopen(urllib.request.Request(f"{self.url}/api/effects/{effect}/stop", b"")).read()

    def death(self) -> str:
        """In words, how the server ended where nobody killed it; nothing while it lives."""
        status = self.process.poll()
        return "" if status is None or self.killed else f"the server died in the middle of this test (status {status}); {self._said()}"

    def _said(self) -> str:
        last = self.log.read_text(errors="replace").strip().splitlines()[-20:]
        return "the last that it said:\n" + "\n".join(last) if last else "it said nothing"

    def kill(self) -> None:
        self.killed = True
        self.process.kill()
        self.process.wait()

    def end(self) -> None:
        self.kill()
        self.folder.cleanup()
