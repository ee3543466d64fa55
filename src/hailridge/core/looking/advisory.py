"""What an advisory is."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

Path = list[str | int]


@dataclass(frozen=True)
class Advisory:
    """`level` is error, warning or advice; `item` the path of what it is about; `fix` a change as {path, value, label}.

    `code` names what kind of thing it says, where something else may take its place (a warning of growth, once the budget has been reached).
    """

    level: str
    item: Path
    text: str
    fix: dict[str, Any] | None = None
    code: str = ""
    others: tuple[dict[str, Any], ...] = ()
    """Further changes to choose from, besides the first one."""

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)
