"""All that a worker needs, loaded by importing this: in the process of which workers are copies (`forking`)."""

from __future__ import annotations

import traceback

try:
    from hailridge.core.kernels.warm import load
    from hailridge.runs import jobs  # noqa: F401

    load()
except Exception:
    # Each worker tries again, fails for itself and is counted; here the reason is told.
    traceback.print_exc()
