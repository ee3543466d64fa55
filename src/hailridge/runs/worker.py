"""The process that runs jobs one after another, told to stop or to pause by a shared number."""

from __future__ import annotations

import multiprocessing as mp
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from multiprocessing.connection import Connection, wait
from typing import Any

BEAT = 2.0
"""Seconds between two signs of life."""


def work(connection: Connection, cancel: Any, folder: str) -> None:
    """Serve jobs until the connection closes or the server goes.

    `cancel` is a shared integer: the number of the job to stop, or minus the number of the one to pause.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _end_with_server()
    # Computing gives way to answering: the page stays quick while a run is on.
    os.nice(5)
    from hailridge.core.kernels.warm import load
    from hailridge.runs.jobs import Resources, perform

    load()
    resources = Resources.open(folder)
    sending = threading.Lock()
    # A connection that breaks means that the server is gone: there is nobody left to tell.
    with suppress(EOFError, OSError):
        connection.send({"type": "ready"})
        while True:
            job = connection.recv()
            number = job["number"]

            def called_off(number: int = number) -> str:
                if abs(cancel.value) < number:
                    return ""
                return "stop" if cancel.value > 0 else "pause"

            def report(message: dict[str, Any], number: int = number) -> None:
                with sending:
                    connection.send({**message, "number": number})

            with _beating(report):
                result = perform(resources, job, called_off, report)
            report({"type": "result", **result})


@contextmanager
def _beating(report: Callable[[dict[str, Any]], None]) -> Iterator[None]:
    """Say now and then that the job advances: that this process has worked since it last said so."""
    over = threading.Event()

    def beat() -> None:
        worked = time.process_time()
        while not over.wait(BEAT):
            if (now := time.process_time()) > worked + BEAT / 20:
                worked = now
                with suppress(OSError):
                    report({"type": "alive"})

    threading.Thread(target=beat, daemon=True).start()
    try:
        yield
    finally:
        over.set()


def _end_with_server() -> None:
    """End this process with the one that started it, also when that one is killed, and also in the middle of a step."""
    parent = mp.parent_process()
    assert parent is not None

    def watch() -> None:
        wait([parent.sentinel])
        os._exit(0)

    threading.Thread(target=watch, daemon=True).start()
