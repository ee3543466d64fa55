"""The store: versions, optimistic locking, migrations, a full disk, a killed process."""

from __future__ import annotations

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path
from unittest import mock

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, inspect, text

from hailridge import demo
from hailridge.core.scene.assets import MissingAsset
from hailridge.model.validation import read_effect
from hailridge.store import library, room
from hailridge.store.bakes import RUNS_KEPT, Bakes, StoredFrame, bake_key
from hailridge.store.claim import Claim
from hailridge.store.database import MIGRATIONS, Database
from hailridge.store.errors import StorageError
from hailridge.store.library import Conflict, Library, NotFound, serialized
from hailridge.store.tables import Table, now
from tests.support import document, rule


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.database = Database(self.folder)
        self.addCleanup(self.database.close)
        self.library, self.bakes = Library(self.database), Bakes(self.database)
        self.effect = read_effect(document())

    def renamed(self, name: str) -> object:
        return self.effect.model_copy(update={"name": name})


class Pruning(StoreCase):
    def computed(self, effect: str, seed: int, size: int = 200_000, state: str = "done") -> str:
        """Frames of one document of an effect."""
        raw = read_effect(document(clock={"seed": seed}))
        key = self.bakes.open_trial(effect, raw).bake_key
        self.bakes.begin(key, 1)
        self.bakes.add_frames(key, [StoredFrame(0, {}, b"", os.urandom(size))], 0.1)
        self.bakes.finish(key, state)
        return key

    def kept(self, keys: list[str]) -> list[bool]:
        return [self.bakes.bake(key) is not None for key in keys]

    def test_the_latest_documents_of_an_effect_keep_their_frames(self) -> None:
        keys = [self.computed("one", seed) for seed in range(20)]
        other = self.computed("two", 99)
        passing = [self.computed("three", 100 + seed, state="stopped") for seed in range(3)]
        self.bakes.prune(keep={keys[0]}, spared=0)
        self.assertEqual(self.kept(keys), [True, *[False] * (19 - RUNS_KEPT), *[True] * RUNS_KEPT])
        self.assertEqual(self.kept([other]), [True])
        # What was stopped on the way is not come back to, but where it is what the effect is now.
        self.assertEqual(self.kept(passing), [False, False, True])

    def test_yesterdays_documents_go_but_not_the_latest(self) -> None:
        keys = [self.computed("one", seed) for seed in range(4)]
        with self.database.frames.writing() as session:
            session.execute(text("UPDATE trials SET made = :when"), {"when": now() - timedelta(hours=25)})
        self.bakes.prune(keep=set(), spared=0)
        self.assertEqual(sum(self.kept(keys)), 1)

    def test_what_is_being_computed_or_was_just_asked_for_stays(self) -> None:
        """Whoever says what is in use may not know of it yet: an edit between the question and the answer lost its run."""
        keys = [self.computed("one", seed, state=state) for seed, state in enumerate(("computing", "stopped", "done"))]
        self.assertTrue(self.bakes.prune(keep=set(), limit=0))
        self.assertEqual(self.kept(keys), [True, True, True])
        self.assertFalse(self.bakes.prune(keep=set(), limit=0, spared=0))
        self.assertEqual(self.kept(keys), [True, False, False])

    def test_the_longest_unused_go_beyond_the_limit(self) -> None:
        keys = [self.computed(f"effect {number}", number) for number in range(3)]
        for number, key in enumerate(keys):
            with self.database.frames.writing() as session:
                session.execute(text("UPDATE bakes SET used = :when WHERE key = :key"), {"when": f"2026-01-0{number + 1} 00:00:00", "key": key})
        self.bakes.prune(keep={keys[0]}, limit=300_000, spared=0)
        self.assertEqual(self.kept(keys), [True, False, True])

    def test_what_goes_makes_room_for_what_is_older(self) -> None:
        """A run that nobody can come back to does not count against those behind it."""
        oldest, passing, newest = self.computed("one", 1), self.computed("two", 2, state="stopped"), self.computed("three", 3)
        self.computed("two", 4)
        for number, key in enumerate((oldest, passing, newest)):
            with self.database.frames.writing() as session:
                session.execute(text("UPDATE bakes SET used = :when WHERE key = :key"), {"when": f"2026-01-0{number + 1} 00:00:00", "key": key})
        # Room for the three that stay, not for four.
        self.bakes.prune(keep=set(), limit=700_000, spared=0)
        self.assertEqual(self.kept([oldest, passing, newest]), [True, False, True])

    def test_letting_go_where_it_is_tight_takes_hardly_any_room(self) -> None:
        """What is forgotten is neither overwritten first nor told of all at once: on a full disk there is no room for either."""
        key = self.computed("one", 1, 700_000)
        for number in range(1, 50):
            self.bakes.add_frames(key, [StoredFrame(number, {}, b"", os.urandom(700_000))], 0.1)
        with self.database.frames.engine.connect() as connection:
            connection.connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
        self.assertEqual(self.database.frames.waiting(), 0)
        beside = self.database.frames.path.with_name("frames.sqlite-wal")
        self.assertEqual(beside.stat().st_size, 0)
        self.bakes.drop_effect("one")
        self.bakes.prune(keep=set(), spared=0, tight=True)
        self.assertLess(self.database.frames.path.stat().st_size, 1e6)
        # It is not cut short here, so it shows the most that it was.
        self.assertLess(beside.stat().st_size, 1.5e6)

    def test_what_waits_beside_the_file_is_counted(self) -> None:
        key = self.computed("one", 1, 700_000)
        with self.database.frames.reading() as session:
            session.execute(text("SELECT count(*) FROM frames")).all()
            # While somebody reads, nothing of what is written can go into the file.
            for number in range(1, 6):
                self.bakes.add_frames(key, [StoredFrame(number, {}, b"", os.urandom(700_000))], 0.1)
            with mock.patch("hailridge.store.room.matters", lambda folder, size: True):
                self.assertGreater(self.database.frames.waiting(), 3.5e6)
        with mock.patch("hailridge.store.room.matters", lambda folder, size: True):
            self.assertEqual(self.database.frames.waiting(), 0)

    def test_the_file_gives_its_space_back(self) -> None:
        for seed in range(30):
            self.computed("one", seed, 2_000_000)
        full = self.database.frames.bytes_on_disk()
        self.assertGreater(full, 50e6)
        self.bakes.drop_effect("one")
        self.bakes.prune(keep=set(), spared=0)
        self.assertLess(self.database.frames.bytes_on_disk(), 2e6)
        self.assertLess(self.database.frames.path.stat().st_size, 2e6)


