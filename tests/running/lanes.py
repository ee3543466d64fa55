"""The processes that run tests, seen from the one that shares them out: two lanes, each given the next portion when it is done with one."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[2]

CRASHES = 3
"""Times in a row that a lane's process may end in the middle of a portion; then its lane is given up."""

Hear = Callable[[dict[str, Any]], None]


class Ended(Exception):
    """The process has ended in the middle of what it was asked."""


class Process:
    """A lane's process: asked in lines of JSON, it answers in such lines. What it leaves of threads that stood still is in `trace`."""

    def __init__(self, trace: Path, nice: int = 0) -> None:
        self.trace = trace
        trace.parent.mkdir(parents=True, exist_ok=True)
        their_in, our_out = os.pipe()
        our_in, their_out = os.pipe()
        command = [sys.executable, "-m", "tests.running.lane", str(their_in), str(their_out), str(trace), str(nice)]
        # A group of its own: what it started ends with it.
        # There is another lane: what is computed in this one takes one thread.
        environment = {"HAILRIDGE_THREADS": "1", **os.environ}
        self.process = subprocess.Popen(
            command, cwd=ROOT, env=environment, pass_fds=(their_in, their_out), start_new_session=True, stdin=subprocess.DEVNULL
        )
        os.close(their_in)
        os.close(their_out)
        self.asking, self.hearing = os.fdopen(our_out, "w"), os.fdopen(our_in)

    def ask(self, what: dict[str, Any], hear: Hear, last: str) -> dict[str, Any]:
        """Ask, let everything be heard, and return the answer that has the word `last`.

        Raises
        ------
        Ended
            Where the process does not live until then, with how it ended.
        """
        with suppress(BrokenPipeError):
            self.asking.write(json.dumps(what) + "\n")
            self.asking.flush()
        for line in self.hearing:
            told: dict[str, Any] = json.loads(line)
            if last in told or "refused" in told:
                return told
            hear(told)
        raise Ended(self._how_it_ended())

    def _how_it_ended(self) -> str:
        self.kill()
        status = self.process.returncode
        how = f"by signal {signal.Signals(-status).name}" if status < 0 else f"with status {status}"
        stood = self.trace.read_text(errors="replace").strip()
        return f"the process ended {how}" + (f"; where every thread stood:\n{stood}" if stood else "")

    def close(self) -> None:
        """Let it end by itself, and make sure."""
        with suppress(OSError):
            self.asking.close()
        with suppress(subprocess.TimeoutExpired):
            self.process.wait(30)
        self.kill()

    def kill(self) -> None:
        """End it and what it started; how it ended by itself is kept."""
        if self.process.poll() is None:
            # A process that closed its side is about to end.
            with suppress(subprocess.TimeoutExpired):
                self.process.wait(2)
        with suppress(ProcessLookupError, PermissionError):
            os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()
        for pipe in (self.asking, self.hearing):
            with suppress(OSError):
                pipe.close()


@dataclass
class Queue:
    """Portions that nobody has begun, the longest first; each lane takes of its own sort while there is any, then of the other."""

    portions: list[dict[str, Any]]
    lock: threading.Lock = field(default_factory=threading.Lock)

    def next_for(self, browser: bool) -> dict[str, Any] | None:
        with self.lock:
            if not self.portions:
                return None
            place = next((at for at, portion in enumerate(self.portions) if portion["browser"] == browser), 0)
            return self.portions.pop(place)

    def put_back(self, portion: dict[str, Any]) -> None:
        with self.lock:
            self.portions.insert(0, portion)


@dataclass
class Heard:
    """What is known of the portion that a lane is at."""

    hear: Hear
    lane: str
    begun: set[str] = field(default_factory=set)
    at: str = ""
    ready: str = ""

    def __call__(self, told: dict[str, Any]) -> None:
        if "begin" in told:
            self.at = told["begin"]
            self.begun.add(self.at)
        elif "end" in told:
            self.at = ""
        self.hear(told | {"lane": self.lane})


@dataclass
class Lane:
    """A process after another, where one ends too early; `begin` does portions in a thread until there are none."""

    name: str
    browser: bool
    """Whether it begins with what needs Chromium."""
    trace: Path
    nice: int = 0
    """By how much it gives way to others."""

    def __post_init__(self) -> None:
        self.process = Process(self.trace, self.nice)
        self.thread = threading.Thread(target=self._work, daemon=True)

    def begin(self, queue: Queue, hear: Hear) -> None:
        self.queue, self.hear = queue, hear
        self.thread.start()

    def _work(self) -> None:
        crashes = 0
        while crashes < CRASHES and (portion := self.queue.next_for(self.browser)) is not None:
            heard = Heard(self.hear, self.name)
            try:
                self.process.ask({"tests": portion["tests"]}, heard, "over")
                crashes, rest = 0, []
            except Ended as ended:
                crashes += 1
                self._tell(heard.at or portion["name"], str(ended))
                # Where nothing was begun, making it ready ended the process, and would again.
                rest = [test for test in portion["tests"] if test not in heard.begun] if heard.begun else []
                self.process = Process(self.trace, self.nice)
            if missed := len(set(portion["tests"]) - heard.begun) - len(rest):
                self.hear({"missed": missed, "portion": portion["name"]})
            if rest:
                self.queue.put_back(portion | {"tests": rest})
        if crashes >= CRASHES:
            self._tell(f"the {self.name} lane", f"given up: {CRASHES} processes ended one after another")
        self.process.close()

    def _tell(self, what: str, text: str) -> None:
        self.hear({"end": what, "outcome": "failed", "seconds": 0.0, "text": text, "lane": self.name})
