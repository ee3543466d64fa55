"""Computing an effect into a file: what cannot be written is found before anything is computed, and what is not finished is not there."""

from __future__ import annotations

import re
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from hailridge.commands.errors import AskedWrongly, CommandError
from hailridge.commands.loading import check_place, load, not_written
from hailridge.shipped import check_known


class Stopped(KeyboardInterrupt):
    """Somebody asked this command to end.

    A class of its own: where KeyboardInterrupt itself passes through `exec`, as in code that a library makes while it is loaded, Python
    remembers it and ends with the signal instead of the exit code, even though it was caught.
    """


def simulate(effect: str, out: Path, frames: str, seed: int | None, changes: list[str], overwrite: bool, console: Console,
             touches: bool = False) -> None:  # fmt: skip
    """Compute frames of an effect and write them, or their `touches`, to `out`, whose suffix says how.

    Raises
    ------
    CommandError
        Where the effect, the range or the place cannot be used.
    Stopped
        Where it was stopped; nothing is left behind then.
    """
    check_known(effect)
    from hailridge.formats.exports import EXTRA, WRITERS, targets
    from hailridge.formats.extras import MissingExtra, needed
    from hailridge.formats.touches import TOUCH_WRITERS
    from hailridge.store.files import SCRAP
    from hailridge.store.room import free

    known = TOUCH_WRITERS if touches else WRITERS
    writer = known.get(out.suffix.lower())
    if writer is None:
        raise AskedWrongly(f"'{out.name or out}' has no known kind; use one of {', '.join(known)}")
    try:
        # Before anything is computed.
        if (extra := EXTRA.get(out.suffix.lower())) is not None:
            needed(extra)
    except MissingExtra as error:
        raise CommandError(str(error)) from None
    check_place(out, [], overwrite)
    document, assets = load(effect, seed, changes)
    first, last = frame_range(frames, document.clock.last_frame)
    check_place(out, targets(out, first, last), overwrite)

    from hailridge.core.step.simulation import Simulation

    simulation = Simulation(document, assets)
    columns = (TextColumn("simulating"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with _told_to_stop() as told, Progress(*columns, console=console, disable=console.quiet) as progress:
        task = progress.add_task("frames", total=last + 1)

        def wanted() -> Iterator[Any]:
            frames = simulation.frames(last)
            while (frame := told.while_computing(lambda: next(frames, None))) is not None:
                progress.advance(task)
                if frame.number >= first:
                    yield frame

        try:
            writer(out, document, wanted())
        except OSError as error:
            raise not_written(out, error) from None
        except (RuntimeError, ValueError) as error:
            # What writes USD has no word for a full disk.
            if free(out.parent) > SCRAP:
                raise
            raise CommandError(f"'{out}' could not be written: no space left on device") from error
    for finding in simulation.findings:
        console.print(f"{finding.level}, frame {finding.frame}: {finding.text}", highlight=False, markup=False)


class Told:
    """Whether somebody asked this command to end. Computing is left at once, in the middle of a step; a kernel that is being loaded,
    or a library that writes, is not thrown into, and asked for no further frame."""

    def __init__(self) -> None:
        from hailridge.core.kernels.compiling import loading

        self.asked = False
        self._computing = False
        self._loading = loading

    def ask(self, _signal: int, _frame: Any) -> None:
        self.asked = True
        if self._computing and not self._loading():
            raise Stopped

    def while_computing(self, work: Callable[[], Any]) -> Any:
        """What the work gives. Raises Stopped where this command was, or is meanwhile, asked to end."""
        self._computing = True
        try:
            if self.asked:
                raise Stopped
            return work()
        finally:
            self._computing = False


@contextmanager
def _told_to_stop() -> Iterator[Told]:
    """Being told to end is like Ctrl+C: what was begun is taken away first."""
    told = Told()
    before = {number: signal.signal(number, told.ask) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield told
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def frame_range(text: str, last: int) -> tuple[int, int]:
    """First and last frame of "A:B", "A:", ":B" or "A" in an effect with frames 0 to `last`."""
    if not text:
        return 0, last
    told = re.fullmatch(r"\s*(\d{0,9})\s*(:?)\s*(\d{0,9})\s*", text)
    if told is None or (not told[1] and not told[3]):
        raise AskedWrongly(f"'{text}' is no range of frames; write A:B, such as 0:48, or one frame; the effect has frames 0 to {last}")
    first = int(told[1] or 0)
    final = first if not told[2] else int(told[3]) if told[3] else last
    if first > final:
        raise AskedWrongly(f"the frames {first} to {final} are not in order; write the first one first, such as {final}:{first}")
    if final > last:
        raise AskedWrongly(f"there is no frame {final}: the effect has frames 0 to {last}; --set clock.duration=… makes it longer")
    return first, final
