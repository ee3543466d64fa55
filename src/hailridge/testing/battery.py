"""What every kind has to stand: cases generated from what its fields declare."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from copy import deepcopy
from typing import Any

import numpy as np

from hailridge.core.kernels import threads
from hailridge.core.kernels.compiling import KERNELS, Spans
from hailridge.core.looking.observe import layers, recorded_moment
from hailridge.core.scene.moment import Moment
from hailridge.core.step.simulation import Frame, Simulation
from hailridge.formats.exports import table_of
from hailridge.model.effect import Effect
from hailridge.model.fields import keyable
from hailridge.model.kind import Kind, declared, part_at
from hailridge.model.units import UNITS
from hailridge.model.validation import DocumentError, read_effect
from hailridge.testing.grounds import Placed, assets, placed

FRAMES = 8


def check_kind(cls: type[Kind]) -> None:
    """Put a kind into a small effect and see that it keeps its promises.

    It has words, help and known units. Each of its numbers runs at its limits and is refused in words just beyond. Each that may have keyframes
    runs with them. It works for nobody, one, some and all particles, with the same values however rows are named; whatever the number of threads;
    and resumed from a recorded frame gives the same bytes. What it leaves in a frame is finite and can be exported.

    Raises
    ------
    AssertionError
        Naming the kind, the check and the field.
    """
    for check in (_words, _limits, _keyframes, _rows, _whom, _bytes):
        try:
            check(cls)
        except AssertionError as error:
            raise AssertionError(f"{cls.slot} '{cls.title}', {check.__name__.strip('_')}: {error}") from error


# ── What is declared ────────────────────────────────────────────────────────────────────────────────────────────────────


def _words(cls: type[Kind]) -> None:
    assert cls.title and cls.sentence and cls.help, "needs a title, a sentence and help"
    names = {part.split("}")[0] for part in cls.sentence.split("{")[1:]}
    assert names <= set(cls.model_fields), f"its sentence names {sorted(names - set(cls.model_fields))}, which it has not"
    for name, ui in declared(cls):
        if ui:
            assert ui.get("label"), f"'{name}' has no label"
            assert ui.get("unit", "") in UNITS, f"'{name}' has the unknown unit '{ui['unit']}'"


def _limits(cls: type[Kind]) -> None:
    for name, ui in declared(cls):
        if ui.get("type") not in ("number", "whole"):
            continue
        for side, sign in (("low", -1), ("high", 1)):
            end = ui.get(side)
            if end is None:
                continue
            whole = ui["type"] == "whole"
            _read_and_run(_with(placed(cls), name, int(end) if whole else float(end)), f"'{name}' at {end}", last=1)
            beyond = int(end) + sign if whole else float(end) + sign * max(1e-6, abs(end) * 1e-6)
            try:
                read_effect(_with(placed(cls), name, beyond))
            except DocumentError as error:
                assert "cannot be" in str(error), f"'{name}' at {beyond} is refused, but not in words: {error}"
            else:
                raise AssertionError(f"'{name}' at {beyond} is not refused")


def _keyframes(cls: type[Kind]) -> None:
    for name, _ui in declared(cls):
        if not keyable(cls.model_fields[name]):
            continue
        own = placed(cls)
        value = own.node()[name]
        other = _another(cls, name, value)
        keys = {"keys": [{"at": 0.0, "value": value}, {"at": 0.5, "value": other}]}
        frames = _read_and_run(_with(own, name, keys), f"keyframes on '{name}'", last=3)
        assert frames is None or len(frames) == 4, f"keyframes on '{name}': {len(frames or ())} frames instead of 4"


def _another(cls: type[Kind], name: str, value: Any) -> Any:
    """A value to go to, within the limits."""
    if isinstance(value, list):
        return [entry * 0.5 for entry in value]
    ui = dict(declared(cls))[name]
    low, high = ui.get("low"), ui.get("high")
    wanted = float(value) * 0.5 + 0.01
    return min(max(wanted, -np.inf if low is None else low), np.inf if high is None else high)


# ── What is computed ────────────────────────────────────────────────────────────────────────────────────────────────────


def _rows(cls: type[Kind]) -> None:
    """The same values for a slice and for indices; nobody is nobody."""
    reading: dict[str, Callable[[Any, Moment, Any], Any]] = {
        "quantity": lambda part, moment, rows: part.read(moment, rows),
        "amount": lambda part, moment, rows: part.give(moment, rows),
        "condition": lambda part, moment, rows: part.holds(moment, rows),
    }
    read = reading.get(cls.slot)
    if read is None:
        return
    own = placed(cls)
    effect = read_effect(own.document)
    frame = _run(effect, FRAMES)[-1]
    made = Simulation(effect, assets())
    moment = recorded_moment(made.plan, frame.columns, frame.count, frame.number)
    part = part_at(moment.scene.effect, _as_read(own, effect))
    whole = np.asarray(read(part, moment, moment.everyone()))
    for rows in (np.arange(moment.count), np.array([moment.count // 2]), np.arange(0, moment.count, 3), np.zeros(0, np.intp)):
        some = np.asarray(read(part, moment, rows))
        # One value for all may be given as one.
        expected = whole if whole.ndim == 0 or (whole.ndim == 1 and whole.shape == (3,)) else whole[rows]
        assert np.array_equal(some, expected, equal_nan=True), f"for {len(rows)} rows other values than for all"
        assert some.ndim == 0 or len(some) in (len(rows), 3), f"{len(some)} values for {len(rows)} rows"


def _as_read(own: Placed, effect: Effect) -> tuple[Any, ...]:
    """The path in the effect; a fact stands in a test that was exchanged around it, under the same name."""
    assert effect.problems == [], f"is not right as it is put: {effect.problems[0]}"
    return own.path


def _whom(cls: type[Kind]) -> None:
    """Actions, for nobody, one, some and all."""
    if cls.slot != "action":
        return
    number = {"kind": "number"}
    for words, condition in (
        ("nobody", {"kind": "compare", "quantity": number, "comparison": "below", "threshold": -1.0}),
        ("one", {"kind": "compare", "quantity": number, "comparison": "equal", "threshold": 3.0}),
        ("some", {"kind": "compare", "quantity": {"kind": "own_random"}, "threshold": 0.5}),
        ("all", None),
    ):  # fmt: skip
        own = placed(cls)
        own.document["rules"][3]["condition"] = condition
        frames = _read_and_run(own.document, words, last=FRAMES)
        assert frames is not None, f"for {words}: it is left out"


def _bytes(cls: type[Kind]) -> None:
    """One thread or several, afresh or resumed: the same bytes, finite, ready to be written out and drawn."""
    effect = read_effect(placed(cls).document)
    frames = _run(effect, FRAMES)
    with _shared_out():
        again = _run(effect, FRAMES)
    _same(frames[-1], again[-1], "with three threads")
    made = Simulation(effect, assets())
    middle = frames[3]
    made.resume(middle.columns, middle.count, middle.stand)
    _same(frames[-1], list(made.frames(FRAMES))[-1], "resumed")
    last = frames[-1]
    for name, column in last.columns.items():
        if column.dtype.kind == "f" and not name.startswith("first "):
            assert np.isfinite(column).all(), f"leaves '{name}' not finite"
    table = table_of(effect, last)
    assert all(len(column) == last.count for column in table.values()), "an exported column has another length"
    layers(recorded_moment(made.plan, last.columns, last.count, last.number))


@contextmanager
def _shared_out() -> Iterator[None]:
    """Every kernel shares out whatever it is given, so that few particles show what many would."""
    before, bounds = threads.number_of_threads(), [(kernel, kernel.serial_below) for kernel in KERNELS if isinstance(kernel, Spans)]
    try:
        threads.use_threads(3)
        for kernel, _bound in bounds:
            kernel.serial_below = 1
        yield
    finally:
        threads.use_threads(before)
        for kernel, bound in bounds:
            kernel.serial_below = bound


# ── Shared ──────────────────────────────────────────────────────────────────────────────────────────────────────────────


def _with(own: Placed, name: str, value: Any) -> dict[str, Any]:
    """The document with another value in a field of the kind."""
    document = deepcopy(own.document)
    Placed(document, own.path).node()[name] = value
    return document


def _read_and_run(document: dict[str, Any], words: str, last: int) -> list[Frame] | None:
    """The frames of a document; None where what it asks for is refused in words, since fields can exclude one another."""
    try:
        effect = read_effect(document)
    except DocumentError as error:
        assert all(problem.text for problem in error.problems), f"{words}: refused without a word"
        return None
    try:
        return _run(effect, last)
    except Exception as error:
        raise AssertionError(f"{words}: {type(error).__name__}: {error}") from error


def _run(effect: Effect, last: int) -> list[Frame]:
    return list(Simulation(effect, assets()).frames(last))


def _same(one: Frame, other: Frame, words: str) -> None:
    assert one.count == other.count, f"{words}: {other.count} particles instead of {one.count}"
    for name, column in one.columns.items():
        assert column.tobytes() == other.columns[name].tobytes(), f"{words}: other values of '{name}'"
