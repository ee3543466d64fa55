"""Effects: the library page, saving under optimistic locking, versions, advisories."""

from __future__ import annotations

import itertools
import json
import re
from collections.abc import Iterator
from datetime import datetime
from typing import Annotated, Any, Literal
from zlib import crc32

from fastapi import APIRouter, HTTPException, Query, Response, UploadFile
from pydantic import BaseModel, Field

from hailridge.core.looking.advisories import advise
from hailridge.core.looking.forecast import forecast
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.demo import STARTERS, opening, starter, starter_picture
from hailridge.formats.clips import file_stem
from hailridge.formats.travelling import MOST_EFFECTS, SUFFIX, pack_effects
from hailridge.model.comparing import changes
from hailridge.model.validation import DocumentError, read_effect
from hailridge.store.library import DAYS_KEPT
from hailridge.store.tables import EffectRow, VersionRow, now
from hailridge.web.context import Shared
from hailridge.web.security import MOST_UPLOADED
from hailridge.web.uploads import read_in_worker

router = APIRouter(prefix="/api/effects", tags=["effects"])


class Summary(BaseModel):
    """An effect on the library page."""

    id: str
    name: str
    summary: str
    revision: int
    demo: bool
    changed: datetime
    poster: str | None
    opening: str | None
    """The stage as it opens, at frame 0, of a demo that nobody has changed."""
    deleted: datetime | None = None
    gone_in: float | None = Field(None, description="Days for which one that was deleted can still be brought back.")


class EffectOut(BaseModel):
    """An effect with its document."""

    id: str
    revision: int
    changed: datetime
    document: dict[str, Any]


class Save(BaseModel):
    """A new state of an effect, made from `revision`; `tab` tells the page's own saves from those of others."""

    revision: int
    document: dict[str, Any]
    tab: str = Field("", max_length=40)


class New(BaseModel):
    """Where a new effect comes from: a copy of another, a document, or the starter."""

    copy_of: str | None = None
    document: dict[str, Any] | None = None
    starter: str | None = Field(None, max_length=40, description="The name of a starting point; the first of them, where none is given.")
    name: str | None = Field(None, max_length=80)


class Version(BaseModel):
    revision: int
    name: str | None
    saved: datetime


class Kept(BaseModel):
    """A document to keep among the versions, under a name."""

    document: dict[str, Any]
    name: str = Field("", max_length=80)
    tab: str = Field("", max_length=40)


class Naming(BaseModel):
    name: str = Field(max_length=80)


class EffectName(BaseModel):
    name: str = Field(min_length=1, max_length=80)


class ChangeOut(BaseModel):
    """One difference between two versions."""

    sort: Literal["added", "removed", "moved", "changed"]
    text: str


class AdvisoryOut(BaseModel):
    level: str
    item: list[str | int]
    text: str
    fix: dict[str, Any] | None
    code: str = ""
    others: list[dict[str, Any]] = []


def _out(row: EffectRow) -> EffectOut:
    return EffectOut(id=row.id, revision=row.revision, changed=row.changed, document=_whole(row.document))


def _whole(stored: str) -> dict[str, Any]:
    """A stored document in the present format, every field spelled out; one that cannot be read any more is given as it is."""
    try:
        return read_effect(stored).model_dump()
    except DocumentError:
        document: dict[str, Any] = json.loads(stored)
        return document


@router.get("")
def list_effects(context: Shared, deleted: bool = False) -> list[Summary]:
    """All effects, the latest changed first; or those that were deleted and can still be brought back."""
    return [_summary(row) for row in context.library.effects(deleted)]


def _summary(row: EffectRow) -> Summary:
    return Summary(
        id=row.id, name=row.name, summary=json.loads(row.document).get("summary", ""), revision=row.revision, demo=row.demo is not None,
        changed=row.changed, poster=f"/api/effects/{row.id}/poster?of={row.poster_bake}" if row.poster else None, deleted=row.deleted,
        opening=_opening(row),
        gone_in=None if row.deleted is None else max(0.0, DAYS_KEPT - (now() - row.deleted).total_seconds() / 86400),
    )  # fmt: skip


def _opening(row: EffectRow) -> str | None:
    picture = opening(row.demo) if row.demo is not None and row.revision == 1 else None
    return f"/api/effects/{row.id}/opening?of={crc32(picture):08x}" if picture else None


class Starter(BaseModel):
    """A starting point for a new effect."""

    name: str
    title: str
    about: str


