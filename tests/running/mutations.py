"""Faults put into the program one at a time by Cosmic Ray, to see whether the tests that should notice do: `./run night mutations`.

A hundred are drawn with a pinned seed, the same each night; each is put into a copy of the sources and asked of the modules that the table below
names for its file. What survives has to be listed in `survivors.json` with a reason.
"""

from __future__ import annotations

import ast
import difflib
import json
import math
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from queue import Queue
from typing import Any

import parso
from cosmic_ray import plugins
from cosmic_ray.mutating import mutate_code

ROOT = Path(__file__).resolve().parents[2]
SOURCE = Path("src/hailridge")
SURVIVORS = Path(__file__).with_name("survivors.json")

SEED = 20261201
"""Pinned: what survived can be told from what is new."""

DRAWN = int(os.environ.get("HAILRIDGE_MUTATIONS", "100"))
WANTED = 0.9
"""Of them, that are to be noticed."""

LONGEST = 420.0
"""Seconds after which a run of tests is taken to hang: noticed."""

LEFT_OUT = {"VariableReplacer", "VariableInserter", "ExceptionReplacer"}
"""Families of operators that have to be told more, or that change what nobody meets."""

UNMEANT = ("_Is", "_IsNot", "_Invert", "_USub_Not")
"""Ends of operators that nobody would write by mistake: small numbers and words are the same object where they are equal."""

FOLDERS = ("formats", "store", "runs", "web", "core/step", "core/scene", "model")

WATCHED: dict[str, tuple[str, ...]] = {
    "formats/blocks": ("formats.test_formats", "formats.test_values", "runs"),
    "formats/clips": ("formats.test_pictures", "web.test_looks_api"),
    "formats/exports": ("formats.test_formats", "formats.test_values"),
    "formats/extras": ("formats.test_extras",),
    "formats/meshes": ("formats.test_formats", "formats.test_imports"),
    "formats/obj": ("formats.test_formats", "formats.test_imports"),
    "formats/pictures": ("formats.test_pictures", "web.test_looks_api"),
    "formats/polygons": ("formats.test_imports", "formats.test_formats"),
    "formats/posters": ("formats.test_pictures", "web.test_api"),
    "formats/sketching": ("formats.test_pictures", "web.test_api"),
    "formats/tables": ("web.test_looking_api", "formats.test_formats", "core.test_tables"),
    "formats/touches": ("test_cli", "core.test_touches", "web.test_motion_api"),
    "formats/travelling": ("formats.test_travelling", "web.test_library_api"),
    "formats/usd_meshes": ("formats.test_imports",),
    "formats": ("formats", "test_cli"),
    "store/claim": ("store", "web.test_edges"),
    "store/clips": ("web.test_looks_api", "store"),
    "store": ("store", "web.test_library_api", "web.test_api"),
    "runs": ("runs", "web.test_api"),
    "web/looking": ("web.test_described", "web.test_looking_api", "web.test_motion_api", "web.test_api"),
    "web/security": ("web.test_described", "web.test_api", "web.test_edges"),
    "web/clips": ("web.test_described", "web.test_looks_api",),
    "web/pictures": ("web.test_described", "web.test_looks_api", "web.test_library_api"),
    "web/uploads": ("web.test_described", "web.test_library_api", "web.test_edges"),
    "web": ("web.test_described", "web.test_api", "web.test_looking_api", "web.test_motion_api", "web.test_library_api", "web.test_looks_api", "web.test_edges"),
    "core/step/apart": ("core.test_apart", "core.test_pairs"),
    "core/step/birth": ("core.test_emission", "core.test_sources", "core.test_step", "core.test_onward"),
    "core/step/collide": ("core.test_pairs", "core.test_closed_forms"),
    "core/step/contact": ("core.test_closed_forms", "core.test_touches", "core.test_contact", "core.test_strays", "core.test_sticking", "core.test_reproduction"),
    "core/step/departures": ("core.test_rules", "core.test_why", "core.test_order", "core.test_keeping"),
    "core/step/forms": ("core.test_no_way_through", "core.test_contact", "core.test_sides"),
    "core/step/mending": ("core.test_no_way_through", "core.test_sides", "core.test_contact", "core.test_strays"),
    "core/step/obstacles": ("core.test_contact", "core.test_touches", "core.test_no_way_through", "core.test_pairs", "core.test_apart"),
    "core/step/rolling": ("core.test_sliding", "core.test_contact"),
    "core/step/slides": ("core.test_sliding", "core.test_contact"),
    "core/step/searches": ("core.test_neighbourhoods", "core.test_flock", "core.test_advisories"),
    "core/step/sides": ("core.test_sides", "core.test_keeping", "core.test_no_way_through"),
    "core/step/solid": ("core.test_contact", "core.test_sides", "core.test_touches", "core.test_sliding"),
    "core/step": ("core.test_step", "core.test_rules", "core.test_changes", "core.test_order", "core.test_reproduction", "core.test_onward"),
    "core/scene/around": ("core.test_neighbourhoods", "core.test_neighbours", "core.test_asking", "core.test_flock"),
    "core/scene/assets": ("core.test_shapes", "core.test_looks", "web.test_library_api"),
    "core/scene/bodies": ("core.test_shapes", "core.test_contact", "core.test_sticking", "core.test_curves"),
    "core/scene/buffers": ("core.test_changes", "core.test_rules", "core.test_reproduction", "core.test_strays"),
    "core/scene/claims": ("core.test_neighbourhoods", "core.test_asking"),
    "core/scene/curves": ("core.test_curves", "model.test_curves"),
    "core/scene/keyed": ("core.test_curves", "core.test_asking"),
    "core/scene/near": ("core.test_neighbourhoods", "core.test_neighbours", "core.test_quantities"),
    "core/scene/own": ("core.test_attributes", "core.test_handing"),
    "core/scene/sensing": ("core.test_sensing",),
    "core/scene/sliding": ("core.test_sliding",),
    "core/scene/sticking": ("core.test_sticking", "core.test_sliding"),
    "core/scene/timeline": ("core.test_motion", "core.test_curves", "core.test_sources", "core.test_step"),
    "core/scene/touched": ("core.test_contact", "core.test_touches", "core.test_sliding", "core.test_quantities"),
    "core/scene": ("core.test_step", "core.test_rules", "core.test_quantities", "core.test_documents_stay", "core.test_asking", "core.test_shapes", "core.test_curves"),
    "model/comparing": ("model.test_comparing",),
    "model/exchanging": ("model.test_exchanging", "core.test_programs"),
    "model/fitting": ("model.test_exchanging",),
    "model/curves": ("model.test_curves", "core.test_curves"),
    "model/dials": ("model.test_dials",),
    "model/dialled": ("model.test_dials",),
    "model/placing": ("core.test_order", "core.test_step", "model.test_validation"),
    "model/catalogue": ("core.test_registry", "web.test_described", "model"),
    "model": ("model", "core.test_registry", "core.test_documents_stay", "core.test_formulas", "core.test_changes"),
}  # fmt: skip
"""The modules that are asked about a file, by what its path begins with; the longest beginning counts."""


