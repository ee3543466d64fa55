"""An effect named on the command line: a document's file, or a demo; with values changed for this once."""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from hailridge.commands.errors import AskedWrongly, CommandError
from hailridge.shipped import STARTER, check_known, demo_names

if TYPE_CHECKING:
    from hailridge.core.scene.assets import Assets
    from hailridge.model.effect import Effect
    from hailridge.model.validation import DocumentError

LARGEST_SEED = 2**31 - 1


def in_lines(error: DocumentError) -> CommandError:
    """What is wrong with a document, a line a problem."""
    return CommandError(*(f"error  {problem}" for problem in error.problems))


def check_place(out: Path, targets: list[Path], overwrite: bool) -> None:
    """Raise CommandError where what is to be written as `out`, to `targets`, has no folder, or would replace what nobody said may go."""
    if not out.parent.is_dir():
        raise CommandError(f"'{out}' could not be written: there is no folder '{out.parent}'")
    there = [path for path in targets if path.exists()]
    if any(path.is_dir() for path in there):
        raise CommandError(f"'{out}' could not be written: it is a folder")
    if there and not overwrite:
        others = f" and {len(there) - 1} more" if len(there) > 1 else ""
        raise CommandError(f"'{there[0]}'{others} exists already; add --overwrite to replace it")


def not_written(out: Path, error: OSError) -> CommandError:
    return CommandError(f"'{out}' could not be written: {(error.strerror or str(error)).lower()}")


def read_document(name: str) -> tuple[dict[str, Any], Assets]:
    """The raw document of a file or demo, and where its meshes and pictures are: beside the file."""
    check_known(name)
    import hailridge.core  # noqa: F401  (loads the registry)
    from hailridge import demo
    from hailridge.formats.folder import FolderAssets

    if name in (*demo_names(), STARTER):
        return demo.document(name), cast("Assets", demo.assets())
    path = Path(name)
    try:
        raw = json.loads(path.read_text(encoding="utf-8"))
    except IsADirectoryError:
        raise CommandError(f"'{name}' is a folder; name a document in it") from None
    except OSError as error:
        raise CommandError(f"'{name}' cannot be read: {error.strerror}") from None
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise CommandError(f"'{name}' is not JSON: {error}") from None
    if not isinstance(raw, dict):
        raise CommandError(f"'{name}' is no effect: it has to be one JSON object")
    return raw, FolderAssets(path.parent, cast("Assets", demo.assets()))


def load(name: str, seed: int | None = None, changes: Iterable[str] = ()) -> tuple[Effect, Assets]:
    """An effect, checked, with `changes` made to it ("path=value").

    Raises
    ------
    CommandError
        With every problem of the document on a line of its own.
    """
    if seed is not None and not 0 <= seed <= LARGEST_SEED:
        raise AskedWrongly(f"there is no seed {seed}; seeds go from 0 to {LARGEST_SEED:,}")
    raw, assets = read_document(name)
    from hailridge.model.validation import DocumentError, read_effect

    if seed is not None:
        clock = raw.setdefault("clock", {})
        if isinstance(clock, dict):
            clock["seed"] = seed
    for change in changes:
        set_value(raw, change)
    try:
        return read_effect(raw), assets
    except DocumentError as error:
        raise in_lines(error) from None


def _turn(raw: Any, place: str, dial: dict[str, Any], text: str) -> None:
    """Set a dial as its type has it: a shape by its name, one of several by its word, else a value."""
    if dial.get("type") not in ("shape", "choice"):
        if dial.get("type", "number") == "number" and not _is_number(text):
            text = repr(_number(raw, dial, text))
        return set_value(raw, f"{place}.value={text}")
    from hailridge.model.dials import choices_in

    if dial["type"] == "choice":
        known = choices_in(str(dial.get("options", "")))
        if text not in known:
            raise AskedWrongly(f"'{dial.get('label')}' is one of {', '.join(known)}, not '{text}'")
        dial["chosen"] = text
        return None
    shapes = [shape for shape in raw.get("shapes", []) if isinstance(shape, dict)]
    found = next((shape["id"] for shape in shapes if text in (shape.get("id"), shape.get("label"))), None)
    if found is None:
        raise AskedWrongly(f"there is no shape called '{text}'; the shapes are {', '.join(str(shape.get('label')) for shape in shapes) or 'none'}")
    dial["shape"] = found
    return None


def _number(raw: Any, dial: dict[str, Any], text: str) -> float:
    """A number as it would be typed into the dial's box: with a unit, as percent of what is there."""
    from hailridge.model.typed import Reading, Unreadable, typed

    clock, present = raw.get("clock"), dial.get("value")
    fps = clock.get("frames_per_second", 24) if isinstance(clock, dict) else 24
    there = float(present) if isinstance(present, int | float) else None
    try:
        return typed(text, Reading(str(dial.get("unit", "")), float(fps) if isinstance(fps, int | float) and fps else 24.0, there))
    except Unreadable as error:
        raise AskedWrongly(f"'{dial.get('label') or dial.get('id')}' takes a number, not '{text}': {error}") from None


def _is_number(text: str) -> bool:
    try:
        value = json.loads(text)
    except ValueError:
        return False
    # Keyframes may stand in a number's place.
    return isinstance(value, int | float | dict) and not isinstance(value, bool)


def set_value(raw: Any, change: str) -> None:
    """Change one value of a raw document: "path=value", a dial by its id alone. What is no JSON is taken as text."""
    path, equals, text = change.partition("=")
    if not equals or not path:
        raise AskedWrongly(f"'{change}' does not say what to set to what; write path=value, such as clock.duration=2 or name=Storm")
    for index, dial in enumerate(raw.get("dials", []) if isinstance(raw.get("dials", []), list) else []):
        if isinstance(dial, dict) and path in (dial.get("id"), dial.get("label")):
            return _turn(raw, f"dials.{index}", dial, text)
    try:
        value = json.loads(text)
    except ValueError:
        value = text
    node, *keys = raw, *path.split(".")
    for depth, key in enumerate(keys):
        last = depth == len(keys) - 1
        here = ".".join(keys[:depth]) or "the effect"
        if isinstance(node, list):
            if not key.isdecimal() or int(key) >= len(node):
                count = f"entries 0 to {len(node) - 1}" if node else "no entries"
                raise AskedWrongly(f"'{change}' cannot be set: {here} has {count}, not '{key}'")
            at: Any = int(key)
        elif isinstance(node, dict):
            at = key
        else:
            raise AskedWrongly(f"'{change}' cannot be set: {here} is a value and has nothing called '{key}'")
        if last:
            node[at] = value
        else:
            node = node[at] if isinstance(node, list) else node.setdefault(at, {})
