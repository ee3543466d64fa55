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
    """Of one particle at a frame: its generation (0 was born of a source), its family's first particle, its parent (−1 for none), and who is there
    at the moment of its limb and of its family, itself among them: ids (k,), ascending."""

    generation: int
    family: int
    parent: int
    limb: NDArray[np.int32]
    members: NDArray[np.int32]


def descent_of(moment: Moment, particle: int, events: NDArray[Any]) -> Descent | None:
    """Nothing of a particle that is not there. `events`: all of the run, in order of happening."""
    ids = moment.column("id")
    row = row_of(ids, particle)
    if row is None:
        return None
    births = events[(events["what"] == Happening.BIRTH) & (events["frame"] <= moment.frame)]
    births = births[np.argsort(births["particle"], kind="stable")]
    born, parents = births["particle"].astype(np.int32), births["parent"].astype(np.int32)
    marked = born == particle
    kernel.handed_down(np.ascontiguousarray(born), np.ascontiguousarray(parents), marked)
    limb = np.intersect1d(ids, np.append(born[marked], np.int32(particle)))
    families = moment.column("family")
    own = int(families[row])
    return Descent(int(moment.column("generation")[row]), own, int(moment.column("parent_id")[row]), limb, np.sort(ids[families == own]))
