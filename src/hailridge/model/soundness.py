"""What no later check of a raw document has to be able to bear: depth, number of parts, text that is no Unicode, numbers beyond every machine."""

from __future__ import annotations

import re
from typing import Any

Path = tuple[str | int, ...]

LONGEST_DOCUMENT = 2_000_000
"""Bytes; a hand-made effect is about ten thousand."""

DEEPEST = 40
"""Levels of nesting in the JSON text; conditions deeper than this cannot be read by anybody either."""

MOST_PARTS = 12_000
"""JSON objects: a hand-made effect has some hundred; checking this many takes about a second."""

LARGEST_WHOLE = 2**53
"""What a page can still count exactly."""

NO_TEXT = "holds characters that cannot be seen: control characters, marks of direction, or half of a surrogate pair"
TOO_LONG = f"is larger than {LONGEST_DOCUMENT:,} bytes"
TOO_DEEP = f"is nested more than {DEEPEST} levels deep"


def unsound(raw: dict[str, Any]) -> tuple[Path, str] | None:
    """The first reason for which a raw document is refused unread, and its place; () for the whole document. None where it is sound.

    Takes a time that grows with the document's size alone.
    """
    return None if _is_sound(raw) else _found(raw)


def _is_sound(raw: Any) -> bool:
    """Whether nothing is wrong, without noting where one is: most documents are sound."""
    level: list[Any] = [raw]
    parts = length = depth = 0
    while level:
        following: list[Any] = []
        for node in level:
            kind = type(node)
            if kind is str:
                length += len(node)
                if not _is_text(node):
                    return False
            elif kind is int:
                if not -LARGEST_WHOLE <= node <= LARGEST_WHOLE:
                    return False
            elif kind is dict:
                parts += 1
                for name in node:
                    length += len(name)
                    if not _is_text(name):
                        return False
                following += node.values()
            elif kind is list:
                following += node
        length += 4 * len(level)
        depth += 1
        if length > LONGEST_DOCUMENT or parts > MOST_PARTS or (following and depth > DEEPEST):
            return False
        level = following
    return True


def _found(raw: Any) -> tuple[Path, str] | None:
    """What is wrong first, with its place."""
    waiting: list[tuple[Path, Any]] = [((), raw)]
    parts = length = 0
    while waiting:
        path, node = waiting.pop()
        if len(path) > DEEPEST:
            return (), TOO_DEEP
        length += 4
        if isinstance(node, str):
            length += len(node)
            if not _is_text(node):
                return path, NO_TEXT
        elif isinstance(node, int) and abs(node) > LARGEST_WHOLE:
            return path, "is a whole number too large to be meant"
        elif isinstance(node, dict):
            parts += 1
            length += sum(map(len, node))
            if not all(map(_is_text, node)):
                return path, "has a field whose name is no text (half of a surrogate pair)"
            waiting += [((*path, key), value) for key, value in node.items()]
        elif isinstance(node, list):
            waiting += [((*path, index), value) for index, value in enumerate(node)]
        if length > LONGEST_DOCUMENT:
            return (), TOO_LONG
    if parts > MOST_PARTS:
        return (), f"has {parts:,} parts; an effect may have {MOST_PARTS:,}"
    return None


_UNSEEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\u202a-\u202e\u2066-\u2069\ud800-\udfff]")
"""Control characters, marks that turn the direction in which the rest of a line is read, and halves of surrogate pairs."""


def _is_text(text: str) -> bool:
    return text.isprintable() or _UNSEEN.search(text) is None
