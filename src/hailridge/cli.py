"""The command line: serve the application, simulate effects, check documents, print the schema, measure."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Annotated, Any, cast

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

app = typer.Typer(add_completion=False, no_args_is_help=True, help="Hailridge: particle effects written as sentences, seen as they work.")
console = Console(stderr=True)

DEFAULT_DATA = Path("data")


def _fail(message: str) -> typer.Exit:
    console.print(f"[red]{message}[/red]", highlight=False, soft_wrap=True)
    return typer.Exit(1)


@app.command()
def serve(
    data: Annotated[Path, typer.Option(help="Folder that keeps effects and computed frames; it has one server at a time.")] = DEFAULT_DATA,
    port: Annotated[int, typer.Option(help="Port on this machine; 0 takes a free one.")] = 8600,
    host: Annotated[str, typer.Option(help="Address to listen on; anything but this machine needs a token.")] = "127.0.0.1",
    token: Annotated[str | None, typer.Option(help="Token asked of every request.", envvar="HAILRIDGE_TOKEN")] = None,
    allow_host: Annotated[list[str] | None, typer.Option(help="Another name under which pages may reach this server.")] = None,
    demo: Annotated[bool, typer.Option("--demo", help="Put the demo effects into an empty library.")] = False,
) -> None:
    """Serve the application."""
    from hailridge.serving import ServingError
    from hailridge.serving import serve as serve_now

    try:
        serve_now(data, host, port, token, allow_host or [], demo)
    except ServingError as error:
        raise _fail(str(error)) from None


@app.command()
def demos() -> None:
    """List the demo effects."""
    import hailridge.core  # noqa: F401
    from hailridge import demo

    for name in demo.names():
        raw = demo.document(name)
        typer.echo(f"{name:28} {raw['summary']}")


@app.command()
def simulate(
    effect: Annotated[str, typer.Argument(help="A document's file, or the name of a demo effect.")],
    out: Annotated[Path, typer.Option(help="File to write: .parquet, .csv, .ply, .usdc or .npz.")],
    frames: Annotated[str, typer.Option(help="First and last frame, as A:B; default is all.")] = "",
    seed: Annotated[int | None, typer.Option(help="Another seed than the document's.")] = None,
    set_value: Annotated[list[str] | None, typer.Option("--set", help="Change a value: dial=value, or path=value (clock.duration=2).")] = None,
) -> None:
    """Compute an effect and write its frames to an open format."""
    from hailridge.core.engine.simulation import Simulation
    from hailridge.formats.exports import WRITERS

    writer = WRITERS.get(out.suffix.lower())
    if writer is None:
        raise _fail(f"'{out.name}' has no known kind; use one of {', '.join(WRITERS)}")
    document, assets = _load(effect, seed, set_value or [])
    first, last = _range(frames, document.clock.last_frame)
    simulation = Simulation(document, assets)
    columns = (TextColumn("simulating"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console) as progress:
        task = progress.add_task("frames", total=last + 1)

        def wanted() -> Any:
            for frame in simulation.frames(last):
                progress.advance(task)
                if frame.number >= first:
                    yield frame

        try:
            writer(out, document, wanted())
        except OSError as error:
            raise _fail(f"'{out}' could not be written: {error.strerror}") from None
    for finding in simulation.findings:
        console.print(f"{finding.level}, frame {finding.frame}: {finding.text}", highlight=False)


def _range(text: str, last: int) -> tuple[int, int]:
    if not text:
        return 0, last
    try:
        start, end = (int(part) if part else None for part in text.split(":"))
    except ValueError:
        raise _fail(f"'{text}' is no range of frames; write A:B, such as 0:48") from None
    first, final = start or 0, last if end is None else min(end, last)
    if first > final or first < 0:
        raise _fail(f"the frames {first} to {final} are not in order; the effect has frames 0 to {last}")
    return first, final


def _load(name: str, seed: int | None = None, changes: list[str] | None = None) -> tuple[Any, Any]:
    """A document and its meshes, from a file (meshes beside it) or a demo's name."""
    import hailridge.core  # noqa: F401
    from hailridge import demo
    from hailridge.core.assets import Assets
    from hailridge.formats.folder import FolderAssets
    from hailridge.model.validation import DocumentError, read_effect

    try:
        if name in (*demo.names(), demo.STARTER):
            raw, assets = demo.document(name), cast(Assets, demo.assets())
        else:
            path = Path(name)
            raw, assets = json.loads(path.read_text(encoding="utf-8")), FolderAssets(path.parent, demo.assets())
        if seed is not None:
            raw.setdefault("clock", {})["seed"] = seed
        for change in changes or []:
            _set(raw, change)
        return read_effect(raw), assets
    except FileNotFoundError:
        raise _fail(f"'{name}' is neither a file nor a demo; the demos are {', '.join(demo.names())}") from None
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise _fail(f"'{name}' is not JSON: {error}") from None
    except DocumentError as error:
        for problem in error.problems:
            console.print(f"[red]error[/red] {problem}", highlight=False)
        raise typer.Exit(1) from None


