"""Keeping order in a library, and what an artist sees at its edges: files that travel, runs that wait, meshes in other units, a token."""

from __future__ import annotations

import base64
import json
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect

from tests.browser.cases import PATIENCE, BrowserCase
from tests.sharing import post
from tests.support import compare, document, rule

HEAVY = document(
    rule({"kind": "gravity"}, condition=compare({"kind": "neighbours", "distance": 100.0}, "at_least", 1e9)),
    count=120_000,
    clock={"duration": 60.0},
)
"""Every particle counts all others: one step takes many seconds."""


class Library(BrowserCase):
    own_server = True
    whole = True

    def setUp(self) -> None:
        super().setUp()
        expect.set_options(timeout=PATIENCE)
        self.page.goto(self.server.url)
        self.names().first.wait_for()

    def names(self, page: Page | None = None) -> Any:
        return (page or self.page).locator("li[data-effect] h2")

    def more(self, name: str, entry: str) -> None:
        self.page.get_by_role("button", name=f"More for {name}", exact=True).click()
        self.page.get_by_role("menuitem", name=entry).click()

    def made(self, raw: dict[str, Any]) -> str:
        identifier: str = post(f"{self.server.url}/api/effects", {"document": raw})["id"]
        return identifier

    def told(self) -> dict[str, int]:
        answer: dict[str, int] = json.load(urllib.request.urlopen(f"{self.server.url}/api/storage"))
        return answer

    def test_finding_ordering_renaming_copying(self) -> None:
        page = self.page
        page.keyboard.press("/")
        page.keyboard.type("wind gate")
        expect(self.names()).to_have_count(1)
        expect(self.names()).to_have_text(["Chaff in the wind gate"])
        page.keyboard.type(" of nobody")
        page.get_by_text("No effect has ‘wind gate of nobody’").wait_for()
        page.keyboard.press("Escape")
        page.get_by_label("Order of the effects").select_option("name")
        found = self.names().all_text_contents()
        self.assertEqual(found, sorted(found, key=str.lower))
        # A copy has a picture at once; renamed in place, it stands where its name belongs.
        self.more("Paper slips", "Make a copy")
        card = page.locator("li[data-effect]", has=page.get_by_role("heading", name="Paper slips (copy)"))
        expect(card.locator("img")).to_have_js_property("complete", True)
        self.more("Paper slips (copy)", "Rename")
        page.get_by_label("New name for Paper slips (copy)").wait_for()
        page.wait_for_timeout(100)
        page.keyboard.type("A colder night")
        page.keyboard.press("Enter")
        expect(self.names().first).to_have_text("A colder night")
        self.names().first.click()
        expect(page.get_by_label("Name of the effect")).to_have_value("A colder night")

    def test_several_at_once_away_and_back(self) -> None:
        page = self.page
        for name in ("North", "South"):
            self.made(document() | {"name": name})
        page.reload()
        self.names().first.wait_for()
        before = self.names().count()
        self.more("North", "Choose several")
        page.get_by_role("checkbox", name="Choose South").click()
        page.get_by_role("toolbar").get_by_text("2 chosen").wait_for()
        with page.expect_download() as coming:
            page.get_by_role("button", name="Save to one file").click()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        file = Path(folder.name) / coming.value.suggested_filename
        coming.value.save_as(file)
        self.assertTrue(file.name.endswith(".hailridge.zip"))
        page.get_by_role("toolbar").get_by_role("button", name="Delete").click()
        expect(self.names()).to_have_count(before - 2)
        # Taken back at once, and again from among the deleted.
        page.get_by_role("status").get_by_role("button", name="Bring back").click()
        expect(self.names()).to_have_count(before)
        self.more("North", "Delete")
        expect(self.names()).to_have_count(before - 1)
        page.get_by_role("button", name="1 deleted…").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_text("goes in 30 days").wait_for()
        dialog.get_by_role("button", name="Bring back").click()
        expect(self.names()).to_have_count(before)
        page.keyboard.press("Escape")
        # For good is asked for twice.
        self.more("South", "Delete")
        page.get_by_role("button", name="1 deleted…").click()
        dialog.get_by_role("button", name="Delete for good").click()
        dialog.get_by_text("goes in 30 days").wait_for()
        dialog.get_by_role("button", name="Yes, for good").click()
        dialog.get_by_text("Nothing here any more.").wait_for()
        page.keyboard.press("Escape")
        before -= 1
        # What was saved comes in again, by its button and by being dropped on the page.
        page.get_by_label("Bring in effects from files").set_input_files(file)
        page.get_by_text("Brought in ‘").wait_for()
        expect(self.names()).to_have_count(before + 2)
        self.dropped(file)
        expect(self.names()).to_have_count(before + 4)
        page.get_by_label("Bring in effects from files").set_input_files({"name": "odd.zip", "mimeType": "", "buffer": b"no zip"})
        page.get_by_role("alert").get_by_text("'odd.zip' is no file of effects, or damaged").wait_for()
        expect(self.names()).to_have_count(before + 4)

    def dropped(self, file: Path) -> None:
        """A file let go over the page, as the browser tells it."""
        handle = self.page.evaluate_handle(
            """([data, name]) => { const transfer = new DataTransfer();
            transfer.items.add(new File([Uint8Array.from(atob(data), (c) => c.charCodeAt(0))], name)); return transfer; }""",
            [base64.b64encode(file.read_bytes()).decode(), file.name],
        )
        self.page.dispatch_event("main", "dragover", {"dataTransfer": handle})
        self.page.get_by_text("Drop to bring it into the library").wait_for()
        self.page.dispatch_event("main", "drop", {"dataTransfer": handle})

    def test_storage_is_told_and_given_back(self) -> None:
        page = self.page
        page.get_by_role("heading", name="Hail on the tin roof").click()
        self.wait_computed()
        page.get_by_role("link", name="Back to the library").click()
        before = self.told()["frames"]
        self.assertGreater(before, 5_000_000)
        # Pictures above it come as one goes there: nothing is to move under the pointer.
        page.get_by_role("button", name="Storage…").scroll_into_view_if_needed()
        page.wait_for_timeout(1500)
        page.get_by_role("button", name="Storage…").click()
        page.get_by_label("What computed frames may take").select_option("1000000000")
        expect(page.get_by_text("of at most 1 GB")).to_be_attached()
        self.assertEqual(self.told()["limit"], 1_000_000_000)
        page.get_by_role("button", name="Let all frames go").click()
        page.keyboard.press("Escape")
        # Those that were looked at last may stay; a deleted effect takes its frames along.
        self.more("Hail on the tin roof", "Delete")
        until = time.monotonic() + 30
        while self.told()["frames"] > before - 5_000_000 and time.monotonic() < until:
            time.sleep(0.2)
        self.assertLess(self.told()["frames"], before - 5_000_000)
        page.get_by_role("status").get_by_role("button", name="Bring back").click()
        page.get_by_role("heading", name="Hail on the tin roof").click()
        self.wait_computed()

    def test_what_a_version_changed(self) -> None:
        page = self.page
        identifier = self.made(document(rule({"kind": "gravity"}, id="fall", label="Fall")) | {"name": "Compared"})
        page.goto(f"{self.server.url}/effects/{identifier}")
        self.wait_computed()
        page.get_by_label("Name of the effect").fill("Compared well")
        page.get_by_label("Name of the effect").press("Enter")
        page.get_by_test_id("saving").get_by_text("saved").wait_for()
        page.get_by_role("button", name="Versions").click()
        page.get_by_role("button", name="What version 2 changed").click()
        page.get_by_text("name: 'Compared' → 'Compared well'").wait_for()
        page.get_by_role("button", name="What version 1 changed").click()
        page.get_by_text("Nothing is different from the version before.").wait_for()
        page.get_by_role("tab", name="changed since").click()
        page.get_by_text("name: 'Compared' → 'Compared well'").wait_for()

    def test_a_mesh_in_millimetres(self) -> None:
        page = self.page
        page.goto(f"{self.server.url}/effects/{self.made(document())}")
        self.wait_computed()
        corners = "\n".join(f"v {x} {y} {z}" for x in (0, 2000) for y in (0, 300) for z in (0, 400))
        faces = "f 1 2 4 3\nf 5 7 8 6\nf 1 5 6 2\nf 3 4 8 7\nf 1 3 7 5\nf 2 6 8 4\n"
        page.get_by_label("Mesh file").set_input_files({"name": "long-crate.obj", "mimeType": "", "buffer": f"# Kiste für Größe\n{corners}\n{faces}".encode("latin-1")})
        page.get_by_text("‘Long crate’ is 2,000 m across. Was it modelled in another unit?").wait_for()
        page.get_by_role("button", name="Millimetres: make it 2 m").click()
        expect(page.get_by_text("Was it modelled in another unit?")).to_have_count(0)
        page.get_by_role("listitem", name="Long crate").get_by_text("0.001").first.wait_for()

    def stop_all(self) -> None:
        for effect in json.load(urllib.request.urlopen(f"{self.server.url}/api/effects")):
            urllib.request.urlopen(urllib.request.Request(f"{self.server.url}/api/effects/{effect['id']}/stop", b"")).read()

    def test_a_run_that_waits_says_so_and_stop_is_heard(self) -> None:
        self.addCleanup(self.stop_all)
        pages = []
        for number in range(3):
            raw = json.loads(json.dumps(HEAVY)) | {"name": f"Heavy {number}"}
            raw["clock"]["seed"] = number
            page = self.new_page()
            self.addCleanup(page.context.close)
            page.goto(f"{self.server.url}/effects/{self.made(raw)}")
            page.get_by_text("computing frame").wait_for()
            pages.append(page)
        # A light one in between is there at once.
        self.page.goto(f"{self.server.url}/effects/{self.made(document(clock={'seed': 77}))}")
        self.wait_computed()
        crowd = self.new_page()
        self.addCleanup(crowd.context.close)
        raw = json.loads(json.dumps(HEAVY)) | {"name": "Heavy 3"}
        raw["clock"]["seed"] = 3
        crowd.goto(f"{self.server.url}/effects/{self.made(raw)}")
        everybody = [*pages, crowd]
        # They take turns: whoever waits now computes in a moment.
        self.until(lambda: any(self.waits(page) for page in everybody), "somebody is told that a run waits")
        for page in pages:
            if not self.waits(page):
                page.get_by_role("button", name="Stop", exact=True).click()
                page.get_by_text("stopped at frame").wait_for()

    def waits(self, page: Page) -> bool:
        return page.get_by_text("waiting at").count() > 0


