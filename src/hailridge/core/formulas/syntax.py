"""Python's own parser, asked by one thread at a time."""

from __future__ import annotations

import ast
from threading import Lock

_ASKED = Lock()
"""CPython 3.11 counts how deep a tree goes in one place for all threads: where another one parses meanwhile, it ends with "AST constructor
recursion depth mismatch" (a SystemError), though nothing is wrong with the text."""


def tree_of(text: str) -> ast.Module:
    """What a text says, as Python reads it. Raises what `ast.parse` does."""
    with _ASKED:
        return ast.parse(text.strip(), mode="exec")
