"""Effects and their versions: read, saved under optimistic locking, deleted and brought back; meshes, pictures, settings."""

from __future__ import annotations

import json
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hailridge.core.scene.assets import Mesh as CoreMesh
from hailridge.core.scene.assets import MissingAsset, PictureSheet
from hailridge.formats.meshes import mesh_id
from hailridge.formats.pictures import picture_id
from hailridge.formats.travelling import Baggage, collect
from hailridge.model.effect import Effect
from hailridge.model.validation import read_effect
from hailridge.store.database import Database
from hailridge.store.tables import AssetRow, EffectRow, PictureRow, SettingRow, VersionRow, now

VERSIONS_KEPT = 400
"""Unnamed versions kept per effect; named ones stay for ever."""

DAYS_KEPT = 30
"""Days for which a deleted effect can be brought back."""


class NotFound(LookupError):
    """No such effect, version, trial or mesh; the message names it."""


class NotYet(NotFound):
    """Something that is not there yet, or no longer, though it was asked for in good faith: a frame that is being computed, a thing that a page
    already knows and the trial that it looks at does not."""


@dataclass
class Conflict(RuntimeError):
    """Somebody else saved in between."""

    mine: int
    theirs: int
    changed: datetime

    def __str__(self) -> str:
        when = self.changed.strftime("%H:%M:%S")
        return (
            f"this effect was changed somewhere else at {when} UTC (it is at revision {self.theirs}, your change began at {self.mine}). "
            "Nothing of yours is lost: keep yours, or take the other."
        )


def serialized(effect: Effect) -> str:
    """A document as stored: compact JSON, keys in the model's order."""
    return json.dumps(effect.model_dump(), separators=(",", ":"), ensure_ascii=False)


