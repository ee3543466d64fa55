"""What a run has to tell of its neighbourhoods, which catch everybody or nobody or take most of the time, and of goals that are missed."""

from __future__ import annotations

from collections.abc import Iterator

from hailridge.core.scene.buffers import Finding
from hailridge.core.scene.moment import Moment

NOBODY, EVERYBODY, SLOW = "finds nobody", "finds everybody", "takes most of the time"
PAST, BUNCHED = "flies past", "bunches up"
SUMMARIES = (NOBODY, EVERYBODY, SLOW, PAST, BUNCHED)
"""Codes of what is said of a whole run, and said anew as it goes on."""

NEARLY_ALL = 0.9
"""Of those who can be found, what each seeker finds on average where a reach catches everybody."""

FEWEST = 20
"""Others among whom finding all of them says something about the reach."""

PASSING, STUCK = 0.15, 0.35
"""Parts of those near a goal, over the run, from which on it is told that they fly past it, or bunch up there."""

MOST_OF_IT = 0.5
SECONDS_TOLD = 1.0
"""Whoever takes more than this share of a run that has taken so long is told of."""


def search_findings(moment: Moment, since: int, frame: int, seconds: float) -> Iterator[Finding]:
    """Of a run that was followed from frame `since` on; `seconds`: how long it has taken."""
    for hood in moment.scene.effect.neighbourhoods:
        tally = moment.searches.get(hood.id)
        if tally is None:
            continue
        if tally.asked and not tally.finding:
            text = f"'{hood.label}' has found nobody between frames {since} and {frame}; open its reach to see how far away the nearest are"
            yield Finding("advice", hood.address, frame, text, NOBODY)
        share = tally.share / tally.asked if tally.asked else 0.0
        if not hood.listed and share > NEARLY_ALL and tally.most >= FEWEST:
            text = f"the reach of '{hood.label}' catches nearly everybody: {share:.0%} of those who can be found; a shorter one tells them apart"
            yield Finding("advice", hood.address, frame, text, EVERYBODY)
        taken = moment.costs.seconds.get(hood.address, 0.0)
        if seconds > SECONDS_TOLD and taken > MOST_OF_IT * seconds:
            text = f"'{hood.label}' takes {taken / seconds:.0%} of the time of a step; a shorter reach, or fewer who look, makes it faster"
            yield Finding("advice", hood.address, frame, text, SLOW)
    for address, (near, past, stuck) in moment.goals.items():
        if near < FEWEST * 10:
            continue
        if past > PASSING * near:
            less = "a lower pace or more force turns them sooner, the urge 'arrive' comes to rest there"
            text = f"{past / near:.0%} of those near its goal fly past it; {less}"
            yield Finding("advice", address, frame, text, PAST)
        if stuck > STUCK * near:
            text = f"{stuck / near:.0%} of those near its goal bunch up there and hardly move; more force, or less of *keep apart*, sets them going"
            yield Finding("advice", address, frame, text, BUNCHED)
