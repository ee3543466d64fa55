"""What is asked of a moment is computed once, and kept for as long as what it was read from stays as it is."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

Answer = TypeVar("Answer")

MOST_ANSWERS = 48
"""Kept at a time; the one that was asked for longest ago goes first."""


class Answers:
    """Answers by what was asked, each good for the versions of the columns that it was read from.

    Whoever writes a column says so with `changed`; the engine says with `begin_part` where all of them may have changed.
    """

    def __init__(self) -> None:
        self._part = 0
        self._versions: dict[str, int] = {}
        self._watched: set[str] = set()
        self._known: OrderedDict[Hashable, tuple[Any, Any]] = OrderedDict()

    def watches(self, column: str) -> bool:
        """Whether some answer was ever read from a column: only then does it matter that it changes."""
        return column in self._watched

    def changed(self, column: str) -> None:
        """A column has other values than before."""
        self._versions[column] = self._versions.get(column, 0) + 1

    def begin_part(self) -> None:
        """Every column may have other values than before."""
        self._part += 1

    def state(self, *columns: str) -> tuple[int, ...]:
        """Something that differs whenever one of these columns does."""
        return (self._part, *(self._versions.get(column, 0) for column in columns))

    def known(self, key: Hashable, reads: tuple[str, ...], also: Hashable = None) -> Any:
        """The answer to `key` if there is one that is still good; None where there is not."""
        known = self._known.get(key)
        return known[1] if known is not None and known[0] == (self.state(*reads), also) else None

    def asked(self, key: Hashable, reads: tuple[str, ...], compute: Callable[[Answer | None], Answer], also: Hashable = None) -> Answer:
        """The answer to `key`, computed if there is none that is still good.

        `reads` are the columns that it is read from, `also` whatever else decides it (how many particles there are, the time). `compute` is given
        the answer of before, if one is known, from which some may be taken over.
        """
        self._watched.update(reads)
        stamp = (self.state(*reads), also)
        known = self._known.get(key)
        if known is not None and known[0] == stamp:
            self._known.move_to_end(key)
            return known[1]  # type: ignore[no-any-return]
        answer = compute(None if known is None else known[1])
        self._known[key] = (stamp, answer)
        self._known.move_to_end(key)
        while len(self._known) > MOST_ANSWERS:
            self._known.popitem(last=False)
        return answer