@dataclass(frozen=True)
class Mutation:
    file: str
    operator: str
    occurrence: int
    line: str = field(compare=False)
    """The first line that it changes, as it is: it says which one it is though others come before it."""

    def __str__(self) -> str:
        return f"{self.file} {self.operator.removeprefix('core/')}: {self.line}"


def watching(file: str) -> list[str]:
    """The test modules that should notice a fault in a file."""
    name = file.removesuffix(".py")
    return list(WATCHED[max((start for start in WATCHED if name.startswith(start)), key=len)])


def places_in(code: str) -> dict[str, list[tuple[str, int]]]:
    """Where each family of operators can change something: operators and how often, by family."""
    nodes = list(_nodes(parso.parse(code)))
    found: dict[str, list[tuple[str, int]]] = {}
    for name in plugins.operator_names():
        family = name.split("/")[-1].split("_")[0]
        if family not in LEFT_OUT and not name.endswith(UNMEANT):
            operator = plugins.get_operator(name)()
            count = sum(1 for node in nodes for _place in operator.mutation_positions(node))
            if count:
                found.setdefault(family, []).append((name, count))
    return found


def _nodes(node: Any) -> Iterator[Any]:
    yield node
    for child in getattr(node, "children", ()):
        yield from _nodes(child)


def _meaning(code: str) -> str:
    """What is computed by it: annotations are never looked at, and docstrings only read."""
    try:
        tree = ast.parse(code)
    except SyntaxError:
        return ""
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            node.returns = None
            for argument in ast.walk(node.args):
                if isinstance(argument, ast.arg):
                    argument.annotation = None
        elif isinstance(node, ast.AnnAssign):
            node.annotation = ast.Constant(None)
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("dataclass", "zip"):
            # They say what is not to be done, which nobody does.
            node.keywords = [keyword for keyword in node.keywords if keyword.arg not in ("frozen", "strict")]
    return ast.dump(tree)


