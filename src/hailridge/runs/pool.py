"""The web process's side of the workers: who does what, who waits for whom, and what to do with one that dies or does not listen."""

from __future__ import annotations

import itertools
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from hailridge.runs import forking
from hailridge.runs.worker import work

Listener = Callable[[dict[str, Any]], None]

ALLOWANCE = 2.0
"""Seconds that a run may take before it counts as long: its first frames come before what others go on with."""

SLICE = 8.0
"""Seconds after which a long run gives way, at its next frame, to one that waits: nobody waits for the end of an hour's run."""

QUICK_AT_ONCE, UPLOADS_AT_ONCE = 2, 2
"""Short runs, and files that are read, beside one another and beside the long runs."""

GRACE = 0.06
"""Seconds within which a job has to heed *stop*; then its process is ended. Together with what surrounds it, under a tenth of a second."""

PATIENCE = 1.5
"""Seconds that a job for which nobody waits any more may take to finish its step: ending its process costs the start of another."""

FALSE_STARTS = 3
"""Workers in a row that may die before they are ready; then nobody tries again until a job comes."""

GONE = "the process that was computing stopped unexpectedly (it may have run out of memory). Your effect is saved; run it again."
NO_START = "the processes that compute cannot start; the server's console says why. Your effect is saved."


@dataclass(eq=False)
class Job:
    """A job on its way. `owner` groups jobs of which only the newest matters (the bakes of one effect)."""

    number: int
    message: dict[str, Any]
    owner: str
    allowance: float | None = ALLOWANCE
    """Seconds for which it counts as short; None: always."""
    result: Future[dict[str, Any]] = field(default_factory=Future)
    heard: float | None = None
    """When it was started, or last gave a sign of life (monotonic clock); None while it waits."""
    long: bool = False
    abandoned: bool = False
    pausing: bool = False
    turning: bool = False
    """Whether it was said when this long job gives way to one that waits."""
    began: float = 0.0
    told: bool = False
    """Whether it was told that it waits."""

    @property
    def kind(self) -> str:
        """long, quick or upload: each has its own room."""
        return "long" if self.long else "upload" if self.allowance is None else "quick"

    @property
    def bake(self) -> str | None:
        """The bake whose frames it makes: no two jobs may, and copies of an effect share them."""
        key: str | None = self.message.get("key")
        return key


class Worker:
    """One process and the thread that starts it and listens to it."""

    def __init__(self, pool: Pool) -> None:
        self.pool = pool
        self.job: Job | None = None
        context = forking.context()
        self.cancel = context.Value("q", 0, lock=False)
        self.connection, self._theirs = context.Pipe()
        self.process = context.Process(target=work, args=(self._theirs, self.cancel, str(pool.folder)), daemon=True)  # type: ignore[attr-defined]
        self.ready = threading.Event()
        self.ended = False
        """Whether its process has been told to end: what it says until then is heard, but it gets nothing more to do."""
        # Starting it waits until what it is a copy of has loaded; nobody else waits for that.
        threading.Thread(target=self._listen, daemon=True).start()

    def start(self, job: Job) -> None:
        """Give it a job, now or as soon as it is ready. Needs the pool's lock."""
        self.job = job
        job.heard = job.began = time.monotonic()
        # What was told to an earlier job is over; one that goes on has an old number.
        self.cancel.value = 0
        if self.ready.is_set():
            self._send(job)

    def became_ready(self) -> None:
        """It can be given work from now on, and gets what it was meant for. Needs the pool's lock."""
        self.ready.set()
        if self.job is not None:
            self._send(self.job)

    def _send(self, job: Job) -> None:
        # Where the connection is broken, the listener sees it too and reports the job as lost.
        with suppress(OSError, ValueError):
            self.connection.send({"number": job.number, **job.message})

    def end(self) -> None:
        """End the process at once, in the middle of whatever it does; the listener hears of it."""
        self.ended = True
        if self.process.pid is not None:
            self.process.kill()

    def _listen(self) -> None:
        try:
            self.process.start()
            self._theirs.close()
            if self.ended:
                self.process.kill()
            while True:
                message = self.connection.recv()
                if message["type"] == "ready":
                    self.pool.loaded(self)
                elif message["type"] == "result":
                    self.pool.finished(self, message)
                else:
                    self.pool.heard(self, message)
        except (EOFError, OSError):
            self.pool.worker_lost(self)
        finally:
            # By nobody else: a connection that is closed while somebody listens breaks under the listener.
            self.connection.close()