@router.get("/starters")
def list_starters() -> list[Starter]:
    """What a new effect may begin with, in the order in which it is offered."""
    return [Starter(name=name, title=title, about=about) for name, (title, about) in STARTERS.items()]


@router.get("/starters/{name}.png")
def picture_of_starter(name: str) -> Response:
    """A small picture of what a starting point does."""
    if name not in STARTERS:
        raise HTTPException(404, f"there is no starting point '{name}'")
    return Response(starter_picture(name), media_type="image/png")


@router.post("", status_code=201)
def create_effect(new: New, context: Shared) -> EffectOut:
    """Make an effect: a copy, a given document, or a starter with a visible, running source."""
    poster = None
    if new.copy_of is not None:
        row = context.library.effect(new.copy_of)
        document, poster = json.loads(row.document), row.poster
        document["name"] = new.name or _copied(document["name"], set(context.library.names().values()))
    else:
        beginning = new.starter or next(iter(STARTERS))
        if beginning not in STARTERS:
            raise HTTPException(422, f"there is no starting point '{beginning}'")
        document = new.document or starter(beginning)
        document["name"] = new.name or document.get("name", "Untitled effect")
        if not new.name and not new.document:
            document["name"] = _counted(document["name"], set(context.library.names().values()))
    return _out(context.library.create(read_effect(document), poster=poster))


def _copied(name: str, known: set[str]) -> str:
    """A name for a copy that no effect has yet."""
    base = re.sub(r" \(copy( \d+)?\)$", "", name)
    return _free(base, (" (copy)" if number == 1 else f" (copy {number})" for number in itertools.count(1)), known)


def _counted(name: str, known: set[str]) -> str:
    """A name for a new effect that none has yet: itself, or with the first number that is free."""
    return _free(name, ("" if number == 1 else f" {number}" for number in itertools.count(1)), known)


def _free(base: str, tails: Iterator[str], known: set[str]) -> str:
    """The base with the first of the tails that makes a name which none has."""
    return next(made for tail in tails if (made := base[: 80 - len(tail)] + tail) not in known)


@router.post("/bring-in", status_code=201)
def bring_in(file: UploadFile, context: Shared) -> list[Summary]:
    """Take in effects from a file that `get_file` made, with their meshes and pictures. 422 says what is wrong with it; nothing is kept then."""
    name = file.filename or "file"
    data = file.file.read(MOST_UPLOADED + 1)
    brought = read_in_worker(context, {"what": "effects", "name": name, "data": data}, name)["effects"]
    return [_summary(context.library.effect(effect)) for effect in brought]


@router.get("/file", response_class=Response, responses={200: {"content": {"application/zip": {}}}})
def get_file(context: Shared, effect: Annotated[list[str], Query(max_length=MOST_EFFECTS)]) -> Response:
    """One file with effects and all that they need: a ZIP (see `formats.travelling`)."""
    baggage = context.library.take_out(effect)
    name = baggage.effects[0].document["name"] if len(effect) == 1 else f"{len(effect)} effects"
    file = file_stem(name) or "effect"
    return Response(pack_effects(baggage), media_type="application/zip", headers={"Content-Disposition": f'attachment; filename="{file}{SUFFIX}"'})


@router.get("/{effect_id}")
def get_effect(effect_id: str, context: Shared) -> EffectOut:
    return _out(context.library.effect(effect_id))


@router.put("/{effect_id}")
def save_effect(effect_id: str, save: Save, context: Shared) -> EffectOut:
    """Save a new state. 409 when somebody else saved in between; nothing is overwritten silently."""
    row = context.library.save(effect_id, read_effect(save.document), save.revision)
    context.live.publish({"type": "saved", "effect": effect_id, "revision": row.revision, "tab": save.tab})
    return _out(row)


@router.delete("/{effect_id}", status_code=204)
def delete_effect(effect_id: str, context: Shared) -> None:
    context.library.delete(effect_id)
    context.runs.forget(effect_id)
    context.housekeeping.due()


@router.put("/{effect_id}/name")
def rename_effect(effect_id: str, naming: EffectName, context: Shared) -> Summary:
    """Give an effect another name, without opening it. It is a change like any other."""
    row = context.library.rename(effect_id, naming.name)
    context.live.publish({"type": "saved", "effect": effect_id, "revision": row.revision, "tab": ""})
    return _summary(row)


@router.post("/{effect_id}/bring-back")
def bring_back(effect_id: str, context: Shared) -> Summary:
    """Take back the deletion of an effect."""
    return _summary(context.library.bring_back(effect_id))


