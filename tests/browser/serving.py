"""The application as its users start it, for browser tests, benchmarks and screenshots: a free port, an empty data folder, the demos."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from typing import Any, ClassVar

CHROMIUM = os.environ.get("CHROMIUM", "/usr/bin/chromium")
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

    command: ClassVar[list[str]] = [sys.executable, "-m", "hailridge.cli"]

    def __init__(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.seconds = 0.0
        self.start()

    def __enter__(self) -> Server:
        return self

    def __exit__(self, *_: Any) -> None:
        self.kill()
        self.folder.cleanup()

    def start(self) -> None:
        begun = time.perf_counter()
        options = ["--demo", "--data", self.folder.name, "--port", str(self.port)]
        self.process = subprocess.Popen(
            [*self.command, "serve", *options], stdout=subprocess.DEVNULL
        )
        while time.perf_counter() - begun < 60:
            try:
                urllib.request.urlopen(f"{self.url}/api/effects", timeout=2).read()
                self.seconds = time.perf_counter() - begun
                return
            except OSError:
                time.sleep(0.01)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()
