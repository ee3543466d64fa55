"""Picture sets: those that ship and those of the library, listed, shown, imported."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, HTTPException, Response, UploadFile
from pydantic import BaseModel

from hailridge.core.scene.assets import PictureSheet
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.formats.pictures import LARGEST_FILE, MOST_CELLS
from hailridge.web.context import Context, Shared
from hailridge.web.uploads import Ticket, read_in_worker

router = APIRouter(prefix="/api/pictures", tags=["pictures"])

FOREVER = {"Cache-Control": "private, max-age=31536000, immutable"}


class PictureOut(BaseModel):
    """A set of drawings on one sheet; sizes in pixels."""

    id: str
    name: str
    columns: int
    rows: int
    count: int
    width: int
    height: int
    ships: bool


def _out(key: str, sheet: PictureSheet, ships: bool) -> PictureOut:
    return PictureOut(id=key, ships=ships, **{name: value for name, value in vars(replace(sheet, png=b"")).items() if name != "png"})


@router.get("")
def list_pictures(context: Shared) -> list[PictureOut]:
    """All sets: those that ship first."""
    own = context.library.pictures()
    return [_out(key, sheet, True) for key, sheet in shipped_pictures().items()] + [_out(key, sheet, False) for key, sheet in own.items()]


@router.get("/{picture}.png", response_class=Response, responses={200: {"content": {"image/png": {}}}})
def get_picture(picture: str, context: Shared) -> Response:
    """The whole sheet of a set."""
    return Response(_sheet(context, picture).png, media_type="image/png", headers=FOREVER)


def _sheet(context: Context, picture: str) -> PictureSheet:
    return shipped_pictures().get(picture) or context.library.picture(picture)


@router.post("", status_code=201)
def add_pictures(
    files: list[UploadFile],
    context: Shared,
    columns: Annotated[int, Form(ge=1, le=MOST_CELLS)] = 1,
    rows: Annotated[int, Form(ge=1, le=MOST_CELLS)] = 1,
    ticket: Ticket = "",
) -> PictureOut:
    """Import one PNG, cut into columns and rows, or several of one size as a sequence. Read in a worker; 422 says what is wrong with them."""
    if len(files) > MOST_CELLS:
        raise HTTPException(422, f"{len(files)} pictures are more than a set can hold; the limit is {MOST_CELLS}")
    given, room = [], LARGEST_FILE * 4
    for file in files:
        data = file.file.read(LARGEST_FILE + 1)
        room -= len(data)
        if room < 0:
            raise HTTPException(422, f"these pictures are more than {LARGEST_FILE * 4 / 1e6:.0f} MB together; make them smaller or take fewer")
        given.append((file.filename or "picture", data))
    message = {"what": "pictures", "files": given, "columns": columns, "rows": rows}
    result = read_in_worker(context, message, given[0][0], ticket)
    return _out(result["asset"], context.library.picture(result["asset"]), False)
