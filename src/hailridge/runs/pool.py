"""The web process's side of the workers: who does what, what has been heard, and what to do when one dies."""

from __future__ import annotations

import itertools
import multiprocessing as mp
import threading
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from hailridge.runs.worker import work

Listener = Callable[[dict[str, Any]], None]


@dataclass(eq=False)
class Job:
    """A job on its way. `owner` groups jobs of which only the newest matters (the bakes of one effect)."""

    number: int
    message: dict[str, Any]
    owner: str
    result: Future[dict[str, Any]] = field(default_factory=Future)
    abandoned: bool = False

    @property
    def claims(self) -> set[tuple[str, Any]]:
        """What no two jobs may work on at once: an owner, and the frames of one bake (copies of an effect share them)."""
        return {("owner", self.owner)} | ({("bake", self.message["key"])} if "key" in self.message else set())


class Worker:
    """One process and the thread that listens to it."""

    def __init__(self, pool: Pool) -> None:
        self.pool = pool
        self.job: Job | None = None
        context = mp.get_context("spawn")
        self.cancel = context.Value("q", 0, lock=False)
        self.connection, theirs = context.Pipe()
        self.process = context.Process(target=work, args=(theirs, self.cancel, str(pool.folder)), daemon=True)
        self.process.start()
        theirs.close()
        self.ready = threading.Event()
        threading.Thread(target=self._listen, daemon=True).start()

    def start(self, job: Job) -> None:
        self.job = job
        try:
            self.connection.send({"number": job.number, **job.message})
        except (OSError, ValueError):
            # The listener sees the broken connection too and reports the job as lost.
            return

    def _listen(self) -> None:
        while True:
            try:
                message = self.connection.recv()
            except (EOFError, OSError):
                self.pool.worker_lost(self)
                return
            if message["type"] == "ready":
                self.ready.set()
            elif message["type"] == "result":
                self.pool.finished(self, message)
            else:
                self.pool.heard(self, message)


class Pool:
    """A few workers. Jobs of one owner replace one another; a worker that dies is replaced and its job reported.

    Results are set only after the pool's lock is let go: whoever waits for one may take locks of its own and come back here.
    """

    def __init__(self, folder: Path, workers: int = 2) -> None:
        self.folder = folder
        self._lock = threading.RLock()
        self._numbers = itertools.count(1)
        self._waiting: list[Job] = []
        self._closed = False
        self.listener: Listener = lambda message: None
        self.workers = [Worker(self) for _ in range(workers)]

    def submit(self, message: dict[str, Any], owner: str, replace: bool = False) -> Job:
        """Queue a job. With `replace`, older jobs of the same owner are stopped or dropped."""
        with self._lock:
            job = Job(next(self._numbers), message, owner)
            dropped, _running = self._withdraw(owner) if replace else ([], [])
            self._waiting.append(job)
            self._dispatch()
        _drop(dropped)
        return job

    def stop(self, owner: str) -> bool:
        """Stop what runs or waits for an owner. Returns whether there was anything."""
        with self._lock:
            dropped, running = self._withdraw(owner)
        _drop(dropped)
        return bool(dropped or running)

    def abandon(self, owner: str) -> None:
        """Give up on an owner's jobs for good: what cannot be told to stop, such as a file reader that hangs, loses its process."""
        with self._lock:
            dropped, running = self._withdraw(owner)
        _drop(dropped)
        for worker in running:
            worker.process.kill()

    def _withdraw(self, owner: str) -> tuple[list[Job], list[Worker]]:
        """Take an owner's waiting jobs out of the queue and tell its running ones to stop; returns both. Needs the lock."""
        dropped = [job for job in self._waiting if job.owner == owner]
        self._waiting = [job for job in self._waiting if job.owner != owner]
        running = [worker for worker in self.workers if worker.job is not None and worker.job.owner == owner]
        for worker in running:
            assert worker.job is not None
            worker.job.abandoned = True
            worker.cancel.value = worker.job.number
        return dropped, running

    def _dispatch(self) -> None:
        # What was told to stop has ended, and left the store alone, before its successor begins.
        for worker in self.workers:
            claimed = set().union(*(other.job.claims for other in self.workers if other.job is not None))
            due = next((job for job in self._waiting if not job.claims & claimed), None)
            if worker.job is None and due is not None:
                self._waiting.remove(due)
                worker.start(due)

    def heard(self, worker: Worker, message: dict[str, Any]) -> None:
        job = worker.job
        if job is not None and not job.abandoned and message["number"] == job.number:
            self.listener({**message, "owner": job.owner})

    def finished(self, worker: Worker, message: dict[str, Any]) -> None:
        with self._lock:
            job, worker.job = worker.job, None
            self._dispatch()
        if job is not None:
            job.result.set_result(message)

    def worker_lost(self, worker: Worker) -> None:
        with self._lock:
            if self._closed:
                return
            job, worker.job = worker.job, None
            self.workers = [Worker(self) if entry is worker else entry for entry in self.workers]
            self._dispatch()
        if job is not None:
            message = "the process that was computing stopped unexpectedly (it may have run out of memory). Your effect is saved; run it again."
            job.result.set_result({"state": "failed", "message": message})

    def wait_ready(self, seconds: float) -> bool:
        return all(worker.ready.wait(seconds) for worker in self.workers)

    def close(self) -> None:
        """End all workers at once; what they had not committed is computed again when asked for."""
        with self._lock:
            self._closed = True
            for worker in self.workers:
                worker.process.kill()
                worker.connection.close()


def _drop(jobs: list[Job]) -> None:
    for job in jobs:
        job.result.set_result({"state": "stopped"})
