"""Runs in worker processes: replacing, stopping, crashing, failing, and what the store is left with."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import psutil
import trimesh
from sqlalchemy import event, text

from hailridge.model.validation import read_effect
from hailridge.runs import forking, pool
from hailridge.runs.jobs import Resources, perform, stored
from hailridge.runs.pool import Pool, Worker
from hailridge.runs.service import Runs
from hailridge.store.bakes import Bakes
from hailridge.store.database import Database
from hailridge.store.errors import FULL, StorageError
from hailridge.store.library import Library
from tests.support import compare, document, rule, run

STEP = compare({"kind": "neighbours", "distance": 100.0}, "at_least", 1e9)
HEAVY = document(rule({"kind": "gravity"}, condition=STEP), count=120_000, clock={"duration": 60.0})
"""Every particle counts all others: one step takes many seconds."""

LONG = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 200.0})
SHORT = document(count=10, clock={"duration": 0.5})


PATIENCE = 300.0
"""Seconds for which nothing may happen before something is taken never to happen: no test waits that long for what does."""


class News(list[dict[str, Any]]):
    """What is told of runs; whoever waits for it is woken."""

    def __init__(self) -> None:
        super().__init__()
        self.told = threading.Event()

    def hear(self, news: dict[str, Any]) -> None:
        self.append(news)
        self.told.set()


class WithWorkers(unittest.TestCase):
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
        cls.news = News()
        cls.runs.listener = cls.news.hear
        assert cls.pool.wait_ready(120)

    def setUp(self) -> None:
        self.news.clear()
        self.effect = self.library.create(read_effect(SHORT)).id

    def opened(self, raw: dict[str, Any]) -> tuple[str, dict[str, Any]]:
        row, status = self.runs.open(self.effect, read_effect(raw))
        return row.bake_key, status

    def until(self, truth: Any, what: str) -> None:
        """Asked whenever something is told; what the pool does without a word is seen within a tenth of a second."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            self.news.told.clear()
            if truth():
                return
            self.news.told.wait(0.1)
        jobs = [(worker.ready.is_set(), worker.job and (worker.job.owner, worker.job.long, worker.job.abandoned)) for worker in self.pool.workers]
        with self.database.frames.reading() as session:
            known = session.execute(text("SELECT key, state, computed, last_frame, message FROM bakes")).all()
        raise AssertionError(f"never: {what}; workers: {jobs}, waiting: {self.pool._waiting}, bakes: {known}, told: {self.news[-6:]}")

    def state(self, key: str) -> str:
        bake = self.bakes.bake(key)
        return bake.state if bake else "nothing"

    def computing(self, key: str) -> bool:
        bake = self.bakes.bake(key)
        return bake is not None and bake.computed > 0


