"""Measures everything that was promised and writes docs/benchmarks.md, with the machine and the date.

`./run bench NAME…` measures only these (names of functions) and renews their rows; `./run bench set_up` what is measured on demand only, and
`./run bench against COMMIT` this version against an earlier one. With HAILRIDGE_TINY=1 everything is done with few particles and nothing is written.
"""

from __future__ import annotations

import json
import os
import platform
import sys
from datetime import UTC, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from benchmarks import against, contact, crowds, edges, formulas, looks, measures, motion, page, reproduction, rules, setting_up, yardstick
from benchmarks.figures import TINY, Figure

MOTION = [motion.births, motion.forces, motion.frame_rates, motion.live_tuning]

ALL = [*measures.ALL, *MOTION, *rules.ALL, *crowds.ALL, *reproduction.ALL, *contact.ALL, *formulas.ALL, *looks.ALL, *edges.ALL, *page.ALL]

ON_DEMAND = [setting_up.set_up]

TARGET = Path(__file__).resolve().parents[1] / "docs" / "benchmarks.md"


def main() -> int:
    if sys.argv[1:2] == ["against"]:
        against.main(sys.argv[2])
        return 0
    as_json = "--json" in sys.argv[1:]
    names = [argument for argument in sys.argv[1:] if not argument.startswith("-")]
    chosen = [measure for measure in (*ALL, *ON_DEMAND) if measure.__name__ in names] if names else ALL
    figures: list[Figure] = []
    sticks: list[yardstick.Yardstick] = []
    for measure in chosen:
        # Machines change their pace within minutes: the yardstick is laid on before each measurement.
        sticks.append(yardstick.measured() if not TINY else yardstick.Yardstick(1.0, 1.0))
        for figure in measure():
            figure.slowness = sticks[-1].slowness
            figures.append(figure)
            print(row(figure), file=sys.stderr if as_json else sys.stdout, flush=True)
    if TINY:
        # Numbers of a few particles say nothing.
        return 0
    if as_json:
        print(json.dumps([{name: getattr(figure, name) for name in ("name", "value", "unit", "reference", "ratio")} for figure in figures], indent=1))
    known = TARGET.read_text(encoding="utf-8").splitlines() if TARGET.exists() else []
    if names:
        TARGET.write_text("\n".join(renewed(known, figures)) + "\n", encoding="utf-8")
    else:
        # Rows measured on demand, and the comparison with an earlier version, stay.
        kept = [line for line in known if line.startswith("| set-up")]
        later = known[known.index(against.HEAD) :] if against.HEAD in known else []
        TARGET.write_text("\n".join([written(figures, sticks).rstrip(), *kept, *(["", *later] if later else [])]) + "\n", encoding="utf-8")
    return 0


def renewed(lines: list[str], figures: list[Figure]) -> list[str]:
    """The page's lines with these figures in their rows, or below the last of its first table."""
    out = list(lines)
    for figure in figures:
        at = next((place for place, line in enumerate(out) if line.startswith(f"| {figure.name} |")), None)
        if at is not None:
            out[at] = row(figure)
        else:
            first = next(place for place, line in enumerate(out) if line.startswith("| --- "))
            end = next((place for place in range(first, len(out)) if not out[place].startswith("|")), len(out))
            out.insert(end, row(figure))
    return out


def reference(seconds: float) -> str:
    return f"{seconds * 1000:.1f} ms"


def row(figure: Figure) -> str:
    sign = "≤" if figure.better == "lower" else "≥"
    goal = "" if figure.goal is None else f"{sign} {figure.goal:g} {figure.unit}"
    if figure.goal_here is not None and figure.goal_here != figure.goal:
        goal += f" (here {figure.goal_here:.3g})"
    verdict = "reported" if figure.goal is None else "reached" if figure.reached else "**missed**"
    return f"| {figure.name} | {figure.value:.3g} {figure.unit} | {goal} | {verdict} | {figure.reference} |"


def written(figures: list[Figure], sticks: list[yardstick.Yardstick]) -> str:
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
