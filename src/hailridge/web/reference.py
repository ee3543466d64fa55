"""What the interface is generated from, the published schema, and the guide."""

from __future__ import annotations

import json
from functools import cache
from typing import Any, Literal

import numpy as np
from fastapi import APIRouter, Response
from pydantic import BaseModel

from hailridge.core.kinds.looks.ramps import shipped
from hailridge.core.kinds.words import taken_words
from hailridge.model.catalogue import catalogue, json_schema
from hailridge.model.ramps import SHIPPED
from hailridge.web.context import GUIDE

RAMP_SAMPLES = 33

router = APIRouter(prefix="/api", tags=["reference"])


class FieldOut(BaseModel):
    """One field of a kind, as the interface shows it. `type` decides the editor."""

    name: str
    label: str
    type: str
    default: Any = None
    required: bool
    unit: str | None = None
    low: float | None = None
    high: float | None = None
    soft: list[float] | None = None
    step: float | None = None
    help: str | None = None
    value: str | None = None
    value_from: str | None = None
    words: dict[str, str] | None = None
    to: str | None = None
    only: list[str] | None = None
    but: list[str] | None = None
    only_where: dict[str, list[str]] | None = None
    optional: str | None = None
    many: str | bool | None = None
    slot: str | None = None
    yes: str | None = None
    no: str | None = None
    per_frame: str | None = None
    unit_from: str | None = None
    suggest: str | None = None
    variants: dict[str, dict[str, dict[str, Any]]] | None = None
    measures: str | None = None
    renews: bool | None = None
    opens: dict[str, str] | None = None
    """By the word that is chosen, the sibling whose keyframes say the rest: they are begun and shown then."""
    along: str | None = None
    lookups: dict[str, str] | None = None
    keyable: bool = False
    straight: bool | None = None


class KindOut(BaseModel):
    """A registered kind, or a fixed part of the document: wording, help and fields."""

    kind: str
    title: str
    sentence: str
    help: str
    category: str
    also: str = ""
    leads: bool = False
    fields: list[FieldOut]
    unit: str | None = None
    value_type: str | None = None
    soft: list[float] | None = None
    low: float | None = None
    high: float | None = None
    start: float | None = None
    runs: bool = False
    phase: str | None = None
    only_in: list[str] = []
    """Kinds around it in which alone it works; empty where it works anywhere."""
    single: bool = False
    """Whether an amount is one number, whatever is asked for."""
    places: list[str] | None = None
    facts_as: str = ""
    """The condition that takes facts where this one holds numbers against something."""
    shader: str | None = None


class AttributeOut(BaseModel):
    id: str
    label: str
    unit: str
    value_type: str
    help: str
    soft: list[float]
    low: float | None
    high: float | None
    writable: bool
    also: str = ""
    start: float | list[float]


class CollectionOut(BaseModel):
    """A list of a document: the word for one of its items, by which references name it, and the slot that they are chosen from, if any."""

    word: str
    slot: str


class MeasureOut(BaseModel):
    """What a unit measures, in words, and what the suffixes behind a number are worth in it: a number, the time of a frame, or so much a frame."""

    words: str
    suffixes: dict[str, float | Literal["frame", "per frame"]]


class Catalogue(BaseModel):
    """The whole registry: every slot with its kinds, the fixed parts, the built-in attributes."""

    slots: dict[str, list[KindOut]]
    parts: dict[str, KindOut]
    attributes: list[AttributeOut]
    own_attributes: dict[str, AttributeOut]
    """What an attribute that an effect declares is like, by its type."""
    collections: dict[str, CollectionOut]
    """The lists of a document, in the order in which they are evaluated."""
    units: dict[str, str]
    measures: dict[str, MeasureOut]
    """How numbers with units are typed, by the unit that is meant."""
    group_colors: list[str]
    formula_words: list[str]
    """Words that mean something in every formula, so that no attribute of one's own can be called by them."""
    trigger_places: dict[str, str]
    """Where the actions of a rule stand, by its trigger."""
    parts_of_a_step: list[list[str]]
    """In which order rules are computed and read, by where their actions stand."""
    ramps: dict[str, list[str]]
    """Colour ramps that ship, by name, each as evenly spaced colours (#rrggbb)."""


class Page(BaseModel):
    """A page of the guide, in Markdown."""

    id: str
    title: str
    text: str


@cache
def _catalogue() -> Catalogue:
    return Catalogue.model_validate({**catalogue(), "formula_words": sorted(taken_words()), "ramps": {name: _sampled(name) for name in SHIPPED}})


def _sampled(ramp: str) -> list[str]:
    table = shipped(ramp)
    places = np.linspace(0, len(table) - 1, RAMP_SAMPLES).round().astype(int)
    return ["#" + "".join(f"{round(float(part) * 255):02x}" for part in table[place]) for place in places]


@router.get("/catalogue")
def get_catalogue() -> Catalogue:
    """Everything that an effect can be built from."""
    return _catalogue()


@cache
def _schema() -> bytes:
    return json.dumps(json_schema(), ensure_ascii=False, separators=(",", ":")).encode()


@router.get("/schema", response_model=dict[str, Any])
def get_schema() -> Response:
    """The JSON Schema of the effect document."""
    return Response(_schema(), media_type="application/json")


@router.get("/guide")
def get_guide() -> list[Page]:
    """The pages of the guide, in reading order."""
    pages = []
    for path in sorted(GUIDE.glob("*.md"), key=lambda page: int(page.stem.split("-", 1)[0])):
        text = path.read_text(encoding="utf-8")
        title, _, body = text.partition("\n")
        pages.append(Page(id=path.stem.split("-", 1)[-1], title=title.lstrip("# ").strip(), text=body.strip()))
    return pages
