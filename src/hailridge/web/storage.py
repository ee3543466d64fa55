"""What the data folder holds, what it may hold, and making room."""

from __future__ import annotations

import shutil

from fastapi import APIRouter
from pydantic import BaseModel, Field

from hailridge.store import room
from hailridge.web.context import Context, Shared

router = APIRouter(prefix="/api/storage", tags=["storage"])

LEAST, MOST = 100_000_000, 10_000_000_000_000


class StorageOut(BaseModel):
    """Bytes on disk. `frames` can be computed again, `effects` (with versions, meshes and pictures) cannot."""

    effects: int
    frames: int
    limit: int
    free: int
    deleted: int = Field(description="Effects that were deleted and can be brought back.")
    folder: str


class Limit(BaseModel):
    limit: int = Field(ge=LEAST, le=MOST, description="Bytes that computed frames may take.")


def _told(context: Context) -> StorageOut:
    kept = context.database
    return StorageOut(
        effects=kept.made.bytes_on_disk(), frames=kept.frames.bytes_on_disk(), limit=context.limit, free=shutil.disk_usage(kept.folder).free,
        deleted=len(context.library.names(deleted=True)), folder=str(kept.folder.resolve()),
    )  # fmt: skip


@router.get("")
def get_storage(context: Shared) -> StorageOut:
    """What is used."""
    return _told(context)


@router.put("")
def set_limit(limit: Limit, context: Shared) -> StorageOut:
    """Set what computed frames may take; what is beyond it goes at once, the longest unused first."""
    context.library.set_setting("frames_limit", limit.limit)
    context.clean()
    return _told(context)


@router.post("/clear")
def clear_frames(context: Shared) -> StorageOut:
    """Let go all computed frames but those that somebody looks at; on a full disk those, too. Effects stay; frames are computed again when they are
    opened."""
    scarce = room.scarce(context.database.folder)
    if scarce:
        room.let_go(context.database.folder)
    context.bakes.prune(context.runs.in_use(), 0, tight=scarce)
    if scarce and not room.plenty(context.database.folder):
        # Better that what is looked at is computed again than that nothing can be saved.
        context.bakes.prune(set(), 0, 0.0, tight=True)
    if scarce:
        # For the next time. A document that is saved takes it before it is refused.
        room.hold(context.database.folder, again=True)
        context.room_was_made()
    return _told(context)
