"""Where compiled kernels are kept: a folder of the user's, named by what the kernels are made of.

Moving or copying the program finds them again, and whatever changes in a kernel's module, or in one that it calls, is compiled anew. Importing
this module loads nothing of Numba.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import sys
import tempfile
from contextlib import suppress
from functools import cache
from importlib.metadata import version
from pathlib import Path
from types import FunctionType

SOURCES = Path(__file__).parent
GENERATIONS_KEPT = 3
"""Of kernels as they were before; each takes a few megabytes."""


def _cache_folder() -> Path:
    """The first folder that can be written: HAILRIDGE_CACHE, then the user's cache, then a temporary one."""
    named = os.environ.get("HAILRIDGE_CACHE")
    home = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "hailridge"
    for folder in ([Path(named)] if named else []) + [home, Path(tempfile.gettempdir()) / "hailridge-cache"]:
        with suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
            if os.access(folder, os.W_OK):
                return folder
    return Path(tempfile.mkdtemp(prefix="hailridge-"))


CACHE_FOLDER = _cache_folder()


@cache
def contents() -> str:
    """A digest of everything that decides the machine code: the modules of this package, Python, Numba and LLVM's binding."""
    digest = hashlib.sha256(f"{sys.version_info[:2]} {version('numba')} {version('llvmlite')} {version('numpy')}".encode())
    for source in sorted(SOURCES.glob("*.py")):
        digest.update(source.name.encode())
        digest.update(source.read_bytes())
    return digest.hexdigest()[:20]


def kernels_folder() -> Path:
    """Where these kernels are kept."""
    return CACHE_FOLDER / "kernels" / contents()


def ready_file() -> Path:
    """What says that every kernel has been compiled for this machine."""
    return kernels_folder() / "ready"


def forget_old() -> None:
    """Take away kernels of before, but for the newest few."""
    others = [folder for folder in (CACHE_FOLDER / "kernels").glob("*") if folder.is_dir() and folder.name != contents()]
    for folder in sorted(others, key=lambda folder: folder.stat().st_mtime, reverse=True)[GENERATIONS_KEPT - 1 :]:
        shutil.rmtree(folder, ignore_errors=True)


class ByContents:
    """Tells Numba where the code of a function is kept; named in its setting for such classes (see `kernels.compiling`)."""

    def __init__(self, function: FunctionType) -> None:
        self.function = function

    @classmethod
    def from_function(cls, function: FunctionType, file: str) -> ByContents | None:
        return cls(function) if Path(file).parent == SOURCES else None

    def ensure_cache_path(self) -> None:
        kernels_folder().mkdir(parents=True, exist_ok=True)

    def get_cache_path(self) -> str:
        return str(kernels_folder())

    def get_source_stamp(self) -> str:
        return contents()

    def get_disambiguator(self) -> str:
        return str(self.function.__code__.co_firstlineno)


if __name__ == "__main__":
    print(ready_file())
