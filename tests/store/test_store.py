"""The store: versions, optimistic locking, migrations, a full disk, a killed process."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from sqlalchemy import inspect, text

from hailridge import demo
from hailridge.core.assets import MissingAsset
from hailridge.model.validation import read_effect
from hailridge.store.bakes import Bakes, StoredFrame, bake_key
from hailridge.store.database import Database, StorageError
from hailridge.store.library import Conflict, Library, NotFound
from hailridge.store.tables import Table
from tests.support import document, rule


class StoreCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.database = Database(self.folder)
        self.addCleanup(self.database.close)
        self.library, self.bakes = Library(self.database), Bakes(self.database)
        self.effect = read_effect(document())

    def renamed(self, name: str) -> object:
        return self.effect.model_copy(update={"name": name})


class Pruning(StoreCase):
    def test_runs_that_are_in_use_are_kept(self) -> None:
        for number, key in enumerate(("old", "used", "new")):
            self.bakes.begin(key, 1)
            self.bakes.add_frames(key, [StoredFrame(0, {}, b"", bytes(1000))], 0.1)
            self.bakes.finish(key, "done")
            with self.database.writing() as session:
                session.execute(text("UPDATE bakes SET used = :when WHERE key = :key"), {"when": f"2026-01-0{number + 1} 00:00:00", "key": key})
        self.bakes.prune(keep={"old"}, limit=1500)
        self.assertEqual([self.bakes.bake(key) is not None for key in ("old", "used", "new")], [True, False, True])


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

    def test_deleting_takes_versions_and_trials_along(self) -> None:
        row = self.library.create(self.effect)
        self.bakes.open_trial(row.id, self.effect)
        self.library.delete(row.id)
        with self.assertRaises(NotFound):
            self.library.effect(row.id)
        with self.database.reading() as session:
            for table in ("versions", "trials"):
                self.assertEqual(session.execute(text(f"select count(*) from {table}")).scalar(), 0)

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

    def test_the_cache_keeps_within_its_size(self) -> None:
        for name in ("old", "new"):
            self.bakes.begin(name, 1)
            self.bakes.add_frames(name, [StoredFrame(0, {}, b"", b"x" * 1000)], 0.1)
            self.bakes.finish(name, "done")
            time.sleep(0.01)
        self.bakes.prune(keep=set(), limit=1500)
        self.assertIsNone(self.bakes.bake("old"))
        self.assertIsNotNone(self.bakes.bake("new"))


class Trouble(StoreCase):
    def test_a_full_disk_loses_nothing(self) -> None:
        row = self.library.create(self.effect)
        with self.database.engine.connect() as connection:
            pages = connection.execute(text("pragma page_count")).scalar()
        # SQLite's own limit on pages stands for a disk without room.
        from sqlalchemy import event

        event.listen(
            self.database.engine, "connect", lambda raw, _: raw.execute(f"PRAGMA max_page_count = {pages}")
        )
        self.database.engine.dispose()
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
        with self.assertRaisesRegex(StorageError, "cannot be opened"):
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
        with again.database.engine.connect() as connection:
            self.assertEqual(connection.execute(text("pragma integrity_check")).scalar(), "ok")
        again.database.close()


class Migrations(StoreCase):
    def test_migrated_tables_are_those_of_the_code(self) -> None:
        found = inspect(self.database.engine)
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
