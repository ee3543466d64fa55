"""What a worker process does: simulate a document into stored frames, or read an uploaded mesh or picture. Runs apart from the web process."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from hailridge.core.looking.observe import recorded_moment
from hailridge.core.looking.ways_out import ways_out
from hailridge.core.scene.buffers import Finding
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.step.birth import BUDGET
from hailridge.core.step.searches import SUMMARIES
from hailridge.core.step.simulation import Frame, Simulation, Stand
from hailridge.formats.blocks import pack, pack_columns, unpack_columns
from hailridge.formats.meshes import MeshError, notes_on, read_mesh_file
from hailridge.formats.pictures import PictureError, read_pictures
from hailridge.formats.posters import poster_from
from hailridge.formats.travelling import TravelError, unpack_effects
from hailridge.model.effect import Effect
from hailridge.model.validation import DocumentError, read_effect
from hailridge.store.bakes import Bakes, StoredFrame
from hailridge.store.database import Database
from hailridge.store.errors import StorageError
from hailridge.store.library import Library

FLUSH_SECONDS = 0.08
"""Frames are committed this often: seldom enough to be cheap, often enough to be seen at once."""

Report = Callable[[dict[str, Any]], None]

CalledOff = Callable[[], str]
"""Whether a job is to end before it is done: "stop", "pause" (others come first; it is gone on with later), or nothing."""


@dataclass
class Resources:
    """What a worker keeps between jobs."""

    database: Database
    library: Library
    bakes: Bakes

    @classmethod
    def open(cls, folder: str) -> Resources:
        database = Database(Path(folder), migrate=False)
        return cls(database, Library(database), Bakes(database))


def bake(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """Simulate `job['document']` into frames under `job['key']`; reports progress as it goes. What was begun and not ended is gone on with."""
    effect = read_effect(job["document"])
    key = job["key"]
    bakes = resources.bakes
    present = bakes.bake(key)
    if present is not None and present.state == "done":
        # A copy of the effect asked for the same frames and was served first.
        return {"state": "done", "findings": json.loads(present.findings)}
    simulation = Simulation(effect, resources.library)
    earlier, spent = _go_on(resources, job, effect, simulation, report)
    waiting: list[StoredFrame] = []
    started = flushed = time.perf_counter()
    started -= spent
    wanted = job.get("wanted", 0)
    reached = simulation.frame

    def found() -> list[dict[str, Any]]:
        return earlier + [_told(effect, finding) for finding in simulation.findings]

    def flush() -> None:
        nonlocal flushed
        if waiting:
            bakes.add_frames(key, waiting, time.perf_counter() - started, found(), simulation.clocking.told())
            stats = [frame.stats for frame in waiting]
            waiting.clear()
            report({"type": "progress", "key": key, "computed": reached + 1, "last": effect.clock.last_frame, "stats": stats})
        flushed = time.perf_counter()

    for frame in simulation.frames(stop=lambda: bool(called_off())):
        kept = frame.number % effect.clock.store_every == 0 or frame.number == effect.clock.last_frame
        waiting.append(stored(frame, kept))
        reached = frame.number
        # The frame on somebody's screen is handed over at once, the others in heaps.
        if frame.number == wanted or time.perf_counter() - flushed > FLUSH_SECONDS:
            flush()
    flush()
    # The last frame may have come just before the word.
    if reached < effect.clock.last_frame and (word := called_off()):
        if word == "pause":
            return {"state": "paused"}
        bakes.finish(key, "stopped", "stopped")
        return {"state": "stopped"}
    bakes.finish(key, "done", "", found(), simulation.clocking.told())
    return {"state": "done", "findings": found()}


def _go_on(
    resources: Resources, job: dict[str, Any], effect: Effect, simulation: Simulation, report: Report
) -> tuple[list[dict[str, Any]], float]:
    """Go on with the run's own frames where it was stopped or paused, or take over those of another one up to `job['from']`.

    Returns what had been found by then, and the seconds that had been spent. Where there is nothing to go on from, the run begins at the
    beginning.
    """
    base, frame = job.get("base"), job.get("from", -1)
    taken = resources.bakes.resume(job["key"])
    if taken is None:
        resources.bakes.begin(job["key"], effect.clock.last_frame)
        if base is None or frame < 0:
            return [], 0.0
        taken = resources.bakes.take_over(base, job["key"], min(frame, effect.clock.last_frame))
        if taken is None:
            return [], 0.0
    columns, count = unpack_columns(taken.row.state)
    stats = json.loads(taken.row.stats)
    simulation.resume(columns, count, Stand(taken.row.number, *stats["stand"]))
    report({"type": "progress", "key": job["key"], "computed": taken.row.number + 1, "last": effect.clock.last_frame, "stats": []})
    # What is said of the whole run is said anew.
    kept = (finding for finding in json.loads(taken.findings) if finding.get("code") not in SUMMARIES)
    findings: list[dict[str, Any]] = [finding for finding in kept if finding["frame"] <= taken.row.number]
    return findings, taken.seconds


def stored(frame: Frame, kept: bool = True) -> StoredFrame:
    """Pack a frame for the store, rule memory included, so that a run can go on from it; its state only if it is to be `kept`."""
    stats = {
        "frame": frame.number, "time": round(frame.time, 6), "count": frame.count, "population": frame.population.tolist(),
        "looked": frame.looked.tolist(), "held": frame.held.tolist(), "acted": frame.acted.tolist(),
        "births": frame.births, "deaths": frame.deaths, "stand": [frame.stand.next_id, frame.stand.step, frame.stand.events],
    }  # fmt: skip
    state = pack_columns(frame.columns, frame.count) if kept else b""
    if frame.urges:
        stats["urges"] = {name: [round(part, 4) for part in parts] for name, parts in frame.urges.items()}
    departed = {f"departed {name}": column for name, column in frame.departed.items()}
    happened = {"events": frame.events.view(np.uint8), "touches": frame.touches.view(np.uint8)}
    return StoredFrame(frame.number, stats, pack({}, {**happened, **departed}), state)


def import_mesh(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """Read an uploaded mesh here, where a damaged one can do no harm, and keep it; says what it is at."""

    def at(stage: str) -> None:
        report({"type": "upload", "ticket": job.get("ticket", ""), "stage": stage})

    at(f"reading {len(job['data']) / 1e6:.0f} MB")
    try:
        read = read_mesh_file(job["name"], job["data"])
    except MeshError as error:
        return {"state": "refused", "message": str(error)}
    mesh = read.mesh
    at(f"looking at {len(mesh.faces):,} triangles".replace(",", " "))
    notes = [*read.notes, *notes_on(mesh)]
    row = resources.library.add_mesh(job["name"], mesh)
    size = float(np.ptp(mesh.vertices, axis=0).max())
    return {"state": "done", "asset": row.id, "name": row.name, "triangles": row.triangles, "notes": notes, "size": size}


def import_pictures(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """Read uploaded pictures here, where a damaged one can do no harm, and keep them as one set."""
    try:
        sheet = read_pictures(job["files"], job["columns"], job["rows"])
    except PictureError as error:
        return {"state": "refused", "message": str(error)}
    return {"state": "done", "asset": resources.library.add_picture(sheet)}


def draw_poster(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """The library's picture of an effect, of a trial that is done; drawn here, where nobody waits for an answer."""
    row = resources.bakes.trial(job["trial"])
    plan = Plan(read_effect(row.document), resources.library)

    def moment_at(number: int) -> Moment:
        return recorded_moment(plan, *unpack_columns(resources.bakes.frame(row.bake_key, number).state), number)

    resources.library.set_poster(job["effect"], poster_from(plan, moment_at), row.id)
    return {"state": "done"}


