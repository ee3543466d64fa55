"""Meshes: uploaded, read in a worker, listed."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, UploadFile
from pydantic import BaseModel

from hailridge.formats.meshes import LARGEST_FILE
from hailridge.web.context import Shared

router = APIRouter(prefix="/api/assets", tags=["assets"])

PATIENCE = 60.0
"""Seconds that reading a mesh may take."""


class AssetOut(BaseModel):
    id: str
    name: str
    triangles: int
    notes: list[str] = []


@router.get("")
def list_assets(context: Shared) -> list[AssetOut]:
    """All meshes of the library."""
    return [AssetOut(id=key, name=name, triangles=triangles) for key, name, triangles in context.library.meshes()]


@router.post("", status_code=201)
def add_asset(file: UploadFile, context: Shared) -> AssetOut:
    """Import a mesh from OBJ, PLY, STL, GLB or USD. It is read in a worker, so a damaged file harms nothing; 422 says what is wrong with it."""
    data = file.file.read(LARGEST_FILE + 1)
    job = context.pool.submit({"what": "mesh", "name": file.filename or "mesh", "data": data}, owner=f"mesh {file.filename}")
    try:
        result = job.result.result(PATIENCE)
    except TimeoutError:
        context.pool.abandon(job.owner)
        raise HTTPException(422, f"'{file.filename}' took longer than {PATIENCE:g} s to read and was given up") from None
    if result["state"] == "failed":
        raise HTTPException(422, f"'{file.filename}' could not be read: {result['message']}")
    if result["state"] != "done":
        raise HTTPException(422, result.get("message", "reading was stopped"))
    return AssetOut(id=result["asset"], name=result["name"], triangles=result["triangles"], notes=result["notes"])
