"""The SQLite file: opened in WAL mode with large pages, migrated on opening, its errors told in words."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session

MIGRATIONS = Path(__file__).parent / "migrations"


class StorageError(RuntimeError):
    """The store cannot do what was asked; the message is for people. `full` tells a full disk from the rest."""

    def __init__(self, message: str, full: bool = False) -> None:
        super().__init__(message)
        self.full = full


class Database:
    """One SQLite file. Web and worker processes each open their own."""

    def __init__(self, folder: Path, migrate: bool = True) -> None:
        self.folder = folder
        self.path = folder / "hailridge.sqlite"
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise StorageError(f"the data folder {folder} cannot be made: {error.strerror}") from None
        self.engine: Engine = create_engine(f"sqlite:///{self.path}", connect_args={"timeout": 15, "check_same_thread": False})
        event.listen(self.engine, "connect", _prepare)
        event.listen(self.engine, "begin", _begin)
        # A write takes its lock before it reads what it depends on: two savers can then never both believe that they are first.
        self._writer = self.engine.execution_options(writes=True)
        if migrate:
            self._migrate()

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        try:
            with self.engine.begin() as connection:
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
        except DatabaseError as error:
            raise StorageError(f"the data file {self.path} cannot be opened: {error.orig}. Nothing in it was changed.") from None

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for reading only."""
        with Session(self.engine, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that commits at the end, or leaves everything as it was."""
        try:
            with Session(self._writer, expire_on_commit=False) as session, session.begin():
                yield session
        except OperationalError as error:
            raise in_words(error) from None

    def close(self) -> None:
        self.engine.dispose()


def in_words(error: OperationalError) -> StorageError:
    """SQLite's complaint as a sentence that says what to do."""
    text = str(error.orig)
    if "full" in text:
        return StorageError("the disk is full: nothing was lost, but this could not be saved. Free some space and try again.", full=True)
    if "locked" in text:
        return StorageError("the data file is busy with another program; try again in a moment")
    return StorageError(f"the data file could not be written: {text}")


def _begin(connection: Connection) -> None:
    connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")


def _prepare(connection: Any, _record: Any) -> None:
    # Transactions are begun by hand above; Python's own way would begin them only at the first change.
    connection.isolation_level = None
    cursor = connection.cursor()
    # The page size takes effect only while the file is empty; frames are large, so pages are too (measured).
    cursor.execute("PRAGMA page_size = 65536")
    cursor.execute("PRAGMA journal_mode = WAL")
    cursor.execute("PRAGMA synchronous = NORMAL")
    cursor.execute("PRAGMA foreign_keys = ON")
    cursor.close()
