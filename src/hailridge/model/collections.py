"""The lists of a document. Each is declared once, at its field of `Effect`; whatever walks "all shapes, fields, …" walks what is declared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, get_args

from hailridge.model import fields
from hailridge.model.effect import Effect
from hailridge.model.kind import Part


@dataclass(frozen=True)
class Collection:
    """A list of items: its `name` in the document, the `word` for one of them, which is also what references name, and the class of the items,
    a slot where there are several kinds.

    What is `computed` decides the bytes of a run, but for the labels of its items and what else of them is only `shown`.
    """

    name: str
    word: str
    item: type[Part]
    computed: bool
    shown: tuple[str, ...]

    @property
    def slot(self) -> str:
        """The slot that its items are chosen from; empty where they are all of one class."""
        return str(getattr(self.item, "slot", ""))

    def items(self, effect: Effect) -> list[Any]:
        return list(getattr(effect, self.name))


def declared_in(document: type[Part]) -> dict[str, Collection]:
    """The collections of a class of documents, by their names, in the order in which they are evaluated."""
    found = {}
    for name, field in document.model_fields.items():
        ui = fields.ui_of(field)
        if ui.get("type") == "collection":
            (item,) = get_args(field.annotation)
            found[name] = Collection(name, ui["word"], item, ui["computed"], ("label", "visible", *ui["shown"]))
    return found


COLLECTIONS: dict[str, Collection] = declared_in(Effect)


def named(word: str) -> Collection:
    """The collection of what references call `word`. Raises LookupError where there is none."""
    found = next((collection for collection in COLLECTIONS.values() if collection.word == word), None)
    if found is None:
        raise LookupError(f"nothing is called '{word}'")
    return found
