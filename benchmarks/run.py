"""Measures everything that was promised and writes docs/benchmarks.md, with the machine and the date."""

from __future__ import annotations

import json
import os
import platform
import sys
from datetime import UTC, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from benchmarks import edges, looks, measures, motion, rules
from benchmarks.figures import Figure

ALL = [*measures.ALL, motion.births, motion.forces, motion.frame_rates, motion.live_tuning, *rules.ALL, *looks.ALL, *edges.ALL]

TARGET = Path(__file__).resolve().parents[1] / "docs" / "benchmarks.md"


def main() -> int:
    as_json = "--json" in sys.argv[1:]
    figures: list[Figure] = []
    for measure in ALL:
        for figure in measure():
            figures.append(figure)
            print(row(figure), file=sys.stderr if as_json else sys.stdout, flush=True)
    if as_json:
        print(json.dumps([{name: getattr(figure, name) for name in ("name", "value", "unit", "reference", "ratio")} for figure in figures], indent=1))
    TARGET.write_text(page(figures), encoding="utf-8")
    return 0


def row(figure: Figure) -> str:
    sign = "≤" if figure.better == "lower" else "≥"
    goal = "" if figure.goal is None else f"{sign} {figure.goal:g} {figure.unit}"
    verdict = "reported" if figure.goal is None else "reached" if figure.reached else "**missed**"
    return f"| {figure.name} | {figure.value:.3g} {figure.unit} | {goal} | {verdict} | {figure.reference} |"


def page(figures: list[Figure]) -> str:
    machine = f"{os.cpu_count()} cores, {platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    head = [
        "# Benchmarks",
        "",
        f"Measured by `./run bench` on {datetime.now(UTC):%Y-%m-%d}: {machine}, no graphics card.",
        "Medians; ratios carry over to other machines, times only roughly.",
        "",
        "| what | measured | goal | | how |",
        "| --- | --- | --- | --- | --- |",
    ]
    return "\n".join([*head, *(row(figure) for figure in figures)]) + "\n"


if __name__ == "__main__":
    sys.exit(main())
