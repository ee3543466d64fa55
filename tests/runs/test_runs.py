"""Runs in worker processes: replacing, stopping, crashing, failing, and what the store is left with."""

from __future__ import annotations

import os
import signal
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any

import trimesh

from hailridge.model.validation import read_effect
from hailridge.runs.jobs import Resources, perform, stored
from hailridge.runs.pool import Pool
from hailridge.runs.service import Runs
from hailridge.store.bakes import Bakes
from hailridge.store.database import Database, StorageError
from hailridge.store.library import Library
from tests.support import compare, document, rule, run

LONG = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 200.0})
SHORT = document(count=10, clock={"duration": 0.5})


class InWorkers(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.database = Database(Path(folder.name))
        cls.addClassCleanup(cls.database.close)
        cls.library, cls.bakes = Library(cls.database), Bakes(cls.database)
        cls.pool = Pool(Path(folder.name))
        cls.addClassCleanup(cls.pool.close)
        cls.runs = Runs(cls.library, cls.bakes, cls.pool)
        cls.news: list[dict[str, Any]] = []
        cls.runs.listener = cls.news.append
        assert cls.pool.wait_ready(120)

    def setUp(self) -> None:
        self.news.clear()
        self.effect = self.library.create(read_effect(SHORT)).id

    def opened(self, raw: dict[str, Any]) -> tuple[str, dict[str, Any]]:
        row, status = self.runs.open(self.effect, read_effect(raw))
        return row.bake_key, status

    def until(self, truth: Any, what: str) -> None:
        end = time.monotonic() + 30
        while time.monotonic() < end:
            if truth():
                return
            time.sleep(0.01)
        raise AssertionError(f"never: {what}")

    def state(self, key: str) -> str:
        bake = self.bakes.bake(key)
        return bake.state if bake else "nothing"

    def computing(self, key: str) -> bool:
        bake = self.bakes.bake(key)
        return bake is not None and bake.computed > 0

    def test_a_run_to_its_end(self) -> None:
        key, status = self.opened(SHORT)
        self.assertEqual(status["state"], "computing")
        self.until(
            lambda: any(news["type"] == "finished" and news["effect"] == self.effect for news in self.news),
            "finished",
        )
        self.assertEqual(len(self.bakes.stats(key)), 13)
        mine = [news for news in self.news if news["type"] == "progress" and news["effect"] == self.effect]
        told = [entry["frame"] for news in mine for entry in news["stats"]]
        self.assertEqual(told, list(range(13)))
        # Asking again is answered from the store.
        self.assertEqual(self.opened(SHORT)[1]["state"], "done")

    def test_a_newer_document_replaces_the_older(self) -> None:
        long, _ = self.opened(LONG)
        self.until(lambda: self.computing(long), "the long run begins")
        short, _ = self.opened(SHORT | {"clock": {"duration": 0.6}})
        self.until(lambda: self.state(short) == "done", "the short run ends")
        self.until(lambda: self.state(long) == "stopped", "the long run is stopped")
        self.assertFalse(
            any(
                news["type"] == "progress" and news["key"] == long and news["effect"] != self.effect
                for news in self.news
            )
        )

    def test_a_dead_worker_is_replaced(self) -> None:
        long, _ = self.opened(LONG | {"clock": {"duration": 190.0}})
        self.until(lambda: self.computing(long), "the run begins")
        victim = next(worker for worker in self.pool.workers if worker.job is not None)
        os.kill(victim.process.pid or 0, signal.SIGKILL)
        self.until(lambda: self.state(long) == "failed", "told as failed")
        self.assertEqual(len(self.pool.workers), 2)
        self.assertNotIn(victim, self.pool.workers)
        short, _ = self.opened(SHORT | {"clock": {"duration": 0.7}})
        self.until(lambda: self.state(short) == "done", "the next run")

    def test_replacing_what_still_waits_does_not_block(self) -> None:
        # Both workers are busy for others, so the first document waits; asking for the next one drops it.
        busy = [
            self.pool.submit({"what": "bake", "key": f"b{n}", "document": LONG}, f"busy {n}")
            for n in range(2)
        ]
        self.opened(SHORT | {"clock": {"duration": 0.9}})
        done = threading.Event()
        keys: list[str] = []

        def ask() -> None:
            keys.append(self.opened(SHORT | {"clock": {"duration": 1.0}})[0])
            done.set()

        threading.Thread(target=ask, daemon=True).start()
        answered = done.wait(10)
        for n in range(2):
            self.pool.stop(f"busy {n}")
        self.assertTrue(answered, "asking for another document never returned")
        self.until(lambda: self.state(keys[0]) == "done", "the newest document is computed")
        self.assertEqual({job.result.result(20)["state"] for job in busy}, {"stopped"})

    def test_two_effects_with_the_same_frames(self) -> None:
        medium = document(rule({"kind": "turbulence"}), count=15_000, clock={"duration": 1.5})
        key, _status = self.opened(medium)
        copy = self.library.create(read_effect(medium)).id
        self.runs.open(copy, read_effect(medium))

        def told() -> set[str]:
            return {n["effect"] for n in self.news if n["type"] == "finished" and n["state"] == "done"}

        self.until(lambda: {self.effect, copy} <= told(), "both are told")
        self.assertEqual(len(self.bakes.stats(key)), 37)

    def test_back_and_forth_while_computing(self) -> None:
        # A, B and A again, faster than a run ends: the last one asked for is computed whole, and nobody is told that it was stopped.
        other = LONG | {"clock": {"duration": 150.0}}
        medium = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 2.0})
        for _ in range(3):
            key, _status = self.opened(medium)
            self.until(lambda key=key: self.computing(key) or self.state(key) == "done", "it begins")
            self.opened(other)
        self.news.clear()
        key, _status = self.opened(medium)
        self.until(lambda: self.state(key) == "done", "it is computed")
        self.assertEqual(len(self.bakes.stats(key)), 49)
        self.assertNotIn("stopped", [news.get("state") for news in self.news if news["key"] == key])

    def test_stopped_and_run_again_at_once(self) -> None:
        medium = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 3.0})
        key, _status = self.opened(medium)
        self.until(lambda: self.computing(key), "it begins")
        self.runs.stop(self.effect)
        self.opened(medium)
        self.until(lambda: self.state(key) == "done", "it is computed after all")

    def test_abandoning_takes_the_process_away(self) -> None:
        job = self.pool.submit({"what": "bake", "key": "stuck", "document": LONG}, "stuck")
        self.until(lambda: self.computing("stuck"), "it runs")
        self.pool.abandon("stuck")
        self.assertIn(job.result.result(10)["state"], ("failed", "stopped"))
        short, _ = self.opened(SHORT | {"clock": {"duration": 0.8}})
        self.until(lambda: self.state(short) == "done", "others go on")

    def test_stopping_what_only_waits(self) -> None:
        jobs = [
            self.pool.submit({"what": "bake", "key": f"w{n}", "document": LONG}, f"owner {n}")
            for n in range(4)
        ]
        self.assertTrue(self.pool.stop("owner 3"))
        self.assertEqual(jobs[3].result.result(5)["state"], "stopped")
        for n in range(3):
            self.pool.stop(f"owner {n}")
        self.assertEqual({job.result.result(20)["state"] for job in jobs}, {"stopped"})
        self.assertFalse(self.pool.stop("nobody"))


