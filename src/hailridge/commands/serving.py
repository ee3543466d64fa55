"""Starting the server: first the port, then the data folder, then the application; whatever is in the way is told in one line."""

from __future__ import annotations

import json
import signal
import socket
from pathlib import Path

from hailridge.commands.errors import AskedWrongly, CommandError
from hailridge.store.errors import StorageError

ANYWHERE = {"0.0.0.0", "::"}
HERE = {"127.0.0.1", "localhost", "::1"}


def serve(data: Path, host: str, port: int, token: str | None, allowed: list[str], demo: bool) -> None:
    """Serve until told to stop.

    Raises
    ------
    CommandError
        Where the port is taken or no port, the folder cannot be used or has a server, or a token is missing.
    """
    if host not in HERE and not token:
        raise AskedWrongly("listening beyond this machine needs a token: add --token, and keep it secret")
    # The port comes first: a server that cannot have it has not touched the data.
    listening = listen(host, port)
    try:
        _serve(data, listening, host, token, allowed, demo)
    except StorageError as error:
        raise CommandError(str(error)) from None
    finally:
        listening.close()


def _serve(data: Path, listening: socket.socket, host: str, token: str | None, allowed: list[str], demo: bool) -> None:
    from hailridge.runs import forking
    from hailridge.store.claim import Claim
    from hailridge.store.database import Database

    port = listening.getsockname()[1]
    shown = socket.gethostname() if host in ANYWHERE else f"[{host}]" if ":" in host else host
    address = f"http://{shown}:{port}"
    claim = Claim(data, address)
    try:
        Database(data).close()
        # Workers load beside what is loaded here.
        forking.begin()
        # What computes takes seconds to load; that the folder cannot be used is known by now.
        import typer
        import uvicorn

        from hailridge.core.kernels.cached import ready_file
        from hailridge.core.kernels.warm import warm
        from hailridge.web.app import create_app
        from hailridge.web.security import LOCAL, names_of_this_machine

        if demo:
            seed_demos(data)
        names = names_of_this_machine() if host in ANYWHERE else set()
        hosts = frozenset(LOCAL | names | {f"[{host}]" if ":" in host else host.lower(), *(name.lower() for name in allowed)})
        application = create_app(data, hosts=hosts, token=token, any_address=host in ANYWHERE, claim=claim)
        if not ready_file().exists():
            typer.echo("Compiling the kernels, once, in about a minute…")
            warm()
        server = uvicorn.Server(uvicorn.Config(application, log_level="warning", ws_per_message_deflate=False))
        # Ctrl+C is how a server is told to end; an exception in the middle of its beginning would leave a traceback.
        signal.signal(signal.SIGINT, lambda *_: setattr(server, "should_exit", True))
        typer.echo(f"Hailridge is at {address}" + (f"/?token={token}" if token else ""))
        server.run(sockets=[listening])
    finally:
        claim.let_go()


def listen(host: str, port: int) -> socket.socket:
    """A socket that listens at an address, or CommandError."""
    if not 0 <= port <= 65535:
        raise AskedWrongly(f"there is no port {port}; ports go from 0 to 65535")
    try:
        family, _type, _protocol, _name, address = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0]
    except OSError as error:
        raise CommandError(f"'{host}' is no address of this machine: {error.strerror}") from None
    listening = socket.socket(family, socket.SOCK_STREAM)
    try:
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind(address)
        listening.listen(2048)
    except OSError as error:
        listening.close()
        if isinstance(error, PermissionError):
            raise CommandError(f"port {port} may not be used without special rights; give another with --port") from None
        if "in use" in str(error.strerror):
            raise CommandError(f"port {port} is taken by another program, perhaps another Hailridge; give another with --port") from None
        raise CommandError(f"nobody can listen at {host}, port {port}: {error.strerror}") from None
    return listening


def seed_demos(data: Path) -> None:
    """Put the demo effects into the library, those that are not there yet; what a user changed or deleted is left alone."""
    import hailridge.core  # noqa: F401
    from hailridge import demo
    from hailridge.model.validation import read_effect
    from hailridge.store.database import Database
    from hailridge.store.library import Library

    database = Database(data)
    try:
        library = Library(database)
        for name, mesh in demo.meshes().items():
            library.add_mesh(name, mesh, rename=False)
        marker = data / "demos.json"
        known = _seeded(marker)
        for name in reversed(demo.names()):
            if name not in known:
                library.create(read_effect(demo.document(name)), demo=name, poster=demo.poster(name))
        try:
            marker.write_text(json.dumps(sorted(known | set(demo.names()))), encoding="utf-8")
        except OSError as error:
            raise StorageError(f"{marker} cannot be written: {error.strerror}") from None
    finally:
        database.close()


def _seeded(marker: Path) -> set[str]:
    """The demos that were put in before."""
    try:
        known = json.loads(marker.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return set()
    except (OSError, ValueError):
        known = None
    if not isinstance(known, list) or not all(isinstance(name, str) for name in known):
        raise StorageError(f"{marker} is damaged: it should list the demos that were put in. Delete it to put them in again.")
    return set(known)
