"""Part 2 of a step: sources bring particles into being, and children of rules appear."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hailridge.core.births.directions import scattered
from hailridge.core.events import Happening
from hailridge.core.moment import Litter, Moment
from hailridge.core.particles import as_factor
from hailridge.core.randomness import any_directions, child_keys, points_in_ball, source_keys, uniforms, upward
from hailridge.model.attributes import BUILT_IN
from hailridge.model.effect import Source


def run_sources(moment: Moment, first: bool) -> NDArray[np.float32] | None:
    """Births of all sources in this step. Returns how much of the step each particle still has to move, where newborns have less than all."""
    before = moment.count
    spans: list[NDArray[np.float64]] = []
    for index, source in enumerate(moment.scene.effect.sources):
        if not source.enabled:
            continue
        times = source.emission.births(moment.time, moment.time + moment.dt, first)
        number = room_for(moment, len(times), ("sources", index), source.label)
        if number:
            _give_birth(moment, index, source, number)
            spans.append(moment.time + moment.dt - times[:number])
    if moment.count == before or moment.dt == 0.0:
        return None
    newborn = np.concatenate(spans)
    if np.all(newborn >= moment.dt * (1 - 1e-6)):
        return None
    return np.concatenate([np.full(before, moment.dt, np.float32), np.minimum(newborn, moment.dt).astype(np.float32)])


def _give_birth(moment: Moment, index: int, source: Source, number: int) -> None:
    scene = moment.scene
    rows = moment.particles.append(number)
    ordinal = source.emission.before(moment.time) if moment.dt else 0
    column = moment.column
    keys = source_keys(ordinal, number, source.item, scene.seed)
    column("key")[rows] = keys
    column("birth_index")[rows] = np.arange(ordinal, ordinal + number)
    column("group")[rows] = scene.group_index[source.group]
    column("entered")[rows] = moment.time
    shape = scene.effect.shapes[scene.shape_index[source.shape]]
    places, normals = source.placement.place(moment, shape, scene.geometry(source.shape), keys)
    aims = source.direction.aim(moment, normals, keys)
    column("position")[rows] = places + normals * np.float32(source.offset)
    for name in ("lifetime", "radius", "mass"):
        info = BUILT_IN[name]
        column(name)[rows] = np.clip(getattr(source, name).give(moment, rows), info.low, info.high)
    column("color")[rows] = np.clip(source.color.give(moment, rows), 0, 1)
    column("velocity")[rows] = aims * as_factor(source.speed.give(moment, rows))
    for name, attribute in scene.attributes.items():
        column(f"own {name}")[rows] = attribute.initial.give(moment, rows)
    moment.log.add(Happening.BIRTH, moment, rows, index, present=scene.group_index[source.group])


def room_for(moment: Moment, wanted: int, item: tuple[str, int], label: str) -> int:
    """How many of `wanted` births the particle budget still allows; the first refusal is reported with what was multiplying."""
    budget = moment.scene.effect.clock.particle_budget
    room = max(0, budget - moment.count)
    if wanted > room:
        text = (
            f"the particle budget of {budget:,} was reached at frame {moment.frame} while '{label}' wanted {wanted:,} more; births stopped "
            f"there and the run went on. Lower the births or their chance, or raise the budget on the clock."
        )
        moment.find("warning", item, text, key="budget")
    return min(wanted, room)


def children_appear(moment: Moment) -> int:
    """Turn the litters that rules asked for into particles, in the order of rules and parents. Returns how many."""
    litters, moment.buffers.litters = moment.buffers.litters, []
    return sum(_appear(moment, litter) for litter in litters)


def _appear(moment: Moment, litter: Litter) -> int:
    scene, action = moment.scene, litter.action
    rule = scene.effect.rules[litter.rule]
    counts = np.maximum(litter.counts, 0)
    number = room_for(moment, int(counts.sum()), ("rules", litter.rule), rule.label or f"rule {litter.rule + 1}")
    if number == 0:
        return 0
    starts = np.cumsum(counts) - counts
    which = np.repeat(np.arange(len(counts)), counts)[:number]
    siblings = np.arange(number) - starts[which]
    parents = litter.parents[which]
    rows = moment.particles.append(number)
    column = moment.column
    group = scene.group_index[action.group]
    keys = child_keys(column("key")[parents], siblings.astype(np.uint64), action.item, moment.step, scene.seed)
    column("key")[rows] = keys
    column("birth_index")[rows] = siblings
    column("parent_id")[rows] = column("id")[parents]
    column("group")[rows] = group
    column("entered")[rows] = moment.time
    u = uniforms(keys, action.item, 0, scene.seed)
    axes = _axes(moment, litter, parents, which)
    aims = any_directions(u) if action.heading == "any" else scattered(axes, action.cone, u)
    handed = np.float32(action.inherit_velocity / 100)
    column("velocity")[rows] = aims * as_factor(action.speed.give(moment, rows)) + column("velocity")[parents] * handed
    away, _directions = points_in_ball(uniforms(keys, action.item, 1, scene.seed))
    column("position")[rows] = column("position")[parents] + away * as_factor(action.around.give(moment, rows))
    for name in ("radius", "color", "mass", "opacity"):
        part = {"radius": action.inherit_radius, "color": action.inherit_color}.get(name, 100.0)
        # What is handed on whole needs no value of its own; mass and opacity always are.
        given = np.zeros(1, np.float32) if part == 100 else np.asarray(getattr(action, name).give(moment, rows), np.float32)
        column(name)[rows] = _mixed(given, column(name)[parents], part)
    remaining = np.maximum(column("lifetime")[parents] - column("age")[parents], 0)
    column("lifetime")[rows] = _mixed(np.asarray(action.lifetime.give(moment, rows), np.float32), remaining, action.inherit_life)
    for name, attribute in scene.attributes.items():
        own = column(f"own {name}")
        own[rows] = own[parents] if attribute.inherited else attribute.initial.give(moment, rows)
    moment.log.add(Happening.BIRTH, moment, rows, litter.rule, present=group, parent=column("id")[parents])
    if len(moment.doomed) < moment.count:
        moment.doomed = np.concatenate([moment.doomed, np.zeros(moment.count - len(moment.doomed), np.bool_)])
    return number


def _mixed(given: NDArray[np.float32], inherited: NDArray[np.float32], percent: float) -> NDArray[np.float32]:
    share = np.float32(percent / 100)
    return np.asarray(given * (1 - share) + inherited * share, np.float32)


def _axes(moment: Moment, litter: Litter, parents: NDArray[np.intp], which: NDArray[np.intp]) -> NDArray[np.float32]:
    up = upward(len(parents))
    if litter.action.heading == "motion":
        velocity = moment.column("velocity")[parents]
        size = np.linalg.norm(velocity, axis=1, keepdims=True)
        return np.where(size > 1e-6, velocity / np.maximum(size, 1e-6), up).astype(np.float32)
    if litter.action.heading == "surface" and litter.axes is not None:
        axes = litter.axes[which]
        return np.where(np.any(axes != 0, axis=1, keepdims=True), axes, up).astype(np.float32)
    return up
