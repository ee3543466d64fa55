"""Births: sources bring particles into being, and children of rules appear."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kinds.births.directions import scattered
from hailridge.core.scene.bodies import displacement_between
from hailridge.core.scene.buffers import Litter
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.own import give_first_values, hand_on
from hailridge.core.scene.span import Birth, Span
from hailridge.core.state.costs import owner_of
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import as_factor
from hailridge.core.state.randomness import Keys, any_directions, child_keys, points_in_ball, source_keys, uniforms, upward
from hailridge.core.step.obstacles import Obstacles
from hailridge.core.step.sides import keep_with_parents, set_on_side
from hailridge.model.attributes import BUILT_IN
from hailridge.model.effect import Source, rule_numbers


def run_sources(moment: Moment, first: bool) -> None:
    """Births of all sources in this step, each at its own time within it."""
    end = moment.time + moment.dt
    for index, source in enumerate(moment.scene.effect.sources):
        if not source.enabled:
            continue
        begun = moment.costs.begin()
        span = span_of(moment, source, moment.time, end, first)
        times = source.emission.births(span)
        passed = 0
        if moment.scene.plan.without_history:
            # A step that is all of the past need not bring forth those whose life is over.
            passed = int(np.searchsorted(times, end - source.lifetime.extent()[1] * (1 + 1e-6)))
            times = times[passed:]
        number = room_for(moment, len(times), source.address, source.label)
        if number:
            _give_birth(moment, index, source, span, times[:number], passed)
        moment.costs.end(source.address, begun)


def span_of(moment: Moment, source: Source, start: float, end: float, first: bool) -> Span:
    """The time of a step as a source's emission sees it."""
    geometry = moment.end.pose(source.shape).geometry
    return Span(
        start, end, first, moment.scene.plan.timeline.beginning, moment.scene.plan.timeline.ending,
        lambda: source.placement.places(moment, geometry),
        moment.scene.effect.clock.particle_budget + 1,
    )


def _give_birth(moment: Moment, index: int, source: Source, span: Span, times: NDArray[np.float64], passed: int) -> None:
    scene, number = moment.scene, len(times)
    rows = moment.particles.append(number)
    left = np.clip(span.end - times, 0.0, moment.dt)
    moment.appear(rows, left)
    ordinal = passed + (0 if span.first else source.emission.before(span, span.start))
    column = moment.column
    keys = source_keys(ordinal, number, source.item, scene.seed)
    ordinals = np.arange(ordinal, ordinal + number)
    if scene.plan.without_history:
        # Ids that are the same whichever frame is made: those of several sources interleave.
        column("id")[rows] = ordinals * len(scene.effect.sources) + index
    column("family")[rows] = column("id")[rows]
    column("key")[rows] = keys
    column("birth_index")[rows] = ordinals
    column("group")[rows] = scene.group_index[source.group]
    column("entered")[rows] = times
    column("born")[rows] = times
    column("lag")[rows] = left
    birth, carried, bases = _placed(moment, source, rows, keys, ordinals, times, span)
    column("position")[rows] = birth.places
    aims = source.direction.aim(moment, birth)
    for name in ("lifetime", "radius", "mass", "opacity"):
        info = BUILT_IN[name]
        moment.begin_writing()
        column(name)[rows] = moment.fit(name, rows, np.clip(getattr(source, name).give(moment, rows), info.low, info.high))
    moment.begin_writing()
    column("color")[rows] = moment.fit("color", rows, np.clip(source.color.give(moment, rows), 0, 1))
    column("velocity")[rows] = aims * as_factor(source.speed.give(moment, rows)) + carried * np.float32(source.inherit / 100)
    if moment.particles.has("orientation"):
        column("orientation")[rows] = source.orientation.turn(moment, birth)
        spin = np.radians(source.spin.give(moment, rows))
        column("spin")[rows] = source.spin_axis.aim(moment, birth) * as_factor(spin)
    give_first_values(moment, rows)
    moment.log.add(Happening.BIRTH, moment, rows, index, present=scene.group_index[source.group])
    moment.log.date_last(times)
    for place, action in enumerate(source.actions):
        if scene.effect.acts("sources", index, "actions", place):
            moment.actor = -1
            moment.begin_writing()
            action.act(moment, rows)
    set_on_side(moment, rows, 1.0 - left / moment.dt if moment.dt > 0 else np.ones(number), (scene.shape_index[source.shape], bases))
    if moment.particles.has("birthplace"):
        column("birthplace")[rows] = column("position")[rows]


