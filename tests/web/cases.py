"""What tests of the web interface begin with: the application asked without a socket, effects made in it, runs waited for."""

from __future__ import annotations

import time
import unittest
from typing import Any, ClassVar

from tests import sharing
from tests.sharing import HOST

__all__ = ["HOST", "ApiCase"]


class ApiCase(unittest.TestCase):
    """The application of this process, with the library as it began; its workers are the same for all."""

    token: ClassVar[str | None] = None
    own_server: ClassVar[bool] = False
    """Whether the class kills workers, or measures what is stored: then it has an application for itself."""

    @classmethod
    def setUpClass(cls) -> None:
        if cls.own_server or cls.token:
            cls.client, end = sharing.application_of_its_own(cls.token)
            cls.addClassCleanup(end)
        else:
            cls.client = sharing.application()
            sharing.begin_anew()
        cls.context = cls.client.app.state.context  # type: ignore[attr-defined]

    def made(self, raw: dict[str, Any]) -> str:
        answer = self.client.post("/api/effects", json={"document": raw})
        self.assertEqual(answer.status_code, 201, answer.text)
        identifier: str = answer.json()["id"]
        return identifier

    def run_trial(self, effect: str, raw: dict[str, Any] | None = None, wait: bool = True) -> dict[str, Any]:
        answer = self.client.post(f"/api/effects/{effect}/trials", json={"document": raw})
        self.assertEqual(answer.status_code, 200, answer.text)
        trial: dict[str, Any] = answer.json()
        return self.waited(trial["id"]) if wait else trial

    def waited(self, trial: str, seconds: float = 60) -> dict[str, Any]:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            found: dict[str, Any] = self.client.get(f"/api/trials/{trial}").json()
            if found["state"] != "computing":
                return found
            time.sleep(0.02)
        raise AssertionError("the run did not end")
