"""Lying on several surfaces at once: what all of them together leave of a velocity."""

from __future__ import annotations

from hailridge.core.kernels.compiling import helper

MOST_LAIN_ON = 6
"""Surfaces of which it is known within a step that a particle lies on them."""

ROUNDS = 64
SAME = 0.99999
"""Cosine (0.26°) from which two normals are the same surface."""


@helper
def lies_on(lying, many, nx, ny, nz):  # type: ignore[no-untyped-def]
    """Which of the first `many` surfaces in `lying` (m, 5: normal, its own speed along that, what it bears) has this normal; `many` if none has."""
    for at in range(many):
        if lying[at, 0] * nx + lying[at, 1] * ny + lying[at, 2] * nz > SAME:
            return at
    return many


@helper
def borne(lying, many, vx, vy, vz):  # type: ignore[no-untyped-def]
    """The velocity nearest to that without any of the first `many` surfaces that does not enter them: each bears as much as is needed and no more.

    Rounds of projection in which what a surface bore before is given back where others have made it needless (Dykstra's algorithm, which is
    sequential impulses with accumulation). Given the velocity with what they bear so far; what they bear then is left in `lying`.
    """
    for _ in range(ROUNDS):
        worst = 0.0
        for at in range(many):
            nx, ny, nz = lying[at, 0], lying[at, 1], lying[at, 2]
            before = lying[at, 4]
            after = max(0.0, before + lying[at, 3] - (vx * nx + vy * ny + vz * nz))
            change = after - before
            vx, vy, vz = vx + change * nx, vy + change * ny, vz + change * nz
            lying[at, 4] = after
            worst = max(worst, abs(change))
        if worst < 1e-10:
            break
    return vx, vy, vz
