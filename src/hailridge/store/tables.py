"""The tables. Alembic's migrations in `store/migrations` make and change those of what artists made."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import ForeignKey, Index, LargeBinary, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The present time in UTC without zone, as SQLite keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Table(DeclarativeBase):
    """What artists made."""


class Computed(DeclarativeBase):
    """What was computed from it, in a file of its own that may be lost."""


class EffectRow(Table):
    """An effect as it stands. `revision` counts saves; a save has to name the revision that it changes."""

    __tablename__ = "effects"

    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    document: Mapped[str] = mapped_column(Text)
    revision: Mapped[int] = mapped_column(default=1)
    demo: Mapped[str | None] = mapped_column(String(40), default=None)
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    poster: Mapped[bytes | None] = mapped_column(LargeBinary, default=None)
    poster_bake: Mapped[str | None] = mapped_column(String(64), default=None)
    deleted: Mapped[datetime | None] = mapped_column(default=None)
    """When it was put away; it can be brought back for a while."""


class VersionRow(Table):
    """Every saved state of an effect; a name marks the ones worth finding again."""

    __tablename__ = "versions"

    effect_id: Mapped[str] = mapped_column(ForeignKey("effects.id", ondelete="CASCADE"), primary_key=True)
    revision: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[str] = mapped_column(Text)
    name: Mapped[str | None] = mapped_column(String(80), default=None)
    saved: Mapped[datetime] = mapped_column(default=now)


class AssetRow(Table):
    """An imported mesh, already validated: raw float32 vertices and int32 faces."""

    __tablename__ = "assets"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    vertices: Mapped[bytes] = mapped_column(LargeBinary)
    faces: Mapped[bytes] = mapped_column(LargeBinary)
    triangles: Mapped[int]
    created: Mapped[datetime] = mapped_column(default=now)


class PictureRow(Table):
    """An imported picture set, already validated: one PNG cut into columns and rows, of which the first `count` cells hold drawings."""

    __tablename__ = "pictures"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    columns: Mapped[int]
    rows: Mapped[int]
    count: Mapped[int]
    width: Mapped[int]
    height: Mapped[int]
    png: Mapped[bytes] = mapped_column(LargeBinary)
    created: Mapped[datetime] = mapped_column(default=now)


class SettingRow(Table):
    """A setting of this library, as JSON."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(Text)


class BakeRow(Computed):
    """Computed frames of one computation, named by a digest of everything that decides its bytes. State: computing, done, stopped, failed."""

    __tablename__ = "bakes"

    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    state: Mapped[str] = mapped_column(String(12), default="computing")
    last_frame: Mapped[int]
    computed: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(Text, default="")
    findings: Mapped[str] = mapped_column(Text, default="[]")
    timing: Mapped[str] = mapped_column(Text, default="{}")
    size: Mapped[int] = mapped_column(default=0)
    used: Mapped[datetime] = mapped_column(default=now)


class FrameRow(Computed):
    """One computed frame: packed particle columns, packed events and small counts as JSON."""

    __tablename__ = "frames"

    bake_key: Mapped[str] = mapped_column(ForeignKey("bakes.key", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    stats: Mapped[str] = mapped_column(Text)
    events: Mapped[bytes] = mapped_column(LargeBinary)
    state: Mapped[bytes] = mapped_column(LargeBinary)


class TrialRow(Computed):
    """One run of one version of an effect: its whole document, looks included, and the bake that holds its frames."""

    __tablename__ = "trials"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    effect_id: Mapped[str] = mapped_column(String(32))
    bake_key: Mapped[str] = mapped_column(String(64))
    document: Mapped[str] = mapped_column(Text)
    made: Mapped[datetime] = mapped_column(default=now)

    __table_args__ = (Index("trials_by_effect", "effect_id", "made"), Index("trials_by_bake", "bake_key"))
