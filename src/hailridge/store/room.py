"""Room on the disk: computed frames leave some to what artists make, and go before a document is refused."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from hailridge.store.errors import FULL, StorageError

MOST_SPARED = 64 * 1024 * 1024
"""Bytes of a disk that are kept for what artists make, at most: with less, computed frames go. They themselves stop at twice as much."""

SPARED_PART = 0.05
"""The same as a part of the disk: a small one has less to spare."""

RESERVE = 4_000_000
"""Bytes of a file that stands for nothing: when another program has filled the disk, its room is what computed frames are let go in."""

NO_ROOM = "the disk is almost full: what is left is kept for your effects. Free some space, or let go computed frames in Storage, and try again."


def free(folder: Path) -> int:
    """Bytes that may still be written in a folder; a folder that is not there has any number."""
    try:
        return shutil.disk_usage(folder).free
    except OSError:
        return MOST_SPARED * 1000


def spared(folder: Path) -> int:
    """Bytes that stay free for what artists make."""
    try:
        return min(MOST_SPARED, int(shutil.disk_usage(folder).total * SPARED_PART))
    except OSError:
        return 0


def scarce(folder: Path) -> bool:
    """Whether only that is left which is kept for what artists make."""
    return free(folder) < spared(folder)


def plenty(folder: Path) -> bool:
    """Whether there is room beside what is kept for what artists make, and for the reserve."""
    return free(folder) > spared(folder) + 2 * RESERVE


def matters(folder: Path, size: int) -> bool:
    """Whether so many bytes more or less can decide whether frames are still written: on a disk with much room nobody counts exactly."""
    return free(folder) - size < 4 * spared(folder) + 4 * RESERVE


def check_room(folder: Path, wanted: int = 0) -> None:
    """Raises StorageError where so many bytes of what can be made again would take the room of what cannot. The reserve comes before them."""
    hold(folder)
    # Early enough that the next document finds its room without anything having to go.
    if free(folder) - wanted < 2 * spared(folder):
        raise StorageError(NO_ROOM, full=True)


def hold(folder: Path, again: bool = False) -> None:
    """Keep the reserve, where there is plenty of room; `again`: after it was used, where there is room for it at all."""
    path = folder / "reserve"
    try:
        if not path.exists() and (free(folder) > RESERVE if again else plenty(folder)):
            path.write_bytes(bytes(RESERVE))
    except OSError:
        path.unlink(missing_ok=True)


def let_go(folder: Path) -> None:
    """Give the reserve back to the disk."""
    (folder / "reserve").unlink(missing_ok=True)


def full_in_words(error: OSError) -> StorageError | None:
    """A full disk, or a quota that is used up, as a sentence; None for any other error."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return StorageError(FULL, full=True)
    return None
