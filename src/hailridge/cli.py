"""The command line: serve the application, simulate effects, check documents, print the schema, measure."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn
from rich.text import Text

from hailridge import __version__

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    help="Hailridge: particle effects written as sentences, seen as they work. "
    "Exit codes: 0 done, 1 could not be done (or a check found errors), 2 asked wrongly, 130 stopped by Ctrl+C.",
)
console = Console(stderr=True)

DEFAULT_DATA = Path("data")


INTERRUPTED = 130
"""Exit code of what was stopped by Ctrl+C, as shells have it. 0: done; 1: could not be done, or a check found errors; 2: asked wrongly."""


@contextmanager
def _told() -> Iterator[None]:
    """What cannot be done is told in red, and is exit code 1; what was asked wrongly, 2."""
    from hailridge.commands.errors import CommandError

    try:
        yield
    except CommandError as error:
        for line in error.lines:
            console.print(Text(line, style="red"), soft_wrap=True)
        raise typer.Exit(error.code) from None


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"hailridge {__version__}")
        raise typer.Exit


@app.callback()
def options(
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version and end.")] = False,
) -> None:
    """What holds for all commands."""


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
    from hailridge.commands.serving import serve as serve_now

    with _told():
        serve_now(data, host, port, token, allow_host or [], demo)


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
    out: Annotated[Path, typer.Option(help="File to write: .parquet, .csv, .ply, .usdc or .npz. Its folder has to be there.")],
    frames: Annotated[str, typer.Option(help="First and last frame, as A:B, or one frame; default is all.")] = "",
    seed: Annotated[int | None, typer.Option(help="Another seed than the document's.")] = None,
    set_value: Annotated[list[str] | None, typer.Option("--set", help="Change a value: dial=value, or path=value (clock.duration=2).")] = None,
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace files that are there.")] = False,
    touches: Annotated[bool, typer.Option("--touches", help="Write what touched what, where and how hard (CSV or Parquet), not particles.")] = False,
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="Say nothing but what is wrong.")] = False,
) -> None:
    """Compute an effect and write its frames to an open format. What is stopped (Ctrl+C) leaves nothing behind."""
    from hailridge.commands.simulating import simulate as simulate_now

    with _told():
        try:
            simulate_now(effect, out, frames, seed, set_value or [], overwrite, Console(stderr=True, quiet=quiet), touches)
        except KeyboardInterrupt:
            console.print("stopped; nothing was written", highlight=False)
            raise typer.Exit(INTERRUPTED) from None


@app.command()
def check(
    effects: Annotated[list[str], typer.Argument(help="Documents, names of demos, or folders of documents.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print what was found as JSON.")] = False,
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="Say nothing of effects that are right.")] = False,
) -> None:
    """Tell what is wrong with effects, and what will probably not do what was meant. Exit code 1 where one cannot be used as it is."""
    from hailridge.commands.checking import check as check_now

    with _told():
        reports = check_now(effects)
        if as_json:
            typer.echo(json.dumps([report.as_dict() for report in reports], indent=1))
        for report in reports if not as_json else ():
            if quiet and not report.wrong:
                continue
            if len(reports) > 1:
                typer.echo(f"{report.name}:")
            for line in report.lines():
                typer.echo(("  " if len(reports) > 1 else "") + line, err=bool(report.problem))
        if any(report.wrong for report in reports):
            raise typer.Exit(1)


@app.command("export")
def export_command(
    effects: Annotated[list[str], typer.Argument(help="Effects of the library by name or id, documents by file, or demos.")],
    out: Annotated[Path | None, typer.Option(help="File to write; by default named after the first effect.")] = None,
    data: Annotated[Path, typer.Option(help="Folder of the library.")] = DEFAULT_DATA,
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace a file that is there.")] = False,
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="Say nothing but what is wrong.")] = False,
) -> None:
    """Write effects, with their meshes and pictures, to one file that another library can import."""
    import hailridge.core  # noqa: F401  (loads the registry)
    from hailridge.commands.travelling import export_effects

    with _told():
        path = export_effects(effects, out, data, overwrite)
        if not quiet:
            typer.echo(f"{path} holds {len(effects)} effect{'s' if len(effects) > 1 else ''}")


@app.command("import")
def import_command(
    files: Annotated[list[Path], typer.Argument(help="Files that 'export', or the library page, wrote.")],
    data: Annotated[Path, typer.Option(help="Folder of the library; made if there is none.")] = DEFAULT_DATA,
    quiet: Annotated[bool, typer.Option("--quiet", "-q", help="Say nothing but what is wrong.")] = False,
) -> None:
    """Take effects from files into a library."""
    from hailridge.commands.travelling import import_effects

    with _told():
        for name in import_effects(files, data):
            if not quiet:
                typer.echo(f"imported '{name}'")


@app.command()
def schema(
    types: Annotated[bool, typer.Option("--types", help="Its structure alone, for the front end's types.")] = False,
) -> None:
    """Print the JSON Schema of the effect document."""
    import hailridge.core  # noqa: F401
    from hailridge.model.catalogue import document_types, json_schema

    typer.echo(json.dumps(document_types(), separators=(",", ":")) if types else json.dumps(json_schema(), indent=2))


@app.command()
def warm() -> None:
    """Compile all kernels, so that no one waits at the first play."""
    from hailridge.core.kernels.warm import warm as compile_all

    with Progress(TextColumn("compiling kernels"), BarColumn(), MofNCompleteColumn(), TextColumn("{task.description}"), console=console) as progress:
        task = progress.add_task("", total=None)
        seconds = compile_all(lambda name, done, total: progress.update(task, completed=done, total=total, description=name))
        progress.update(task, description="ready", completed=1, total=1)
    typer.echo(f"kernels ready after {seconds:.1f} s")


@app.command()
def openapi() -> None:
    """Print the OpenAPI description of the web interface, from which the front end's types are generated."""
    from hailridge.web.app import create_app

    typer.echo(json.dumps(create_app(Path(os.devnull).parent).openapi(), indent=1, sort_keys=True))


@app.command()
def bench(as_json: Annotated[bool, typer.Option("--json", help="Print the figures as JSON.")] = False) -> None:
    """Measure what was promised, and print it as a table or as JSON."""
    from hailridge.commands.errors import CommandError

    script = Path(__file__).resolve().parents[2] / "benchmarks" / "run.py"
    with _told():
        if not script.is_file():
            raise CommandError("the benchmarks come with the source, not with an installed package")
    raise typer.Exit(subprocess.call([sys.executable, str(script), *(["--json"] if as_json else [])]))


if __name__ == "__main__":
    app()
