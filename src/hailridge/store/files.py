"""One SQLite file: opened in WAL mode, its transactions begun by hand, its errors told in words."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from sqlite3 import DatabaseError as PlainError
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from hailridge.store import room
from hailridge.store.errors import FULL, StorageError

SCRAP = 1_000_000
"""Bytes; on a disk with less, whatever goes wrong with writing goes wrong for want of room."""


class File:
    """One SQLite file. Web and worker processes each open their own.

    Parameters
    ----------
    path : Path
    setting : dict
        PRAGMAs set on every connection, in this order.
    """

    def __init__(self, path: Path, setting: dict[str, Any]) -> None:
        self.path, self.setting = path, setting
        self.on_scarce: Callable[[], None] | None = None
        """Asked for room before something is written to a disk that has hardly any."""
        self._known: tuple[int, int] | None = None
        self.engine: Engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 15, "check_same_thread": False})
        event.listen(self.engine, "connect", self._prepare)
        event.listen(self.engine, "begin", _begin)
        # A write takes its lock before it reads what it depends on: two savers can then never both believe that they are first.
        self.writer = self.engine.execution_options(writes=True)

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for reading only."""
        self._check_place()
        try:
            with Session(self.engine, expire_on_commit=False) as session:
                yield session
        except DatabaseError as error:
            raise in_words(error, self.path) from None

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that commits at the end, or leaves everything as it was."""
        self._check_place()
        if self.on_scarce is not None and room.scarce(self.path.parent):
            self.on_scarce()
        try:
            with Session(self.writer, expire_on_commit=False) as session, session.begin():
                yield session
        except DatabaseError as error:
            raise in_words(error, self.path) from None
        # A file that was deleted takes what is written and loses it: that is not to be acknowledged.
        self._check_place()

    def remember(self) -> None:
        """From now on the file has to stay the one that it is."""
        self._known = self._identity()

    def _check_place(self) -> None:
        if self._known is not None and self._identity() != self._known:
            raise StorageError(
                f"the data file {self.path} is no longer there: the folder was deleted, moved or replaced while Hailridge was running. "
                "What is on the page is kept there; put the folder back or start Hailridge again."
            )

    def _identity(self) -> tuple[int, int] | None:
        try:
            found = os.stat(self.path)
        except OSError:
            return None
        return found.st_dev, found.st_ino

    def _prepare(self, connection: Any, _record: Any) -> None:
        # Transactions are begun by hand; Python's own way would begin them only at the first change.
        connection.isolation_level = None
        cursor = connection.cursor()
        for name, value in self.setting.items():
            cursor.execute(f"PRAGMA {name} = {value}")
        cursor.close()

    def bytes_on_disk(self) -> int:
        """What the file takes, with what waits to be written into it."""
        return sum(path.stat().st_size for path in self.path.parent.glob(self.path.name + "*") if path.suffix != ".sqlite-shm")

    def waiting(self) -> int:
        """Bytes beside the file that are still to be written into it, which then grows: readers keep them waiting."""
        try:
            beside = os.stat(f"{self.path}-wal").st_size
        except OSError:
            return 0
        if not room.matters(self.path.parent, beside):
            return beside
        try:
            with self.engine.connect() as connection:
                _busy, beside, done = connection.connection.cursor().execute("PRAGMA wal_checkpoint(PASSIVE)").fetchone()
                page = connection.connection.cursor().execute("PRAGMA page_size").fetchone()[0]
        except (DatabaseError, PlainError) as error:
            raise in_words(error, self.path) from None
        return int(page * max(beside - done, 0))

    def close(self) -> None:
        self.engine.dispose()


def _begin(connection: Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")


def in_words(error: DatabaseError | PlainError, path: Path | None = None) -> StorageError:
    """SQLite's complaint as a sentence that says what to do."""
    text = str(error.orig if isinstance(error, DatabaseError) else error)
    named = f"the data file {path}" if path is not None else "the data file"
    # Where even the file that readers share cannot grow, SQLite has no better word.
    if "full" in text or ("disk I/O" in text and path is not None and room.free(path.parent) < SCRAP):
        return StorageError(FULL, full=True)
    if "locked" in text:
        return StorageError(f"{named} is busy with another program; try again in a moment")
    if "readonly" in text or "read-only" in text:
        return StorageError(f"{named} cannot be written: it, or its folder, is read-only")
    if "malformed" in text or "not a database" in text:
        return StorageError(f"{named} is damaged. Nothing in it was changed; move it away, or put a good copy in its place.")
    if "unable to open" in text:
        return StorageError(f"{named} cannot be opened: its folder is missing, or may not be read or written")
    return StorageError(f"{named} could not be read or written: {text}")