def _first_changed(code: str, mutated: str) -> str:
    told = difflib.unified_diff(code.splitlines(), mutated.splitlines(), lineterm="", n=0)
    return next(line[1:].strip() for line in told if line.startswith("-") and line[1:].strip() and not line.startswith("---"))


def drawn(number: int) -> list[Mutation]:
    """So many that change what is computed: each file as likely as it is long, in it each family of operators as likely as another.

    Each possible one has a number of its own, and those with the least are taken: what is changed elsewhere in the sources does not change the draw
    (Efraimidis and Spirakis 2006, weighted random sampling by keys; from memory).
    """
    files = [file for folder in FOLDERS for file in sorted((ROOT / SOURCE / folder).glob("*.py")) if file.stat().st_size > 200]
    ranked: list[tuple[float, str, str, int]] = []
    for file in files:
        code, name = file.read_text(encoding="utf-8"), str(file.relative_to(ROOT / SOURCE))
        families = places_in(code)
        for places in families.values():
            weight = len(code) / len(families) / sum(count for _operator, count in places)
            for operator, count in places:
                for occurrence in range(count):
                    chance = random.Random(f"{SEED} {name} {operator} {occurrence}").random()
                    ranked.append((-math.log(chance) / weight, name, operator, occurrence))
    found: list[Mutation] = []
    for _key, name, operator, occurrence in sorted(ranked):
        code = (ROOT / SOURCE / name).read_text(encoding="utf-8")
        mutated = mutate_code(code, plugins.get_operator(operator)(), occurrence)
        if mutated is not None and _meaning(mutated) not in (_meaning(code), ""):
            found.append(Mutation(name, operator, occurrence, _first_changed(code, mutated)))
        if len(found) == number:
            break
    return found


class Copy:
    """Sources and tests of their own, in which one mutation at a time is tried."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        for name in ("src", "tests"):
            shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
        for name in ("frontend", "docs", "benchmarks", "pyproject.toml", "README.md"):
            (folder / name).symlink_to(ROOT / name)

    def notices(self, mutation: Mutation) -> bool:
        """Whether the tests fail with it."""
        file = self.folder / SOURCE / mutation.file
        code = file.read_text(encoding="utf-8")
        mutated = mutate_code(code, plugins.get_operator(mutation.operator)(), mutation.occurrence)
        assert mutated is not None
        file.write_text(mutated, encoding="utf-8")
        try:
            return not self.passes(watching(mutation.file))
        finally:
            file.write_text(code, encoding="utf-8")

    def passes(self, modules: list[str]) -> bool:
        """Whether the tests pass, one module after another: most faults are noticed by the first."""
        environment = {**os.environ, "PYTHONPATH": str(self.folder / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        for module in modules:
            names = ["discover", "-f", "-s", f"tests/{module}", "-t", "."] if (self.folder / "tests" / module).is_dir() else ["-f", f"tests.{module}"]
            command = [sys.executable, "-m", "unittest", *names]
            process = subprocess.Popen(command, cwd=self.folder, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)
            try:
                failed = process.wait(LONGEST) != 0
            except subprocess.TimeoutExpired:
                failed = True
            finally:
                _end(process)
            if failed:
                return False
        return True


def _end(process: subprocess.Popen[bytes]) -> None:
    """End it with all that it started."""
    with suppress(ProcessLookupError):
        os.killpg(process.pid, 9)
    process.wait()


def main() -> int:
    reasons: dict[str, str] = json.loads(SURVIVORS.read_text()) if SURVIVORS.exists() else {}
    chosen = drawn(DRAWN)
    print(f"{len(chosen)} mutations, seed {SEED}", flush=True)
    survived: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        copies: Queue[Copy] = Queue()
        for number in range(2):
            copies.put(Copy(Path(folder) / str(number)))

        def tried(mutation: Mutation) -> tuple[Mutation, bool]:
            copy = copies.get()
            try:
                return mutation, copy.notices(mutation)
            finally:
                copies.put(copy)

        with ThreadPoolExecutor(2) as lanes:
            for mutation, noticed in lanes.map(tried, chosen):
                print(f"{'noticed ' if noticed else 'SURVIVED'} {mutation}", flush=True)
                survived += [] if noticed else [str(mutation)]
    unexplained = [name for name in survived if name not in reasons]
    for name in survived:
        print(f"survived: {name}: {reasons.get(name, 'no reason is listed')}")
    caught = len(chosen) - len(survived)
    print(f"{caught} of {len(chosen)} noticed, {len(unexplained)} survivors without a reason")
    return 1 if caught < WANTED * len(chosen) or unexplained else 0


if __name__ == "__main__":
    sys.exit(main())
