"""Effects out of a library into one file, and from such a file into a library."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from hailridge.commands.errors import CommandError
from hailridge.commands.loading import check_place, in_lines, not_written, read_document
from hailridge.formats.travelling import SUFFIX, Baggage, TravelError, collect, pack_effects, unpack_effects
from hailridge.model.validation import DocumentError, read_effect
from hailridge.store.database import Database
from hailridge.store.errors import StorageError
from hailridge.store.library import Library, NotFound


def export_effects(names: list[str], out: Path | None, data: Path, overwrite: bool) -> Path:
    """Write effects to one file: those of the library in `data` by name or id, documents by their file, demos by their name."""
    baggage = Baggage([])
    for name in names:
        one = _of_library(name, data) or _of_file(name)
        baggage.effects += one.effects
        baggage.meshes |= one.meshes
        baggage.pictures |= one.pictures
    path = out or Path(f"{_plain(names[0])}{SUFFIX}")
    check_place(path, [path], overwrite)
    beside = path.with_name(f".{path.name}.writing")
    try:
        beside.write_bytes(pack_effects(baggage))
        beside.replace(path)
    except OSError as error:
        raise not_written(path, error) from None
    finally:
        beside.unlink(missing_ok=True)
    return path


def _plain(name: str) -> str:
    return Path(name).stem.strip().replace("/", "-") or "effect"


def _of_library(name: str, data: Path) -> Baggage | None:
    if not (data / "hailridge.sqlite").is_file():
        return None
    try:
        with closing(Database(data)) as database:
            library = Library(database)
            names = library.names()
            alike = [name] if name in names else [effect for effect, called in names.items() if called == name]
            if len(alike) > 1:
                raise CommandError(f"{len(alike)} effects are called '{name}'; name one of them by its id: {', '.join(alike)}")
            return library.take_out(alike) if alike else None
    except (StorageError, DocumentError, NotFound) as error:
        raise CommandError(str(error)) from None


def _of_file(name: str) -> Baggage:
    raw, assets = read_document(name)
    try:
        return collect([(read_effect(raw), None)], assets, {})
    except DocumentError as error:
        raise in_lines(error) from None


def import_effects(files: list[Path], data: Path) -> list[str]:
    """Take effects from files into the library in `data`, which is made if there is none. Returns their names."""
    import hailridge.core  # noqa: F401  (loads the registry)

    brought = []
    for file in files:
        try:
            brought.append(unpack_effects(file.name, file.read_bytes()))
        except OSError as error:
            raise CommandError(f"'{file}' cannot be read: {error.strerror}") from None
        except TravelError as error:
            raise CommandError(str(error)) from None
    try:
        with closing(Database(data)) as database:
            return [row.name for baggage in brought for row in Library(database).take_in(baggage)]
    except StorageError as error:
        raise CommandError(str(error)) from None
    except DocumentError as error:
        raise in_lines(error) from None
