"""A neighbourhood looked at: who found whom at the moment that acted, how far the nearest are, and why nobody was found."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.looking.observe import MOST_BINS, Distribution, distribution, recorded_moment, row_of
from hailridge.core.looking.why import emptied
from hailridge.core.scene.around import LIST, WAYS, Around, around, crowd, sight_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state import surroundings as search
from hailridge.core.state.events import Happening
from hailridge.core.state.particles import Array
from hailridge.model.neighbourhoods import MOST_NEAREST, Neighbourhood

MOST_MEASURED = 20_000
"""Seekers whose nearest is measured for a distribution; of more, an even part."""

ANYWHERE = np.full(1, 1e5, np.float32)
"""A reach (m) beyond everything that is kept."""


def as_acted(moment: Moment, events: NDArray[Any]) -> Moment:
    """The moment as its last step's rules found it: whoever they have moved to another group stands in the one of before."""
    last = events[(events["frame"] == moment.frame) & (events["what"] == Happening.MOVE)]
    last = last[last["time"] >= moment.time - moment.dt / 2]
    if not len(last) or not moment.count:
        return moment
    columns = {name: moment.column(name).copy() for name in moment.particles.layout}
    ids = columns["id"]
    # The first move of the step tells where it was before: written last.
    for event in last[::-1]:
        row = row_of(ids, int(event["particle"]))
        if row is not None:
            columns["group"][row] = event["previous"]
    earlier = recorded_moment(moment.scene.plan, columns, moment.count, moment.frame)
    earlier.dt, earlier.step = moment.dt, moment.step
    return earlier


@dataclass
class Search:
    """How a neighbourhood did: how many looked, how many of them found anybody, how many could be found, the mean number found by those who looked,
    the shortest and longest reach (m), and why nobody was found, in words; empty where somebody was."""

    seekers: int
    finding: int
    targets: int
    mean: float
    reach: list[float]
    text: str


def searched(moment: Moment, hood: Neighbourhood, events: NDArray[Any], so_far: bool = False) -> Search:
    """How a neighbourhood does at this moment; `so_far`: more events may follow."""
    answers = around(moment, hood.id)
    rows = answers.seekers
    counts, reach = answers.counts[rows], answers.reach[rows]
    finding = int(np.count_nonzero(counts))
    span = [float(reach.min()), float(reach.max())] if len(rows) else [0.0, 0.0]
    text = "" if finding else _why_nobody(moment, hood, answers, events, so_far)
    return Search(len(rows), finding, len(answers.targets), float(counts.mean()) if len(rows) else 0.0, span, text)


def _why_nobody(moment: Moment, hood: Neighbourhood, answers: Around, events: NDArray[Any], so_far: bool) -> str:
    scene = moment.scene
    if not len(answers.seekers):
        return "Nobody looks. " + emptied(moment, scene.members(hood.who), bool(hood.who), events, so_far)
    if not len(answers.targets):
        members = scene.members(hood.among) if hood.nested else scene.members_alone(hood.among)
        return "There is nobody to be found. " + emptied(moment, members, bool(hood.among), events, so_far)
    if answers.reach[answers.seekers].max() <= 0:
        return "The reach is 0 m or less, so nobody can be found."
    apart = nearest_distances(moment, hood, sighted=False)
    if not len(apart):
        return "There is nobody but the one who looks, and nobody finds itself."
    longest = float(answers.reach[answers.seekers].max())
    if apart.min() > longest:
        return f"The nearest is {_metres(apart.min())} away, and the reach is {_metres(longest)}."
    if hood.angle < 360 or hood.kin != "any":
        seen = nearest_distances(moment, hood, sighted=True)
        unseen = ["of the wrong parent"] * (hood.kin != "any") + ["outside the angle of view"] * (hood.angle < 360)
        why = " or ".join(unseen)
        rest = f"; the nearest that counts is {_metres(seen.min())} away" if len(seen) else ""
        return f"Those within reach are {why}{rest}."
    # The reach differs from seeker to seeker.
    return f"The nearest is {_metres(apart.min())} away, which is beyond the reach of the one that it is near to."


def _metres(value: float) -> str:
    return f"{value:.3g} m"