class Jobs(unittest.TestCase):
    """Jobs done in this process: what goes wrong comes back as words."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        Database(Path(folder.name)).close()
        self.resources = Resources.open(folder.name)
        self.addCleanup(self.resources.database.close)

    def perform(self, **job: Any) -> dict[str, Any]:
        return perform(self.resources, job, lambda: False, lambda message: None)

    def test_a_mesh(self) -> None:
        data = trimesh.creation.box().export(file_type="ply")
        done = self.perform(what="mesh", name="box.ply", data=data)
        self.assertEqual((done["state"], done["triangles"]), ("done", 12))
        self.assertEqual(self.perform(what="mesh", name="box.ply", data=b"ply")["state"], "refused")

    def test_a_full_disk_fails_the_run_in_words(self) -> None:
        def full(*_: Any) -> None:
            raise StorageError("the disk is full: nothing was lost", full=True)

        self.resources.bakes.add_frames = full  # type: ignore[method-assign,assignment]
        done = self.perform(what="bake", key="k", document=SHORT)
        self.assertEqual(done["state"], "failed")
        self.assertIn("disk is full", done["message"])

    def test_anything_unexpected_is_told(self) -> None:
        self.assertIn("unexpected error", self.perform(what="bake", key="k", document={"nme": 1})["message"])

    def test_out_of_memory_is_told(self) -> None:
        def starved(*_: Any) -> None:
            raise MemoryError

        self.resources.bakes.begin = starved  # type: ignore[method-assign,assignment]
        self.assertIn("not enough memory", self.perform(what="bake", key="k", document=SHORT)["message"])

    def test_rule_memory_is_stored_to_go_on_from(self) -> None:
        frame = run(
            document(
                rule({"kind": "gravity"}, condition=compare("age", "below", 1.0)),
                rule({"kind": "drag"}),
                attributes=[{"id": "own", "label": "Own"}],
            ),
            0,
        )[0]
        block = stored(frame).state
        self.assertIn(b'"held gravity"', block)
        # What always holds has nothing to remember.
        self.assertNotIn(b'"held drag"', block)
        self.assertIn(b'"own own"', block)


if __name__ == "__main__":
    unittest.main()
