"""A data folder has one server: two would drop each other's runs and files."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from pathlib import Path

from filelock import FileLock, Timeout

from hailridge.store.errors import StorageError


class Claim:
    """Holds a data folder for this process, until it is let go or the process ends, however it ends.

    Raises
    ------
    StorageError
        At once, where another process holds it; the message says which.
    """

    def __init__(self, folder: Path, address: str = "") -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StorageError(f"the data folder {folder} cannot be made: {error.strerror}") from None
        self._told = folder / "serving.json"
        self._lock = FileLock(folder / "serving.lock", is_singleton=False)
        try:
            self._lock.acquire(timeout=0)
        except Timeout:
            raise StorageError(
                f"the data folder {folder} is served by another Hailridge already{self._who()}; stop that one, or give another folder with --data"
            ) from None
        except OSError as error:
            raise StorageError(f"the data folder {folder} cannot be written: {error.strerror}") from None
        # Only to be told to a second server: that it cannot be written harms nothing.
        with suppress(OSError):
            self._told.write_text(json.dumps({"process": os.getpid(), "address": address}), encoding="utf-8")

    def _who(self) -> str:
        try:
            told = json.loads(self._told.read_text(encoding="utf-8"))
            return f" (process {told['process']}{', at ' + told['address'] if told['address'] else ''})"
        except (OSError, ValueError, LookupError, TypeError):
            return ""

    def let_go(self) -> None:
        with suppress(OSError):
            self._told.unlink(missing_ok=True)
        self._lock.release()
