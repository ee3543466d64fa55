"""What a command cannot do. Imports nothing, so that what is refused is refused at once."""

from __future__ import annotations


class CommandError(RuntimeError):
    """What was asked cannot be done; each line is for people."""

    def __init__(self, *lines: str) -> None:
        super().__init__("\n".join(lines))
        self.lines = lines
