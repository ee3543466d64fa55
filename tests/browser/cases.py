"""What browser tests begin with: a page of their own on the server of this process, and what an artist's hand does on it."""

from __future__ import annotations

import json
import re
import unittest
import urllib.request
from pathlib import Path
from typing import Any, ClassVar

from playwright.sync_api import Locator, Page, Request
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from tests import sharing
from tests.browser.serving import WELCOMED, Server

ROOT = Path(__file__).resolve().parents[2]
AXE = ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
PATIENCE = 120_000
"""Milliseconds after which something is taken never to happen: what does is not waited for that long."""


class BrowserCase(unittest.TestCase):
    """Each test has a context of its own, and finds the library with the demos as it began."""

    own_server: ClassVar[bool] = False
    """Whether the class kills its server, or measures what it stores: then it has one for itself."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.browser = sharing.chromium()
        if cls.own_server:
            cls.server = cls.started()
            cls.addClassCleanup(cls.server.end)
        else:
            cls.server = sharing.server()

    @classmethod
    def started(cls) -> Server:
        """A server of the class's own."""
        return Server()

    def setUp(self) -> None:
        self.server.begin_anew()
        self.errors: list[str] = []
        self.asked: dict[Page, set[Request]] = {}
        self.page = self.new_page()

    def tearDown(self) -> None:
        self.page.context.close()
        if died := self.server.death():
            # A page without a server shows all sorts of things; this is what happened.
            self.fail(died)
        self.assertEqual(self.errors, [])

    def new_page(self) -> Page:
        page = self.browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        # The hints of a first visit have a story of their own.
        page.add_init_script(WELCOMED)
        page.set_default_timeout(PATIENCE)
        # What is on its way to be changed: a save, a question whose answer is saved.
        asked: set[Request] = set()
        self.asked[page] = asked
        page.on("request", lambda request: request.method != "GET" and asked.add(request))
        page.on("requestfinished", lambda request: asked.discard(request))
        page.on("requestfailed", lambda request: asked.discard(request))
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        # A shader that does not compile is told by the browser only.
        page.on("console", lambda told: "INVALID_OPERATION" in told.text and self.errors.append(told.text))
        return page

    def open_demo(self, page: Page | None = None) -> Page:
        page = page or self.page
        page.goto(self.server.url)
        page.get_by_role("heading", name="Hail on the tin roof").click()
        self.wait_computed(page)
        return page

    def open_made(self, raw: dict[str, Any]) -> None:
        """Open an effect that is made of this document."""
        made = sharing.post(f"{self.server.url}/api/effects", {"document": raw})
        self.page.goto(f"{self.server.url}/effects/{made['id']}")
        self.wait_computed()

    def open_named(self, name: str) -> None:
        self.page.goto(self.server.url)
        self.page.get_by_role("heading", name=name).click()
        # Wherever its card was, nothing of the studio is pointed at.
        self.page.mouse.move(640, 2)
        self.wait_computed()

    def wait_computed(self, page: Page | None = None) -> None:
        """All frames of what was asked for last: until the server has answered, those of the run before are told."""
        page = page or self.page
        self.answered(50, page)
        page.get_by_text("all frames computed").wait_for()

    def seek(self, frame: int) -> None:
        """Type a frame. A panel that closes late takes the focus back, and with it what was typed: then it is typed again."""
        shown = self.page.locator(f'[data-testid=stage][data-frame="{frame}"]')
        for patience in (PATIENCE / 3, PATIENCE / 3, PATIENCE):
            self.page.get_by_test_id("frame").fill(str(frame))
            self.page.get_by_test_id("frame").press("Enter")
            try:
                shown.wait_for(timeout=patience)
                break
            except PlaywrightTimeout:
                if patience == PATIENCE:
                    raise
        self.page.evaluate("document.activeElement.blur()")

    def new_effect(self, page: Page | None = None, starter: str = "Fountain") -> None:
        page = page or self.page
        page.get_by_role("button", name="New effect", exact=True).click()
        page.get_by_role("button", name=re.compile(f"^{starter}")).click()

    def lens(self, part: str) -> None:
        """Open the lens at one of its parts, or turn to it where it is open."""
        folded = self.page.get_by_role("button", name=f"Open: {part}")
        if folded.count():
            folded.click()
        else:
            self.page.get_by_role("tab", name=re.compile(f"^{part}")).click()

    def rule(self, name: str) -> Locator:
        return self.page.get_by_role("listitem", name=name, exact=True)

    def held(self, name: str) -> int:
        text = self.rule(name).locator("[data-count]").first.get_attribute("data-count")
        return int(text or 0)

    def population(self, group: str) -> int:
        value = self.page.get_by_test_id("playhead").get_attribute("aria-valuetext") or ""
        found = re.search(rf"(\d+) {group}", value)
        return int(found[1]) if found else -1

    def until(self, truth: Any, what: str) -> None:
        for _ in range(PATIENCE // 100):
            if truth():
                return
            self.page.wait_for_timeout(100)
        raise AssertionError(f"never: {what}; there stood {self.standing()}")

    def standing(self) -> str:
        """What is open and what is said on the page now: where it was another machine's page, this is all one sees of it."""
        parts = self.page.locator("[role=dialog], [role=alert], [role=status]").all_inner_texts()
        return " | ".join(" ".join(part.split()) for part in parts if part.strip())

    def drag_threshold(self, start: float, end: float) -> Locator:
        """Drag a line on the open distribution between two shares of its width, in one go."""
        line = self.page.get_by_role("slider", name=re.compile("Threshold on the distribution"))
        box, before = line.bounding_box(), None
        while box != before:
            # The box that it stands in finds its place once it knows how large it is: on a busy machine that takes a while.
            self.page.wait_for_timeout(150)
            box, before = line.bounding_box(), box
        assert box
        self.page.mouse.move(box["x"] + box["width"] * start, box["y"] + 30)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] * end, box["y"] + 30, steps=5)
        self.page.mouse.up()
        return line

    def moved_by_key(self, name: str, key: str) -> None:
        """Pick this up by its handle, move it by an arrow key and put it down; what is spoken meanwhile says that it came."""
        spoken = self.page.locator("[id^=DndLiveRegion]")
        self.page.get_by_role("button", name=f"Move {name}").focus()
        for pressed, heard in (("Enter", "is picked up"), (key, "goes to the place of"), ("Enter", "is put down")):
            self.page.keyboard.press(pressed)
            try:
                spoken.get_by_text(f"{name} {heard}").wait_for(state="attached", timeout=PATIENCE / 12)
            except PlaywrightTimeout:
                # Pressed in the very moment before the page had measured where things lie: who hears nothing presses again.
                self.page.keyboard.press(pressed)
                spoken.get_by_text(f"{name} {heard}").wait_for(state="attached")

    def typed_over(self, editor: Locator, text: str) -> None:
        """Paste this in place of all that an editor of formulas holds.

        Playwright's own `fill` chooses behind the editor's back: what a line gives, should it arrive in that moment, becomes text; and lines that it
        inserts are read back by the editor from the page, now and then with one more at the end."""
        editor.focus()
        self.page.keyboard.press("Control+a")
        editor.evaluate(
            """(node, text) => {
                const clipboardData = new DataTransfer();
                clipboardData.setData("text/plain", text);
                node.dispatchEvent(new ClipboardEvent("paste", { clipboardData, bubbles: true, cancelable: true }));
            }""",
            text,
        )

    def settled(self) -> None:
        """Everything that was done has been asked, answered and saved."""
        self.answered()
        self.saved()

    def answered(self, after: int = 100, page: Page | None = None) -> None:
        """The server has answered all that the page has asked so many milliseconds from now."""
        page = page or self.page
        page.wait_for_timeout(after)
        self.until(lambda: not self.asked[page], "the server has answered")

    def taken(self) -> None:
        """What was added or exchanged is there, and has opened the box of its first value."""
        self.answered()
        self.page.wait_for_timeout(50)

    def document(self) -> dict[str, Any]:
        """The document of the effect on the page, as it is saved once everything that was done is."""
        self.settled()
        found: dict[str, Any] = json.load(urllib.request.urlopen(self.page.url.replace("/effects/", "/api/effects/")))["document"]
        return found

    def saved(self) -> None:
        self.page.get_by_test_id("saving").get_by_text("saved", exact=True).wait_for()

    def violations(self, page: Page) -> list[str]:
        page.evaluate(AXE.read_text())
        found = page.evaluate(
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']})"
        )
        return [
            f"{entry['id']}: {entry['nodes'][0]['target']} {entry['nodes'][0]['failureSummary'][:200]}"
            for entry in found["violations"]
            if entry["impact"] in ("serious", "critical")
        ]
