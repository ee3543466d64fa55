"""Files that pages send are read in a worker, where a damaged one can do no harm; what is wrong with them is told in words."""

from __future__ import annotations

from typing import Any

from fastapi import HTTPException

from hailridge.web.context import Context

PATIENCE = 60.0
"""Seconds that reading may take."""


def read_in_worker(context: Context, message: dict[str, Any], name: str) -> dict[str, Any]:
    """What a worker made of an upload (`runs.jobs`). 422 where it was refused, failed, or took too long; `name` is what the artist calls it."""
    job = context.pool.submit(message, owner=f"{message['what']} {name}")
    try:
        result = job.result.result(PATIENCE)
    except TimeoutError:
        context.pool.abandon(job.owner)
        raise HTTPException(422, f"'{name}' took longer than {PATIENCE:g} s to read and was given up") from None
    if result["state"] == "failed":
        raise HTTPException(422, f"'{name}' could not be read: {result['message']}")
    if result["state"] != "done":
        raise HTTPException(422, result.get("message", "reading was stopped"))
    return result
