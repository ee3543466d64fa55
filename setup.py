"""What a wheel needs besides the package itself: the built front end and the guide, put inside it."""

from __future__ import annotations

import shutil
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

ROOT = Path(__file__).resolve().parent
INSIDE = {"front": ROOT / "frontend" / "dist", "guide": ROOT / "docs" / "guide"}


class WithPages(build_py):
    """In a checkout the pages are read where they are made; a wheel carries them along."""

    def run(self) -> None:
        super().run()
        if self.editable_mode:
            return
        if not (INSIDE["front"] / "index.html").is_file():
            raise SystemExit("The front end is not built; ./run wheel does that first.")
        for name, source in INSIDE.items():
            target = Path(self.build_lib) / "hailridge" / "web" / name
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(source, target)


setup(cmdclass={"build_py": WithPages})