class WithToken(BrowserCase):
    def test_the_printed_address_opens_the_page_and_leaves_no_token(self) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        options = ["--demo", "--data", folder.name, "--host", "0.0.0.0", "--token", "cold-night", "--port", str(port)]
        server = subprocess.Popen([sys.executable, "-m", "hailridge.cli", "serve", *options], stdout=subprocess.PIPE, text=True)
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        assert server.stdout is not None
        self.addCleanup(server.stdout.close)
        line = server.stdout.readline()
        self.assertIn("?token=cold-night", line)
        page = self.page
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                page.goto(f"http://127.0.0.1:{port}/?token=cold-night")
                break
            except Exception:
                time.sleep(0.1)
        page.get_by_role("heading", name="Hail on the tin roof").click()
        self.wait_computed(page)
        self.assertNotIn("token", page.url)
        self.assertNotIn("cold-night", page.evaluate("document.cookie + performance.getEntriesByType('resource').map((e) => e.name).join(' ')"))
        page.goto(f"http://127.0.0.1:{port}/")
        page.get_by_role("heading", name="Hail on the tin roof").wait_for()
        stranger = self.new_page()
        self.addCleanup(stranger.context.close)
        stranger.goto(f"http://127.0.0.1:{port}/")
        stranger.get_by_text("A token is needed: open the address that was printed").wait_for()
