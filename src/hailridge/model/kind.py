"""The registry: every thing that an effect can be built from is declared once, as a subclass of `Kind`.

A kind carries its document fields, its wording in the score, its help and its computation in one class. The slots (quantity,
amount, condition, action, …) are abstract kinds; a document field typed with a slot accepts every kind registered under it,
told apart by the key ``kind``. The interface is generated from what `catalogue` in `model.catalogue` reads off these classes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self, cast, get_args, get_origin

from annotated_types import Len
from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    ModelWrapValidatorHandler,
    PrivateAttr,
    SerializerFunctionWrapHandler,
    TypeAdapter,
    ValidationError,
    model_serializer,
    model_validator,
)
from pydantic_core import CoreSchema, InitErrorDetails, PydanticCustomError, core_schema

from hailridge.model.curves import Curve, is_keyed
from hailridge.model.fields import keyable, ui_of

if TYPE_CHECKING:
    from hailridge.model.attributes import AttributeInfo, Table

Vector = Annotated[list[float], Len(3, 3)]
"""Three numbers: a place or direction (x, y up, z; metres) or a colour (red, green, blue; linear sRGB 0–1)."""

Value = float | Vector
"""What an amount gives for one particle: a number, or three."""

Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")]
"""A stable id inside a document. Labels may change; ids do not."""

Label = Annotated[str, Field(min_length=1, max_length=80)]

ValueType = Literal["number", "whole", "flag", "vector", "color", "orientation"]
"""What an attribute or a quantity can be. Orientations are given and told as turns about x, y and z (degrees), and kept as unit quaternions."""


RuleMemory = Literal["off", "acted"]
"""What a rule remembers of a particle only where something asks: whether it is switched off for it, when it last acted on it."""

KEYFRAMES_SCHEMA: dict[str, Any] = {
    "type": "object",
    "description": "Keyframes in a number's place: the value follows these keys over time.",
    "properties": {"keys": {"type": "array", "minItems": 1, "items": Curve.model_json_schema()["$defs"]["Key"]}},
    "required": ["keys"],
    "additionalProperties": False,
}


def _moved(detail: Any, name: str) -> InitErrorDetails:
    """An error of a curve, placed under the field that holds it."""
    error = PydanticCustomError("keyframes", "{told}", {"told": detail["msg"].removeprefix("Value error, ")})
    return InitErrorDetails(type=error, loc=(name, *detail["loc"]), input=detail["input"])


@cache
def _field_alone(cls: type[BaseModel], name: str) -> TypeAdapter[Any]:
    """What checks one field of a part by itself."""
    field = cls.model_fields[name]
    whole: Any = Annotated[field.annotation, field]
    return TypeAdapter(whole, config=ConfigDict(strict=True, allow_inf_nan=False))


NO_TRACKS: Mapping[str, Curve] = MappingProxyType({})


class Part(BaseModel):
    """Anything inside an effect document: strict, closed to unknown fields, finite numbers only."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
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
    _address: str = PrivateAttr(default="")
    _tracks: Mapping[str, Curve] | None = PrivateAttr(default=None)
    _written: Mapping[str, Any] | None = PrivateAttr(default=None)

    @property
    def item(self) -> int:
        """The number that keeps this part's random draws apart from all others (32 bits); 0 outside of a plan."""
        # Read where Pydantic keeps it: the ordinary way round takes microseconds, at every draw of every part.
        return int(self.__pydantic_private__["_item"])  # type: ignore[index]

    @property
    def address(self) -> str:
        """Where it stands in its effect, by names of fields and ids of items from the root: "rules/melt/actions/0". Empty outside of a plan."""
        return str(self.__pydantic_private__["_address"])  # type: ignore[index]

    @property
    def tracks(self) -> Mapping[str, Curve]:
        """Keyframes by field. In a scene the field itself holds the value of its time (`core.scene.plan`)."""
        return self.__pydantic_private__["_tracks"] or NO_TRACKS  # type: ignore[index]

    @property
    def written(self) -> Mapping[str, Any]:
        """Fields that are written otherwise than they are read, such as a dial in a shape's place (`model.dialled`)."""
        return self.__pydantic_private__["_written"] or {}  # type: ignore[index]

    def write_as(self, name: str, value: Any) -> None:
        """Told once, when the document is read: how a field is written."""
        self._written = {**self.written, name: value}

    def twin(self, values: Mapping[str, Any], **notes: Any) -> Self:
        """A copy with other values of some fields, and with what a plan notes of a part (its private attributes, without their underscore).

        Whatever else it holds is shared with this one, which stays as it is. The values are not checked: they come from parts that were.
        """
        twin = type(self).__new__(type(self))
        object.__setattr__(twin, "__dict__", {**self.__dict__, **values})
        object.__setattr__(twin, "__pydantic_fields_set__", self.__pydantic_fields_set__)
        object.__setattr__(twin, "__pydantic_extra__", None)
        private = {**(self.__pydantic_private__ or {}), **{f"_{name}": note for name, note in notes.items()}}
        object.__setattr__(twin, "__pydantic_private__", private)
        return twin

    def needs(self) -> tuple[str, ...]:
        """Columns that only some effects have (`core.state.particles.OPTIONAL_COLUMNS`) and that this part reads or writes."""
        return ()

    def remembers(self, attributes: Table) -> Iterator[AttributeInfo]:
        """What it keeps of each particle from step to step: rows of the table of attributes, each id beginning with its own address."""
        return iter(())

    def asks_of_rules(self) -> Iterator[tuple[RuleMemory, str]]:
        """What rules have to remember of each particle on its behalf, with the id of the rule."""
        return iter(())

    def asks_around(self) -> Iterator[tuple[str, str]]:
        """What it reads of neighbourhoods: the id of each, and which of its results (`core.scene.around`)."""
        return iter(())

    def returns_to(self) -> str | None:
        """The attribute whose first values have to be kept on its behalf."""
        return None

    def all_values(self, name: str) -> list[Any]:
        """What a field can be: its one value, or the ends of what its keyframes reach."""
        curve = self.tracks.get(name)
        if curve is None:
            return [getattr(self, name)]
        return [*curve.values(), *curve.extent()] if curve.width() == 1 else curve.values()

    def faults(self, effect: Any) -> Iterator[tuple[str, str]]:
        """What is wrong with this part in its document, beyond what its fields declare: the field's name and words for an artist."""
        return iter(())

    def find(self, effect: Any) -> None:
        """Shown its document before anything else is asked of it: for what depends on other items, such as whether a dial is one number or three."""

    def words(self, name: str) -> str:
        """How the score writes one of the words of a field."""
        chosen = getattr(self, name)
        return str(ui_of(type(self).model_fields[name]).get("words", {}).get(chosen, chosen))

    @classmethod
    def renewed(cls, raw: dict[str, Any]) -> dict[str, Any]:
        """A raw part after a choice that renews its siblings was changed."""
        return raw

    def mentions(self, to: str) -> Iterator[tuple[str, str]]:
        """Ids named elsewhere than in fields that are references, such as in a formula: the field's name and the id."""
        return iter(())

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        # Pydantic would call one function for each class that a part descends from.
        cls.model_post_init = _begin_private  # type: ignore[assignment, method-assign]

    @model_validator(mode="wrap")
    @classmethod
    def _take_keyframes(cls, given: Any, handler: ModelWrapValidatorHandler[Any]) -> Any:
        """Where a number may stand, keyframes may stand in its place: ``{"keys": [{"at": …, "value": …, "ease": …}, …]}``."""
        if type(given) is not dict:
            return handler(given)
        for value in given.values():
            if type(value) is dict and "keys" in value:
                break
        else:
            # As nearly all parts: asked in the shortest way.
            return handler(given)
        keyed = {name: value for name, value in given.items() if is_keyed(value)}
        keyed = {name: value for name, value in keyed.items() if name in cls.model_fields and keyable(cls.model_fields[name])}
        if not keyed:
            return handler(given)
        curves: dict[str, Curve] = {}
        for name, value in keyed.items():
            try:
                curves[name] = Curve.model_validate(value)
            except ValidationError as error:
                raise ValidationError.from_exception_data(cls.__name__, [_moved(detail, name) for detail in error.errors()]) from None
        part = handler({**given, **{name: curve.keys[0].value for name, curve in curves.items()}})
        for name, curve in curves.items():
            # Every value that the curve reaches obeys the field's own limits. The field alone is asked: the whole part again for each value would
            # take a time that grows with every level of nesting.
            for value in [*curve.values(), *(curve.extent() if curve.width() == 1 else ())]:
                try:
                    _field_alone(cls, name).validate_python(value)
                except ValidationError as error:
                    found = [InitErrorDetails(type=e["type"], loc=(name, *e["loc"]), input=e["input"], ctx=e.get("ctx", {})) for e in error.errors()]
                    raise ValidationError.from_exception_data(cls.__name__, found) from None
        part._tracks = curves
        return part

    @model_serializer(mode="wrap")
    def _give_keyframes(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        out: dict[str, Any] = handler(self)
        for name, curve in self.tracks.items():
            out[name] = curve.model_dump()
        out.update(self.written)
        if out.get("id", "") is None:
            # What stands alone needs no id.
            del out["id"]
        return out

    @classmethod
    def __get_pydantic_json_schema__(cls, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        described = handler(schema)
        properties = handler.resolve_ref_schema(described).get("properties", {})
        for name, field in cls.model_fields.items():
            if name in properties and keyable(field):
                properties[name] = {"anyOf": [properties[name], KEYFRAMES_SCHEMA]}
        return described


def _begin_private(part: Part, context: Any) -> None:
    """Private attributes as they are at first."""
    plain, made = _private_of(type(part))
    object.__setattr__(part, "__pydantic_private__", {**plain, **{name: make() for name, make in made}} if made else dict(plain))


@cache
def _private_of(cls: type[Part]) -> tuple[dict[str, Any], tuple[tuple[str, Callable[[], Any]], ...]]:
    """First values of a class's private attributes: those that are shared, and those that each instance gets of its own."""
    declared = cls.__private_attributes__.items()
    plain = {name: attribute.default for name, attribute in declared if attribute.default_factory is None}
    return plain, tuple((name, cast(Any, attribute.default_factory)) for name, attribute in declared if attribute.default_factory is not None)


class Kind(Part):
    """A registered choice within a slot. A subclass with a ``kind`` field is concrete; one without is a slot."""

    slot: ClassVar[str] = ""
    category: ClassVar[str] = ""
    also: ClassVar[str] = ""
    """Other words that one may look for it by."""
    leads: ClassVar[bool] = False
    """Whether it is what is meant where only what it is about is said: "colour" is *set an attribute*, not *take from those found*."""
    only_in: ClassVar[tuple[str, ...]] = ()
    """The kinds of looks within which it may stand; empty for anywhere."""
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


@cache
def declared(cls: type[Part]) -> tuple[tuple[str, dict[str, Any]], ...]:
    """The fields of a class and what is declared of each (`fields.ui_of`), read once."""
    return tuple((name, ui_of(field)) for name, field in cls.model_fields.items())


@cache
def holders(cls: type[Part]) -> tuple[str, ...]:
    """The fields of a class that may hold other parts, alone or in a list."""
    return tuple(name for name, field in cls.model_fields.items() if _may_hold_parts(field.annotation))


@cache
def listing(cls: type[Part]) -> tuple[str, ...]:
    """The fields of a class that hold lists of parts."""
    return tuple(name for name in holders(cls) if get_origin(cls.model_fields[name].annotation) is list)


def _may_hold_parts(annotation: Any) -> bool:
    return (isinstance(annotation, type) and issubclass(annotation, Part)) or any(map(_may_hold_parts, get_args(annotation)))


def parts_of(part: Part, path: Path = ()) -> list[tuple[Path, Part]]:
    """A part and every part inside it, depth first, each with the path that finds it in the JSON."""
    found: list[tuple[Path, Part]] = []

    def visit(part: Part, path: Path) -> None:
        found.append((path, part))
        held = part.__dict__
        for name in holders(type(part)):
            value = held[name]
            if isinstance(value, Part):
                visit(value, (*path, name))
            elif isinstance(value, list):
                for index, entry in enumerate(value):
                    if isinstance(entry, Part):
                        visit(entry, (*path, name, index))

    visit(part, path)
    return found


def part_at(root: Part, path: Iterable[str | int]) -> Any:
    """What stands at a path or an address within a part: items of lists by their place or their id. None where there is nothing."""
    found: Any = root
    for key in path:
        if isinstance(found, Part):
            found = vars(found).get(str(key))
        elif isinstance(found, list):
            named = {vars(entry).get("id"): entry for entry in found if isinstance(entry, Part)}
            at = key if isinstance(key, int) else int(key) if key.isdigit() else -1
            found = named.get(key, found[at] if 0 <= at < len(found) else None)
        else:
            return None
    return found


DIAL = "dial:"
"""What stands before the id of a dial where it is written in the place of a shape (`model.dialled`)."""


def dials_in(value: Any) -> Iterator[str]:
    """The ids of the dials that a field as it is written names."""
    for one in value if isinstance(value, list) else [value]:
        if isinstance(one, str) and one.startswith(DIAL):
            yield one.removeprefix(DIAL)


def references(item: Part, to: str) -> Iterator[tuple[Path, str]]:
    """Every id of something of kind `to` that a part names, with the path of the field that names it."""
    for path, part in parts_of(item):
        for name, ui in declared(type(part)):
            if ui.get("to") == to:
                value = getattr(part, name)
                yield from (((*path, name), one) for one in (value if isinstance(value, list) else [value]) if one is not None)
        yield from (((*path, name), one) for name, one in part.mentions(to))
        if to == "dial":
            yield from (((*path, name), one) for name, value in part.written.items() for one in dials_in(value))