@router.delete("/{effect_id}/for-good", status_code=204)
def delete_for_good(effect_id: str, context: Shared) -> None:
    """Let an effect that was deleted go now, with its versions."""
    context.library.delete_for_good(effect_id)


@router.get("/{effect_id}/poster", response_class=Response, responses={200: {"content": {"image/png": {}}}})
def get_poster(effect_id: str, context: Shared) -> Response:
    """The effect's small picture."""
    row = context.library.effect(effect_id)
    if row.poster is None:
        raise HTTPException(404, "there is no picture of this effect yet")
    return Response(row.poster, media_type="image/png", headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.get("/{effect_id}/opening", response_class=Response, responses={200: {"content": {"image/webp": {}}}})
def get_opening(effect_id: str, context: Shared) -> Response:
    """What the stage shows of a demo as it opens."""
    row = context.library.effect(effect_id)
    picture = opening(row.demo) if row.demo is not None else None
    if picture is None:
        raise HTTPException(404, "only a demo has such a picture")
    return Response(picture, media_type="image/webp", headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.get("/{effect_id}/versions")
def list_versions(effect_id: str, context: Shared) -> list[Version]:
    """Every saved state, the newest first."""
    return [_version(row) for row in context.library.versions(effect_id)]


@router.post("/{effect_id}/versions")
def keep_version(effect_id: str, kept: Kept, context: Shared) -> EffectOut:
    """Keep a document among the versions without changing the effect. Pages that show the effect as it is go on from its new revision."""
    before = context.library.effect(effect_id).revision
    row = context.library.keep_beside(effect_id, read_effect(kept.document), kept.name)
    context.live.publish({"type": "saved", "effect": effect_id, "revision": row.revision, "tab": kept.tab, "same": before})
    return _out(row)


@router.get("/{effect_id}/versions/{revision}")
def get_version(effect_id: str, revision: int, context: Shared) -> dict[str, Any]:
    """The document of one version."""
    return _whole(context.library.version(effect_id, revision).document)


@router.get("/{effect_id}/versions/{revision}/changes")
def get_changes(effect_id: str, revision: int, context: Shared, since: int | None = None) -> list[ChangeOut]:
    """What a version has that another (the one before it, or `since`) has not, in words."""
    before = context.library.version_before(effect_id, revision)
    if since is None:
        since = revision if before is None else before
    earlier, later = (_whole(context.library.version(effect_id, number).document) for number in (since, revision))
    return [ChangeOut(sort=change.sort, text=change.text) for change in changes(earlier, later)]


@router.put("/{effect_id}/versions/{revision}")
def name_version(effect_id: str, revision: int, naming: Naming, context: Shared) -> Version:
    return _version(context.library.name_version(effect_id, revision, naming.name))


def _version(row: VersionRow) -> Version:
    return Version(revision=row.revision, name=row.name, saved=row.saved)


@router.post("/check")
def check_document(document: dict[str, Any], context: Shared) -> list[AdvisoryOut]:
    """Advisories for a document, or 422 with what is wrong with it."""
    pictures = {*shipped_pictures(), *context.library.pictures()}
    effect = read_effect(document)
    told = [AdvisoryOut(**advisory.as_dict()) for advisory in advise(effect, pictures)]
    for advisory in told:
        if advisory.fix and isinstance(advisory.fix.get("value"), dict):
            advisory.fix["value"] = _spelled_out(effect.model_dump(), advisory.fix["path"], advisory.fix["value"])
    return told


class ForecastOut(BaseModel):
    """Expected numbers (`core.looking.forecast.Forecast`)."""

    totals: list[float]
    groups: dict[str, list[float]]
    sampled_from: int | None
    budget_at: int | None
    left_out: list[str]
    complete: bool


@router.post("/forecast")
def forecast_document(document: dict[str, Any], context: Shared) -> ForecastOut:
    """How many particles a document will have at each frame, by a dry run without motion; nothing where no rule gives birth."""
    return ForecastOut(**vars(forecast(read_effect(document), context.library)))


def _spelled_out(document: dict[str, Any], path: list[Any], value: Any) -> Any:
    """A value that is to stand at a place of a document, with all its fields, as documents are kept."""
    holder: dict[str, Any] = {"": document}
    *way, last = ["", *path]
    owner: Any = holder
    for key in way:
        owner = owner[key]
    owner[last] = value
    whole: Any = read_effect(holder[""]).model_dump()
    for key in path:
        whole = whole[key]
    return whole