def _set(raw: Any, change: str) -> None:
    path, _equals, text = change.partition("=")
    # A dial goes by its id alone.
    for index, dial in enumerate(raw.get("dials", [])):
        if dial.get("id") == path:
            path = f"dials.{index}.value"
    node, *keys = raw, *path.split(".")
    try:
        value = json.loads(text)
        for key in keys[:-1]:
            node = node[int(key)] if isinstance(node, list) else node.setdefault(key, {})
        node[int(keys[-1]) if isinstance(node, list) else keys[-1]] = value
    except (ValueError, LookupError, TypeError, AttributeError):
        raise _fail(f"'{change}' cannot be set; write path=value, such as rules.2.condition.threshold=10") from None


@app.command()
def check(effect: Annotated[str, typer.Argument(help="A document's file, or the name of a demo effect.")]) -> None:
    """Tell what is wrong with an effect, and what will probably not do what was meant."""
    from hailridge.core.advisories import advise
    from hailridge.model.validation import place_in_words

    document, _assets = _load(effect)
    found = advise(document)
    raw = document.model_dump()
    for advisory in found:
        typer.echo(f"{advisory.level}  {place_in_words(raw, tuple(advisory.item))}: {advisory.text}")
    typer.echo(f"{len(found)} advisories" if found else "nothing to remark")
    if any(advisory.level == "error" for advisory in found):
        raise typer.Exit(1)


@app.command()
def schema() -> None:
    """Print the JSON Schema of the effect document."""
    import hailridge.core  # noqa: F401
    from hailridge.model.catalogue import json_schema

    typer.echo(json.dumps(json_schema(), indent=2))


@app.command()
def warm() -> None:
    """Compile all kernels, so that no one waits at the first play."""
    from hailridge.core.warm import warm as compile_all

    with Progress(TextColumn("compiling kernels"), BarColumn(), MofNCompleteColumn(), TextColumn("{task.description}"), console=console) as progress:
        task = progress.add_task("", total=None)
        seconds = compile_all(lambda name, done, total: progress.update(task, completed=done, total=total, description=name))
        progress.update(task, description="ready", completed=progress.tasks[0].total or 0)
    typer.echo(f"kernels ready after {seconds:.1f} s")


@app.command()
def openapi() -> None:
    """Print the OpenAPI description of the web interface, from which the front end's types are generated."""
    from hailridge.web.app import create_app

    typer.echo(json.dumps(create_app(Path(os.devnull).parent).openapi(), indent=1, sort_keys=True))


@app.command()
def bench(as_json: Annotated[bool, typer.Option("--json", help="Print the figures as JSON.")] = False) -> None:
    """Measure what was promised, and print it as a table or as JSON."""
    script = Path(__file__).resolve().parents[2] / "benchmarks" / "run.py"
    if not script.is_file():
        raise _fail("the benchmarks come with the source, not with an installed package")
    raise typer.Exit(subprocess.call([sys.executable, str(script), *(["--json"] if as_json else [])]))


if __name__ == "__main__":
    app()
