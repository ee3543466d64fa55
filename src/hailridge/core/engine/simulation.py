"""An effect running: steps in their fixed order, a record for each whole frame."""

from __future__ import annotations

import time as wall
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.assets import Assets
from hailridge.core.engine.birth import children_appear, run_sources
from hailridge.core.engine.contact import Obstacles, catch_strays, move_and_touch, run_contact_rules
from hailridge.core.engine.rules import Tally, run_step_rules, run_triggered
from hailridge.core.events import MOST_EVENTS, EventLog, Happening
from hailridge.core.moment import Buffers, Finding, Moment
from hailridge.core.particles import Array, Particles
from hailridge.core.scene import SUBSTEPS, Scene
from hailridge.model.effect import Effect

UNRECORDED = ("fresh",)
"""State that only the next step needs."""

PHASES = ("birth", "rules", "motion and contact", "age", "record")


@dataclass(frozen=True)
class Stand:
    """Where a run stands apart from its particles: enough, with them, to go on from a recorded frame to the same bytes."""

    frame: int
    next_id: int
    step: int
    events: int


@dataclass
class Frame:
    """The state at a whole frame. `columns` are copies; `population` counts each group; `looked`, `held`, `acted` are per rule."""

    number: int
    time: float
    count: int
    columns: dict[str, Array]
    events: NDArray[Any]
    population: NDArray[np.int32]
    looked: NDArray[np.int32]
    held: NDArray[np.int32]
    acted: NDArray[np.int32]
    births: int
    deaths: int
    stand: Stand


@dataclass
class Clocking:
    """Seconds spent in each part of the step, summed over the run."""

    seconds: dict[str, float] = field(default_factory=lambda: dict.fromkeys(PHASES, 0.0))
    _last: float = 0.0

    def start(self) -> None:
        self._last = wall.perf_counter()

    def lap(self, phase: str) -> None:
        now = wall.perf_counter()
        self.seconds[phase] += now - self._last
        self._last = now