def bring_in(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """Read a file of effects here, where a damaged one can do no harm, and keep what it brings; nothing is kept where one cannot be used."""
    try:
        rows = resources.library.take_in(unpack_effects(job["name"], job["data"]))
    except (TravelError, DocumentError) as error:
        return {"state": "refused", "message": str(error)}
    return {"state": "done", "effects": [row.id for row in rows]}


JOBS: dict[str, Callable[[Resources, dict[str, Any], CalledOff, Report], dict[str, Any]]] = {
    "bake": bake, "mesh": import_mesh, "pictures": import_pictures, "poster": draw_poster, "effects": bring_in,
}  # fmt: skip


def perform(resources: Resources, job: dict[str, Any], called_off: CalledOff, report: Report) -> dict[str, Any]:
    """Do a job; whatever goes wrong comes back as words."""
    try:
        return JOBS[job["what"]](resources, job, called_off, report)
    except StorageError as error:
        return {"state": "failed", "message": str(error)}
    except MemoryError:
        return {"state": "failed", "message": "there is not enough memory for this run; lower the particle budget or the births"}
    except Exception as error:  # a run must never take the worker down silently
        return {"state": "failed", "message": f"the run met an unexpected error: {type(error).__name__}: {error}"}


def _told(effect: Effect, finding: Finding) -> dict[str, Any]:
    """What a run has to tell, as it is kept; of births that the budget stopped, with the ways out."""
    told = dict(vars(finding))
    if finding.code == BUDGET and finding.item:
        told["fixes"] = ways_out(effect, finding.item)
    return told
