"""Files that pages send are read in a worker, where a damaged one can do no harm; what is wrong with them is told in words."""

from __future__ import annotations

import secrets
import time
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException
from pydantic import BaseModel

from hailridge.web.context import Context, Shared

router = APIRouter(prefix="/api/uploads", tags=["uploads"])

SILENCE = 60.0
"""Seconds without a sign of life after which reading is given up. While it advances it may take its time."""

LONGEST = 1800.0
"""Seconds after which even a reader that keeps working is taken to be caught in a circle."""

Ticket = Annotated[str, Form(max_length=40, pattern=r"^[a-zA-Z0-9-]*$", description="By which a page hears of its upload, and stops it.")]


class Stopped(BaseModel):
    stopped: bool


def read_in_worker(context: Context, message: dict[str, Any], name: str, ticket: str = "") -> dict[str, Any]:
    """What a worker made of an upload (`runs.jobs`). 422 where it was refused, failed, stopped or given up; `name` is what the artist calls it."""
    owner = f"upload {ticket or secrets.token_hex(8)}"
    job = context.pool.submit({**message, "ticket": ticket}, owner, allowance=None)
    begun = time.monotonic()
    while True:
        try:
            result = job.result.result(0.5)
            break
        except TimeoutError:
            silent = job.heard is not None and time.monotonic() - job.heard > SILENCE
            if silent or time.monotonic() - begun > LONGEST:
                context.pool.abandon(owner)
                told = "its reader no longer advances. Try again when the machine has less to do; if that does not help, the file is damaged."
                raise HTTPException(422, f"'{name}' was given up: {told}") from None
    if result["state"] == "failed":
        raise HTTPException(422, f"'{name}' could not be read: {result['message']}")
    if result["state"] != "done":
        raise HTTPException(422, result.get("message", f"reading '{name}' was stopped"))
    return result


@router.post("/{ticket}/stop")
def stop_upload(ticket: str, context: Shared) -> Stopped:
    """Stop reading a file, at once."""
    return Stopped(stopped=context.pool.stop(f"upload {ticket}"))