class Simulation:
    """One run of an effect. The same document, seed and version give the same bytes, however many threads there are.

    Parameters
    ----------
    effect : Effect
        A validated document.
    assets : Assets
        Gives the meshes that its shapes name.
    record : bool
        Whether frames carry copies of the state and events; without, they carry counts only.
    """

    def __init__(self, effect: Effect, assets: Assets, record: bool = True) -> None:
        self.effect = effect
        self.scene = Scene(effect, assets)
        self.moment = Moment(self.scene, Particles(self.scene.columns))
        self.moment.log = EventLog(MOST_EVENTS if record else 0)
        self.record = record
        self.tally = Tally(len(effect.rules))
        self.obstacles = Obstacles(self.moment)
        self.clocking = Clocking()
        self.timeline = self.scene.timeline
        self.frame = -1
        self._births = 0
        self._deaths = 0
        self._present = (-1, 0)
        self._noted = 0
        for label in self.scene.missing:
            self.moment.find("warning", None, f"the mesh of '{label}' is missing; import it again. The run goes on without it.")

    @property
    def findings(self) -> list[Finding]:
        """What the run has to tell, in order of happening."""
        found = list(self.moment.findings.values())
        if self.moment.log.sampled:
            found.append(Finding("advice", None, self.frame, f"more than {MOST_EVENTS:,} events: from there on one particle in sixteen is followed"))
        return found

    def resume(self, columns: Mapping[str, Array], count: int, stand: Stand) -> None:
        """Go on from a recorded frame. Columns that this effect does not have are left out, those not recorded get their birth values."""
        particles = self.moment.particles
        particles.load({name: column for name, column in columns.items() if particles.has(name)}, count)
        particles.column("fresh")[:] = 0
        particles.next_id = self._noted = stand.next_id
        self.frame = stand.frame
        self.moment.frame, self.moment.step = stand.frame, stand.step
        self.moment.log.total = stand.events
        self.moment.log.sampled = 0 < self.moment.log.limit < stand.events
        self.moment.time = self.timeline.time_of(stand.frame)
        self.scene.look_at(self.moment.time)

    def frames(self, last: int | None = None, stop: Callable[[], bool] | None = None) -> Iterator[Frame]:
        """Compute frame after frame, from the present one to `last` (default: the effect's end). `stop` is asked before each step."""
        last = self.effect.clock.last_frame if last is None else last
        while self.frame < last:
            frame = self.next_frame(stop)
            if frame is None:
                return
            yield frame

    def next_frame(self, stop: Callable[[], bool] | None = None) -> Frame | None:
        """Run the steps of one frame; None when told to stop."""
        self.frame += 1
        self.moment.frame = self.frame
        self._births = self._deaths = 0
        self.tally.clear()
        if self.scene.without_history:
            if stop is not None and stop():
                return None
            return self._alone()
        edges = self.timeline.edges(self.frame, self._fastest())
        with np.errstate(all="ignore"):  # numbers that overflow are caught and told where they are written
            if self.frame == 0:
                if stop is not None and stop():
                    return None
                self._step(edges[0], edges[0], first=True)
            for place, (start, end) in enumerate(pairwise(edges)):
                if stop is not None and stop():
                    return None
                self._step(start, end, first=False)
                if self.moment.particles.has(SUBSTEPS):
                    self._note_places(place)
        self.moment.time = edges[-1]
        return self._record()

    def _note_places(self, step: int) -> None:
        """Keep where particles are after a step that is not the last of its frame. Later steps, and those of a frame that has fewer, take it over;
        whoever was born since the last note has been nowhere else."""
        places, here = self.moment.column(SUBSTEPS), self.moment.column("position")
        born = int(np.searchsorted(self.moment.column("id"), self._noted))
        self._noted = self.moment.particles.next_id
        for slot in range(places.shape[1] // 3):
            rows = slice(None) if slot >= step else slice(born, None)
            places[rows, 3 * slot : 3 * slot + 3] = here[rows]

    def _alone(self) -> Frame:
        """A frame of an effect without history, made from nothing in one step: the same bytes whichever frames were asked for before.

        Only what happened since the frame before is told: births, deaths and their events.
        """
        end = self.timeline.time_of(self.frame)
        since = self.timeline.time_of(self.frame - 1) if self.frame else -np.inf
        beginning, log = self.timeline.beginning, self.moment.log
        self.moment = Moment(self.scene, Particles(self.scene.columns), self.frame)
        self.moment.log = EventLog(log.limit)
        self.tally.clear()
        self._step(beginning, beginning, first=True)
        if end > beginning:
            self._step(beginning, end, first=False)
        self.moment.time = end
        self.moment.particles.sort_by_id()
        if self.moment.particles.has(SUBSTEPS):
            self._noted = 0
            self._note_places(0)
        frame = self._record()
        fresh = frame.events["time"] > since
        frame.events = frame.events[fresh & (frame.events["what"] == Happening.BIRTH)]
        frame.births = len(frame.events) if log.limit else 0
        # Whoever was there at the frame before, or has come since, and is not there now has left.
        number, present = self._present
        frame.deaths = max(0, present + frame.births - frame.count) if number == self.frame - 1 else 0
        self._present = (self.frame, frame.count)
        return frame

    def _fastest(self) -> float:
        if self.effect.clock.stepping == "exactly" or not self.moment.count:
            return 0.0
        return float(np.sqrt(np.einsum("ij,ij->i", velocity := self.moment.column("velocity"), velocity).max()))

    def _step(self, start: float, end: float, first: bool) -> None:
        moment, clocking = self.moment, self.clocking
        moment.time, moment.dt = start, end - start
        clocking.start()
        self.scene.step_to(start, end)
        before = moment.particles.next_id
        spans = run_sources(moment, first)
        moment.buffers = Buffers()
        moment.doomed = np.zeros(moment.count, np.bool_)
        moment.any_doomed = False
        clocking.lap("birth")
        if moment.count:
            run_step_rules(moment, self.tally)
            children_appear(moment)
        clocking.lap("rules")
        moment.time = end
        # From here on shapes are read where they are at the end of the step.
        self.scene.at_end = True
        settled = moment.count
        if moment.count and not first:
            move_and_touch(moment, self.obstacles, spans, self.tally)
            run_contact_rules(moment, self.tally)
            catch_strays(moment)
            # Children of a contact appear where it happened; their first motion is in the next step.
            children_appear(moment)
        clocking.lap("motion and contact")
        if moment.count:
            self._age(spans, settled)
        self.scene.finish_step(end)
        moment.step += 1
        self._births += moment.particles.next_id - before
        clocking.lap("age")

    def _age(self, spans: NDArray[np.float32] | None, settled: int) -> None:
        moment = self.moment
        age = moment.column("age")
        if spans is None:
            age[:settled] += np.float32(moment.dt)
        else:
            age[: len(spans)] += spans
            age[len(spans) : settled] += np.float32(moment.dt)
        for action, rows in moment.buffers.movers:
            action.settle(moment, rows)
        # Ages are sums of many steps: a hundredth of a step absorbs their rounding, so that a life of 2 s ends at 2 s.
        over = age >= moment.column("lifetime") - np.float32(moment.dt * 0.01)
        if over.any():
            moment.doom(np.flatnonzero(over))
        if not moment.any_doomed:
            return
        run_triggered(moment, "death", moment.doomed, self.tally)
        children_appear(moment)
        leaving = np.flatnonzero(moment.doomed)
        moment.log.add(Happening.DEATH, moment, leaving, -1, previous=moment.column("group")[leaving])
        self._deaths += len(leaving)
        moment.particles.remove(moment.doomed)

    def _record(self) -> Frame:
        moment, tally = self.moment, self.tally
        self.clocking.start()
        kept = [name for name in moment.particles.layout if self.record and name not in UNRECORDED]
        columns = {name: moment.column(name).copy() for name in kept}
        groups = max(1, len(self.effect.groups))
        frame = Frame(
            number=self.frame, time=moment.time, count=moment.count, columns=columns, events=moment.log.take(),
            population=np.bincount(moment.column("group"), minlength=groups).astype(np.int32),
            looked=tally.looked.copy(), held=tally.held.copy(), acted=tally.acted.copy(), births=self._births, deaths=self._deaths,
            stand=Stand(self.frame, moment.particles.next_id, moment.step, moment.log.total),
        )  # fmt: skip
        self.clocking.lap("record")
        return frame
