"""Changing what stands in a place of a document, with values taken from what the particles have now."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from hailridge.core.looking.suggesting import present_attribute, present_quantity
from hailridge.model.beginning import NothingFits
from hailridge.model.exchanging import exchanged, referred
from hailridge.model.validation import DocumentError, read_effect
from hailridge.store.library import NotFound
from hailridge.web.context import Context, Shared
from hailridge.web.looking import pieces

router = APIRouter(prefix="/api", tags=["effects"])


PATIENCE = 0.4
"""Seconds that are waited for the frame of which values are taken."""


class Change(BaseModel):
    """Another `kind` at `path` (or one more, where the path ends just behind a list), or another `value` in a field that others follow.

    `given` are fields of the new part that are known already. `trial` and `frame` tell of which particles values to begin with are taken.
    """

    document: dict[str, Any]
    path: list[str | int] = Field(min_length=1, max_length=60)
    kind: str | None = Field(None, max_length=60)
    value: Any = None
    given: dict[str, Any] = Field(default_factory=dict)
    trial: str | None = Field(None, max_length=64)
    frame: int = Field(0, ge=0)


class Changed(BaseModel):
    """The document after the change, or why there is none."""

    document: dict[str, Any] | None
    refused: str = ""


@router.post("/exchange")
def exchange(change: Change, context: Shared) -> Changed:
    """The document with that change, and with whatever follows from it: references filled, values of the right type and size."""
    path = tuple(change.path)
    tell = _teller(context, change.trial, change.frame) if change.trial else None
    try:
        if change.kind is None:
            return Changed(document=referred(change.document, path, change.value, tell))
        return Changed(document=exchanged(change.document, path, change.kind, tell, change.given))
    except NothingFits as error:
        return Changed(document=None, refused=str(error))
    except (LookupError, TypeError, ValueError):
        raise NotFound("there is no such place in the document") from None
    except AttributeError:
        # Of a document that is none, what is wrong with it is told; otherwise the mistake is ours.
        read_effect(change.document)
        raise


def _teller(context: Context, trial_id: str, frame: int) -> Any:
    """Answers what the particles of a trial have at a frame; nothing where that cannot be told."""

    def tell(sort: str, what: Any, who: list[str]) -> dict[str, Any] | None:
        with suppress(NotFound, DocumentError, KeyError, AssertionError):
            trial = context.runs.trial(trial_id)
            known = [group for group in who if group in trial.plan.group_index]
            # What was edited just now is being computed: a moment's patience gives values to begin with.
            context.runs.await_frame(trial, frame, PATIENCE)
            with context.runs.moment(trial, frame, passing=True) as moment:
                if sort == "quantity":
                    quantity = pieces(quantity=what).quantity
                    found = None if quantity is None or quantity.value_type == "flag" else present_quantity(moment, quantity, known)
                else:
                    found = present_attribute(moment, str(what), known)
                return None if found is None else vars(found)
        return None

    return tell
