"""Trials on demand: gives the frames of a document, computing them when they are not there yet, and tells who listens."""

from __future__ import annotations

import json
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.looking.affected import differ_from
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import Assets
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.scene.timeline import Timeline
from hailridge.core.state.events import EVENT, TOUCH
from hailridge.core.step.simulation import Simulation
from hailridge.formats.blocks import unpack, unpack_columns
from hailridge.model.effect import Effect
from hailridge.model.validation import read_effect
from hailridge.runs.pool import PATIENCE, Job, Pool
from hailridge.store.bakes import Bakes, bake_key
from hailridge.store.library import Library, NotFound
from hailridge.store.tables import TrialRow

SCENES_KEPT = 12

LOOKED_AT = 4
"""Trials read last whose frames stay, whatever becomes of their effects."""

BESIDE = " beside"
"""What the name of an effect gets where a second run of it is computed at the same time."""

FINISHED_KEPT = 4
"""Finished runs an effect of which later ones can take over the frames that are the same."""


@dataclass
class Trial:
    """A stored trial, read and made ready to look at."""

    id: str
    effect_id: str
    key: str
    effect: Effect
    plan: Plan
    lock: threading.Lock = field(default_factory=threading.Lock)
    """For the moment that is kept and what looks remember: readers of those take turns. The plan is read by anybody at any time."""
    traces: dict[str, Any] = field(default_factory=dict)
    looked_at: tuple[int, Moment] | None = None
    """The frame that was last looked at: what one sees there is asked for in several questions."""
    happened: tuple[int, NDArray[Any]] | None = None
    """How many frames' events were read, and those events."""
    touched: tuple[int, NDArray[Any]] | None = None
    """The same of touches."""
    drawn_in: dict[str, float] = field(default_factory=dict)
    """How long each look took in the picture that was drawn last (s), by its address."""


