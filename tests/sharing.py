"""What a process of the tests has once: Chromium, a server that pages talk to, an application without a socket, workers.

A test finds the library as it began; computed frames stay, as they do for an artist who comes back. A class that kills, fills or measures asks
for one of its own (`own_server`).
"""

from __future__ import annotations

import atexit
import json
import sqlite3
import tempfile
import time
import urllib.request
from collections.abc import Callable
from contextlib import ExitStack, closing
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from fastapi.testclient import TestClient
    from playwright.sync_api import Browser, Playwright

    from tests.browser.serving import Server

HOST = "http://127.0.0.1:8600"

_open = ExitStack()


def close() -> None:
    """Let go of everything."""
    _open.close()
    for made in (_playwright, chromium, server, application):
        made.cache_clear()


# Whoever runs a module by itself closes nothing.
atexit.register(close)


@cache
def _playwright() -> Playwright:
    from playwright.sync_api import sync_playwright

    made = sync_playwright().start()
    _open.callback(made.stop)
    return made


@cache
def chromium() -> Browser:
    """A running browser. Tests have contexts of their own in it."""
    from tests.browser.serving import CHROMIUM, FLAGS

    browser = _playwright().chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    _open.callback(browser.close)
    return browser


@cache
def server() -> Server:
    """A server as users start it, with the demos."""
    from tests.browser.serving import Server

    made = Server()
    _open.callback(made.end)
    return made


@cache
def application() -> TestClient:
    """The application with its workers, asked without a socket; its data begin with the demos."""
    client, end = application_of_its_own()
    _open.callback(end)
    return client


def application_of_its_own(token: str | None = None) -> tuple[TestClient, Callable[[], None]]:
    """The same for one class, and what ends it."""
    from hailridge.runs import forking

    # Workers load beside what is loaded here.
    forking.begin()
    from fastapi.testclient import TestClient

    from hailridge.commands.serving import seed_demos
    from hailridge.web.app import create_app

    with ExitStack() as stack:
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory()))
        seed_demos(folder)
        client = TestClient(create_app(folder, token=token), base_url=HOST)
        stack.enter_context(client)
        context = client.app.state.context  # type: ignore[attr-defined]
        context.beginning = Beginning(folder)
        assert context.pool.wait_ready(120)
        return client, stack.pop_all().close
    raise AssertionError("not reached")


def begin_anew() -> None:
    """The shared application's library as it began, nothing running."""
    context = application().app.state.context  # type: ignore[attr-defined]
    let_end(context.database.folder, context.runs.stop)
    context.beginning.put_back()


class Beginning:
    """The effects, versions, files and settings of a data folder at one moment, put back between tests while its server runs."""

    def __init__(self, folder: Path) -> None:
        self.file, self.kept = folder / "hailridge.sqlite", folder / "beginning.sqlite"
        with closing(sqlite3.connect(self.file)) as source, closing(sqlite3.connect(self.kept)) as target:
            source.backup(target)

    def put_back(self) -> None:
        """Each table gets its rows back, all at once."""
        with closing(sqlite3.connect(self.file, timeout=30, isolation_level=None)) as connection:
            connection.execute("ATTACH ? AS beginning", (str(self.kept),))
            connection.execute("PRAGMA foreign_keys = OFF")
            connection.execute("BEGIN IMMEDIATE")
            for (table,) in connection.execute("SELECT name FROM main.sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'").fetchall():
                connection.execute(f'DELETE FROM main."{table}"')
                connection.execute(f'INSERT INTO main."{table}" SELECT * FROM beginning."{table}"')
            connection.execute("COMMIT")


SOON = 1.5
"""Seconds that a run which nobody waits for any more may take to its end: one that is stopped takes its process along, and a new one takes longer."""


def let_end(folder: Path, stop: Callable[[str], Any]) -> None:
    """What the last test left running ends, by itself if that is soon."""
    until = time.monotonic() + SOON
    while _running(folder):
        if time.monotonic() > until:
            for effect in _running(folder):
                stop(effect)
            return
        time.sleep(0.05)


def _running(folder: Path) -> list[str]:
    """The effects of a data folder whose frames are being computed."""
    asked = "SELECT DISTINCT effect_id FROM trials JOIN bakes ON bakes.key = trials.bake_key WHERE bakes.state = 'computing'"
    with closing(sqlite3.connect(folder / "frames.sqlite", timeout=30)) as connection:
        return [effect for (effect,) in connection.execute(asked)]


def post(url: str, body: Any) -> Any:
    """Post JSON and read the answer."""
    request = urllib.request.Request(url, json.dumps(body).encode(), {"Content-Type": "application/json"})
    return json.load(urllib.request.urlopen(request))
