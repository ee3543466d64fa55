"""The whole web interface under generated requests: whatever comes, no answer is a 500. Requests are made by schemathesis from the OpenAPI description."""

from __future__ import annotations

import json
import time
import unittest
import warnings
from typing import Any

import httpx
import schemathesis
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st

from hailridge import demo
from tests.seeds import NIGHT, SEED, some
from tests.support import compare, rule
from tests.web.cases import ApiCase

EXAMPLES = 40 if NIGHT else 8
"""Requests for each operation."""

PLACES = 0.5
"""Share of a document's places at which odd values are put."""

TEXTS = ["\ud800", "a\udfffb", "\x00", "é" * 90, "", "x" * 5000, "../../etc/passwd", "１２"]
NUMBERS = [10**400, -(10**400), 2**63, 2**53 + 1, -1, 1e308, float("nan"), float("inf"), True]


class WholeApi(ApiCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.effect = cls.client.get("/api/effects").json()[-1]["id"]
        trial = cls.client.post(f"/api/effects/{cls.effect}/trials", json={}).json()
        cls.known = {"effect_id": cls.effect, "trial_id": trial["id"], "number": 3, "revision": 1, "frame": 3}
        while cls.client.get(f"/api/trials/{trial['id']}").json()["computed"] < 5:
            time.sleep(0.02)

    def asked(self, method: str, url: str, **parts: Any) -> int:
        try:
            answer = self.client.request(method, url, **parts)
        except (UnicodeEncodeError, httpx.InvalidURL):
            # What cannot be put on the wire cannot be asked either.
            return 0
        self.assertLess(answer.status_code, 500, f"{method} {url} {str(parts)[:600]}: {answer.text[:300]}")
        return answer.status_code

    def test_generated_requests(self) -> None:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            schema = schemathesis.openapi.from_dict(self.client.app.openapi())  # type: ignore[attr-defined]
        operations, statuses = [result.ok() for result in schema.get_all_operations()], set()
        self.assertGreater(len(operations), 60)
        for operation in operations:

            @seed(SEED)
            @settings(max_examples=EXAMPLES, database=None, deadline=None, suppress_health_check=list(HealthCheck))
            @given(case=operation.as_strategy(), real=st.booleans())
            def ask(case: Any, real: bool) -> None:
                if real:
                    # Half of the requests concern something that is there.
                    case.path_parameters = {**(case.path_parameters or {}), **{k: v for k, v in self.known.items() if k in (case.path_parameters or {})}}
                sent = case.as_transport_kwargs(base_url="http://127.0.0.1:8600")
                headers = {name: value for name, value in sent.pop("headers").items() if name.lower() not in ("host", "user-agent")}
                if "json" in sent:
                    # Escaped, so that what is no text comes through.
                    sent["content"] = json.dumps(sent.pop("json"))
                    headers["content-type"] = "application/json"
                parts = {name: value for name, value in sent.items() if name in ("params", "data", "files", "content")}
                statuses.add(self.asked(sent["method"], sent["url"], headers=headers, **parts))

            ask()
        self.assertGreaterEqual(statuses, {200, 404, 422})

    def test_odd_values_anywhere_in_a_document(self) -> None:
        """Texts and numbers that no page would send, in every place of a document, one at a time."""
        effect = self.made(demo.document("hail-on-the-tin-roof"))
        whole = self.client.get(f"/api/effects/{effect}").json()["document"]
        whole["rules"] = [json.loads(json.dumps(rule({"kind": "gravity"}, condition=compare("age", "above", 1.0))))]
        places = list(_places(whole))
        self.assertGreater(len(places), 150)
        for number, path in some(list(enumerate(places)), PLACES, "places"):
            for odd in (TEXTS[number % len(TEXTS)], NUMBERS[number % len(NUMBERS)], [0.1, 0.2], None, {}):
                body = json.dumps({"document": _with(whole, path, odd)})
                where = ("POST", f"/api/effects/{effect}/trials") if number % 2 else ("POST", "/api/effects")
                self.asked(*where, content=body, headers={"content-type": "application/json"})


def _places(node: Any, path: tuple[Any, ...] = ()) -> Any:
    entries = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in entries:
        yield (*path, key)
        yield from _places(value, (*path, key))


def _with(node: Any, path: tuple[Any, ...], value: Any) -> Any:
    if not path:
        return value
    copy = dict(node) if isinstance(node, dict) else list(node)
    copy[path[0]] = _with(node[path[0]], path[1:], value)
    return copy


if __name__ == "__main__":
    unittest.main()