class InWorkers(WithWorkers):
    def test_a_run_to_its_end(self) -> None:
        key, status = self.opened(SHORT)
        # It may be over by the time it is told.
        self.assertIn(status["state"], ("computing", "done"))
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

    @unittest.skipUnless(forking.METHOD == "forkserver", "processes cannot be copied here")
    def test_workers_are_copies_of_one_that_has_loaded_everything(self) -> None:
        """Also the one that comes in the place of one that was ended: it takes no time to load."""

        def parents() -> set[int]:
            return {psutil.Process(worker.process.pid).ppid() for worker in self.pool.workers}

        (first,) = parents()
        self.assertNotEqual(first, os.getpid())
        gone = self.pool.workers[0]
        gone.end()
        self.until(lambda: gone not in self.pool.workers and all(worker.ready.is_set() for worker in self.pool.workers), "another is there")
        self.assertEqual(parents(), {first})

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

    def test_two_documents_beside_each_other(self) -> None:
        """Neither replaces the other; a newer one beside replaces the older one beside; what both ask for is computed once."""
        own, _ = self.opened(LONG)
        beside, _status = self.runs.open(self.effect, read_effect(LONG | {"clock": {"duration": 170.0}}), beside=True)
        self.until(lambda: self.computing(own) and self.computing(beside.bake_key), "both begin")
        short, _status = self.runs.open(self.effect, read_effect(SHORT), beside=True)
        self.until(lambda: self.state(short.bake_key) == "done", "the short one beside ends")
        self.until(lambda: self.state(beside.bake_key) == "stopped", "the one that was beside is stopped")
        self.assertEqual(self.state(own), "computing")
        self.assertTrue(all(news["effect"] == self.effect for news in self.news if news.get("key") in (own, short.bake_key)))
        same, status = self.runs.open(self.effect, read_effect(LONG), beside=True)
        self.assertEqual((same.bake_key, status["state"]), (own, "computing"))
        self.assertTrue(self.runs.stop(self.effect))
        self.until(lambda: self.state(own) == "stopped", "both are stopped")

    def test_a_dead_worker_is_replaced(self) -> None:
        long, _ = self.opened(LONG | {"clock": {"duration": 190.0}})
        self.until(lambda: self.computing(long), "the run begins")
        victim = next(worker for worker in self.pool.workers if worker.job is not None)
        os.kill(victim.process.pid or 0, signal.SIGKILL)
        self.until(lambda: self.state(long) == "failed", "told as failed")
        # Two for long runs and one to stand in.
        self.assertEqual(len(self.pool.workers), 3)
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
        answered = done.wait(PATIENCE)
        for n in range(2):
            self.pool.stop(f"busy {n}")
        self.assertTrue(answered, "asking for another document never returned")
        self.until(lambda: self.state(keys[0]) == "done", "the newest document is computed")
        self.assertEqual({job.result.result(PATIENCE)["state"] for job in busy}, {"stopped"})

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

    def test_a_run_that_differs_from_the_start_does_not_hide_one_that_differs_later(self) -> None:
        clocks = ({"duration": 2.0}, {"duration": 1.0}, {"duration": 2.0, "seed": 9})
        now, same, other = (read_effect(document(clock=clock)) for clock in clocks)
        for key, effect in (("other", other), ("same", same)):
            self.runs._remember("mine", key, effect)
        base, frame = self.runs._unchanged("mine", now)
        self.assertEqual((base, frame), ("same", 24))

    def test_stopped_and_run_again_at_once(self) -> None:
        medium = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 3.0})
        key, _status = self.opened(medium)
        self.until(lambda: self.computing(key), "it begins")
        self.runs.stop(self.effect)
        self.opened(medium)
        self.until(lambda: self.state(key) == "done", "it is computed after all")

    def test_a_late_note_of_stopping_does_not_undo_the_next_run(self) -> None:
        # The server's own note that a run was stopped is slow (a busy disk), and the same document is asked for again meanwhile.
        key, _status = self.opened(LONG | {"clock": {"duration": 180.0}})
        self.until(lambda: self.computing(key), "it begins")
        noting, done = threading.Event(), threading.Event()

        def slowly(key: str, state: str, *rest: Any) -> None:
            noting.set()
            done.wait(0.5)
            Bakes.finish(self.bakes, key, state, *rest)

        with mock.patch.object(self.bakes, "finish", slowly):
            self.runs.stop(self.effect)
            self.assertTrue(noting.wait(PATIENCE))
            again, _status = self.opened(LONG | {"clock": {"duration": 180.0}})
            self.assertEqual(again, key)
            time.sleep(0.7)
            self.assertEqual(self.state(key), "computing")
        self.runs.stop(self.effect)

    def test_how_it_ended_is_told_though_it_cannot_be_written(self) -> None:
        """On a full disk a run that had failed was told to have been stopped, without a word."""
        raw = LONG | {"clock": {"duration": 170.0}}
        key, _status = self.opened(raw)
        self.until(lambda: self.computing(key), "it begins")
        victim = next(worker for worker in self.pool.workers if worker.job is not None)

        def told() -> dict[str, Any]:
            return self.runs.status(key, read_effect(raw))

        with mock.patch.object(self.bakes, "finish", side_effect=StorageError(FULL, full=True)):
            os.kill(victim.process.pid or 0, signal.SIGKILL)
            self.until(lambda: told()["state"] == "failed", "that it failed")
        self.assertIn("process", told()["message"])
        self.opened(raw)
        self.assertEqual((told()["state"], told()["message"]), ("computing", ""))
        self.runs.stop(self.effect)

    def test_one_that_was_ended_for_its_successor_is_not_taken_to_be_on_its_way(self) -> None:
        """Its process does not listen and is ended: what it was at stood as being computed, and its frames were kept, until the next start."""
        key, _status = self.opened(LONG | {"clock": {"duration": 165.0}})
        self.until(lambda: self.computing(key), "it begins")
        victim = next(worker for worker in self.pool.workers if worker.job is not None)
        os.kill(victim.process.pid or 0, signal.SIGSTOP)
        short, _status = self.opened(SHORT | {"clock": {"duration": 0.65}})
        self.until(lambda: self.state(short) == "done", "its successor is done")
        self.until(lambda: self.state(key) == "stopped", "it is stopped")

    def test_a_worker_that_was_told_to_end_gets_nothing_more_to_do(self) -> None:
        """It had just answered, and the next run, which it was given, failed with it: now and then, on a busy machine."""
        with self.pool._lock:
            for worker in self.pool.workers:
                worker.end()
            key, _status = self.opened(SHORT | {"clock": {"duration": 0.55}})
        self.until(lambda: self.state(key) == "done", "another does it")

    def test_one_that_is_stopped_as_it_gives_way_is_stopped(self) -> None:
        job = self.pool.submit({"what": "bake", "key": "gives way", "document": LONG}, "gives way")
        self.until(lambda: self.computing("gives way"), "it runs")
        finished = self.pool.finished

        def stopped_meanwhile(worker: Worker, message: dict[str, Any]) -> None:
            self.pool.stop("gives way")
            finished(worker, message)

        with mock.patch.object(self.pool, "finished", stopped_meanwhile):
            next(worker for worker in self.pool.workers if worker.job is job).cancel.value = -job.number
            self.assertEqual(job.result.result(PATIENCE)["state"], "stopped")

    def test_abandoning_takes_the_process_away(self) -> None:
        job = self.pool.submit({"what": "bake", "key": "stuck", "document": LONG}, "stuck")
        self.until(lambda: self.computing("stuck"), "it runs")
        self.pool.abandon("stuck")
        self.assertIn(job.result.result(PATIENCE)["state"], ("failed", "stopped"))
        short, _ = self.opened(SHORT | {"clock": {"duration": 0.8}})
        self.until(lambda: self.state(short) == "done", "others go on")

    def test_stopping_what_only_waits(self) -> None:
        jobs = [
            self.pool.submit({"what": "bake", "key": f"w{n}", "document": LONG}, f"owner {n}")
            for n in range(4)
        ]
        self.assertTrue(self.pool.stop("owner 3"))
        self.assertEqual(jobs[3].result.result(PATIENCE)["state"], "stopped")
        for n in range(3):
            self.pool.stop(f"owner {n}")
        self.assertEqual({job.result.result(PATIENCE)["state"] for job in jobs}, {"stopped"})
        self.assertFalse(self.pool.stop("nobody"))


