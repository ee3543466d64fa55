"""Picture sets that ship with the program (drawn by `tools/make_pictures.py`)."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

from hailridge.core.scene.assets import PictureSheet

FOLDER = Path(__file__).parent / "pictures"


@cache
def shipped_pictures() -> dict[str, PictureSheet]:
    """All sets by id, in the order in which they are offered."""
    listed = json.loads((FOLDER / "index.json").read_text(encoding="utf-8"))
    return {key: PictureSheet(**entry, png=(FOLDER / f"{key}.png").read_bytes()) for key, entry in listed.items()}
