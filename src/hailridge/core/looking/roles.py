"""What shapes are for: roles come from use, not from kind."""

from __future__ import annotations

from hailridge.core.kinds.actions.keeping import Keep
from hailridge.model.effect import Effect
from hailridge.model.kind import parts_of, references
from hailridge.model.parts import Condition, FieldKind, Quantity

REGIONS = (FieldKind, Quantity, Condition, Keep)
"""Whatever only asks where something is in relation to a shape."""


def helpers(effect: Effect) -> set[str]:
    """Ids of shapes that are nothing but regions: fields and conditions are about them, and nothing is born on them, touches them or is made of
    them. They are drawn as outlines, and a finished picture leaves them out."""
    asked: set[str] = set()
    used: set[str] = set()
    for _path, part in parts_of(effect):
        # What it carries, or is carried along, makes nothing solid of it.
        own = {name for path, name in references(part, "shape") if len(path) == 1 and path[0] not in ("parent", "path")}
        (asked if isinstance(part, REGIONS) else used).update(own)
    return asked - used
