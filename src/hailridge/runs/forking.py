"""Where workers come from: a process that has loaded all that computing needs, and of which each is a copy, ready within milliseconds."""

from __future__ import annotations

import multiprocessing as mp
from multiprocessing.context import BaseContext

METHOD = "forkserver" if "forkserver" in mp.get_all_start_methods() else "spawn"
"""Where processes cannot be copied, each worker loads everything itself, in seconds."""

LOADED = "hailridge.runs.loaded"


def context() -> BaseContext:
    """What makes processes of workers."""
    made = mp.get_context(METHOD)
    made.set_forkserver_preload([LOADED])
    return made


def begin() -> None:
    """Begin to load what workers need, beside whatever the caller loads meanwhile. It ends with the process that calls this."""
    context()
    if METHOD == "forkserver":
        from multiprocessing.forkserver import ensure_running

        ensure_running()