class Pool:
    """A few workers, `workers` of which may be kept busy for long; short work always finds another, and one waits, warm, to stand in.

    Every run begins as short work. One that outlasts its allowance becomes long: it goes on where it is if there is room, and otherwise pauses
    at its next frame and waits in line, where long runs take turns. Results are set only after the pool's lock is let go: whoever waits for one
    may take locks of its own and come back here.
    """

    def __init__(self, folder: Path, workers: int = 2) -> None:
        self.folder, self.most_long = folder, workers
        self._lock = threading.RLock()
        self._numbers = itertools.count(1)
        self._waiting: list[Job] = []
        # Over, but not everybody has heard of it yet.
        self._ending: list[Job] = []
        self._closed = False
        self._false_starts = 0
        self.listener: Listener = lambda message: None
        self.workers = [Worker(self) for _ in range(workers + 1)]

    # ── Asking ──────────────────────────────────────────────────────────────────────────────────────────────────────────

    def submit(self, message: dict[str, Any], owner: str, replace: bool = False, allowance: float | None = ALLOWANCE) -> Job:
        """Queue a job. With `replace`, older jobs of the same owner are stopped or dropped; the new one does not wait for them."""
        with self._lock:
            job = Job(next(self._numbers), message, owner, allowance)
            if self._closed:
                job.result.set_result({"state": "stopped"})
                return job
            dropped, _running = self._withdraw(owner, PATIENCE) if replace else ([], [])
            self._waiting.append(job)
            self._dispatch()
        _drop(dropped)
        return job

    def stop(self, owner: str, grace: float = GRACE) -> bool:
        """Stop what runs or waits for an owner: asked first, and ended if it does not listen within `grace` (s).

        Returns whether there was anything.
        """
        with self._lock:
            dropped, running = self._withdraw(owner, grace)
        _drop(dropped)
        return bool(dropped or running)

    def abandon(self, owner: str) -> None:
        """Give up on an owner's jobs for good: what cannot be told to stop, such as a file reader that hangs, loses its process."""
        with self._lock:
            dropped, running = self._withdraw(owner, None)
            for worker in running:
                worker.end()
        _drop(dropped)

    def working_on(self, bake: str) -> bool:
        """Whether some job makes, or waits to make, the frames of a bake."""
        with self._lock:
            return any(job.bake == bake and not job.abandoned for job in (*self._waiting, *self._running(), *self._ending))

    def ahead_of(self, bake: str) -> list[str] | None:
        """The owners of the long jobs that a bake waits for; None where it does not wait."""
        with self._lock:
            if not any(job.bake == bake for job in self._waiting):
                return None
            return [job.owner for job in self._running() if job.long]

    def _running(self) -> list[Job]:
        return [worker.job for worker in self.workers if worker.job is not None]

    def _withdraw(self, owner: str, grace: float | None) -> tuple[list[Job], list[Worker]]:
        """Take an owner's waiting jobs out of the queue and tell its running ones to stop; returns both. Needs the lock."""
        dropped = [job for job in self._waiting if job.owner == owner]
        self._waiting = [job for job in self._waiting if job.owner != owner]
        running = [worker for worker in self.workers if worker.job is not None and worker.job.owner == owner]
        for worker in running:
            assert worker.job is not None
            worker.job.abandoned = True
            worker.cancel.value = worker.job.number
            if grace is not None:
                self._later(grace, self._insist, worker, worker.job)
        return dropped, running

    def _insist(self, worker: Worker, job: Job) -> None:
        """End a process that has not done what its job was told."""
        with self._lock:
            if worker.job is job and (job.abandoned or job.pausing):
                worker.end()

    def _later(self, seconds: float, call: Callable[..., None], *arguments: Any) -> None:
        timer = threading.Timer(seconds, call, arguments)
        timer.daemon = True
        timer.start()

    # ── Handing out ─────────────────────────────────────────────────────────────────────────────────────────────────────

    def _room(self, job: Job) -> bool:
        """Whether a job's kind may have another process now. What was told to stop no longer counts."""
        alike = sum(other.kind == job.kind for other in self._running() if not other.abandoned)
        return alike < {"long": self.most_long, "quick": QUICK_AT_ONCE, "upload": UPLOADS_AT_ONCE}[job.kind]

    def _held_up(self, kind: str) -> bool:
        """Whether a job waits for others of its kind."""
        return any(job.kind == kind and not self._room(job) for job in self._waiting)

    def _dispatch(self) -> None:
        """Give waiting jobs to idle workers, in order, and keep one idle. Needs the lock."""
        for job in list(self._waiting):
            # The frames of a bake that was told to stop are left alone before its successor begins.
            if not self._room(job) or (job.bake is not None and any(other.bake == job.bake for other in self._running())):
                continue
            worker = self._idle()
            if worker is None:
                return
            self._waiting.remove(job)
            worker.start(job)
            self.began(worker)
            if job.told:
                # Not now: whoever listens may take locks of its own.
                job.told = False
                self._later(0, self.listener, {"type": "waiting", "owner": job.owner, "key": job.bake, "over": True})
        for worker in self.workers:
            if worker.job is not None and worker.job.pausing and not worker.job.long and self._held_up("quick"):
                self._later(GRACE, self._insist, worker, worker.job)
            elif worker.job is not None and worker.job.long and not worker.job.turning and self._held_up("long"):
                worker.job.turning = True
                self._later(max(0.0, worker.job.began + SLICE - time.monotonic()), self._turn, worker, worker.job)
        if self._false_starts < FALSE_STARTS:
            self._idle()

    def _idle(self) -> Worker | None:
        """A worker without a job, a warm one first; one is started if there is none and there may be more. Needs the lock."""
        idle = [worker for worker in self.workers if worker.job is None and not worker.ended]
        most = self.most_long + QUICK_AT_ONCE + UPLOADS_AT_ONCE
        return next((one for one in idle if one.ready.is_set()), None) or (idle[0] if idle else self._another() if len(self.workers) < most else None)

    def _another(self) -> Worker:
        worker = Worker(self)
        self.workers.append(worker)
        return worker

    def loaded(self, worker: Worker) -> None:
        """A worker can be given work."""
        with self._lock:
            worker.became_ready()
            self.began(worker)

    def began(self, worker: Worker) -> None:
        """A warm worker has something to do, or one with something to do has become warm: from now on its time counts."""
        with self._lock:
            job = worker.job
            if job is not None and worker.ready.is_set() and not job.long and job.allowance is not None:
                self._later(job.allowance, self._overdue, worker, job)

    def _overdue(self, worker: Worker, job: Job) -> None:
        """A run has taken more than short work may: it becomes long, where it is or in line."""
        with self._lock:
            if worker.job is not job or job.abandoned or self._closed:
                return
            if sum(other.long for other in self._running() if not other.abandoned) < self.most_long:
                job.long = True
            else:
                job.pausing = True
                worker.cancel.value = -job.number
                # In a step that does not end it gives way without it: that step is made when its turn comes.
                self._later(ALLOWANCE, self._insist, worker, job)
            self._dispatch()

    def _turn(self, worker: Worker, job: Job) -> None:
        """Let one that waits have its turn, if there still is one: the running job pauses at its next frame and goes to the end of the line."""
        with self._lock:
            job.turning = False
            if worker.job is job and not job.abandoned and self._held_up("long"):
                job.turning = job.pausing = True
                worker.cancel.value = -job.number

    # ── Hearing ─────────────────────────────────────────────────────────────────────────────────────────────────────────

    def heard(self, worker: Worker, message: dict[str, Any]) -> None:
        job = worker.job
        if job is not None and message["number"] == job.number:
            job.heard = time.monotonic()
        if job is not None and not job.abandoned and message["number"] == job.number and message["type"] != "alive":
            self.listener({**message, "owner": job.owner})

    def finished(self, worker: Worker, message: dict[str, Any]) -> None:
        with self._lock:
            self._false_starts = 0
            job, worker.job = worker.job, None
            over = self._over(job, message["state"] == "paused")
            if over and message["state"] == "paused":
                # It gave way in the moment in which it was told to stop.
                message = {**message, "state": "stopped"}
            self._dispatch()
            self._dismiss(worker)
        self._tell(job, message if over else None)

    def _over(self, job: Job | None, paused: bool) -> bool:
        """Whether a job that no process works on any more is over; one that gave way to others is put in line, as a long one. Needs the lock."""
        if job is None or not paused or job.abandoned:
            self._ending += [job] if job is not None else []
            return True
        job.long, job.pausing, job.turning, job.heard = True, False, False, None
        self._waiting.append(job)
        return False

    def _tell(self, job: Job | None, result: dict[str, Any] | None) -> None:
        """Hand over how a job ended, or tell that it waits. Without the lock."""
        if job is not None and result is not None:
            job.result.set_result(result)
            with self._lock:
                self._ending.remove(job)
        elif job is not None:
            job.told = True
            self.listener({"type": "waiting", "owner": job.owner, "key": job.bake, "over": False})

    def _dismiss(self, worker: Worker) -> None:
        """Let a process go that was started for a crowd which has gone. Needs the lock."""
        idle = sum(other.job is None and other.ready.is_set() for other in self.workers)
        if worker.job is None and len(self.workers) > self.most_long + 1 and idle > 1:
            self.workers.remove(worker)
            worker.end()

    def worker_lost(self, worker: Worker) -> None:
        with self._lock:
            if self._closed:
                return
            job, worker.job = worker.job, None
            known = worker in self.workers
            self.workers = [entry for entry in self.workers if entry is not worker]
            # One that was ended on purpose before it was ready says nothing.
            told = job is not None and (job.abandoned or job.pausing)
            self._false_starts = 0 if worker.ready.is_set() else self._false_starts + (not told)
            result = {"state": "stopped"} if job is not None and job.abandoned else {"state": "failed", "message": GONE}
            over = self._over(job, job is not None and job.pausing)
            lost = []
            if self._false_starts >= FALSE_STARTS and not any(other.ready.is_set() for other in self.workers):
                lost, self._waiting, self._false_starts = self._waiting, [], 0
            else:
                while known and len(self.workers) < self.most_long + 1:
                    self._another()
                self._dispatch()
        for waiting in lost:
            waiting.result.set_result({"state": "failed", "message": NO_START})
        self._tell(job, result if over else None)

    def wait_ready(self, seconds: float) -> bool:
        return all(worker.ready.wait(seconds) for worker in list(self.workers))

    def close(self) -> None:
        """End all workers at once; what they had not committed is computed again when asked for."""
        with self._lock:
            self._closed = True
            for worker in self.workers:
                worker.end()


def _drop(jobs: list[Job]) -> None:
    for job in jobs:
        job.result.set_result({"state": "stopped"})
