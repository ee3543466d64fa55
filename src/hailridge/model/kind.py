"""The registry: every thing that an effect can be built from is declared once, as a subclass of `Kind`.

A kind carries its document fields, its wording in the score, its help and its computation in one class. The slots (quantity,
amount, condition, action, …) are abstract kinds; a document field typed with a slot accepts every kind registered under it,
told apart by the key ``kind``. The interface is generated from what `catalogue` in `model.catalogue` reads off these classes.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Any, ClassVar, Literal

from annotated_types import Len
from pydantic import BaseModel, ConfigDict, Field, GetCoreSchemaHandler, PrivateAttr
from pydantic_core import CoreSchema, core_schema

Vector = Annotated[list[float], Len(3, 3)]
"""Three numbers: a place or direction (x, y up, z; metres) or a colour (red, green, blue; linear sRGB 0–1)."""

Value = float | Vector
"""What an amount gives for one particle: a number, or three."""

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")]
"""A stable id inside a document. Labels may change; ids do not."""

Label = Annotated[str, Field(min_length=1, max_length=80)]

ValueType = Literal["number", "vector", "color", "flag"]


class Part(BaseModel):
    """Anything inside an effect document: strict, closed to unknown fields, finite numbers only."""

    model_config = ConfigDict(
        extra="forbid",
        strict=True,
        allow_inf_nan=False,
        validate_default=True,
        # Slots are filled while modules load; building late lets every registered kind take part.
        defer_build=True,
    )

    title: ClassVar[str] = ""
    sentence: ClassVar[str] = ""
    help: ClassVar[str] = ""

    _item: int = PrivateAttr(default=0)

    @property
    def item(self) -> int:
        """The number that keeps this part's random draws apart from all others (32 bits, set by the scene)."""
        return self._item


class Kind(Part):
    """A registered choice within a slot. A subclass with a ``kind`` field is concrete; one without is a slot."""

    slot: ClassVar[str] = ""
    category: ClassVar[str] = ""
    rank: ClassVar[int] = 10
    """Where it stands among the kinds of its slot in lists; equal ranks keep the order of their names in the source."""

    registry: ClassVar[dict[str, dict[str, type[Kind]]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        field = cls.model_fields.get("kind")
        if field is None:
            cls.registry.setdefault(cls.slot, {})
            return
        members = cls.registry.setdefault(cls.slot, {})
        tag = str(field.default)
        if tag in members and members[tag].__qualname__ != cls.__qualname__:
            raise TypeError(f"two kinds of {cls.slot} are called '{tag}': {members[tag].__name__} and {cls.__name__}")
        members[tag] = cls

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        if "kind" in cls.model_fields or source is not cls:
            return handler(source)
        choices: dict[Any, CoreSchema] = {tag: handler.generate_schema(kind) for tag, kind in cls.registry[cls.slot].items()}
        union: CoreSchema = cls.wrap_slot(core_schema.tagged_union_schema(choices, discriminator="kind"))
        return union

    @classmethod
    def wrap_slot(cls, schema: CoreSchema) -> CoreSchema:
        """Let a slot accept shorthand; amounts take a bare number."""
        return schema


def kinds(slot: str) -> dict[str, type[Kind]]:
    """All kinds registered in a slot, by tag, in order of registration."""
    return Kind.registry.get(slot, {})


Path = tuple[str | int, ...]


def parts_of(part: Part, path: Path = (), keyed: bool = False) -> Iterator[tuple[Path, Part]]:
    """Walk a part and every part inside it, depth first, with the path that finds it in the JSON.

    With `keyed`, items of a list are named by their id instead of their place and a seed of their own is part of the path, so that
    the path stays the same when items are reordered.
    """
    if keyed and (seed := getattr(part, "seed", 0)):
        path = (*path, f"#{seed}")
    yield path, part
    for name in type(part).model_fields:
        value = getattr(part, name)
        if isinstance(value, Part):
            yield from parts_of(value, (*path, name), keyed)
        elif isinstance(value, list):
            for index, entry in enumerate(value):
                if isinstance(entry, Part):
                    key = (keyed and getattr(entry, "id", None)) or index
                    yield from parts_of(entry, (*path, name, key), keyed)
