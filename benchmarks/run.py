"""Measures everything that was promised and writes docs/benchmarks.md, with the machine and the date."""

from __future__ import annotations

import json
import os
import platform
import sys
from datetime import UTC, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from benchmarks import edges, looks, measures, motion, rules, yardstick
from benchmarks.figures import Figure

ALL = [*measures.ALL, motion.births, motion.forces, motion.frame_rates, motion.live_tuning, *rules.ALL, *looks.ALL, *edges.ALL]

TARGET = Path(__file__).resolve().parents[1] / "docs" / "benchmarks.md"


def main() -> int:
    as_json = "--json" in sys.argv[1:]
    figures: list[Figure] = []
    sticks: list[yardstick.Yardstick] = []
    for measure in ALL:
        # Machines change their pace within minutes: the yardstick is laid on before each measurement.
        sticks.append(yardstick.measured())
        for figure in measure():
            figure.slowness = sticks[-1].slowness
            figures.append(figure)
            print(row(figure), file=sys.stderr if as_json else sys.stdout, flush=True)
    if as_json:
        print(json.dumps([{name: getattr(figure, name) for name in ("name", "value", "unit", "reference", "ratio")} for figure in figures], indent=1))
    TARGET.write_text(page(figures, sticks), encoding="utf-8")
    return 0


def reference(seconds: float) -> str:
    return f"{seconds * 1000:.1f} ms"


def row(figure: Figure) -> str:
    sign = "≤" if figure.better == "lower" else "≥"
    goal = "" if figure.goal is None else f"{sign} {figure.goal:g} {figure.unit}"
    if figure.goal_here is not None and figure.goal_here != figure.goal:
        goal += f" (here {figure.goal_here:.3g})"
    verdict = "reported" if figure.goal is None else "reached" if figure.reached else "**missed**"
    return f"| {figure.name} | {figure.value:.3g} {figure.unit} | {goal} | {verdict} | {figure.reference} |"


def page(figures: list[Figure], sticks: list[yardstick.Yardstick]) -> str:
    machine = f"{os.cpu_count()} cores, {platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    slow = [stick.slowness for stick in sticks]
    head = [
        "# Benchmarks",
        "",
        f"Measured by `./run bench` on {datetime.now(UTC):%Y-%m-%d}: {machine}, no graphics card.",
        f"The yardstick (plain NumPy {reference(yardstick.REFERENCE_NUMPY)}, SciPy {reference(yardstick.REFERENCE_SCIPY)} on the machine for which "
        f"goals in time are stated) was {min(slow):.2f} to {max(slow):.2f} times as long here, measured before each row; goals in time are scaled "
        "by it.",
        "Medians; ratios need no yardstick.",
        "",
        "| what | measured | goal | | how |",
        "| --- | --- | --- | --- | --- |",
    ]
    return "\n".join([*head, *(row(figure) for figure in figures)]) + "\n"


if __name__ == "__main__":
    sys.exit(main())