def _placed(
    moment: Moment, source: Source, rows: slice, keys: Keys, ordinals: NDArray[np.int64], times: NDArray[np.float64], span: Span
) -> tuple[Birth, NDArray[np.float32], NDArray[np.float64]]:
    """Newborns in the world, where the shape was at each one's own time of birth, the velocities of the shape there (k, 3) m/s, and their places
    on the shape before they are lifted (k, 3), in its own space."""
    body = moment.body(moment.scene.shape_index[source.shape])
    pose = body.end
    bases, normals = source.placement.place(moment, pose.geometry, keys, ordinals)
    places = bases + normals * np.float32(source.offset / pose.transform.scale)
    carried = np.zeros((len(keys), 3), np.float32)
    places, normals = pose.transform.points(places), pose.transform.vectors(normals)
    if not pose.still:
        world = places
        if span.end > span.start:
            way = displacement_between(body.start.transform, pose.transform, world)
            left = (span.end - times) / (span.end - span.start)
            # Between its two poses the shape is taken to move evenly: births lie on its way, not in puffs at its end.
            world = world - way * left[:, None]
            carried = (way / (span.end - span.start)).astype(np.float32)
        elif source.inherit:
            carried = moment.scene.velocity_at(source.shape, world)
        places = world
    return Birth(rows, np.asarray(places, np.float32), np.asarray(normals, np.float32), keys, ordinals, source.shape), carried, bases


BUDGET = "budget"
"""The code of what is told of births that the budget stopped."""


def room_for(moment: Moment, wanted: int, item: str, label: str, parents: int = 0, leaving: int = 0) -> int:
    """How many of `wanted` births the particle budget still allows, where so many are `leaving` within the step; the first refusal is reported with
    what was multiplying, and for how many `parents` where there are any."""
    budget = moment.scene.effect.clock.particle_budget
    room = max(0, budget - moment.count + leaving)
    if wanted > room:
        text = (
            f"the particle budget of {budget:,} was reached at frame {moment.frame} while '{label}' wanted {wanted:,} more"
            f"{f', {wanted / parents:.3g} for each of {parents:,}' if parents else ''}; {wanted - room:,} of them were held back there "
            f"and the run went on. Lower the births or their chance, or raise the budget on the clock."
        )
        moment.find("warning", item, text, key=BUDGET)
    return min(wanted, room)


def children_appear(moment: Moment, obstacles: Obstacles) -> slice:
    """Turn the litters that rules and sources asked for into particles, in the order of rules and parents. Returns their rows."""
    before = moment.count
    litters, moment.buffers.litters = moment.buffers.litters, []
    for place, litter in enumerate(litters):
        begun = moment.costs.begin()
        born = _births(moment, litter, litters[place + 1 :])
        if born.any():
            _appear(moment, obstacles, litter, born)
        moment.costs.end(owner_of(litter.action.address), begun)
    return slice(before, moment.count)


def _births(moment: Moment, litter: Litter, later: list[Litter]) -> NDArray[np.int64]:
    """How many children each parent of a litter gets within the budget: (k,). Whoever leaves in this step makes room for them, those who leave for
    their children for these first; where there is too little, everybody gets a first one before anybody gets a second one. So nobody leaves for
    children that do not come."""
    counts = np.maximum(litter.counts, 0)
    leaving = moment.doomed.copy() if moment.any_doomed else np.zeros(0, np.bool_)
    for other in later:
        leaving[other.removed] = False
    leaving[litter.removed] = True
    wanted, parents = int(counts.sum()), int(np.count_nonzero(counts))
    number = room_for(moment, wanted, *_asked_by(moment, litter), parents, int(np.count_nonzero(leaving)))
    return counts if number == wanted else _shared_out(counts, number)


def _shared_out(counts: NDArray[np.int64], number: int) -> NDArray[np.int64]:
    """Fewer than are wanted, as evenly as they go: (k,), `number` in all. What is left over goes to the first."""
    low, high = 0, int(counts.max(initial=0))
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if int(np.minimum(counts, middle).sum()) <= number else (low, middle - 1)
    born = np.minimum(counts, low)
    born[np.flatnonzero(counts > low)[: number - int(born.sum())]] += 1
    return born


