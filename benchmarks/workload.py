"""One piece of work, timed: runs with this version of the program or an earlier one, whichever is on the path. Started by `against.py`."""

from __future__ import annotations

import importlib
import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import hailridge.core  # noqa: F401  (loads the registry)
from hailridge import demo
from hailridge.model.validation import read_effect

HAIL = "hail-on-the-tin-roof"


def simulation() -> Any:
    """The class that runs an effect, wherever it stands."""
    for module in ("hailridge.core.step.simulation", "hailridge.core.engine.simulation"):
        try:
            return importlib.import_module(module).Simulation
        except ModuleNotFoundError:
            continue
    raise ModuleNotFoundError("no simulation")


def runs(raw: dict[str, Any], frames: int, record: bool = True) -> Callable[[], float]:
    """Seconds of computing the frames after the first few."""
    effect, made = read_effect(raw), simulation()

    def work() -> float:
        run = made(effect, demo.assets(), record)
        computed = run.frames(frames)
        for _ in range(3):
            next(computed)
        start = time.perf_counter()
        for _frame in computed:
            pass
        return time.perf_counter() - start

    return work


def checks() -> Callable[[], float]:
    raw = demo.document(HAIL)

    def work() -> float:
        start = time.perf_counter()
        for _ in range(20):
            read_effect(raw)
        return (time.perf_counter() - start) / 20

    return work


def small() -> dict[str, Any]:
    """The demo's rules on 100 particles."""
    raw: dict[str, Any] = demo.document(HAIL)
    raw["sources"][0]["emission"] = {"kind": "burst", "count": 100}
    raw["clock"]["duration"] = 2.0
    watch = {"kind": "compare", "quantity": {"kind": "impact_speed"}, "threshold": 999.0}
    raw["rules"] = [rule for rule in raw["rules"] if rule["id"] != "shatter"]
    raw["rules"].append({"id": "watch", "trigger": "contact", "condition": watch, "actions": [{"kind": "remove"}]})
    return raw


def main() -> None:
    name, folder, times = sys.argv[1], Path(sys.argv[2]), int(sys.argv[3])
    given = json.loads((folder / f"{name}.json").read_text()) if (folder / f"{name}.json").exists() else None
    work = {
        "hail": lambda: runs(demo.document(HAIL), 119), "small": lambda: runs(small(), 47), "checking": checks,
        "twenty": lambda: runs(given, 43), "near": lambda: runs(given, 33), "curl": lambda: runs(given, 18, record=False),
    }[name]()  # fmt: skip
    work()
    print(min(work() for _ in range(times)))


if __name__ == "__main__":
    main()
