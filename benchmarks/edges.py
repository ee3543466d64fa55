"""What is promised of a busy server, of nested documents, of disks and of the command line."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from typing import Any

import trimesh
from tests.runs.test_runs import HEAVY, SHORT
from tests.support import document, rule

from benchmarks.figures import Client, Figure, pause, served, thinned, timed, turns
from benchmarks.measures import DEMO, elapsed
from hailridge import demo
from hailridge.core.space.geometry import Geometry
from hailridge.formats.meshes import notes_on, read_mesh
from hailridge.model.validation import read_effect


def made(client: Client, raw: Any) -> tuple[str, str]:
    """An effect whose run was asked for: its id, and that of its trial."""
    effect = client.json("/api/effects", {"document": raw})["id"]
    return effect, client.json(f"/api/effects/{effect}/trials", {})["id"]


def until(client: Client, trial: str, state: str) -> None:
    while client.json(f"/api/trials/{trial}")["state"] != state:
        time.sleep(0.002)


def busy() -> Iterator[Figure]:
    """Two runs whose every step takes seconds: how soon *stop* is heard, and how long others wait."""
    with served() as server:
        client = Client(server.url)
        stops, waits = [], []
        for number in range(turns(4, 1)):
            heavy = [made(client, HEAVY | {"clock": {"duration": 60.0, "seed": 10 * number + n}}) for n in range(2)]
            pause(2.5)
            start = time.perf_counter()
            _effect, trial = made(client, SHORT | {"clock": {"duration": 0.5, "seed": number}})
            until(client, trial, "done")
            waits.append(time.perf_counter() - start)
            for effect, trial in heavy:
                start = time.perf_counter()
                client.json(f"/api/effects/{effect}/stop", {})
                until(client, trial, "stopped")
                stops.append(time.perf_counter() - start)
            # Processes that were ended are replaced meanwhile.
            pause(4)
    told = f"in the middle of a step of many seconds, over HTTP; slowest {max(stops) * 1000:.0f} ms"
    yield Figure("stop", median(stops) * 1000, "ms", 100.0, "lower", told)
    told = f"all 13 frames; slowest {max(waits):.1f} s"
    yield Figure("a small effect, opened while two heavy ones are computed", median(waits), "s", 1.0, "lower", told)


def checking() -> Iterator[Figure]:
    """What a level of nesting costs: a condition nested twelve deep against the same parts side by side."""

    def keyed(low: float, high: float) -> dict[str, Any]:
        return {"keys": [{"at": 0.0, "value": low}, {"at": 1.0, "value": high}]}

    def nested(depth: int) -> dict[str, Any]:
        inner = {"kind": "neighbours", "distance": nested(depth - 1)} if depth else {"kind": "age"}
        return {"kind": "mapped", "quantity": inner, "start": keyed(0, 1), "end": keyed(2, 3), "low": keyed(0.1, 0.2), "high": keyed(0.3, 0.4)}

    def effect(*depths: int) -> dict[str, Any]:
        def condition(depth: int) -> dict[str, Any]:
            return {"kind": "compare", "quantity": {"kind": "neighbours", "distance": nested(depth)}, "comparison": "above", "threshold": 1.0}

        return document(*[rule({"kind": "gravity"}, id=f"r{at}", condition=condition(depth)) for at, depth in enumerate(depths)])

    flat, deep = (timed(lambda raw=raw: read_effect(raw), 9) for raw in (effect(*[0] * 13), effect(12)))
    told = f"{deep * 1000:.1f} ms against {flat * 1000:.1f} ms; keyframed amounts"
    yield Figure("checking thirteen parts, nested against side by side", deep / flat, "×", 2.0, "lower", told, deep / flat)


def disk() -> Iterator[Figure]:
    """What 37 edits of the hail demo leave behind, against one run of it."""
    with served() as server:
        client = Client(server.url)
        raw = thinned(demo.document(DEMO))
        effect, trial = made(client, raw)
        until(client, trial, "done")
        one = client.json("/api/storage")["frames"]
        for seed in range(turns(37)):
            raw["clock"]["seed"] = seed + 100
            trial = client.json(f"/api/effects/{effect}/trials", {"document": raw})["id"]
            until(client, trial, "done")
        pause(8)
        after = client.json("/api/storage")["frames"]
    told = f"{after / 1e6:.0f} MB, one run {one / 1e6:.0f} MB"
    yield Figure("disk after 37 edits of the hail demo, in runs of it", after / one, "×", 8.0, "lower", told, after / one)


def command_line() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "hailridge.cli", "simulate", "starter", "--frames", "0:3", "--quiet", "--overwrite"]
        seconds = [elapsed(lambda: subprocess.run([*command, "--out", str(Path(folder) / "x.csv")], check=True)) for _ in range(turns(6))][1:]
    told = "four frames of the starter to CSV; the version before took 3.0 s on the machine on which this one takes 2.0"
    yield Figure("a small simulate, from start to end", median(seconds), "s", 1.85, "lower", told)


def large_mesh() -> Iterator[Figure]:
    data = trimesh.creation.icosphere(subdivisions=turns(8, 4)).export(file_type="ply")
    start = time.perf_counter()
    mesh = read_mesh("large.ply", data)
    notes_on(mesh)
    told = f"{len(mesh.faces):,} triangles, with what is worth knowing of it"
    yield Figure("reading a mesh of 1.3 million triangles", time.perf_counter() - start, "s", 6.0, "lower", told)
    geometry = Geometry(mesh.vertices, mesh.faces)
    seconds = elapsed(lambda: geometry.edge_shares)
    yield Figure("how many of its triangles meet at each edge", seconds, "s", 4.0, "lower", "15.4 s before, in turns on one machine 2.2")


ALL = [busy, checking, disk, command_line, large_mesh]