def nearest_distances(moment: Moment, hood: Neighbourhood, sighted: bool = True) -> NDArray[np.float64]:
    """How far from each seeker the nearest is whom it would find with a reach without end (k,) m; those for whom there is nobody are left out.

    `sighted`: only within the angle of view, and of the right kin. Measured between surfaces where the neighbourhood does. Of many seekers, an
    even part is measured.
    """
    seekers, targets = crowd(moment, hood.who, True), crowd(moment, hood.among, hood.nested)
    if not len(seekers) or not len(targets):
        return np.zeros(0)
    sight, _wider, _reach = sight_of(moment, hood, seekers, targets)
    few = np.arange(0, len(seekers), -(-len(seekers) // MOST_MEASURED))
    looks = sight.at(few) if sighted else search.Sight(ANYWHERE)
    rows, apart, _thinned = search.nearest(seekers.at(few), search.Sight(ANYWHERE, looks.headings, looks.view, looks.kin), targets, None, 1)
    there = rows[:, 0] >= 0
    found: NDArray[np.float64] = apart[there, 0].astype(np.float64)
    if hood.edges:
        radii = moment.column("radius")
        found = np.maximum(found - radii[seekers.rows[few][there]] - radii[rows[there, 0]], 0)
    return found


@dataclass
class Measured:
    """A distribution of distances to the nearest (m), and how many seekers a reach would let find somebody."""

    spread: Distribution
    within: int


def measured(moment: Moment, hood: Neighbourhood) -> Measured:
    """How far away the nearest of each seeker is, and how many have one within their reach."""
    apart = nearest_distances(moment, hood)
    reach = np.asarray(hood.reach.give(moment, crowd(moment, hood.who, True).rows), np.float64)
    longest = float(reach.max(initial=0.0))
    spread = distribution(apart)
    if len(apart):
        # From nothing on, with room beyond the reach to drag it to, unless that is far beyond everybody.
        high = max(float(np.quantile(apart, 0.999)), 1e-6)
        high = max(high * 1.02, min(longest * 1.2, high * 4))
        counts, edges = np.histogram(apart, bins=MOST_BINS, range=(0, high))
        spread = replace(spread, edges=edges, counts=counts, outside=len(apart) - int(counts.sum()))
    return Measured(spread, int(np.count_nonzero(apart <= longest)))


@dataclass
class View:
    """What one particle sees in a neighbourhood: where it stands (m), how far and which way it looks, its angle of view (degrees); how many it finds,
    the nearest of them in order with ids, places and distances (m), and the middle of all of them."""

    place: list[float]
    reach: float
    heading: list[float] | None
    angle: float
    count: int
    ids: list[int] = field(default_factory=list)
    places: list[list[float]] = field(default_factory=list)
    distances: list[float] = field(default_factory=list)
    middle: list[float] | None = None


def view_of(moment: Moment, hood: Neighbourhood, particle: int) -> View | None:
    """What one particle sees; None where it is not there, or does not look."""
    row = row_of(moment.column("id"), particle)
    if row is None:
        return None
    answers = around(moment, hood.id, WAYS, f"{LIST} {MOST_NEAREST if not hood.listed else hood.listed}")
    if row not in answers.seekers:
        return None
    places, place = moment.places_before(), moment.places_before()[row]
    heading = _heading(moment, row) if hood.angle < 360 else None
    reach = float(answers.reach[row]) + (float(moment.column("radius")[row]) if hood.edges else 0.0)
    view = View(_listed(place), reach, heading, hood.angle, int(answers.counts[row]))
    found = answers.rows[row][answers.rows[row] >= 0]
    view.ids = moment.column("id")[found].tolist()
    view.places = [_listed(each) for each in places[found]]
    view.distances = [float(each) for each in answers.distances[row][: len(found)]]
    if view.count:
        view.middle = _listed(place + answers.ways[row])
    return view


def _heading(moment: Moment, row: int) -> list[float] | None:
    velocity = moment.column("velocity")[row].astype(np.float64)
    speed = float(np.linalg.norm(velocity))
    return (velocity / speed).tolist() if speed > 1e-6 else None


def _listed(place: Array) -> list[float]:
    return [float(each) for each in place]
