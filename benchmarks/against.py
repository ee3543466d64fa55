"""This version against an earlier one, in turns: `./run bench against COMMIT`. Writes the ratios into docs/benchmarks.md."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from statistics import median

from tests.support import document, rule

from benchmarks import motion
from benchmarks.rules import _twenty

ROOT = Path(__file__).resolve().parents[1]
TARGET = ROOT / "docs" / "benchmarks.md"
HEAD = "## Against an earlier version"
ROUNDS = 5

WORK: dict[str, tuple[str, float | None]] = {
    "hail": ("hail demo, 120 frames, recorded", 1.4),
    "twenty": ("twenty rules on 20 000 particles", 1.25),
    "near": ("twenty rules on 20 000 particles, one counting neighbours", 1.25),
    "curl": ("100 000 with gravity, drag, wind and 3-octave curl noise", 1.4),
    "small": ("a step of the demo's 8 rules, 100 particles", None),
    "checking": ("checking the hail demo's document", 5.0),
}
"""Name → what is done, and how many times as fast as before it has to be."""


def documents(folder: Path) -> None:
    """What is run, without a format: every version takes it as its own."""
    box = {"kind": "box", "id": "box", "label": "Box", "size": [4.0, 4.0, 4.0]}
    source = {"shape": "box", "placement": {"kind": "inside"}, "direction": {"kind": "any"}}
    curl = document(
        rule(*motion.PUSHES), count=100_000, speed=1.0, source=source, shapes=[box], clock={"particle_budget": 5_000_000, "duration": 5.0}
    )
    for name, raw in (("twenty", _twenty(False)), ("near", _twenty(True)), ("curl", curl)):
        (folder / f"{name}.json").write_text(json.dumps({key: value for key, value in raw.items() if key != "format"}))


def timed(tree: Path, cache: Path, name: str, folder: Path, times: int) -> float:
    apart = {key: value for key, value in os.environ.items() if not key.startswith("NUMBA_")}
    surroundings = apart | {"PYTHONPATH": str(tree / "src"), "HAILRIDGE_CACHE": str(cache)}
    told = subprocess.run(
        [sys.executable, str(ROOT / "benchmarks" / "workload.py"), name, str(folder), str(times)], env=surroundings, capture_output=True, text=True
    )
    if told.returncode:
        raise SystemExit(told.stderr)
    return float(told.stdout.strip().splitlines()[-1])


def main(commit: str) -> None:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        before, caches = folder / "before", {True: folder / "old", False: folder / "new"}
        subprocess.run(["git", "worktree", "add", "-q", "--detach", str(before), commit], cwd=ROOT, check=True)
        try:
            documents(folder)
            rows = []
            for name, (told, goal) in WORK.items():
                ratios, ours = [], []
                for turn in range(ROUNDS + 1):
                    old, new = (timed(tree, caches[tree is before], name, folder, 3) for tree in (before, ROOT))
                    # The first turn compiles or loads kernels.
                    if turn:
                        ratios.append(old / new)
                        ours.append(new)
                verdict = "reported" if goal is None else "reached" if median(ratios) >= goal else "**missed**"
                wanted = "" if goal is None else f"≥ {goal:g} ×"
                spread = f"{min(ratios):.2f} to {max(ratios):.2f} in {ROUNDS} turns; here {min(ours) * 1000:.1f} ms"
                rows.append(f"| {told} | {median(ratios):.2f} × | {wanted} | {verdict} | {spread} |")
                print(rows[-1], flush=True)
        finally:
            subprocess.run(["git", "worktree", "remove", "--force", str(before)], cwd=ROOT, check=False)
    text = TARGET.read_text(encoding="utf-8").split(f"\n{HEAD}")[0].rstrip()
    asked = ["git", "log", "-1", "--format=%h of %ad", "--date=short", commit]
    named = subprocess.run(asked, cwd=ROOT, capture_output=True, text=True).stdout.strip()
    said = (
        f"`./run bench against {commit}` on {datetime.now(UTC):%Y-%m-%d}: {named} and this version in turns, fastest of three runs each; how many "
        "times as fast."
    )
    table = ["| what | times as fast | goal | | how |", "| --- | --- | --- | --- | --- |", *rows]
    TARGET.write_text("\n".join([text, "", HEAD, "", said, "", *table]) + "\n", encoding="utf-8")