class Saving(StoreCase):
    def test_a_document_kept_beside(self) -> None:
        row = self.library.create(self.effect)
        kept = self.library.keep_beside(row.id, self.renamed("mine"), "before theirs")  # type: ignore[arg-type]
        self.assertEqual((kept.revision, self.library.effect(row.id).name), (3, "test"))
        versions = self.library.versions(row.id)
        self.assertEqual([(version.revision, version.name) for version in versions], [(3, None), (2, "before theirs"), (1, None)])
        self.assertIn('"mine"', self.library.version(row.id, 2).document)
        self.assertEqual(self.library.save(row.id, self.renamed("on"), 3).revision, 4)  # type: ignore[arg-type]

    def test_revisions_and_versions(self) -> None:
        row = self.library.create(self.effect)
        saved = self.library.save(row.id, self.renamed("two"), 1)  # type: ignore[arg-type]
        self.assertEqual((saved.revision, self.library.effect(row.id).name), (2, "two"))
        self.assertEqual([version.revision for version in self.library.versions(row.id)], [2, 1])
        self.library.name_version(row.id, 1, "the first")
        self.assertEqual(self.library.version(row.id, 1).name, "the first")

    def test_old_versions_go_but_named_ones_stay(self) -> None:
        """The present state and so many before it, and whatever has a name, however old."""
        row = self.library.create(self.effect)
        with mock.patch.object(library, "VERSIONS_KEPT", 5):
            for revision in range(1, 12):
                if revision in (2, 4):
                    self.library.name_version(row.id, revision, f"as of {revision}")
                self.library.save(row.id, self.renamed(f"state {revision + 1}"), revision)  # type: ignore[arg-type]
        kept = [version.revision for version in self.library.versions(row.id)]
        self.assertEqual(kept, [12, 11, 10, 9, 8, 7, 4, 2])
        self.assertEqual(library.VERSIONS_KEPT, 400)

    def test_saving_the_same_is_no_new_version(self) -> None:
        row = self.library.create(self.effect)
        self.assertEqual(self.library.save(row.id, self.effect, 1).revision, 1)

    def test_two_writers_cannot_overwrite_each_other(self) -> None:
        row = self.library.create(self.effect)
        self.library.save(row.id, self.renamed("mine"), 1)  # type: ignore[arg-type]
        with self.assertRaisesRegex(Conflict, "Nothing of yours is lost"):
            self.library.save(row.id, self.renamed("theirs"), 1)  # type: ignore[arg-type]
        self.assertEqual(self.library.effect(row.id).name, "mine")

    def test_of_many_savers_at_once_exactly_one_wins(self) -> None:
        from concurrent.futures import ThreadPoolExecutor

        row = self.library.create(self.effect)

        def save(name: str) -> bool:
            try:
                self.library.save(row.id, self.renamed(name), 1)  # type: ignore[arg-type]
            except Conflict:
                return False
            return True

        with ThreadPoolExecutor(8) as threads:
            self.assertEqual(sum(threads.map(save, map(str, range(8)))), 1)
        self.assertEqual(self.library.effect(row.id).revision, 2)

    def test_deleted_ones_can_be_brought_back_for_a_while(self) -> None:
        row = self.library.create(self.effect)
        self.library.delete(row.id)
        with self.assertRaisesRegex(NotFound, "can be brought back"):
            self.library.effect(row.id)
        self.assertEqual(([one.id for one in self.library.effects()], [one.id for one in self.library.effects(deleted=True)]), ([], [row.id]))
        self.assertEqual(self.library.forget_deleted(), 0)
        self.library.bring_back(row.id)
        self.assertEqual(self.library.effect(row.id).name, "test")
        self.library.delete(row.id)
        with self.database.writing() as session:
            session.execute(text("UPDATE effects SET deleted = :when"), {"when": now() - timedelta(days=31)})
        self.assertEqual(self.library.forget_deleted(), 1)
        with self.database.reading() as session:
            for table in ("effects", "versions"):
                self.assertEqual(session.execute(text(f"select count(*) from {table}")).scalar(), 0)
        with self.assertRaisesRegex(NotFound, "no longer"):
            self.library.bring_back(row.id)

    def test_meshes_are_kept_once(self) -> None:
        mesh = demo.meshes()["tin-roof.obj"]
        first, second = self.library.add_mesh("a.obj", mesh), self.library.add_mesh("b.obj", mesh)
        self.assertEqual(first.id, second.id)
        self.assertEqual(len(self.library.mesh(first.id).faces), len(mesh.faces))
        with self.assertRaises(MissingAsset):
            self.library.mesh("nothing")


