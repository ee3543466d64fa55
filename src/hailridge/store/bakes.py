"""Trials and computed frames: a cache that can always be computed again, kept within a size."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import datetime, timedelta
from sqlite3 import DatabaseError as PlainError
from typing import Any

from sqlalchemy import delete, func, literal, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.exc import DatabaseError

from hailridge import ENGINE_VERSION
from hailridge.core.scene.layout import recorded_for_looks
from hailridge.model.collections import COLLECTIONS
from hailridge.model.effect import Effect
from hailridge.store import room
from hailridge.store.database import Database
from hailridge.store.files import in_words
from hailridge.store.library import NotFound, NotYet, serialized
from hailridge.store.tables import BakeRow, FrameRow, TrialRow, now

COSMETIC = {"name", "summary", "picture"} | {name for name, collection in COLLECTIONS.items() if not collection.computed}
"""Parts of a document that change no byte of what is computed."""

COPIED_AT_ONCE = 16
"""Frames copied from one run to another in one transaction."""

CACHE_BYTES = 4_000_000_000
"""What computed frames may take at most, where nothing else is set."""

RUNS_KEPT = 6
"""Latest documents of an effect whose frames are kept: enough for undo to find its picture ready."""

KEPT_HOURS = 24.0
"""How long the frames of documents before the latest are kept: who comes back to them later waits for a run."""

SPARED_SECONDS = 5.0
"""What was asked for this recently is left alone: its run may not be known yet to whoever says what is in use."""

DROPPED_AT_ONCE = 4
"""Frames that are forgotten in one transaction."""

FREED_AT_ONCE = 256
"""Pages (of 64 KB) that are given back in one transaction."""

FEW = 8
"""The same where there is hardly any room: those that have to be moved stand twice for a while."""


def bake_key(effect: Effect) -> str:
    """A digest of everything that decides the computed bytes: labels, colours of groups and looks are left out."""
    document = {name: value for name, value in effect.model_dump().items() if name not in COSMETIC}
    for name, collection in COLLECTIONS.items():
        for item in document.get(name, ()):
            for shown in collection.shown:
                item.pop(shown, None)
    # Findings carry labels, but they are words, not state: a renamed rule keeps its frames. A formula may name things by their labels, though,
    # and is left out when they go.
    left_out = sorted(problem.path[:2] for problem in effect.problems)
    return hashlib.sha256(json.dumps([ENGINE_VERSION, document, left_out, recorded_for_looks(effect)], sort_keys=True).encode()).hexdigest()[:32]


@dataclass
class StoredFrame:
    """What one computed frame leaves behind."""

    number: int
    stats: dict[str, Any]
    events: bytes
    state: bytes


@dataclass
class TakenOver:
    """The frame from which a run goes on, and what the run before had found."""

    row: FrameRow
    findings: str
    seconds: float


class Bakes:
    """Trials, bakes and frames in a database."""

    def __init__(self, database: Database) -> None:
        self.file = database.frames

    def open_trial(self, effect_id: str, effect: Effect, onward: str = "") -> TrialRow:
        """The trial of this document, made if it is new. Asking again for the same document gives the same trial.

        `onward` names the run and frame from which a provisional trial goes on: its frames are kept apart from the exact ones.
        """
        document, key = serialized(effect), bake_key(effect)
        if onward:
            key = hashlib.sha256(f"{key} onward from {onward}".encode()).hexdigest()[:32]
        trial_id = hashlib.sha256(f"{effect_id}\n{key}\n{document}".encode()).hexdigest()[:24]
        with self.file.writing() as session:
            values = {"id": trial_id, "effect_id": effect_id, "bake_key": key, "document": document, "made": now()}
            session.execute(insert(TrialRow).values(values).on_conflict_do_update(index_elements=["id"], set_={"made": now()}))
            # What was asked for last is dropped last.
            session.execute(update(BakeRow).where(BakeRow.key == key).values(used=now()))
            row = session.get(TrialRow, trial_id)
            assert row is not None
            return row

    def trial(self, trial_id: str) -> TrialRow:
        with self.file.reading() as session:
            row = session.get(TrialRow, trial_id)
            if row is None:
                raise NotFound("this trial is no longer kept; it is computed anew when the effect is opened")
            return row

    def bake(self, key: str) -> BakeRow | None:
        with self.file.reading() as session:
            return session.get(BakeRow, key)

    def begin(self, key: str, last_frame: int) -> None:
        """Start a bake afresh; frames of an earlier, unfinished one are dropped."""
        with self.file.writing() as session:
            session.execute(delete(FrameRow).where(FrameRow.bake_key == key))
            session.execute(delete(BakeRow).where(BakeRow.key == key))
            session.add(BakeRow(key=key, state="computing", last_frame=last_frame))

    def expect(self, key: str, last_frame: int) -> None:
        """Note that a bake is going to be computed, whether it was begun before or not."""
        with self.file.writing() as session:
            values = {"key": key, "state": "computing", "last_frame": last_frame, "message": "", "used": now()}
            again = {"state": "computing", "message": "", "used": now()}
            session.execute(insert(BakeRow).values(values).on_conflict_do_update(index_elements=["key"], set_=again))

    def resume(self, key: str) -> TakenOver | None:
        """The last frame from which a bake that was stopped or paused can go on; later ones are dropped. None where there is none."""
        with self.file.writing() as session:
            bake = session.get(BakeRow, key)
            stored = select(FrameRow).where(FrameRow.bake_key == key, FrameRow.state != b"").order_by(FrameRow.number.desc()).limit(1)
            last = session.scalars(stored).first()
            if bake is None or last is None:
                return None
            session.execute(delete(FrameRow).where(FrameRow.bake_key == key, FrameRow.number > last.number))
            size = select(func.sum(func.length(FrameRow.state) + func.length(FrameRow.events))).where(FrameRow.bake_key == key)
            bake.state, bake.message, bake.computed, bake.size = "computing", "", last.number + 1, session.scalar(size) or 0
        return TakenOver(last, bake.findings, bake.seconds)

    def add_frames(self, key: str, frames: list[StoredFrame], seconds: float, findings: Any = (), timing: Any = None) -> None:
        """Append frames and the number computed in one transaction, so that no frame is counted that is not there.

        `seconds` is what the run took so far, `findings` what it found, `timing` where the time went. StorageError where they would take the room
        that is kept for effects.
        """
        grown = sum(len(frame.state) + len(frame.events) for frame in frames)
        # What is written waits beside the file first: for a while it is there twice, as is what waits there already.
        room.check_room(self.file.path.parent, 2 * grown + self.file.waiting())
        with self.file.writing() as session:
            rows = [
                {"bake_key": key, "number": f.number, "stats": json.dumps(f.stats, separators=(",", ":")), "events": f.events, "state": f.state}
                for f in frames
            ]
            session.execute(insert(FrameRow), rows)
            changes = {"computed": frames[-1].number + 1, "seconds": seconds, "size": BakeRow.size + grown, "findings": json.dumps(list(findings))}
            if timing is not None:
                changes["timing"] = json.dumps(timing)
            session.execute(update(BakeRow).where(BakeRow.key == key).values(**changes))

    def take_over(self, base: str, key: str, frame: int) -> TakenOver | None:
        """Copy the frames of one bake, up to and with `frame`, into another that has just begun; None where there are not that many.

        What is copied ends with a frame whose state is stored, so that a run can go on from it.
        """
        with self.file.reading() as session:
            source = session.get(BakeRow, base)
            stored = select(FrameRow).where(FrameRow.bake_key == base, FrameRow.number <= frame, FrameRow.state != b"")
            last = session.scalars(stored.order_by(FrameRow.number.desc()).limit(1)).first()
        if source is None or last is None or base == key:
            return None
        columns = ("number", "stats", "events", "state")
        room.check_room(self.file.path.parent)
        for first in range(0, last.number + 1, COPIED_AT_ONCE):
            # In small bites, so that whoever wants to save something in between can.
            end = min(last.number, first + COPIED_AT_ONCE - 1)
            taken = (FrameRow.bake_key == base, FrameRow.number.between(first, end))
            with self.file.writing() as session:
                copied = select(literal(key), *(getattr(FrameRow, name) for name in columns)).where(*taken)
                session.execute(insert(FrameRow).from_select(["bake_key", *columns], copied))
                size = select(func.sum(func.length(FrameRow.state) + func.length(FrameRow.events))).where(*taken).scalar_subquery()
                changes = {"computed": end + 1, "size": BakeRow.size + func.coalesce(size, 0)}
                session.execute(update(BakeRow).where(BakeRow.key == key).values(**changes))
        return TakenOver(last, source.findings, 0.0)

    def finish(self, key: str, state: str, message: str = "", findings: Any = None, timing: Any = None) -> None:
        with self.file.writing() as session:
            values: dict[str, Any] = {"state": state, "message": message, "used": now()}
            if findings is not None:
                values["findings"] = json.dumps(findings)
            if timing is not None:
                values["timing"] = json.dumps(timing)
            session.execute(update(BakeRow).where(BakeRow.key == key).values(**values))

    def frame(self, key: str, number: int) -> FrameRow:
        """A computed frame, or the last one before it whose state was stored."""
        with self.file.reading() as session:
            # Only whether it is there: a frame of many particles is ten megabytes, to be read once.
            if session.scalar(select(FrameRow.number).where(FrameRow.bake_key == key, FrameRow.number == number)) is None:
                raise NotYet(f"frame {number} is not computed yet")
            kept = (FrameRow.bake_key == key, FrameRow.number <= number, FrameRow.state != b"")
            row = session.scalars(select(FrameRow).where(*kept).order_by(FrameRow.number.desc()).limit(1)).first()
            assert row is not None, "frame 0 is always stored"
            return row

    def stats(self, key: str, start: int = 0) -> list[dict[str, Any]]:
        """The counts of all computed frames from `start` on."""
        with self.file.reading() as session:
            wanted = select(FrameRow.stats).where(FrameRow.bake_key == key, FrameRow.number >= start).order_by(FrameRow.number)
            return [json.loads(text) for text in session.scalars(wanted)]

    def events(self, key: str, first: int = 0, last: int | None = None) -> list[bytes]:
        """The event blocks of all computed frames, or of those from `first` to `last`, in order."""
        wanted = [FrameRow.bake_key == key, FrameRow.number >= first]
        if last is not None:
            wanted.append(FrameRow.number <= last)
        with self.file.reading() as session:
            return list(session.scalars(select(FrameRow.events).where(*wanted).order_by(FrameRow.number)))

    def recover(self) -> int:
        """After a start: drop what a killed run left half done. Returns how many bakes were dropped."""
        with self.file.writing() as session:
            broken = list(session.scalars(select(BakeRow.key).where(BakeRow.state == "computing")))
            session.execute(delete(FrameRow).where(FrameRow.bake_key.in_(broken)))
            session.execute(delete(BakeRow).where(BakeRow.key.in_(broken)))
        return len(broken)

    def drop_effect(self, effect_id: str) -> None:
        """Forget the trials of an effect; their frames go with the next `prune`, unless another effect has the same."""
        with self.file.writing() as session:
            session.execute(delete(TrialRow).where(TrialRow.effect_id == effect_id))

    def prune(self, keep: set[str], limit: int = CACHE_BYTES, spared: float = SPARED_SECONDS, tight: bool = False) -> bool:
        """Forget frames that nobody can come back to, then the longest unused ones beyond `limit` bytes; `keep` are in use now.

        Of every effect the latest documents are kept, the older of them for a day. What is being computed, or was asked for in the last `spared`
        seconds, stays in any case; returns whether there was such, so that one comes back later. The space is given back to the disk: at the end, or,
        where it is `tight`, bit by bit, which takes longer and needs hardly any room itself.
        """
        with self.file.writing() as session:
            recent, just_now = now() - timedelta(hours=KEPT_HOURS), now() - timedelta(seconds=spared)
            keep = keep | set(session.scalars(select(BakeRow.key).where(BakeRow.state == "computing")))
            keep |= (fresh := set(session.scalars(select(TrialRow.bake_key).where(TrialRow.made > just_now))))
            wanted: set[str] = set(keep)
            trials = session.execute(select(TrialRow.id, TrialRow.effect_id, TrialRow.bake_key, TrialRow.made).order_by(TrialRow.made.desc()))
            done = set(session.scalars(select(BakeRow.key).where(BakeRow.state == "done")))
            known: dict[str, list[str]] = {}
            old = []
            for trial_id, effect_id, key, made in trials:
                keys = known.setdefault(effect_id, [])
                # What was passed through while a value was dragged is seldom whole.
                if key not in keys and (not keys or (key in done and len(keys) < RUNS_KEPT and made > recent)):
                    keys.append(key)
                if key not in keys and key not in keep:
                    old.append(trial_id)
            for keys in known.values():
                wanted.update(keys)
            session.execute(delete(TrialRow).where(TrialRow.id.in_(old)))
            total, dropped = 0, []
            for row in session.scalars(select(BakeRow).order_by(BakeRow.used.desc())):
                total += row.size
                if row.key not in keep and (row.key not in wanted or total > limit):
                    total -= row.size
                    # Whoever asks for it from now on gets it computed anew.
                    row.state, row.message, row.computed, row.size = "stopped", "", 0, 0
                    dropped.append((row.key, row.used))
        for key, used in dropped:
            self._drop(key, used, tight)
        self._give_back(FEW if tight else FREED_AT_ONCE)
        return bool(fresh)

    def _drop(self, key: str, used: datetime, tight: bool) -> None:
        """Forget a bake from its end, in bites so that whoever wants to write in between can: thousands of millions of bytes take seconds. It is left
        alone once somebody has asked for it. Where it is tight each bite is given back before the next: what tells of it takes room beside the file.
        """
        while True:
            with self.file.writing() as session:
                bake = session.get(BakeRow, key)
                if bake is None or bake.state != "stopped" or bake.used != used:
                    return
                last = select(FrameRow.number).where(FrameRow.bake_key == key).order_by(FrameRow.number.desc()).limit(DROPPED_AT_ONCE)
                numbers = list(session.scalars(last))
                if not numbers:
                    session.execute(delete(BakeRow).where(BakeRow.key == key))
                    return
                session.execute(delete(FrameRow).where(FrameRow.bake_key == key, FrameRow.number >= numbers[-1]))
            if tight:
                self._give_back(FEW)

    def _give_back(self, at_once: int) -> None:
        """Return free pages to the disk, in bites of so many, so that whoever wants to write in between can."""
        try:
            with self.file.engine.connect() as connection:
                raw = connection.connection.cursor()
                while (free := raw.execute("PRAGMA freelist_count").fetchone()[0]) > 0:
                    # As a script: a statement without columns is taken one step only, and each step gives back one page.
                    raw.executescript(f"PRAGMA incremental_vacuum({at_once})")
                    if at_once == FEW:
                        # What waits to be written into the file takes room beside it, which is used again and again: there is no other.
                        raw.execute("PRAGMA wal_checkpoint(RESTART)").fetchall()
                    if raw.execute("PRAGMA freelist_count").fetchone()[0] >= free:
                        break
                # On a full disk the room beside the file stays: what is let go next is let go in it.
                raw.execute(f"PRAGMA wal_checkpoint({'RESTART' if at_once == FEW else 'TRUNCATE'})").fetchall()
        except (DatabaseError, PlainError) as error:
            raise in_words(error, self.file.path) from None
