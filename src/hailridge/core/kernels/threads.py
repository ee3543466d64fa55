"""Sharing a loop out among threads: spans of it, each taken by whoever is free.

Kernels release Python's lock while they work. What they write for one item never depends on another, so neither the number of threads nor who takes
which span can be seen in the result.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable, Iterator
from queue import SimpleQueue
from threading import Thread
from typing import Any

SPANS_A_THREAD = 4
"""Pieces for each thread: whoever gets easy ones takes more of them."""


def _available() -> int:
    asked = os.environ.get("HAILRIDGE_THREADS", "")
    if asked.isdigit() and int(asked) > 0:
        return int(asked)
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


class Job:
    """One loop: spans of it are taken until none is left. Whoever asked for it takes spans too, and waits only for those that others have begun."""

    def __init__(self, work: Callable[..., Any], size: int, arguments: tuple[Any, ...], each: int) -> None:
        self.work = work
        self.size = size
        self.arguments = arguments
        self.each = each
        self.begins: Iterator[int] = itertools.count(0, each)
        self.told: SimpleQueue[BaseException | None] = SimpleQueue()

    def take(self) -> bool:
        """Do the next span; whether there was one. Taking the next number is one step of the interpreter, so nobody gets the same."""
        begin = next(self.begins)
        if begin >= self.size:
            return False
        self.work(begin, min(begin + self.each, self.size), *self.arguments)
        return True

    def help(self) -> None:
        """Take spans in another thread, telling of each that is done or has failed."""
        try:
            while self.take():
                self.told.put(None)
        except BaseException as error:
            self.told.put(error)


_threads = _available()
_waiting: SimpleQueue[Job] = SimpleQueue()
_helpers: list[Thread] = []


def number_of_threads() -> int:
    return _threads


def use_threads(number: int) -> None:
    """How many threads work on one kernel from now on, the caller's own among them."""
    global _threads
    _threads = max(1, number)


def shared_out(work: Callable[..., Any], size: int, arguments: tuple[Any, ...], together: int) -> None:
    """Call `work(begin, end, *arguments)` until 0 to `size` is done; every span but the last is a multiple of `together` items."""
    if size <= 0:
        return
    while len(_helpers) < _threads - 1:
        _helpers.append(Thread(target=_help, name=f"kernel {len(_helpers)}", daemon=True))
        _helpers[-1].start()
    pieces = -(-size // together)
    each = -(-pieces // (_threads * SPANS_A_THREAD)) * together
    job = Job(work, size, arguments, each)
    for _helper in range(_threads - 1):
        _waiting.put(job)
    mine = 0
    while job.take():
        mine += 1
    for _span in range(-(-size // each) - mine):
        failed = job.told.get()
        if failed is not None:
            raise failed


def _help() -> None:
    while True:
        _waiting.get().help()