class Baking(StoreCase):
    def test_what_decides_the_key(self) -> None:
        raw = document(rule({"kind": "gravity"}))
        key = bake_key(read_effect(raw))
        raw["name"], raw["groups"][0]["color"], raw["groups"][0]["label"] = "other", "#ff0000", "Other"
        raw["looks"] = [{"kind": "balls", "id": "l"}]
        self.assertEqual(bake_key(read_effect(raw)), key)
        raw["rules"][0]["actions"][0]["acceleration"] = 5.0
        self.assertNotEqual(bake_key(read_effect(raw)), key)

    def test_asking_twice_gives_the_same_trial(self) -> None:
        row = self.library.create(self.effect)
        self.assertEqual(
            self.bakes.open_trial(row.id, self.effect).id, self.bakes.open_trial(row.id, self.effect).id
        )

    def test_frames_and_counts_arrive_together(self) -> None:
        self.bakes.begin("k", 9)
        self.bakes.add_frames("k", [StoredFrame(n, {"count": n}, b"e", b"s") for n in range(3)], 0.1)
        bake = self.bakes.bake("k")
        assert bake is not None
        self.assertEqual((bake.computed, bake.size), (3, 6))
        self.assertEqual(self.bakes.stats("k", 1), [{"count": 1}, {"count": 2}])
        with self.assertRaisesRegex(NotFound, "frame 3 is not computed yet"):
            self.bakes.frame("k", 3)

    def test_half_done_bakes_are_dropped_at_the_next_start(self) -> None:
        self.bakes.begin("half", 9)
        self.bakes.add_frames("half", [StoredFrame(0, {}, b"", b"")], 0.1)
        self.bakes.begin("whole", 9)
        self.bakes.finish("whole", "done")
        self.assertEqual(Bakes(self.database).recover(), 1)
        self.assertIsNone(self.bakes.bake("half"))
        self.assertIsNotNone(self.bakes.bake("whole"))

    def test_a_run_goes_on_from_its_own_frames(self) -> None:
        self.bakes.begin("k", 9)
        frames = [StoredFrame(n, {"count": n}, b"e", b"s" if n % 2 == 0 else b"") for n in range(4)]
        self.bakes.add_frames("k", frames, 1.5, [{"frame": 1}])
        self.bakes.finish("k", "stopped")
        taken = self.bakes.resume("k")
        assert taken is not None
        self.assertEqual((taken.row.number, taken.findings, taken.seconds), (2, '[{"frame": 1}]', 1.5))
        bake = self.bakes.bake("k")
        assert bake is not None
        # What came after the last frame that was stored whole is computed again.
        self.assertEqual((bake.computed, bake.size, bake.state), (3, 5, "computing"))
        self.assertEqual(len(self.bakes.stats("k")), 3)
        self.assertIsNone(self.bakes.resume("nothing"))

    def test_a_run_takes_over_the_frames_of_another(self) -> None:
        """Up to the last whole one before the frame that is asked for; counted with their bytes; nothing from itself or from nothing."""
        self.bakes.begin("base", 40)
        frames = [StoredFrame(n, {"count": n}, b"e", b"state" if n % 3 == 0 else b"") for n in range(40)]
        self.bakes.add_frames("base", frames, 1.5, [{"frame": 1}])
        self.bakes.begin("next", 40)
        taken = self.bakes.take_over("base", "next", 23)
        assert taken is not None
        self.assertEqual((taken.row.number, taken.findings), (21, '[{"frame": 1}]'))
        bake = self.bakes.bake("next")
        assert bake is not None
        self.assertEqual((bake.computed, bake.size), (22, 22 + 5 * 8))
        self.assertEqual([entry["count"] for entry in self.bakes.stats("next")], list(range(22)))
        self.assertEqual(self.bakes.frame("next", 21).state, b"state")
        self.assertIsNone(self.bakes.take_over("base", "base", 5))
        self.assertIsNone(self.bakes.take_over("nothing", "next", 5))


