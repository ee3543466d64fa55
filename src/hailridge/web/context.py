"""What the routers share: the library, the runs, and who listens for news."""

from __future__ import annotations

import asyncio
import json
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, Request

from hailridge.formats.posters import POSTER_AT, poster
from hailridge.model.validation import read_effect
from hailridge.runs.pool import Pool
from hailridge.runs.service import Runs
from hailridge.store.bakes import Bakes
from hailridge.store.clips import Clips
from hailridge.store.database import Database
from hailridge.store.library import Library

ROOT = Path(__file__).resolve().parents[3]
FRONT_END = ROOT / "frontend" / "dist"
GUIDE = ROOT / "docs" / "guide"


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
    """Everything that lives as long as the server."""

    def __init__(self, folder: Path, workers: int = 2) -> None:
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

    def _after_bake(self, effect_id: str, key: str) -> None:
        """A finished run gives the library its picture, if it shows the effect as saved; and old runs are let go."""
        with suppress(Exception):  # a picture that fails is no reason to trouble anyone
            self.bakes.prune({key})
            self.make_poster(effect_id)

    def make_poster(self, effect_id: str) -> None:
        row = self.library.effect(effect_id)
        trial = self.runs.trial(self.bakes.open_trial(effect_id, read_effect(row.document)).id)
        bake = self.bakes.bake(trial.key)
        if bake is None or bake.state != "done" or row.poster_bake == trial.id:
            return
        frame = round(trial.effect.clock.last_frame * POSTER_AT)
        with self.runs.moment(trial, frame) as moment:
            self.library.set_poster(effect_id, poster(moment), trial.id)
        self.live.publish({"type": "poster", "effect": effect_id})

    def close(self) -> None:
        self.pool.close()
        self.database.close()


def _context(request: Request) -> Context:
    context: Context = request.app.state.context
    return context


Shared = Annotated[Context, Depends(_context)]
