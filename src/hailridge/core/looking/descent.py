"""Whom a particle descends from, and who came of it: read from the births of a run, so that it does not matter who is still there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.kernels import memory as kernel
from hailridge.core.looking.observe import row_of
from hailridge.core.scene.moment import Moment
from hailridge.core.state.events import Happening


@dataclass(frozen=True)
class Descent:
    """Of one particle, there or gone: its generation (0 was born of a source), its family's first particle, its parent (−1 for none), and who of its
    limb and of its family is there at the moment: ids (k,), ascending."""

    generation: int
    family: int
    parent: int
    limb: NDArray[np.int32]
    members: NDArray[np.int32]


def descent_of(moment: Moment, particle: int, events: NDArray[Any]) -> Descent | None:
    """Nothing of a particle that never was. `events`: all of the run, in order of happening; what has not happened yet by this moment is left out."""
    births = events[(events["what"] == Happening.BIRTH) & (events["frame"] <= moment.frame)]
    births = births[np.argsort(births["particle"], kind="stable")]
    born, parents = np.ascontiguousarray(births["particle"], np.int32), np.ascontiguousarray(births["parent"], np.int32)
    if row_of(born, particle) is None:
        return None
    line = [particle]
    while (row := row_of(born, line[-1])) is not None and parents[row] >= 0:
        line.append(int(parents[row]))
    ids = moment.column("id")
    limb, members = (np.intersect1d(ids, born[_with_descendants(born, parents, first)]) for first in (particle, line[-1]))
    return Descent(len(line) - 1, line[-1], line[1] if len(line) > 1 else -1, limb, members)


def _with_descendants(born: NDArray[np.int32], parents: NDArray[np.int32], first: int) -> NDArray[np.bool_]:
    marked = np.asarray(born == first)
    kernel.handed_down(born, parents, marked)
    return marked
