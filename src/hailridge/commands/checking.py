"""Checking documents: what is wrong with them, and what will probably not do what was meant; for people or as JSON."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from hailridge.commands.errors import CommandError
from hailridge.commands.loading import load


@dataclass
class Report:
    """What was found in one document. `problem` is why it could not be read at all."""

    name: str
    problem: list[str]
    advisories: list[dict[str, Any]]

    @property
    def wrong(self) -> bool:
        return bool(self.problem) or any(advisory["level"] == "error" for advisory in self.advisories)

    def as_dict(self) -> dict[str, Any]:
        return {"effect": self.name, "ok": not self.wrong, "problems": self.problem, "advisories": self.advisories}

    def lines(self) -> list[str]:
        if self.problem:
            return self.problem
        found = [f"{advisory['level']}  {advisory['place']}: {advisory['text']}" for advisory in self.advisories]
        return [*found, f"{len(found)} {'advisory' if len(found) == 1 else 'advisories'}" if found else "nothing to remark"]


def check(names: list[str]) -> list[Report]:
    """Check documents, demos, and every document in folders that are named."""
    return [_report(name) for given in names for name in _documents(given)]


def _documents(name: str) -> list[str]:
    path = Path(name)
    if not path.is_dir():
        return [name]
    found = sorted(str(file) for file in path.glob("*.json"))
    if not found:
        raise CommandError(f"there are no documents (*.json) in the folder '{name}'")
    return found


def _report(name: str) -> Report:
    try:
        # First of all: a wrong name is told before anything is loaded.
        effect, assets = load(name)
    except CommandError as error:
        return Report(name, list(error.lines), [])
    from hailridge.core.looking.advisories import advise
    from hailridge.core.scene.shipped import shipped_pictures
    from hailridge.model.kind import references
    from hailridge.model.wording import place_in_words

    known = set(shipped_pictures())
    for look in effect.looks:
        for _path, picture in references(look, "picture"):
            try:
                assets.picture(picture)
            except LookupError:
                continue
            known.add(picture)
    raw = effect.model_dump()
    found = [{**advisory.as_dict(), "place": place_in_words(raw, tuple(advisory.item))} for advisory in advise(effect, known)]
    return Report(name, [], found)
