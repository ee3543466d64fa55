"""What the store cannot do, in words."""

from __future__ import annotations

FULL = "the disk is full: nothing was lost, but this could not be saved. Free some space and try again."


class StorageError(RuntimeError):
    """The store cannot do what was asked; the message is for people. `full` tells a full disk from the rest."""

    def __init__(self, message: str, full: bool = False) -> None:
        super().__init__(message)
        self.full = full
