"""Effects and their versions: read, saved under optimistic locking, copied, deleted."""

from __future__ import annotations

import json
import secrets
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from hailridge.core.assets import Mesh as CoreMesh
from hailridge.core.assets import MissingAsset, PictureSheet
from hailridge.formats.meshes import mesh_id
from hailridge.formats.pictures import picture_id
from hailridge.model.effect import Effect
from hailridge.store.database import Database
from hailridge.store.tables import AssetRow, EffectRow, PictureRow, TrialRow, VersionRow, now

VERSIONS_KEPT = 400
"""Unnamed versions kept per effect; named ones stay for ever."""


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

    def effects(self) -> list[EffectRow]:
        """All effects, the latest changed first."""
        with self.database.reading() as session:
            return list(session.scalars(select(EffectRow).order_by(EffectRow.changed.desc(), EffectRow.id)))

    def effect(self, effect_id: str) -> EffectRow:
        with self.database.reading() as session:
            return _effect(session, effect_id)

    def create(self, effect: Effect, demo: str | None = None) -> EffectRow:
        row = EffectRow(id=secrets.token_hex(6), name=effect.name, document=serialized(effect), revision=1, demo=demo)
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
        with self.database.writing() as session:
            row = _effect(session, effect_id)
            session.execute(delete(TrialRow).where(TrialRow.effect_id == effect_id))
            session.delete(row)

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

    def name_version(self, effect_id: str, revision: int, name: str) -> VersionRow:
        with self.database.writing() as session:
            row = session.get(VersionRow, (effect_id, revision))
            if row is None:
                raise NotFound(f"there is no version {revision} of this effect")
            row.name = name or None
            return row

    # ── Meshes ──────────────────────────────────────────────────────────────────────────────────────────────────────────

    def add_mesh(self, name: str, mesh: CoreMesh) -> AssetRow:
        """Keep a mesh under the digest of its triangles; the same mesh is kept once."""
        key = mesh_id(mesh)
        with self.database.writing() as session:
            row = session.get(AssetRow, key)
            if row is None:
                row = AssetRow(id=key, name=name[:200], vertices=mesh.vertices.tobytes(), faces=mesh.faces.tobytes(), triangles=len(mesh.faces))
                session.add(row)
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

    def add_picture(self, sheet: PictureSheet) -> str:
        """Keep a picture set under the digest of what is drawn; the same set is kept once. Returns its id."""
        key = picture_id(sheet)
        with self.database.writing() as session:
            if session.get(PictureRow, key) is None:
                session.add(PictureRow(id=key, **vars(sheet)))
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

    def count(self) -> int:
        with self.database.reading() as session:
            return session.scalar(select(func.count()).select_from(EffectRow)) or 0


def _effect(session: Session, effect_id: str) -> EffectRow:
    row = session.get(EffectRow, effect_id)
    if row is None:
        raise NotFound(f"there is no effect '{effect_id}'; it may have been deleted in another tab")
    return row
