"""Clips in the making and made: files that wait to be fetched, gone when the server starts anew."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from pathlib import Path

from hailridge.formats.clips import ClipWriter
from hailridge.store.errors import StorageError
from hailridge.store.library import NotFound

CLIPS_KEPT = 12
"""Files that wait to be fetched; older ones go."""


@dataclass
class Clip:
    """One file in the making, or made."""

    writer: ClipWriter
    name: str
    frames: int
    done: bool = False
    lock: threading.Lock = field(default_factory=threading.Lock)


class Clips:
    """Clips of one server, in a folder that is emptied when it starts."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.by_id: OrderedDict[str, Clip] = OrderedDict()
        if folder.is_dir():
            for old in folder.iterdir():
                old.unlink(missing_ok=True)

    def make_place(self) -> None:
        """Make the folder, but never the data folder around it: one that vanished is not to come back empty."""
        try:
            self.folder.mkdir(exist_ok=True)
        except OSError as error:
            raise StorageError(f"the clip cannot be kept: {self.folder} cannot be made ({(error.strerror or 'unknown').lower()})") from None

    def add(self, clip: Clip) -> str:
        key = secrets.token_hex(8)
        self.by_id[key] = clip
        while len(self.by_id) > CLIPS_KEPT:
            _key, old = self.by_id.popitem(last=False)
            with old.lock:
                old.writer.cancel()
        return key

    def get(self, key: str) -> Clip:
        if key not in self.by_id:
            raise NotFound("this clip is no longer kept; make it again")
        return self.by_id[key]
