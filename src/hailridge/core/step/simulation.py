"""An effect running: steps in their fixed order, a record for each whole frame."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import memory, motion
from hailridge.core.scene.around import choose
from hailridge.core.scene.assets import Assets
from hailridge.core.scene.buffers import Buffers, Finding
from hailridge.core.scene.layout import SUBSTEPS
from hailridge.core.scene.moment import NOTHING3, Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.state.costs import Clocking, owner_of
from hailridge.core.state.events import MOST_EVENTS, TOUCH, EventLog, Happening
from hailridge.core.state.particles import Array, Particles
from hailridge.core.step.apart import keep_apart
from hailridge.core.step.birth import children_appear, run_sources
from hailridge.core.step.collide import collide
from hailridge.core.step.contact import catch_strays, move_and_touch
from hailridge.core.step.departures import Departures
from hailridge.core.step.obstacles import Obstacles
from hailridge.core.step.rules import Tally, run_changes, run_on_birth, run_on_the_way, run_triggered
from hailridge.core.step.searches import search_findings
from hailridge.model.effect import Effect

MOST_GENERATIONS = 4
"""How often in one step those who leave may have children that leave at once themselves."""


@dataclass(frozen=True)
class Stand:
    """Where a run stands apart from its particles: enough, with them, to go on from a recorded frame to the same bytes."""

    frame: int
    next_id: int
    step: int
    events: int


@dataclass
class Frame:
    """The state at a whole frame. `columns` are copies; `population` counts each group; `looked`, `held`, `acted` are per rule.

    `departed` tells of those who left within the frame: id, group, position, radius, and the bits of the rules that held for them.
    """

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
    touches: NDArray[Any] = field(default_factory=lambda: np.empty(0, TOUCH))
    """Every contact within it that was told (`state.events.TOUCH`)."""
    departed: dict[str, Array] = field(default_factory=dict)
    urges: dict[str, tuple[float, float]] = field(default_factory=dict)
    """What each urge wanted and got at the frame's last step, as parts of the largest force, on average over those who steer; by its address."""


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
    plan : Plan
        That of the effect, where it has been made already; several runs may share one.
    """

    def __init__(self, effect: Effect, assets: Assets, record: bool = True, plan: Plan | None = None) -> None:
        self.plan = plan or Plan(effect, assets)
        self.effect = self.plan.effect
        self.moment = Moment(self.plan.beginning, Particles(self.plan.columns))
        self.moment.log = EventLog(MOST_EVENTS if record else 0)
        self.record = record
        self.tally = Tally(len(effect.rules))
        self.departures = Departures(self.plan)
        self.obstacles = Obstacles(self.moment)
        self.clocking = Clocking(self.moment.costs)
        self.timeline = self.plan.timeline
        self.frame = -1
        self._since = 0
        self._births = 0
        self._deaths = 0
        self._present = (-1, 0)
        self._noted = 0
        for label in self.plan.stage.missing:
            self.moment.find("warning", None, f"the mesh of '{label}' is missing; import it again. The run goes on without it.")

    @property
    def findings(self) -> list[Finding]:
        """What the run has to tell, in order of happening."""
        found = list(self.moment.findings.values())
        if self.moment.log.sampled:
            found.append(Finding("advice", None, self.frame, f"more than {MOST_EVENTS:,} events: from there on one particle in sixteen is followed"))
        return found + list(search_findings(self.moment, self._since, self.frame, self.clocking.total))

    def resume(self, columns: Mapping[str, Array], count: int, stand: Stand) -> None:
        """Go on from a recorded frame. Columns that this effect does not have are left out, those not recorded get their birth values."""
        particles = self.moment.particles
        particles.load({name: column for name, column in columns.items() if particles.has(name)}, count)
        particles.next_id = self._noted = stand.next_id
        self.frame = self._since = stand.frame
        self.moment.frame, self.moment.step = stand.frame, stand.step
        self.moment.log.total = stand.events
        self.moment.log.sampled = 0 < self.moment.log.limit < stand.events
        self.moment.time = self.timeline.time_of(stand.frame)

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
        self.departures.begin_frame(self.moment)
        if self.plan.without_history:
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
        self.moment = Moment(self.plan.beginning, Particles(self.plan.columns), self.frame)
        self.moment.log, self.moment.costs = EventLog(log.limit), self.clocking.costs
        self._step(beginning, beginning, first=True)
        if end > beginning:
            self._step(beginning, end, first=False)
        self.moment.time = end
        self.departures.begin_frame(self.moment)
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
        """One step, in the order that the score shows: births, pushes, motion and contact, age, changes, leaving."""
        moment, clocking, tally = self.moment, self.clocking, self.tally
        moment.time, moment.dt = start, end - start
        clocking.begin_step()
        moment.begin_step(self.plan.at(start), self.plan.at(end))
        self.obstacles.follow(moment)
        moment.buffers, moment.urges = Buffers(), {}
        moment.spans, moment.surface, moment.started = None, NOTHING3, None
        moment.doomed, moment.any_doomed = np.zeros(moment.count, np.bool_), False
        self.departures.begin_step()
        moment.begin_part()
        before = moment.particles.next_id
        self._bear(first)
        clocking.lap("birth")
        if moment.count:
            # Also before the first motion, for which nothing comes of it: whom pushes hold for is told from the first frame on.
            run_on_the_way(moment, tally)
        clocking.lap("pushes")
        moment.time = end
        moment.reach_end()
        moment.begin_part()
        if moment.count:
            # Ages follow from the times of birth, in double precision, so that they are exact at any length.
            motion.ages(moment.count, moment.column("born"), np.float64(moment.time), moment.column("age"))
        if moment.count and not first:
            move_and_touch(moment, self.obstacles, self._at_touch)
        self._settle()
        if moment.count and not first:
            collide(moment, self.obstacles, self._at_touch)
            keep_apart(moment, self.obstacles)
            catch_strays(moment)
        clocking.lap("motion and contact")
        if moment.count:
            choose(moment)
            run_changes(moment, tally)
            self._meet_rules(children_appear(moment, self.obstacles))
        clocking.lap("changes")
        if moment.count:
            self._leave()
        moment.step += 1
        clocking.steps += 1
        self._births += moment.particles.next_id - before
        clocking.lap("leaving")

    def _bear(self, first: bool) -> None:
        """Births of sources, and what is done on birth. Children born on birth come into being with their parents."""
        moment, known = self.moment, self.moment.count
        run_sources(moment, first)
        if not moment.count:
            return
        newborn = np.zeros(moment.count, np.bool_)
        newborn[known:] = True
        run_on_birth(moment, self.tally, newborn, bearing=True)
        moment.column("fresh")[:] = 0
        moment.keep_first_values(slice(known, moment.count))
        self._welcome(children_appear(moment, self.obstacles))

    def _welcome(self, children: slice) -> None:
        """Rules on birth, for children that have just appeared. Those that give birth themselves wait for the next step, lest they never end."""
        if children.stop > children.start:
            newborn = np.zeros(self.moment.count, np.bool_)
            newborn[children] = True
            run_on_birth(self.moment, self.tally, newborn, bearing=False)
            self.moment.keep_first_values(children)

    def _meet_rules(self, children: slice) -> None:
        """Children that appear at the end of a step meet what the others have met, so that nothing recorded contradicts a rule."""
        if children.stop > children.start:
            self._welcome(children)
            run_changes(self.moment, self.tally, children)

    def _at_touch(self, among: NDArray[np.bool_]) -> None:
        """Rules set off by contact, for those marked (n,), where they touch; their children begin there."""
        run_triggered(self.moment, "contact", among, self.tally)
        self._welcome(children_appear(self.moment, self.obstacles))

    def _settle(self) -> None:
        """Actions that put particles somewhere themselves do it now."""
        moment = self.moment
        for action, rows in moment.buffers.movers:
            begun = moment.costs.begin()
            action.settle(moment, rows)
            moment.costs.end(owner_of(action.address), begun)
        if moment.buffers.movers:
            moment.begin_part()

    def _over(self) -> NDArray[np.bool_]:
        """Whose life is over, to the nearest step (`kernels.motion.over`)."""
        moment, out = self.moment, np.empty(self.moment.count, np.bool_)
        column = moment.column
        motion.over(
            moment.count, column("born"), column("age"), column("lag"), column("lifetime"), np.float64(moment.time), np.float64(moment.dt), out
        )  # fmt: skip
        return out

    def _leave(self) -> None:
        """Whoever is past its lifetime or was removed leaves, rules on death act, and their children are looked at in turn."""
        moment = self.moment
        over = self._over()
        if over.any():
            moment.doom(np.flatnonzero(over))
        for generation in range(MOST_GENERATIONS):
            if not moment.any_doomed:
                return
            children, leaving = slice(0, 0), moment.doomed.copy()
            if generation < MOST_GENERATIONS - 1:
                run_triggered(moment, "death", leaving, self.tally)
                children = children_appear(moment, self.obstacles)
            number = children.stop - children.start
            leaving = np.concatenate([leaving, np.zeros(number, np.bool_)])
            # Whom they take along leaves next, and meets the rules on death as well.
            along = (moment.doomed & ~leaving)[~leaving]
            rows = np.flatnonzero(leaving)
            moment.log.add(Happening.DEATH, moment, rows, -1, previous=moment.column("group")[rows])
            self._deaths += len(rows)
            self.departures.note(moment, rows)
            moment.particles.remove(leaving)
            moment.forget_rows()
            moment.doom(np.flatnonzero(along))
            if number:
                self._meet_rules(slice(moment.count - number, moment.count))

    def _record(self) -> Frame:
        moment, tally = self.moment, self.tally
        self.clocking.start()
        kept = moment.particles.layout if self.record else ()
        columns = {name: moment.column(name).copy() for name in kept}
        groups = max(1, len(self.effect.groups))
        frame = Frame(
            number=self.frame, time=moment.time, count=moment.count, columns=columns, events=moment.log.take(),
            population=memory.populations(moment.column("group"), groups),
            looked=tally.looked.copy(), held=self.departures.held(moment, len(tally.looked)), acted=tally.acted.copy(), births=self._births,
            deaths=self._deaths, stand=Stand(self.frame, moment.particles.next_id, moment.step, moment.log.total),
            departed=self.departures.of_frame() if self.record else {}, touches=moment.log.take_touches(),
            urges={name: (wanted / number, got / number) for name, (wanted, got, number) in moment.urges.items() if number},
        )  # fmt: skip
        self.clocking.lap("record")
        return frame