class Trouble(StoreCase):
    def test_a_full_disk_loses_nothing(self) -> None:
        row = self.library.create(self.effect)
        with self.database.made.engine.connect() as connection:
            pages = connection.execute(text("pragma page_count")).scalar()
        # SQLite's own limit on pages stands for a disk without room.
        from sqlalchemy import event

        event.listen(
            self.database.made.engine, "connect", lambda raw, _: raw.execute(f"PRAGMA max_page_count = {pages}")
        )
        self.database.made.engine.dispose()
        with self.assertRaises(StorageError) as caught:
            for name in range(50):
                long = self.effect.model_copy(update={"name": str(name), "summary": "x" * 500_000})
                row = self.library.save(row.id, long, row.revision)
        self.assertTrue(caught.exception.full)
        self.assertIn("disk is full", str(caught.exception))
        self.assertEqual(self.library.effect(row.id).revision, row.revision)

    def test_not_a_database(self) -> None:
        other = self.folder / "other"
        other.mkdir()
        (other / "hailridge.sqlite").write_bytes(b"this is no database at all, only words" * 300)
        with self.assertRaisesRegex(StorageError, "is damaged"):
            Database(other)

    def test_killed_in_the_middle_of_saving(self) -> None:
        """A process that saves without pause is killed; what it had reported as saved is there, and the file is sound."""
        script = (
            "import sys; from pathlib import Path; from tests.support import document; from hailridge.model.validation import read_effect;"
            "from hailridge.store.database import Database; from hailridge.store.library import Library;"
            "library = Library(Database(Path(sys.argv[1]))); effect = read_effect(document()); row = library.create(effect)\n"
            "while True:\n"
            "    row = library.save(row.id, effect.model_copy(update={'name': str(row.revision)}), row.revision); print(row.id, row.revision, flush=True)"
        )
        root = Path(__file__).resolve().parents[2]
        process = subprocess.Popen(
            [sys.executable, "-c", script, str(self.folder)], stdout=subprocess.PIPE, text=True, cwd=root
        )
        assert process.stdout is not None
        lines = [process.stdout.readline() for _ in range(20)]
        os.kill(process.pid, signal.SIGKILL)
        lines += process.stdout.readlines()
        process.wait()
        process.stdout.close()
        effect_id, revision = next(line.split() for line in reversed(lines) if line.endswith("\n"))
        again = Library(Database(self.folder))
        self.assertGreaterEqual(again.effect(effect_id).revision, int(revision))
        with again.database.made.engine.connect() as connection:
            self.assertEqual(connection.execute(text("pragma integrity_check")).scalar(), "ok")
        again.database.close()


    def test_nothing_is_acknowledged_that_is_not_there(self) -> None:
        row = self.library.create(self.effect)
        shutil.rmtree(self.folder)
        with self.assertRaisesRegex(StorageError, "no longer there"):
            self.library.save(row.id, self.renamed("lost"), 1)  # type: ignore[arg-type]
        # A folder made anew under its feet is not the one that it knew.
        Database(self.folder).close()
        with self.assertRaisesRegex(StorageError, "no longer there"):
            self.library.save(row.id, self.renamed("lost"), 1)  # type: ignore[arg-type]

    def test_what_was_typed_waits_for_the_disk(self) -> None:
        # sqlite.org/pragma.html: with FULL (2) a commit in WAL mode survives a power cut; with NORMAL (1) it may be rolled back.
        for file, wanted in ((self.database.made, 2), (self.database.frames, 1)):
            with file.reading() as session:
                self.assertEqual(session.execute(text("PRAGMA synchronous")).scalar(), wanted, file.path.name)

    def test_damaged_frames_harm_nothing(self) -> None:
        row = self.library.create(self.effect)
        self.bakes.begin("k", 1)
        self.database.close()
        frames = self.database.frames.path
        for suffix in ("-wal", "-shm"):
            frames.with_name(frames.name + suffix).unlink(missing_ok=True)
        frames.write_bytes(b"neither frames nor anything" * 9000)
        again = Database(self.folder)
        self.addCleanup(again.close)
        self.assertEqual(Library(again).effect(row.id).name, "test")
        self.assertIsNone(Bakes(again).bake("k"))

    def test_a_newer_file_is_left_alone(self) -> None:
        with self.database.writing() as session:
            session.execute(text("UPDATE alembic_version SET version_num = '9999'"))
        with self.assertRaisesRegex(StorageError, "written by a newer Hailridge"):
            Database(self.folder)

    def test_a_read_only_folder(self) -> None:
        closed, file = self.folder / "closed", self.folder / "file"
        closed.mkdir()
        closed.chmod(0o555)
        file.write_text("a file")
        self.folder.chmod(0o755)
        # The superuser may write anywhere: somebody else tries.
        if os.getuid() == 0:
            os.seteuid(65534)
            self.addCleanup(os.seteuid, 0)
        for folder in (closed, closed / "below", file):
            for make in (Claim, Database):
                with self.subTest(folder=folder.name, make=make.__name__), self.assertRaisesRegex(StorageError, "read-only|cannot be (made|written)"):
                    make(folder)

    def test_one_server_a_folder(self) -> None:
        first = Claim(self.folder, "http://here")
        with self.assertRaisesRegex(StorageError, f"served by another Hailridge already .process {os.getpid()}, at http://here"):
            Claim(self.folder)
        first.let_go()
        Claim(self.folder).let_go()