class Library:
    """Effects, meshes and pictures in a database."""

    def __init__(self, database: Database) -> None:
        self.database = database

    # ── Effects ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    def effects(self, deleted: bool = False) -> list[EffectRow]:
        """All effects, the latest changed first; or those that were deleted and can be brought back, the latest deleted first."""
        chosen = select(EffectRow).where(EffectRow.deleted.is_not(None) if deleted else EffectRow.deleted.is_(None))
        with self.database.reading() as session:
            return list(session.scalars(chosen.order_by((EffectRow.deleted if deleted else EffectRow.changed).desc(), EffectRow.id)))

    def names(self, deleted: bool = False) -> dict[str, str]:
        """The names of all effects by id, without their documents and pictures; or of those that can be brought back."""
        chosen = select(EffectRow.id, EffectRow.name).where(EffectRow.deleted.is_not(None) if deleted else EffectRow.deleted.is_(None))
        with self.database.reading() as session:
            return {row.id: row.name for row in session.execute(chosen)}

    def effect(self, effect_id: str) -> EffectRow:
        with self.database.reading() as session:
            return _effect(session, effect_id)

    def create(self, effect: Effect, demo: str | None = None, poster: bytes | None = None) -> EffectRow:
        """Keep a new effect; with a `poster` (PNG) where there is a picture of it already."""
        shown = "given" if poster else None
        row = EffectRow(
            id=secrets.token_hex(6), name=effect.name, document=serialized(effect), revision=1, demo=demo, poster=poster, poster_bake=shown
        )
        with self.database.writing() as session:
            session.add(row)
            session.flush()
            session.add(VersionRow(effect_id=row.id, revision=1, document=row.document))
        return row

    def save(self, effect_id: str, effect: Effect, revision: int) -> EffectRow:
        """Save a new state made from `revision`.

        Raises
        ------
        Conflict
            When the stored effect is at another revision; nothing is changed then.
        """
        document = serialized(effect)
        with self.database.writing() as session:
            row = _effect(session, effect_id)
            if row.revision != revision:
                raise Conflict(revision, row.revision, row.changed)
            if row.document == document:
                return row
            row.name, row.document, row.revision, row.changed = effect.name, document, revision + 1, now()
            session.add(VersionRow(effect_id=effect_id, revision=row.revision, document=document))
            oldest = row.revision - VERSIONS_KEPT
            session.execute(
                delete(VersionRow).where(VersionRow.effect_id == effect_id, VersionRow.revision < oldest, VersionRow.name.is_(None))
            )
        return row

    def keep_beside(self, effect_id: str, effect: Effect, name: str) -> EffectRow:
        """Keep a document among the versions of an effect that stays as it is: just before the present state, which gets the newest number."""
        with self.database.writing() as session:
            row = _effect(session, effect_id)
            session.add(VersionRow(effect_id=effect_id, revision=row.revision + 1, document=serialized(effect), name=name or None))
            row.revision += 2
            session.add(VersionRow(effect_id=effect_id, revision=row.revision, document=row.document))
        return row

    def delete(self, effect_id: str) -> None:
        """Put an effect away; for some time it can be brought back."""
        with self.database.writing() as session:
            _effect(session, effect_id).deleted = now()

    def bring_back(self, effect_id: str) -> EffectRow:
        """Take back the deletion of an effect."""
        with self.database.writing() as session:
            row = session.get(EffectRow, effect_id)
            if row is None:
                raise NotFound(f"the effect '{effect_id}' can no longer be brought back")
            row.deleted = None
            return row

    def forget_deleted(self, days: float = DAYS_KEPT) -> int:
        """Let effects that were deleted longer ago than `days` go for good, with their versions. Returns how many."""
        with self.database.writing() as session:
            gone = list(session.scalars(select(EffectRow).where(EffectRow.deleted < now() - timedelta(days=days))))
            for row in gone:
                session.delete(row)
        return len(gone)

    def delete_for_good(self, effect_id: str) -> None:
        """Let an effect that was deleted go before its time."""
        with self.database.writing() as session:
            row = session.get(EffectRow, effect_id)
            if row is None or row.deleted is None:
                raise NotFound(f"there is no deleted effect '{effect_id}'")
            session.delete(row)

    def rename(self, effect_id: str, name: str) -> EffectRow:
        """Give an effect another name: a new revision like any other change."""
        row = self.effect(effect_id)
        return self.save(effect_id, read_effect(row.document).model_copy(update={"name": name}), row.revision)

    def set_poster(self, effect_id: str, picture: bytes, bake: str) -> None:
        with self.database.writing() as session:
            row = _effect(session, effect_id)
            row.poster, row.poster_bake = picture, bake

    # ── Versions ────────────────────────────────────────────────────────────────────────────────────────────────────────

    def versions(self, effect_id: str) -> list[VersionRow]:
        with self.database.reading() as session:
            _effect(session, effect_id)
            wanted = select(VersionRow).where(VersionRow.effect_id == effect_id).order_by(VersionRow.revision.desc())
            return list(session.scalars(wanted))

    def version(self, effect_id: str, revision: int) -> VersionRow:
        with self.database.reading() as session:
            row = session.get(VersionRow, (effect_id, revision))
            if row is None:
                raise NotFound(f"there is no version {revision} of this effect")
            return row

    def version_before(self, effect_id: str, revision: int) -> int | None:
        """The number of the version that stood before another."""
        before = select(func.max(VersionRow.revision)).where(VersionRow.effect_id == effect_id, VersionRow.revision < revision)
        with self.database.reading() as session:
            _effect(session, effect_id)
            return session.scalar(before)

    def name_version(self, effect_id: str, revision: int, name: str) -> VersionRow:
        with self.database.writing() as session:
            row = session.get(VersionRow, (effect_id, revision))
            if row is None:
                raise NotFound(f"there is no version {revision} of this effect")
            row.name = name or None
            return row

    # ── Meshes ──────────────────────────────────────────────────────────────────────────────────────────────────────────

    def add_mesh(self, name: str, mesh: CoreMesh, rename: bool = True) -> AssetRow:
        """Keep a mesh under the digest of its triangles; the same mesh is kept once, under the name given last unless `rename` is off."""
        key = mesh_id(mesh)
        with self.database.writing() as session:
            row = session.get(AssetRow, key)
            if row is None:
                row = AssetRow(id=key, name=name[:200], vertices=mesh.vertices.tobytes(), faces=mesh.faces.tobytes(), triangles=len(mesh.faces))
                session.add(row)
            elif rename:
                row.name = name[:200]
            return row

    def meshes(self) -> list[tuple[str, str, int]]:
        """Id, name and number of triangles of every mesh."""
        with self.database.reading() as session:
            rows = session.execute(select(AssetRow.id, AssetRow.name, AssetRow.triangles).order_by(AssetRow.name))
            return [(row.id, row.name, row.triangles) for row in rows]

    def mesh(self, asset: str) -> CoreMesh:
        """A mesh by id, as `core.assets.Assets` wants it."""
        with self.database.reading() as session:
            row = session.get(AssetRow, asset)
            if row is None:
                raise MissingAsset(asset)
            return CoreMesh(np.frombuffer(row.vertices, np.float32).reshape(-1, 3), np.frombuffer(row.faces, np.int32).reshape(-1, 3))

    # ── Pictures ────────────────────────────────────────────────────────────────────────────────────────────────────────

    def add_picture(self, sheet: PictureSheet, rename: bool = True) -> str:
        """Keep a picture set under the digest of what is drawn; the same set is kept once, under the name given last unless `rename` is off.

        Returns its id.
        """
        key = picture_id(sheet)
        with self.database.writing() as session:
            row = session.get(PictureRow, key)
            if row is None:
                session.add(PictureRow(id=key, **vars(sheet)))
            elif rename:
                row.name = sheet.name
        return key

    def pictures(self) -> dict[str, PictureSheet]:
        """Imported picture sets by id, by name; their PNGs are left out."""
        names = ("name", "columns", "rows", "count", "width", "height")
        with self.database.reading() as session:
            rows = session.execute(select(PictureRow.id, *(getattr(PictureRow, name) for name in names)).order_by(PictureRow.name))
            return {row[0]: PictureSheet(row[1], row[2], row[3], row[4], row[5], row[6], b"") for row in rows}

    def picture(self, asset: str) -> PictureSheet:
        """An imported picture set by id, as `core.assets.Assets` wants it."""
        with self.database.reading() as session:
            row = session.get(PictureRow, asset)
            if row is None:
                raise MissingAsset(asset)
            return PictureSheet(row.name, row.columns, row.rows, row.count, row.width, row.height, row.png)

    # ── Effects that travel ─────────────────────────────────────────────────────────────────────────────────────────────

    def take_out(self, effect_ids: list[str]) -> Baggage:
        """Effects with all that they need, to be written to one file."""
        rows = [self.effect(effect_id) for effect_id in effect_ids]
        names = {key: name for key, name, _triangles in self.meshes()}
        return collect([(read_effect(row.document), row.poster) for row in rows], self, names)

    def take_in(self, baggage: Baggage) -> list[EffectRow]:
        """Keep effects that were brought, and what they need; what is here already keeps its name.

        Raises
        ------
        DocumentError
            Where one of the documents cannot be used; nothing is kept then.
        """
        effects = [(read_effect(one.document), one.poster) for one in baggage.effects]
        for name, mesh in baggage.meshes.values():
            self.add_mesh(name, mesh, rename=False)
        for sheet in baggage.pictures.values():
            self.add_picture(sheet, rename=False)
        # The first of the file comes to stand first.
        return [self.create(effect, poster=poster) for effect, poster in reversed(effects)][::-1]

    # ── Settings ────────────────────────────────────────────────────────────────────────────────────────────────────────

    def setting(self, name: str, default: Any) -> Any:
        """A setting of this library."""
        with self.database.reading() as session:
            row = session.get(SettingRow, name)
            return default if row is None else json.loads(row.value)

    def set_setting(self, name: str, value: Any) -> None:
        with self.database.writing() as session:
            session.merge(SettingRow(name=name, value=json.dumps(value)))


def _effect(session: Session, effect_id: str) -> EffectRow:
    row = session.get(EffectRow, effect_id)
    if row is None:
        raise NotFound(f"there is no effect '{effect_id}'; it may have been deleted in another tab")
    if row.deleted is not None:
        raise NotFound(f"'{row.name}' was deleted; it can be brought back from the library for {DAYS_KEPT} days")
    return row
