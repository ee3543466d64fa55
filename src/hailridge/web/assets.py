"""Meshes: uploaded, read in a worker, listed."""

from __future__ import annotations

from fastapi import APIRouter, UploadFile
from pydantic import BaseModel

from hailridge.formats.meshes import LARGEST_FILE
from hailridge.web.context import Shared
from hailridge.web.uploads import Ticket, read_in_worker

router = APIRouter(prefix="/api/assets", tags=["assets"])


class AssetOut(BaseModel):
    id: str
    name: str
    triangles: int
    notes: list[str] = []
    size: float | None = None
    """Longest side of its box, metres; told of a mesh that was just read."""


@router.get("")
def list_assets(context: Shared) -> list[AssetOut]:
    """All meshes of the library."""
    return [AssetOut(id=key, name=name, triangles=triangles) for key, name, triangles in context.library.meshes()]


@router.post("", status_code=201)
def add_asset(file: UploadFile, context: Shared, ticket: Ticket = "") -> AssetOut:
    """Import a mesh from OBJ, PLY, STL, GLB or USD. It is read in a worker, so a damaged file harms nothing; 422 says what is wrong with it.

    A mesh that is in the library already takes the name that is given now.
    """
    data = file.file.read(LARGEST_FILE + 1)
    name = file.filename or "mesh"
    result = read_in_worker(context, {"what": "mesh", "name": name, "data": data}, name, ticket)
    return AssetOut(id=result["asset"], name=result["name"], triangles=result["triangles"], notes=result["notes"], size=result["size"])