class Room(StoreCase):
    def test_the_reserve_is_kept_where_there_is_plenty(self) -> None:
        """Where there is not, its own room would be what documents need."""
        reserve = self.folder / "reserve"
        for free, kept in ((10_000_000 + 2 * room.RESERVE, False), (10_000_001 + 2 * room.RESERVE, True)):
            with mock.patch.object(room, "spared", return_value=10_000_000), mock.patch.object(room, "free", return_value=free):
                room.hold(self.folder)
                self.assertEqual(reserve.exists(), kept)
        self.assertEqual(reserve.stat().st_size, room.RESERVE)
        room.let_go(self.folder)
        self.assertFalse(reserve.exists())


class Migrations(StoreCase):
    def test_a_library_of_before_keeps_its_effects_and_gives_its_frames_back(self) -> None:
        folder = self.folder / "before"
        folder.mkdir()
        file = sqlite3.connect(folder / "hailridge.sqlite")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        engine = create_engine(f"sqlite:///{folder / 'hailridge.sqlite'}")
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "0002")
        engine.dispose()
        file.execute("INSERT INTO effects (id, name, document, revision, created, changed) VALUES ('e', 'kept', ?, 1, 0, 0)", [serialized(self.effect)])
        file.execute("INSERT INTO bakes VALUES ('k', 'done', 1, 1, 0, '', '[]', '{}', 0, 0)")
        file.executemany("INSERT INTO frames VALUES ('k', ?, '', '', ?)", [(n, bytes(1_000_000)) for n in range(30)])
        file.commit()
        file.close()
        self.assertGreater((folder / "hailridge.sqlite").stat().st_size, 30e6)
        database = Database(folder)
        self.addCleanup(database.close)
        with database.reading() as session:
            self.assertEqual(session.execute(text("SELECT name FROM effects")).scalar(), "kept")
        with database.made.engine.connect() as connection:
            connection.connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self.assertLess((folder / "hailridge.sqlite").stat().st_size, 1e6)

    def test_migrated_tables_are_those_of_the_code(self) -> None:
        found = inspect(self.database.made.engine)
        for name, table in Table.metadata.tables.items():
            columns = {column["name"]: column["nullable"] for column in found.get_columns(name)}
            self.assertEqual(columns, {column.name: column.nullable for column in table.columns}, name)

    def test_opening_again_changes_nothing(self) -> None:
        row = self.library.create(self.effect)
        again = Database(self.folder)
        self.assertEqual(Library(again).effect(row.id).name, "test")
        again.close()


if __name__ == "__main__":
    unittest.main()
