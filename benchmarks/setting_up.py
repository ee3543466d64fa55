"""Setting up a fresh clone, as the README says; measured on demand only (`./run bench set_up`), since it takes minutes."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

from benchmarks.figures import Figure

ROOT = Path(__file__).resolve().parents[1]
LONGEST = 600


def set_up() -> Iterator[Figure]:
    """From `./run demo` in a fresh clone with an empty home folder to the first answer; packages are in the caches of pip and npm, or not."""
    with tempfile.TemporaryDirectory() as place, socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
        probe.close()
        clone, home = Path(place) / "clone", Path(place) / "home"
        home.mkdir()
        subprocess.run(["git", "clone", "-q", str(ROOT), str(clone)], check=True)
        surroundings = {name: value for name, value in os.environ.items() if not name.startswith(("HAILRIDGE", "PYTHONPATH", "VIRTUAL_ENV"))}
        out = Path(place) / "out"
        start = time.perf_counter()
        with out.open("w") as told:
            alone = surroundings | {"HOME": str(home), "PORT": str(port)}
            process = subprocess.Popen(["./run", "demo"], cwd=clone, env=alone, stdout=told, stderr=told, start_new_session=True)
        try:
            while time.perf_counter() - start < LONGEST and process.poll() is None:
                try:
                    urllib.request.urlopen(f"http://127.0.0.1:{port}/api/effects", timeout=2).read()
                    break
                except OSError:
                    time.sleep(0.2)
            else:
                raise SystemExit(out.read_text())
            seconds = time.perf_counter() - start
        finally:
            os.killpg(process.pid, signal.SIGTERM)
            process.wait()
        found = re.search(r"kernels ready after ([\d.]+) s", out.read_text())
        yield Figure("set-up of a fresh clone: `./run demo` to serving", seconds, "s", 150.0, "lower", "an empty home folder, two cores")
        if found:
            yield Figure("set-up of a fresh clone: its kernels", float(found[1]), "s", 60.0, "lower", "part of the row above")
