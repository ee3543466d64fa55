"""What a command cannot do. Imports nothing, so that what is refused is refused at once."""

from __future__ import annotations

from typing import ClassVar


class CommandError(RuntimeError):
    """What was asked cannot be done; each line is for people."""

    code: ClassVar[int] = 1
    """With which the command ends."""

    def __init__(self, *lines: str) -> None:
        super().__init__("\n".join(lines))
        self.lines = lines


class AskedWrongly(CommandError):
    """What was typed means nothing; whatever the folder and the document are like, it has to be typed otherwise."""

    code: ClassVar[int] = 2
