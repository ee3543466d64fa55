"""Names of effects on the command line, looked up before anything is loaded: a wrong one is told at once."""

from __future__ import annotations

from pathlib import Path

from hailridge.commands.errors import CommandError

DEMOS = Path(__file__).resolve().parent / "demo"
STARTER = "starter"
"""By this name the first of the starting points is known beside the demos."""


def demo_names() -> list[str]:
    """Names of all demo effects, in the order in which the library shows them."""
    return sorted(path.stem for path in DEMOS.glob("*.json"))


def check_known(name: str) -> None:
    """Raise CommandError where something is neither a file nor a demo."""
    if name not in (STARTER, *demo_names()) and not Path(name).exists():
        raise CommandError(f"'{name}' is neither a file nor a demo; the demos are {', '.join(demo_names())}")
