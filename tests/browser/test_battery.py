"""Every kind of every slot, chosen and edited in the page (`tests.browser.battery`): a fifth by the seed of the day, all of them at night."""

from __future__ import annotations

import json
import urllib.request
from typing import Any

from hailridge.model.kind import Kind
from tests.browser.battery import Ground, Hand, check_amounts, check_in_page
from tests.browser.cases import PATIENCE, BrowserCase
from tests.seeds import SEED, some
from tests.sharing import post

SHARE = 0.2

CASES = [(slot, tag) for slot, members in Kind.registry.items() for tag in members if slot]
DRAWN = some(CASES, SHARE, "page")

KNOWN: dict[tuple[str, str, str], str] = {}
"""Faults that are named in the issue on the page, by slot, kind and field; one that is mended has to go from here."""

LONGEST = 4000
"""Milliseconds that one step may take: what is not there by then is missing."""


class Battery(BrowserCase):
    def opened(self, document: dict[str, Any]) -> Hand:
        made = post(f"{self.server.url}/api/effects", {"document": document})["id"]
        self.page.set_default_timeout(PATIENCE)
        self.page.goto(f"{self.server.url}/effects/{made}")
        self.wait_computed()
        self.page.set_default_timeout(LONGEST)
        address = f"{self.server.url}/api/effects/{made}"

        def saved() -> dict[str, Any]:
            self.settled()
            found: dict[str, Any] = json.load(urllib.request.urlopen(address))["document"]
            return found

        return Hand(self.page, saved)

    def go_through(self, slot: str) -> None:
        for tag in [tag for other, tag in DRAWN if other == slot]:
            ground = Ground(Kind.registry[slot][tag])
            found = {(slot, tag, field): fault for field, fault in check_in_page(ground, self.opened(ground.document))}
            with self.subTest(f"{slot} '{tag}' (seed {SEED})"):
                news = [f"{field or 'choosing it'}: {fault}" for (_slot, _tag, field), fault in found.items() if (slot, tag, field) not in KNOWN]
                self.assertEqual(news, [])
                mended = [key for key in KNOWN if key[:2] == (slot, tag) and key not in found]
                self.assertEqual(mended, [], "no longer a fault: take it from the list")

    def test_values_that_vary(self) -> None:
        """A number, a direction and a colour as every kind of amount; formulas are typed."""
        ground = Ground(Kind.registry["action"]["wind"])
        document = ground.document
        document["sources"][0]["color"] = {"kind": "fixed", "value": [0.9, 0.5, 0.2]}
        document["rules"][2]["actions"] = [
            {"kind": "set", "attribute": "radius", "amount": 0.04},
            {"kind": "set", "attribute": "velocity", "amount": {"kind": "fixed", "value": [0.0, 1.0, 0.0]}},
        ]
        hand = self.opened(document)
        for path, wide in ((("rules", 2, "actions", 0, "amount"), False), (("rules", 2, "actions", 1, "amount"), True), (("sources", 0, "color"), True)):
            with self.subTest(f"{path} (seed {SEED})"):
                self.assertEqual(list(check_amounts(ground, hand, path, wide)), [])


def _test(slot: str) -> Any:
    def test(self: Battery) -> None:
        self.go_through(slot)

    test.__doc__ = f"The kinds of '{slot}' that are drawn."
    return test


for _slot in dict(DRAWN):
    setattr(Battery, f"test_{_slot}", _test(_slot))
