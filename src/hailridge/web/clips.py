"""Stills and clips: the page draws frames, the server writes them into one file, which is then fetched."""

from __future__ import annotations

import secrets

from fastapi import APIRouter, HTTPException, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from hailridge.formats.clips import MEDIA, SUFFIXES, ClipError, ClipFormat, ClipWriter, check_clip, file_stem
from hailridge.store.clips import Clip
from hailridge.store.room import check_room
from hailridge.web.context import Shared

router = APIRouter(prefix="/api/clips", tags=["clips"])

class Asked(BaseModel):
    """What is to be made. Sizes in pixels."""

    name: str = Field(default="clip", max_length=80)
    format: ClipFormat
    width: int
    height: int
    frames_per_second: float = Field(default=24.0, ge=1, le=240)
    first: int = Field(default=0, ge=0)
    frames: int = 1


class ClipOut(BaseModel):
    id: str
    written: int
    frames: int
    bytes: int
    name: str


@router.post("", status_code=201)
def begin_clip(asked: Asked, context: Shared) -> ClipOut:
    """Begin a file. 422 where size, length or format cannot be."""
    try:
        check_clip(asked.format, asked.width, asked.height, asked.frames)
    except ClipError as error:
        raise HTTPException(422, str(error)) from None
    clips = context.clips
    clips.make_place()
    check_room(clips.folder)
    name = file_stem(asked.name) or "clip"
    path = clips.folder / f"{secrets.token_hex(4)}-{name}{SUFFIXES[asked.format]}"
    writer = ClipWriter(path, asked.format, asked.width, asked.height, asked.frames_per_second, asked.first, name)
    key = clips.add(Clip(writer, f"{name}{SUFFIXES[asked.format]}", asked.frames))
    return _out(key, clips.get(key))


@router.put("/{clip_id}/frames/{number}", openapi_extra={"requestBody": {"content": {"application/octet-stream": {}}, "required": True}})
async def add_frame(clip_id: str, number: int, request: Request, context: Shared) -> ClipOut:
    """The next frame as raw RGBA bytes, the top row first. 409 where frames come out of order."""
    clips = context.clips
    clip = clips.get(clip_id)
    if int(request.headers.get("content-length", "-1")) != clip.writer.frame_bytes:
        raise HTTPException(422, f"a frame of this clip has {clip.writer.frame_bytes} bytes")
    pixels = await request.body()

    def write() -> None:
        with clip.lock:
            if clip.done or number != clip.writer.written:
                raise HTTPException(409, f"frame {clip.writer.written} comes next, not {number}")
            check_room(clips.folder)
            clip.writer.add(pixels)

    await run_in_threadpool(write)
    return _out(clip_id, clip)


@router.post("/{clip_id}/finish")
def finish_clip(clip_id: str, context: Shared) -> ClipOut:
    """Complete the file with the frames that are there."""
    clip = context.clips.get(clip_id)
    with clip.lock:
        if clip.writer.written == 0:
            raise HTTPException(409, "nothing has been drawn yet")
        if not clip.done:
            clip.writer.finish()
            clip.done = True
    return _out(clip_id, clip)


@router.get("/{clip_id}/file", response_class=FileResponse)
def get_clip(clip_id: str, context: Shared) -> Response:
    """The finished file."""
    clip = context.clips.get(clip_id)
    if not clip.done:
        raise HTTPException(409, "this clip is not finished")
    return FileResponse(clip.writer.path, media_type=MEDIA[clip.writer.form], filename=clip.name)


@router.delete("/{clip_id}", status_code=204)
def drop_clip(clip_id: str, context: Shared) -> None:
    """Stop making it, and remove what is there."""
    clip = context.clips.by_id.pop(clip_id, None)
    if clip is not None:
        with clip.lock:
            clip.writer.cancel()


def _out(key: str, clip: Clip) -> ClipOut:
    size = clip.writer.path.stat().st_size if clip.writer.path.exists() else 0
    return ClipOut(id=key, written=clip.writer.written, frames=clip.frames, bytes=size, name=clip.name)
