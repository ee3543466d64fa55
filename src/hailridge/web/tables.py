"""The table of a frame: windows of it for the page, all of it to take away."""

from __future__ import annotations

import csv
import io
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel, Field

from hailridge.core.looking.tabulating import Table, table_of_frame
from hailridge.formats.clips import file_stem
from hailridge.formats.tables import parquet_of, rows_of_table
from hailridge.store.library import NotYet
from hailridge.web.context import Shared
from hailridge.web.looking import check_names, names_told
from hailridge.web.trials import UNKEPT

router = APIRouter(prefix="/api", tags=["tables"])

MOST_ROWS = 1000

Number = Annotated[int, Field(ge=0, lt=2**53)]
"""The number of a particle."""


class Asked(BaseModel):
    """Which table: its columns and whom it shows as formulas, by which column it is sorted (none: by number), and only whom, where that is said."""

    columns: list[Annotated[str, Field(max_length=4000)]] = Field(max_length=40)
    who: list[str] = Field(default_factory=list, max_length=200)
    where: str = Field("", max_length=4000)
    sort: int | None = Field(None, ge=0, lt=40)
    descending: bool = False
    only: list[Number] | None = Field(None, max_length=10_000)


class Window(Asked):
    """A part of it: `limit` rows from `offset` on; `find` asks in which row a particle is."""

    offset: int = Field(0, ge=0, lt=2**53)
    limit: int = Field(200, ge=1, le=MOST_ROWS)
    find: Number | None = None


class ColumnOut(BaseModel):
    """A column of a window: three numbers a row for vectors, one after the other; null where there is no number. `low` and `high`: of all rows."""

    text: str
    type: Literal["number", "vector", "flag"]
    values: list[float | None]
    low: float | None
    high: float | None
    fault: str


class TableOut(BaseModel):
    """`count` rows in all, `of` before anything was asked of them; `at` is the row of who was looked for."""

    count: int
    of: int
    at: int | None
    ids: list[int]
    groups: list[str]
    columns: list[ColumnOut]
    fault: str


@router.post("/trials/{trial_id}/frames/{number}/table")
def get_table(trial_id: str, number: int, window: Window, context: Shared) -> TableOut:
    """A window of everybody at a frame."""
    trial = context.runs.trial(trial_id)
    table = _table(trial_id, number, window, context)
    part = slice(window.offset, window.offset + window.limit)
    at = np.flatnonzero(table.ids == window.find) if window.find is not None else np.zeros(0)
    labels = [group.id for group in trial.effect.groups]
    columns = []
    for column in table.columns:
        values = column.values[part].reshape(-1)
        fine = np.isfinite(values)
        whole = column.values[np.isfinite(column.values)] if column.type != "vector" else np.zeros(0)
        columns.append(ColumnOut(
            text=column.text, type=column.type, values=[float(value) if there else None for value, there in zip(values, fine, strict=True)],
            low=float(whole.min()) if len(whole) else None, high=float(whole.max()) if len(whole) else None, fault=column.fault,
        ))  # fmt: skip
    return TableOut(
        count=len(table.ids), of=table.of, at=int(at[0]) if len(at) else None, ids=table.ids[part].tolist(),
        groups=[labels[group] for group in table.groups[part]], columns=columns, fault=table.fault,
    )  # fmt: skip


@router.post(
    "/trials/{trial_id}/frames/{number}/table.{ending}", response_class=Response,
    responses={200: {"content": {"text/csv": {}, "text/tab-separated-values": {}, "application/vnd.apache.parquet": {}}}},
)  # fmt: skip
def save_table(trial_id: str, number: int, ending: Literal["csv", "tsv", "parquet"], asked: Asked, context: Shared) -> Response:
    """The whole table as CSV (RFC 4180), with tabs, or as Parquet: a row a particle, its number and group, then the columns; vectors as three."""
    trial = context.runs.trial(trial_id)
    table = _table(trial_id, number, asked, context)
    names, rows = rows_of_table(table, [group.label for group in trial.effect.groups])
    if ending != "parquet":
        out = io.StringIO()
        writer = csv.writer(out, delimiter="," if ending == "csv" else "\t")
        writer.writerow(names)
        writer.writerows(zip(*rows, strict=True))
        body, media = out.getvalue().encode(), "text/csv" if ending == "csv" else "text/tab-separated-values"
    else:
        try:
            body, media = parquet_of(names, rows), "application/vnd.apache.parquet"
        except ImportError:
            raise NotYet("Parquet files need the package pyarrow, which is not installed here; CSV needs nothing") from None
    file = f"{file_stem(trial.effect.name) or 'effect'}-frame-{number}.{ending}"
    return Response(body, media_type=media, headers={"Content-Disposition": f'attachment; filename="{file}"'} | UNKEPT)


def _table(trial_id: str, number: int, asked: Asked, context: Shared) -> Table:
    trial = context.runs.trial(trial_id)
    check_names(trial, asked.who)
    with names_told(), context.runs.moment(trial, number) as moment:
        return table_of_frame(moment, asked.columns, asked.who, asked.where, asked.sort, asked.descending, asked.only)
