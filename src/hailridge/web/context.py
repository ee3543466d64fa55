"""What the routers share: the library, the runs, and who listens for news."""

from __future__ import annotations

import asyncio
import json
import math
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, Request

from hailridge.model.validation import read_effect
from hailridge.runs.pool import Pool
from hailridge.runs.service import Runs
from hailridge.store import room
from hailridge.store.bakes import CACHE_BYTES, Bakes
from hailridge.store.claim import Claim
from hailridge.store.clips import Clips
from hailridge.store.database import Database
from hailridge.store.errors import StorageError
from hailridge.store.library import Library

SELDOM, REGULARLY = 3.0, 3600.0
"""Seconds between two rounds of cleaning up: at least, and at most."""

MAKING_ROOM = 5.0
"""Seconds between two tries to make room on a full disk."""

AT_REST = 1.5
"""Seconds after an effect's last run until its picture is drawn: that costs as much as a small run, and while one edits nobody sees it."""

HERE = Path(__file__).resolve().parent
ROOT = HERE.parents[2]
# A wheel has both inside (setup.py); a checkout has them where they are made.
FRONT_END = HERE / "front" if (HERE / "front").is_dir() else ROOT / "frontend" / "dist"
GUIDE = HERE / "guide" if (HERE / "guide").is_dir() else ROOT / "docs" / "guide"


@dataclass
class Live:
    """Open pages: each has a queue of messages to be sent. Safe to publish to from any thread."""

    loop: asyncio.AbstractEventLoop | None = None
    queues: set[asyncio.Queue[str]] = field(default_factory=set)

    def publish(self, message: dict[str, Any]) -> None:
        text = json.dumps(message)
        if self.loop is not None:
            with suppress(RuntimeError):  # the loop is closing
                self.loop.call_soon_threadsafe(self._put, text)

    def _put(self, text: str) -> None:
        for queue in self.queues:
            queue.put_nowait(text)


class Context:
    """Everything that lives as long as the server. StorageError where the folder cannot be used, or has a server already."""

    def __init__(self, folder: Path, workers: int = 2, claim: Claim | None = None) -> None:
        self.claim = claim or Claim(folder)
        self.database = Database(folder)
        self.library = Library(self.database)
        self.bakes = Bakes(self.database)
        self.bakes.recover()
        self.pool = Pool(folder, workers)
        self.runs = Runs(self.library, self.bakes, self.pool)
        self.live = Live()
        self.clips = Clips(folder / "clips")
        self.runs.listener = self.live.publish
        self.runs.on_done = self._after_bake
        self.database.made.on_scarce = self.make_room
        self._room_made = -math.inf
        room.hold(folder)
        self.housekeeping = Housekeeping(self.clean)
        self.housekeeping.due()
        self.posters = Later(AT_REST, self._draw_poster)

    def _after_bake(self, effect_id: str, key: str) -> None:
        """A finished run gives the library its picture, once the effect is at rest; and old runs are let go."""
        self.housekeeping.due()
        self.posters.due(effect_id)

    def _draw_poster(self, effect_id: str) -> None:
        with suppress(Exception):  # a picture that fails is no reason to trouble anyone
            self.make_poster(effect_id)

    def clean(self) -> None:
        """Let go what nobody can come back to: frames, and effects that were deleted long ago."""
        self.library.forget_deleted()
        room.hold(self.database.folder)
        if self.bakes.prune(self.runs.in_use(), self.limit, tight=room.scarce(self.database.folder)):
            self.housekeeping.due()

    def make_room(self) -> None:
        """Let computed frames go where the disk has hardly any room: first those that nobody looks at, then the others. A document is worth more."""
        folder = self.database.folder
        if time.monotonic() - self._room_made < MAKING_ROOM:
            return
        self._room_made = time.monotonic()
        room.let_go(folder)
        for keep in (self.runs.in_use(), set(), set(), set()):
            # What cannot be let go is no reason not to try to save. While somebody reads, what was written last stands twice, a moment later not.
            with suppress(StorageError):
                self.bakes.prune(keep, 0, 0.0, tight=True)
            if not room.scarce(folder):
                return
            time.sleep(0.2)

    def room_was_made(self) -> None:
        """The next document that finds the disk full has room made for it at once."""
        self._room_made = -math.inf

    @property
    def limit(self) -> int:
        """Bytes that computed frames may take."""
        return int(self.library.setting("frames_limit", CACHE_BYTES))

    def make_poster(self, effect_id: str) -> None:
        """Have the library's picture of an effect drawn, if it does not show its latest run."""
        row = self.library.effect(effect_id)
        trial = self.bakes.open_trial(effect_id, read_effect(row.document))
        bake = self.bakes.bake(trial.bake_key)
        if bake is None or bake.state != "done" or row.poster_bake == trial.id:
            return
        message = {"what": "poster", "trial": trial.id, "effect": effect_id}
        job = self.pool.submit(message, f"poster {effect_id}", replace=True)
        job.result.add_done_callback(lambda future: self._drawn(effect_id, future.result()))

    def _drawn(self, effect_id: str, result: dict[str, Any]) -> None:
        if result["state"] == "done":
            self.live.publish({"type": "poster", "effect": effect_id})

    def close(self) -> None:
        self.posters.stop()
        self.housekeeping.stop()
        self.pool.close()
        self.database.close()
        self.claim.let_go()


class Later:
    """Calls for a name some seconds after it was last due."""

    def __init__(self, seconds: float, call: Callable[[str], None]) -> None:
        self.seconds, self._call = seconds, call
        self._lock = threading.Lock()
        self._waiting: dict[str, threading.Timer] = {}

    def due(self, name: str) -> None:
        timer = threading.Timer(self.seconds, self._now, (name,))
        timer.daemon = True
        with self._lock:
            if before := self._waiting.pop(name, None):
                before.cancel()
            self._waiting[name] = timer
        timer.start()

    def _now(self, name: str) -> None:
        with self._lock:
            self._waiting.pop(name, None)
        self._call(name)

    def stop(self) -> None:
        """Nothing that waits is called any more."""
        with self._lock:
            for timer in self._waiting.values():
                timer.cancel()
            self._waiting.clear()


class Housekeeping:
    """Cleans up in a thread of its own: soon after it is due, but not all the time, and now and then."""

    def __init__(self, clean: Callable[[], None]) -> None:
        self._clean = clean
        self._due, self._stopped = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

    def due(self) -> None:
        self._due.set()

    def stop(self) -> None:
        """End the thread; what it is about to do is done first."""
        self._stopped.set()
        self._due.set()
        self._thread.join(10)

    def _work(self) -> None:
        while not self._stopped.wait(SELDOM):
            self._due.wait(REGULARLY)
            self._due.clear()
            if not self._stopped.is_set():
                with suppress(Exception):  # a store that cannot be written tells so where somebody waits for it
                    self._clean()


def _context(request: Request) -> Context:
    context: Context = request.app.state.context
    return context


Shared = Annotated[Context, Depends(_context)]