def _appear(moment: Moment, obstacles: Obstacles, litter: Litter, born: NDArray[np.int64]) -> None:
    """The children of a litter come into being, so many of each parent."""
    scene, action, number = moment.scene, litter.action, int(born.sum())
    which = np.repeat(np.arange(len(born)), born)
    siblings = np.arange(number) - (np.cumsum(born) - born)[which]
    parents = litter.parents[which]
    rows = moment.particles.append(number)
    # Children appear at one moment, after the part of the step that made them: what is left of the step is theirs only before motion.
    column = moment.column
    left: Any = np.float32(0.0 if moment.at_end else moment.dt)
    if litter.shares is not None:
        # Spread over the step, along the way of each parent: they have lived through what is left of it.
        left = ((1 - litter.shares.of(which, siblings)) * moment.elapsed(parents)).astype(np.float32)
    moment.appear(rows, left)
    group = scene.group_index[action.group]
    keys = child_keys(column("key")[parents], siblings.astype(np.uint64), action.item, moment.step, scene.seed)
    column("key")[rows] = keys
    column("birth_index")[rows] = siblings
    column("parent_id")[rows] = column("id")[parents]
    column("group")[rows] = group
    # A child of a newborn is born with it; all others now.
    column("born")[rows] = moment.time - left if moment.at_end else column("born")[parents] + column("age")[parents]
    if litter.shares is not None:
        column("age")[rows], column("lag")[rows] = left, left
    column("entered")[rows] = column("born")[rows]
    column("fresh")[rows] = 1
    u = uniforms(keys, action.item, 0, scene.seed)
    axes = _axes(moment, litter, parents, which, keys)
    aims = any_directions(u) if action.heading == "any" else scattered(axes, action.cone, u)
    handed = np.float32(action.inherit_velocity / 100)
    column("velocity")[rows] = aims * as_factor(action.speed.give(moment, rows)) + column("velocity")[parents] * handed
    away, _directions = points_in_ball(uniforms(keys, action.item, 1, scene.seed))
    begins = column("position")[parents]
    if action.born == "place":
        begins = np.broadcast_to(np.asarray(action.place.give(moment, parents), np.float32), (number, 3))
    elif litter.shares is not None:
        passed = litter.shares.of(which, siblings).astype(np.float32)
        begins = begins + (moment.places_at_start(parents) - begins) * (1 - passed[:, None]) + column("velocity")[rows] * left[:, None]
    if litter.ways is not None:
        begins = begins + litter.ways[which]
    if action.born == "surface":
        begins = begins + aims * column("radius")[parents][:, None]
    column("position")[rows] = begins + away * as_factor(action.around.give(moment, rows))
    if moment.particles.has("orientation"):
        # A child is turned as its parent is, and spins with it.
        column("orientation")[rows] = column("orientation")[parents]
        column("spin")[rows] = 0 if action.still else column("spin")[parents]
    column("generation")[rows] = column("generation")[parents] + 1
    column("family")[rows] = column("family")[parents]
    if action.still:
        column("held")[rows] = 1
        column("velocity")[rows] = 0
    if moment.particles.has("picture"):
        column("picture")[rows] = column("picture")[parents]
    for name in ("radius", "color", "mass", "opacity"):
        part = {"radius": action.inherit_radius, "color": action.inherit_color}.get(name, scene.table[name].share)
        # What is handed on whole needs no value of its own; mass and opacity always are.
        given = np.zeros(1, np.float32) if part == 100 else np.asarray(getattr(action, name).give(moment, rows), np.float32)
        column(name)[rows] = _mixed(given, column(name)[parents], part)
    remaining = np.maximum(column("lifetime")[parents] - column("age")[parents], 0)
    column("lifetime")[rows] = _mixed(np.asarray(action.lifetime.give(moment, rows), np.float32), remaining, action.inherit_life)
    hand_on(moment, rows, parents)
    for handing in action.hands:
        handing.give(moment, rows, parents)
    moment.log.add(Happening.BIRTH, moment, rows, litter.rule, present=group, parent=column("id")[parents])
    if litter.shares is not None:
        moment.log.date_last(moment.time - left)
    keep_with_parents(moment, obstacles, rows, parents)
    if moment.particles.has("birthplace"):
        column("birthplace")[rows] = column("position")[rows]


def _asked_by(moment: Moment, litter: Litter) -> tuple[str, str]:
    """The rule or source that asked for children, and what it is called."""
    effect = moment.scene.effect
    if litter.rule >= 0:
        rule = effect.rules[litter.rule]
        return rule.address, rule.label or f"rule {rule_numbers(effect)[litter.rule]}"
    owner = owner_of(litter.action.address)
    source = next(source for source in effect.sources if source.address == owner)
    return owner, source.label


def _mixed(given: NDArray[np.float32], inherited: NDArray[np.float32], percent: float) -> NDArray[np.float32]:
    share = np.float32(percent / 100)
    return np.asarray(given * (1 - share) + inherited * share, np.float32)


def _axes(moment: Moment, litter: Litter, parents: NDArray[np.intp], which: NDArray[np.intp], keys: Keys) -> NDArray[np.float32]:
    """Which way each child is headed (m, 3) or (1, 3), before its cone."""
    up = upward(1)
    if litter.action.heading == "target" and litter.action.target is not None:
        places = moment.read("position", parents)
        nearest, distances = moment.scene.pose(litter.action.target).closest(places)
        return np.where(distances[:, None] > 1e-9, (nearest - places) / np.maximum(distances, 1e-12)[:, None], up).astype(np.float32)
    if litter.action.heading == "motion":
        velocity = moment.read("velocity", parents)
        size = np.linalg.norm(velocity, axis=1, keepdims=True)
        # Whoever stands still has no way ahead, and its children fly off to all sides.
        any_way = any_directions(uniforms(keys, litter.action.item, 2, moment.scene.seed)) if (size <= 1e-6).any() else up
        return np.where(size > 1e-6, velocity / np.maximum(size, 1e-6), any_way).astype(np.float32)
    if litter.action.heading == "surface" and litter.axes is not None:
        axes = litter.axes[which]
        return np.where(np.any(axes != 0, axis=1, keepdims=True), axes, up).astype(np.float32)
    return up
