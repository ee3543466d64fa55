"""The data folder: what an artist made in one file, what was computed from it in another, which may be lost (decision 18)."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session

from hailridge.store.errors import StorageError
from hailridge.store.files import File, in_words
from hailridge.store.tables import Computed

MIGRATIONS = Path(__file__).parent / "migrations"

FRAMES_VERSION = 1
"""Of the tables of computed frames; a file with others is made anew."""

# An edit that was acknowledged survives a power cut: every commit waits for the disk. Frames can be computed again.
_MADE = {"journal_mode": "WAL", "synchronous": "FULL", "foreign_keys": "ON"}
# Frames are large, so pages are too (measured). Both settings take effect only while the file is empty. What waits beside the file to be written into
# it (128 pages: 8 MB) stands twice on the disk until it is: on a full one nothing could be let go. Nor could it if what is forgotten had first to be
# overwritten with zeros, as some builds of SQLite do: that takes as much room as was to be given back.
_COMPUTED = {
    "page_size": 65536, "auto_vacuum": "INCREMENTAL", "journal_mode": "WAL", "synchronous": "NORMAL", "foreign_keys": "ON",
    "secure_delete": "OFF", "wal_autocheckpoint": 128, "journal_size_limit": 8 * 1024 * 1024,
}  # fmt: skip


class Database:
    """The two files of a data folder. Web and worker processes each open their own; only the server migrates.

    Raises
    ------
    StorageError
        Where the folder cannot be made or written, or the file of effects is damaged or was written by a newer Hailridge.
    """

    def __init__(self, folder: Path, migrate: bool = True) -> None:
        self.folder = folder
        if migrate:
            _make(folder)
        self.made = File(folder / "hailridge.sqlite", _MADE)
        self.frames = File(folder / "frames.sqlite", _COMPUTED)
        if migrate:
            self._migrate()
            self._ready_frames()
        self.made.remember()
        self.frames.remember()

    @property
    def path(self) -> Path:
        return self.made.path

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session for reading what artists made."""
        with self.made.reading() as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session for changing what artists made: it commits at the end, or leaves everything as it was."""
        with self.made.writing() as session:
            yield session

    def _migrate(self) -> None:
        # Half a second to import, and only the server migrates: a worker is ready without it.
        from alembic import command
        from alembic.config import Config
        from alembic.util.exc import CommandError

        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        try:
            with self.made.engine.begin() as connection:
                before = connection.execute(text("PRAGMA page_count")).scalar() or 0
                config.attributes["connection"] = connection
                command.upgrade(config, "head")
                free = connection.execute(text("PRAGMA freelist_count")).scalar() or 0
            if free > before // 2:
                with self.made.engine.connect() as connection:
                    # By hand: it may not stand within a transaction.
                    connection.connection.cursor().execute("VACUUM")
        except DatabaseError as error:
            raise in_words(error, self.path) from None
        except CommandError:
            raise StorageError(f"the data file {self.path} was written by a newer Hailridge than this one. Nothing in it was changed.") from None

    def _ready_frames(self) -> None:
        """Make the tables of computed frames; a file that is damaged or of another version is made anew."""
        try:
            with self.frames.engine.begin() as connection:
                version = connection.execute(text("PRAGMA user_version")).scalar()
                if version == FRAMES_VERSION:
                    # Damage shows when something is read.
                    connection.execute(text("SELECT count(*) FROM bakes")).scalar()
                    return
                if version == 0:
                    self._make_frames()
                    return
        except DatabaseError as error:
            if not any(word in str(error.orig) for word in ("malformed", "not a database", "no such table")):
                raise in_words(error, self.frames.path) from None
        self.frames.close()
        for suffix in ("", "-wal", "-shm"):
            self.frames.path.with_name(self.frames.path.name + suffix).unlink(missing_ok=True)
        self._make_frames()

    def _make_frames(self) -> None:
        try:
            with self.frames.writer.begin() as connection:
                Computed.metadata.create_all(connection)
                connection.execute(text(f"PRAGMA user_version = {FRAMES_VERSION}"))
        except DatabaseError as error:
            raise in_words(error, self.frames.path) from None

    def close(self) -> None:
        self.made.close()
        self.frames.close()


def _make(folder: Path) -> None:
    """Make a data folder that can be written, or say why not."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except FileExistsError:
        raise StorageError(f"the data folder {folder} cannot be made: there is a file of that name") from None
    except OSError as error:
        raise StorageError(f"the data folder {folder} cannot be made: {error.strerror}") from None
    if not os.access(folder, os.W_OK | os.X_OK, effective_ids=os.access in os.supports_effective_ids):
        raise StorageError(f"the data folder {folder} is read-only; give another with --data, or let it be written")