class Runs:
    """What the web layer asks for frames. One bake an effect is computed at a time, the newest document asked for, and one beside it that it is
    compared with."""

    def __init__(self, library: Library, bakes: Bakes, pool: Pool) -> None:
        self.library, self.bakes, self.pool = library, bakes, pool
        self._trials: OrderedDict[str, Trial] = OrderedDict()
        self._active: dict[str, Job] = {}
        self._unwritten: dict[str, tuple[str, str]] = {}
        """How runs ended where the store could not take it, by bake."""
        self._finished: dict[str, list[tuple[str, Effect]]] = {}
        # Asking is one at a time, so that the newest document asked for is the one computed, and so is noting that a run was stopped or failed:
        # a note that comes late would undo what its successor says. (The thread that asks may be the one that is told of what it replaced.)
        # The second lock is only ever held for a moment and never while calling the pool, whose results come back through `_done`.
        self._asking = threading.RLock()
        self._lock = threading.Lock()
        self._news = threading.Condition()
        self.listener: Callable[[dict[str, Any]], None] = lambda message: None
        self.on_done: Callable[[str, str], None] = lambda effect_id, key: None
        pool.listener = self._progress

    def open(
        self, effect_id: str, effect: Effect, wanted: int = 0, onward: str | None = None, beside: bool = False
    ) -> tuple[TrialRow, dict[str, Any]]:  # fmt: skip
        """The trial of a document, with its bake running or ready. A bake that failed or was stopped is tried again.

        `wanted` is the frame that somebody looks at: it is handed over as soon as it is there. With `onward`, the id of a trial, the run goes
        on from that frame of that trial, whatever was changed before it; the result is provisional. One `beside` takes the place of the one that
        was compared before, and leaves the effect's own alone.
        """
        lane = effect_id + BESIDE * beside
        ground = self._ground(onward, wanted) if onward else None
        row = self.bakes.open_trial(effect_id, effect, f"{ground[0]} {ground[1]}" if ground else "")
        with self._asking:
            present = self.bakes.bake(row.bake_key)
            with self._lock:
                jobs = {name: self._active.get(name) for name in _lanes(effect_id)}
                making = {name for name, job in jobs.items() if job is not None and not job.abandoned and job.message["key"] == row.bake_key}
                if lane not in making:
                    self._active.pop(lane, None)
            if not making and (present is None or present.state != "done"):
                base, start = ground or self._unchanged(effect_id, effect)
                message = {"what": "bake", "key": row.bake_key, "document": row.document, "wanted": wanted, "base": base, "from": start}
                # It is known from now on, whatever becomes of the process that is to compute it.
                self.bakes.expect(row.bake_key, effect.clock.last_frame)
                self._unwritten.pop(row.bake_key, None)
                job = self.pool.submit(message, lane, replace=True)
                with self._lock:
                    self._active[lane] = job
                job.result.add_done_callback(lambda future: self._done(lane, job, future.result()))
            elif lane not in making:
                # What it was at is no longer asked for, as after an undo.
                self.pool.stop(lane, PATIENCE)
                if present is not None and present.state == "done" and not ground:
                    self._remember(effect_id, row.bake_key, effect)
        return row, self.status(row.bake_key, effect) | {"provisional_from": ground[1] + 1 if ground else None}

    def _ground(self, onward: str, frame: int) -> tuple[str, int] | None:
        """The run that a provisional one goes on from: never another provisional one's own guess, if that has an exact ground of its own."""
        with suppress(NotFound):
            key = self.bakes.trial(onward).bake_key
            bake = self.bakes.bake(key)
            if bake is not None and bake.computed > 0:
                return key, min(frame, bake.computed - 1)
        return None

    def _unchanged(self, effect_id: str, effect: Effect) -> tuple[str | None, int]:
        """A finished run of the effect that is the same up to some frame, and that frame; none where all has to be computed."""
        with self._lock:
            known = list(self._finished.get(effect_id, ()))
        best: tuple[str | None, int] = (None, -1)
        for key, before in known:
            until = differ_from(before, effect)
            if until <= 0:
                continue
            last = min(before.clock.last_frame, effect.clock.last_frame)
            # The last frame at which nothing differs yet.
            frame = last if until == float("inf") else Timeline(effect.clock).last_frame_by(until, last)
            if frame > best[1]:
                best = (key, frame)
        return best

    def _remember(self, effect_id: str, key: str, effect: Effect) -> None:
        """Keep a finished run in mind: what is asked next is probably much like it."""
        with self._lock:
            known = self._finished.setdefault(effect_id, [])
            others = [entry for entry in known if entry[0] != key]
            known[:] = [*others[-(FINISHED_KEPT - 1) :], (key, effect)]

    def stop(self, effect_id: str, beside: bool = False) -> bool:
        """Stop computing for an effect, or only what it is compared with; the frames that are there stay."""
        lanes = _lanes(effect_id)
        return any([self.pool.stop(lane) for lane in (lanes[1:] if beside else lanes)])

    def status(self, key: str, effect: Effect) -> dict[str, Any]:
        """How far a bake is. `waiting` names the effects whose runs it waits for; none where it does not wait."""
        ahead = self.pool.ahead_of(key)
        working = ahead is not None or self.pool.working_on(key)
        bake = self.bakes.bake(key)
        waiting = self._names(ahead) if ahead is not None else None
        if bake is None:
            state = "computing" if working else "stopped"
            nothing = {"computed": 0, "last": effect.clock.last_frame, "message": "", "findings": [], "seconds": 0.0}
            return {"state": state, "waiting": waiting, **nothing}
        state, message = bake.state, bake.message
        if state == "computing" and not working:
            # It is computed by nobody: it was ended without being able to say so, or how it ended could not be written.
            state, message = self._unwritten.get(key, ("stopped", message))
        return {
            "state": state, "computed": bake.computed, "last": bake.last_frame, "message": message,
            "findings": json.loads(bake.findings), "seconds": bake.seconds, "waiting": waiting,
        }  # fmt: skip

    def computed(self, trial: Trial) -> int:
        """How many frames of a trial are there."""
        bake = self.bakes.bake(trial.key)
        return bake.computed if bake is not None else 0

    def goes_on(self, trial: Trial) -> bool:
        """Whether more frames of a trial may follow those that are there."""
        bake = self.bakes.bake(trial.key)
        return bake is None or bake.state == "computing"

    def costs(self, trial: Trial) -> dict[str, Any]:
        """Where the time of a trial's steps has gone so far (`core.state.costs.Clocking.told`); empty where nothing has been computed."""
        bake = self.bakes.bake(trial.key)
        told: dict[str, Any] = json.loads(bake.timing) if bake is not None else {}
        return told

    def _names(self, effects: list[str]) -> list[str]:
        names = self.library.names()
        found = (effect.removesuffix(BESIDE) for effect in effects)
        return [names[effect] for effect in found if effect in names]

    def in_use(self) -> set[str]:
        """The bakes that are being computed or were looked at just now: their frames stay."""
        with self._lock:
            looked_at = [trial.key for trial in list(self._trials.values())[-LOOKED_AT:]]
            return {*looked_at, *(job.message["key"] for job in self._active.values())}

    def forget(self, effect_id: str) -> None:
        """Stop computing for an effect that goes, and let go what is remembered of it."""
        self.stop(effect_id)
        with self._lock:
            self._finished.pop(effect_id, None)
            for trial_id in [name for name, trial in self._trials.items() if trial.effect_id == effect_id]:
                del self._trials[trial_id]
        self.bakes.drop_effect(effect_id)

    def trial(self, trial_id: str) -> Trial:
        """A trial ready to look at; the most recent ones are kept in memory."""
        with self._lock:
            if trial_id in self._trials:
                self._trials.move_to_end(trial_id)
                return self._trials[trial_id]
        row = self.bakes.trial(trial_id)
        effect = read_effect(row.document)
        assets: Assets = self.library
        trial = Trial(row.id, row.effect_id, row.bake_key, effect, Plan(effect, assets))
        with self._lock:
            self._trials[trial_id] = trial
            while len(self._trials) > SCENES_KEPT:
                self._trials.popitem(last=False)
        return trial

    @contextmanager
    def moment(self, trial: Trial, frame: int, passing: bool = False) -> Iterator[Moment]:
        """A computed frame of a trial, to read: the last one stored up to there. Readers of a trial take turns: what is asked of a moment is kept.

        One that is only seen in `passing` does not take the place of the frame that somebody looks at.
        """
        with trial.lock:
            # Whoever looks at another trial forgets this one's at any time.
            latest = trial.looked_at
            if latest is not None and latest[0] == frame:
                yield latest[1]
                return
        try:
            row = self.bakes.frame(trial.key, frame)
        except NotFound:
            if not trial.plan.without_history or not 0 <= frame <= trial.effect.clock.last_frame:
                raise
            # Nothing comes before such a frame: it is made here and now.
            with trial.lock:
                made = self._made_at_once(trial, frame)
                made.past, made.traces = (lambda number: self._past(trial, number)), trial.traces
                yield made
            return
        columns, count = unpack_columns(row.state)
        with trial.lock:
            found = recorded_moment(trial.plan, columns, count, row.number)
            found.departed = {name.removeprefix("departed "): array for name, array in unpack(row.events)[1].items() if name.startswith("departed ")}
            found.looked = json.loads(row.stats)["looked"]
            found.past, found.traces = (lambda number: self._past(trial, number)), trial.traces
            if not passing:
                self._keep_looking(trial, frame, found)
            yield found

    def _past(self, trial: Trial, number: int) -> Moment | None:
        """An earlier frame of a trial that is being read, for looks that follow where particles have been."""
        try:
            row = self.bakes.frame(trial.key, number)
        except NotFound:
            return self._made_at_once(trial, number) if trial.plan.without_history else None
        return recorded_moment(trial.plan, *unpack_columns(row.state), row.number)

    def _keep_looking(self, trial: Trial, frame: int, moment: Moment) -> None:
        """Only one trial's latest moment is kept, and what looks remember of earlier ones: a million particles are a hundred megabytes."""
        with self._lock:
            for other in self._trials.values():
                other.looked_at = None
                if other is not trial:
                    # Not emptied: somebody may be reading them.
                    other.traces = {}
        trial.looked_at = (frame, moment)

    def await_frame(self, trial: Trial, frame: int, seconds: float) -> None:
        """Return when a frame is computed, its run has ended, or the time is up."""
        until = time.monotonic() + seconds
        with self._news:
            while (left := until - time.monotonic()) > 0:
                bake = self.bakes.bake(trial.key)
                if bake is not None and (bake.computed > frame or bake.state != "computing" or not self.pool.working_on(trial.key)):
                    return
                self._news.wait(min(left, 0.5))

    def _made_at_once(self, trial: Trial, frame: int) -> Moment:
        assets: Assets = self.library
        simulation = Simulation(trial.effect, assets, plan=trial.plan)
        simulation.frame = frame - 1
        made = simulation.next_frame()
        assert made is not None
        moment = recorded_moment(trial.plan, made.columns, made.count, frame)
        moment.departed, moment.looked = made.departed, made.looked.tolist()
        return moment

    def events(self, trial: Trial) -> NDArray[Any]:
        """All events of a trial's computed frames, in order of happening."""
        computed = self.computed(trial)
        known = trial.happened
        if known is not None and known[0] == computed:
            return known[1]
        blocks = [unpack(block)[1]["events"].view(EVENT) for block in self.bakes.events(trial.key)]
        events = np.concatenate(blocks) if blocks else np.empty(0, EVENT)
        trial.happened = (computed, events)
        return events

    def all_touches(self, trial: Trial) -> NDArray[Any]:
        """All touches of a trial's computed frames, kept until there are more."""
        computed = self.computed(trial)
        if trial.touched is None or trial.touched[0] != computed:
            trial.touched = (computed, self.touches(trial))
        return trial.touched[1]

    def touches(self, trial: Trial, first: int = 0, last: int | None = None) -> NDArray[Any]:
        """The touches (`TOUCH`) of a trial's computed frames from `first` to `last`, in order of time within each."""
        found = [unpack(block)[1] for block in self.bakes.events(trial.key, first, last)]
        blocks = [arrays["touches"].view(TOUCH) for arrays in found if "touches" in arrays]
        return np.concatenate(blocks) if blocks else np.empty(0, TOUCH)

    def _progress(self, message: dict[str, Any]) -> None:
        with self._news:
            self._news.notify_all()
        if message["type"] == "waiting":
            # In line: told with the names of those before it; or its turn has come.
            ahead = None if message["over"] else self.pool.ahead_of(message["key"])
            message = {**message, "waiting": self._names(ahead) if ahead is not None else None}
        self.listener({**message, "effect": message["owner"].removesuffix(BESIDE)})

    def _done(self, lane: str, job: Job, result: dict[str, Any]) -> None:
        """A bake has ended. One that was replaced in the meantime is no news: its successor speaks for the effect."""
        key, effect_id = job.message["key"], lane.removesuffix(BESIDE)
        with self._asking:
            with self._lock:
                replaced = self._active.get(lane) is not job
                if not replaced:
                    del self._active[lane]
            if replaced:
                if result["state"] in ("failed", "stopped"):
                    self._give_up(key)
                return
            if result["state"] in ("failed", "stopped"):
                # A process that was ended could not write it. The store may be what failed, as on a full disk: it is told all the same.
                ended = result["state"], result.get("message", "stopped")
                try:
                    self.bakes.finish(key, *ended)
                except Exception:
                    self._unwritten[key] = ended
        with self._news:
            self._news.notify_all()
        self.listener({**{k: v for k, v in result.items() if k not in ("number", "type")}, "type": "finished", "key": key, "effect": effect_id})
        if result["state"] == "done":
            effect = read_effect(job.message["document"])
            if bake_key(effect) == key:
                self._remember(effect_id, key, effect)
            self.on_done(effect_id, key)

    def _give_up(self, key: str) -> None:
        """Note that nobody goes on with a bake, unless somebody does: its frames are let go with those of others once it is not taken to be on its
        way any more. Needs the lock of asking."""
        with self._lock:
            if any(job.bake == key and not job.abandoned for job in self._active.values()):
                return
        with suppress(Exception):
            left = self.bakes.bake(key)
            if left is not None and left.state == "computing":
                self.bakes.finish(key, "stopped", "stopped")


def _lanes(effect_id: str) -> tuple[str, str]:
    """By whom the pool knows the runs of an effect: its own, and the one beside it."""
    return effect_id, effect_id + BESIDE
