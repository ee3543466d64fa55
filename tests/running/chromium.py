"""Which browser the tests drive: Debian's headless Chromium, or where that is missing the whole of it."""

from __future__ import annotations

import os
from pathlib import Path

KNOWN = ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium")
"""The first has no windows and menus of its own to draw, which cost as much as a page."""


def chromium_path() -> str:
    """CHROMIUM, or the first of those that are known; the last where none is there."""
    return os.environ.get("CHROMIUM") or next((path for path in KNOWN if Path(path).exists()), KNOWN[-1])
