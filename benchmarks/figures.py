"""What a measurement gives, and the plain client with which served ones ask."""

from __future__ import annotations

import json
import os
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from statistics import median
from typing import Any

from playwright.sync_api import Browser, sync_playwright
from tests import sharing
from tests.browser.serving import CHROMIUM, FLAGS, Server

TINY = bool(os.environ.get("HAILRIDGE_TINY"))
"""Whether only to see that everything can be measured (`tests/test_benchmarks.py`): few particles, few turns, one server and one browser for all."""


def size(count: int, least: int = 100) -> int:
    """So many particles; few of them where it is only to be seen that it works."""
    return max(least, count // 100) if TINY else count


def turns(number: int, least: int = 2) -> int:
    """So many repetitions."""
    return min(number, least) if TINY else number


def pause(seconds: float) -> None:
    """Wait until the machine has come to rest."""
    time.sleep(0.1 if TINY else seconds)


def thinned(raw: Any) -> Any:
    """A document of the demos; with few particles where it is only to be seen that it works."""
    for source in raw["sources"] if TINY else ():
        emission = source["emission"]
        for name in emission.keys() & {"count", "rate"}:
            emission[name] = max(1, emission[name] // 50)
    return raw


@contextmanager
def served() -> Iterator[Server]:
    """A server of its own, with the demos."""
    if TINY:
        server = sharing.server()
        server.begin_anew()
        yield server
        return
    with Server() as server:
        yield server


@contextmanager
def browsing() -> Iterator[Browser]:
    """A browser of its own."""
    if TINY:
        yield sharing.chromium()
        return
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


@dataclass
class Figure:
    """One measured number. `goal` is the promise, `better` says which side of it is good; without a goal it is only reported.

    Goals in time are stated for the machine of the yardstick and grow with `slowness` (`benchmarks.yardstick`); so do rates, which `in_time` marks.
    """

    name: str
    value: float
    unit: str
    goal: float | None
    better: str = "lower"
    reference: str = ""
    ratio: float | None = None
    in_time: bool = False
    slowness: float = 1.0

    @property
    def goal_here(self) -> float | None:
        """The goal for this machine at this time."""
        if self.goal is None or not (self.in_time or (self.unit in ("s", "ms") and self.better == "lower")):
            return self.goal
        return self.goal * self.slowness if self.better == "lower" else self.goal / self.slowness

    @property
    def reached(self) -> bool:
        goal = self.goal_here
        return goal is None or (self.value <= goal if self.better == "lower" else self.value >= goal)


def timed(work: Callable[[], Any], times: int = 5) -> float:
    """Median seconds of several runs after one that is not counted."""
    work()
    seconds = []
    for _ in range(turns(times)):
        start = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - start)
    return median(seconds)


class Client:
    """A plain HTTP client for the running server."""

    def __init__(self, url: str) -> None:
        self.url = url

    def get(self, path: str) -> bytes:
        body: bytes = urllib.request.urlopen(self.url + path, timeout=120).read()
        return body

    def post(self, path: str, body: Any) -> bytes:
        request = urllib.request.Request(self.url + path, json.dumps(body).encode(), {"Content-Type": "application/json"})
        answer: bytes = urllib.request.urlopen(request, timeout=120).read()
        return answer

    def json(self, path: str, body: Any = None, method: str | None = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.url + path, data, {"Content-Type": "application/json"}, method=method)
        return json.loads(urllib.request.urlopen(request, timeout=120).read())


def computed(client: Client, effect: str, document: Any, frame: int) -> str:
    """Ask for a trial and wait until a frame of it is computed."""
    trial: str = client.json(f"/api/effects/{effect}/trials", {"document": document, "frame": frame})["id"]
    while client.json(f"/api/trials/{trial}")["computed"] <= frame:
        time.sleep(0.004)
    return trial


def delivered(client: Client, trial: str, frame: int, least: int) -> bytes:
    """A frame of a trial as soon as it is there: at least so many bytes, where a word that it is not yet has fewer."""
    while len(block := client.get(f"/api/trials/{trial}/frames/{frame}?wait=3")) <= least:
        time.sleep(0.002)
    return block