class Waiting(WithWorkers):
    """Heavy runs neither hold up short ones nor the word *stop*."""

    def heavy(self, seed: int) -> tuple[str, str]:
        raw = HEAVY | {"clock": {"duration": 60.0, "seed": seed}}
        effect = self.library.create(read_effect(raw).model_copy(update={"name": f"heavy {seed}"})).id
        row, _status = self.runs.open(effect, read_effect(raw))
        self.addCleanup(self.runs.stop, effect)
        return effect, row.bake_key

    def test_two_heavy_runs_and_a_short_one(self) -> None:
        heavy = [self.heavy(seed) for seed in range(2)]
        self.until(lambda: sum(job.long for job in self.pool._running()) == 2, "both are long")
        key, _status = self.opened(SHORT | {"clock": {"duration": 0.3}})
        self.until(lambda: self.state(key) == "done", "the short one is done")
        # A third heavy one gets its turn, and then waits, which is said, with the names of those before it.
        third, third_key = self.heavy(2)
        self.news.clear()
        other, _status = self.opened(SHORT | {"clock": {"duration": 0.4}})
        self.until(lambda: self.state(other) == "done", "short ones still find a worker")
        crowd = [self.heavy(seed) for seed in range(3, 5)]
        self.until(lambda: self.pool.ahead_of(third_key) is not None or self.pool.ahead_of(crowd[0][1]) is not None, "one waits")
        waiting = next(key for _effect, key in ((third, third_key), *crowd) if self.pool.ahead_of(key) is not None)
        status = self.runs.status(waiting, read_effect(HEAVY))
        self.assertEqual((status["state"], len(status["waiting"])), ("computing", 2))
        self.assertLess(set(status["waiting"]), {f"heavy {seed}" for seed in range(5)})

        def told() -> list[Any]:
            """How many it was told to wait for; nobody once its turn had come."""
            return [named and len(named) for named in (n["waiting"] for n in list(self.news) if n["type"] == "waiting" and n["key"] == waiting)]

        self.until(lambda: 2 in told(), "told with the names of those before it")
        # Stopped in the middle of a step that takes far longer; how soon is measured by the benchmarks.
        for effect, key in heavy:
            known = len(self.news)
            self.assertTrue(self.runs.stop(effect))
            self.until(lambda effect=effect, known=known: any(n["type"] == "finished" and n["effect"] == effect for n in list(self.news)[known:]), "it stopped")
            self.assertEqual((self.state(key), self.runs.status(key, read_effect(HEAVY))["state"]), ("stopped", "stopped"))
        self.until(lambda: None in told(), "its turn has come")

    def test_one_that_gave_way_goes_on_and_makes_the_same_frames(self) -> None:
        raw = document(rule({"kind": "turbulence"}), count=2_000, clock={"duration": 1.5, "seed": 11})
        alone, _status = self.opened(raw)
        self.until(lambda: self.state(alone) == "done", "computed in one go")
        whole = [self.bakes.frame(alone, number).state for number in range(37)]
        with self.database.frames.writing() as session:
            session.execute(text("DELETE FROM frames"))
            session.execute(text("DELETE FROM bakes"))
        long = [self.heavy(seed) for seed in range(7, 9)]
        self.until(lambda: sum(job.long for job in self.pool._running()) == 2, "both are long")
        row, _status = self.runs.open(self.effect, read_effect(raw))
        worker = next(worker for worker in self.pool.workers if worker.job is not None and worker.job.bake == row.bake_key)
        assert worker.job is not None
        self.pool._overdue(worker, worker.job)
        self.until(lambda: self.pool.ahead_of(row.bake_key) is not None or self.state(row.bake_key) == "done", "it gives way")
        for effect, _key in long:
            self.runs.stop(effect)
        self.until(lambda: self.state(row.bake_key) == "done", "it goes on")
        self.assertEqual([self.bakes.frame(row.bake_key, number).state for number in range(37)], whole)
        self.assertEqual([entry["frame"] for entry in self.bakes.stats(row.bake_key)], list(range(37)))

    def test_long_runs_take_turns(self) -> None:
        """Two that take minutes do not keep out one that takes seconds: it is done long before them."""
        before = pool.SLICE
        self.addCleanup(setattr, pool, "SLICE", before)
        pool.SLICE = 0.5
        for seed in range(21, 24):
            raw = LONG | {"clock": {"duration": 200.0, "seed": seed}}
            effect = self.library.create(read_effect(raw)).id
            self.runs.open(effect, read_effect(raw))
            self.addCleanup(self.runs.stop, effect)
        raw = document(rule({"kind": "turbulence"}), count=20_000, clock={"duration": 12.0, "seed": 31})
        key, _status = self.opened(raw)
        self.until(lambda: self.state(key) == "done", "it has its turns")
        self.assertEqual([entry["frame"] for entry in self.bakes.stats(key)], list(range(289)))

    def test_killed_before_the_first_frame(self) -> None:
        _effect, key = self.heavy(5)
        self.until(lambda: any(job.bake == key for job in self.pool._running()), "it runs")
        victim = next(worker for worker in self.pool.workers if worker.job is not None and worker.job.bake == key)
        time.sleep(0.3)
        self.assertFalse(self.computing(key))
        os.kill(victim.process.pid or 0, signal.SIGKILL)
        self.until(lambda: self.state(key) == "failed", "told as failed")
        self.assertIn("stopped unexpectedly", self.runs.status(key, read_effect(HEAVY))["message"])

    def test_workers_end_with_their_server(self) -> None:
        script = (
            "import sys, time; from pathlib import Path; from hailridge.runs.pool import Pool; from hailridge.store.database import Database\n"
            "from tests.runs.test_runs import HEAVY\n"
            "if __name__ == '__main__':\n"
            "    folder = Path(sys.argv[1]); Database(folder).close(); pool = Pool(folder, 1); assert pool.wait_ready(120)\n"
            "    pool.submit({'what': 'bake', 'key': 'k', 'document': HEAVY}, 'me'); time.sleep(0.5)\n"
            "    print(*(worker.process.pid for worker in pool.workers), flush=True); time.sleep(60)"
        )
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "server.py"
            path.write_text(script)
            root = Path(__file__).resolve().parents[2]
            environment = os.environ | {"PYTHONPATH": str(root)}
            server = subprocess.Popen([sys.executable, str(path), folder], stdout=subprocess.PIPE, text=True, cwd=root, env=environment)
            assert server.stdout is not None
            workers = [int(number) for number in server.stdout.readline().split()]
            self.assertEqual(len(workers), 2)
            server.kill()
            server.wait()
            server.stdout.close()
            self.until(lambda: not any(running(number) for number in workers), "all have ended")


