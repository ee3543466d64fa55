"""The process that runs jobs one after another, told to stop by a shared number."""

from __future__ import annotations

import os
import signal
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any


def work(connection: Connection, cancel: Any, folder: str) -> None:
    """Serve jobs until the connection closes. `cancel` is a shared integer: the number of the job to stop."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Computing gives way to answering: the page stays quick while a run is on.
    os.nice(5)
    from hailridge.core.warm import warm
    from hailridge.runs.jobs import Resources, perform

    warm(quietly=True)
    resources = Resources.open(folder)
    # A connection that breaks means that the server is gone: there is nobody left to tell.
    with suppress(EOFError, OSError):
        connection.send({"type": "ready"})
        while True:
            job = connection.recv()
            number = job["number"]

            def cancelled(number: int = number) -> bool:
                return bool(cancel.value >= number)

            def report(message: dict[str, Any], number: int = number) -> None:
                connection.send({**message, "number": number})

            result = perform(resources, job, cancelled, report)
            connection.send({"type": "result", "number": number, **result})