def running(process: int) -> bool:
    try:
        return psutil.Process(process).status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


class Jobs(unittest.TestCase):
    """Jobs done in this process: what goes wrong comes back as words."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        Database(Path(folder.name)).close()
        self.resources = Resources.open(folder.name)
        self.addCleanup(self.resources.database.close)

    def perform(self, **job: Any) -> dict[str, Any]:
        return perform(self.resources, job, lambda: "", lambda message: None)

    def test_a_mesh(self) -> None:
        data = trimesh.creation.box().export(file_type="ply")
        done = self.perform(what="mesh", name="box.ply", data=data)
        self.assertEqual((done["state"], done["triangles"]), ("done", 12))
        self.assertEqual(self.perform(what="mesh", name="box.ply", data=b"ply")["state"], "refused")

    def test_a_full_disk_fails_the_run_in_words(self) -> None:
        frames = self.resources.database.frames.engine
        with frames.connect() as connection:
            pages = connection.execute(text("pragma page_count")).scalar()
        # SQLite's own limit on pages stands for a disk without room.
        event.listen(frames, "connect", lambda raw, _: raw.execute(f"PRAGMA max_page_count = {pages + 20}"))
        frames.dispose()
        done = self.perform(what="bake", key="k", document=document(count=50_000, speed=1.0))
        self.assertEqual(done["state"], "failed")
        self.assertIn("disk is full", done["message"])
        # What there was room for is there.
        self.assertEqual(self.resources.bakes.bake("k").computed, len(self.resources.bakes.stats("k")))  # type: ignore[union-attr]

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
        self.assertIn(b'"rules/gravity held"', block)
        # What always holds has nothing to remember.
        self.assertNotIn(b'"held drag"', block)
        self.assertIn(b'"own own"', block)


if __name__ == "__main__":
    unittest.main()
