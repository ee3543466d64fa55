"""Values where artists edit them: taken back, kept in proportion, set at a time; bands and ramps that begin at natural ends; frames."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Locator

from tests.browser.cases import BrowserCase
from tests.support import document, rule

PULL = {"kind": "gravity", "acceleration": 5.0}
FPS = 24


class Values(BrowserCase):
    def opened(self, *rules: Any, **more: Any) -> None:
        self.open_made(document(*(rules or (rule(PULL, id="pull", label="Pull"),)), **{"count": 40, "clock": {"duration": 2.0}} | more))
        self.wait_computed()

    def chip(self, item: str, value: str) -> Locator:
        return self.rule(item).get_by_role("button", name=re.compile(f"^{value}: ")).first

    def typed(self, text: str, key: str = "Enter") -> None:
        self.page.locator("input:focus").wait_for()
        self.page.keyboard.type(text)
        self.page.keyboard.press(key)
        self.page.get_by_role("dialog").wait_for(state="detached")

    def kept(self, *path: str | int) -> Any:
        self.saved()
        node: Any = self.document()
        for key in path:
            node = node[key]
        return node

    def test_a_list_of_what_is_unsaid_stays_while_it_is_edited(self) -> None:
        """What was edited left the list for the sentence, its box closed and the focus was lost."""
        self.opened(rule({"kind": "turbulence"}, id="stir", label="Stir"))
        page, card = self.page, self.rule("Stir")
        card.hover()
        card.get_by_role("button", name=re.compile("^More of")).last.click()
        values = page.get_by_role("dialog", name=re.compile("^More of"))
        chips = values.locator(".chip[data-value]")
        before = chips.count()
        self.assertGreater(before, 2)
        # Seeds, of which one is as good as another, come last.
        self.assertRegex(chips.last.get_attribute("aria-label") or "", "^Seed")
        chips.first.click()
        for text in ("4", "0.3"):
            page.locator("input:focus").wait_for()
            page.keyboard.type(text)
            page.keyboard.press("Tab")
        page.locator("input:focus").wait_for()
        self.assertEqual(chips.count(), before)
        page.keyboard.press("Escape")
        shown = [chip.get_attribute("aria-label") or "" for chip in chips.all()]
        self.assertTrue(shown[0].endswith(": 4") and shown[1].endswith(": 0.3"), shown)

    def test_a_small_value_takes_its_spread_along(self) -> None:
        self.opened(source={"radius": {"kind": "spread", "value": 1.0, "spread": 0.5}})
        self.chip("Source", "Radius").click()
        self.page.locator("input:focus").wait_for()
        self.page.keyboard.type("0.2")
        self.page.keyboard.press("Enter")
        self.page.get_by_text("Its spread went with it, in proportion: ± 0.1 m.").wait_for()
        radius = self.kept("sources", 0, "radius")
        self.assertEqual((radius["value"], radius["spread"]), (0.2, 0.1))

    def test_a_value_at_two_times_is_two_actions(self) -> None:
        """A click on the value, and *20 at 1 s*: what is there stays at the beginning; the box and the row below show the key at the playhead."""
        self.opened()
        page = self.page
        self.chip("Pull", "Acceleration").click()
        self.typed("20 at 1 s")
        keys = self.kept("rules", 0, "actions", 0, "acceleration", "value", "keys")
        self.assertEqual([(key["at"], key["value"]) for key in keys], [(0.0, 5.0), (1.0, 20.0)])
        self.chip("Pull", "Acceleration").click()
        self.typed("8 at 12 f")
        keys = self.kept("rules", 0, "actions", 0, "acceleration", "value", "keys")
        self.assertEqual([(key["at"], key["value"]) for key in keys], [(0.0, 5.0), (0.5, 8.0), (1.0, 20.0)])
        self.seek(FPS)
        row = page.get_by_role("region", name="Keyframes")
        self.until(lambda: "20" in [box.input_value() for box in row.locator("input").all()], "the key at the playhead")
        # What has no number before it, and what is no time, is told.
        self.chip("Pull", "Acceleration").click()
        page.locator("input:focus").wait_for()
        page.keyboard.type("4 at noon")
        page.keyboard.press("Enter")
        page.get_by_role("dialog").get_by_text("“noon” is no number").wait_for()

    def test_time_from_a_curve_leads_to_its_keys(self) -> None:
        self.opened()
        page = self.page
        clock = page.locator("[data-item=clock]")
        clock.hover()
        clock.get_by_role("button", name="All values of Clock").click()
        values = page.get_by_role("dialog", name="All values of Clock")
        values.get_by_role("button", name="the clock", exact=True).click()
        page.get_by_role("menuitem", name="a curve").click()
        row = page.get_by_role("region", name="Keyframes")
        row.get_by_text("Clock · effect time").wait_for()
        clock_now = self.kept("clock")
        self.assertEqual(clock_now["time_from"], "curve")
        self.assertEqual([(key["at"], key["value"], key["ease"]) for key in clock_now["effect_time"]["keys"]], [(0, 0, "linear"), (2, 2, "linear")])
        # One deliberate act, one step of undo; pins at the ends are whole.
        edges = row.evaluate("row => [...row.querySelectorAll('[aria-label^=\"Key \"]')].map(pin => pin.getBoundingClientRect()).flatMap(box => [box.left, box.right])")
        inner = row.bounding_box()
        assert inner
        self.assertTrue(inner["x"] <= min(edges) and max(edges) <= inner["x"] + inner["width"], edges)
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        self.until(lambda: self.kept("clock")["time_from"] == "clock", "undone at once")
        self.assertEqual(self.kept("clock")["effect_time"], 0.0)

    def test_times_that_are_set_by_the_frame_read_in_frames(self) -> None:
        self.opened()
        self.chip("Source", "Lifetime").click()
        self.typed("100 f")
        self.rule("Source").get_by_role("button", name="Lifetime: 100 frames").wait_for()
        self.assertAlmostEqual(self.kept("sources", 0, "lifetime", "value"), 100 / FPS, places=5)
        self.chip("Source", "Lifetime").click()
        self.typed("ever")
        self.rule("Source").get_by_role("button", name="Lifetime: ever").wait_for()
        self.assertEqual(self.population("A"), 40)

    def test_an_action_and_a_condition_begin_anew(self) -> None:
        condition = {"kind": "compare", "quantity": {"kind": "age"}, "threshold": {"kind": "fixed", "value": 0.3}}
        self.opened(rule(PULL, id="pull", label="Pull", condition=condition))
        page, card = self.page, self.rule("Pull")
        page.locator('[data-exchange="rules/0/actions/0"]').first.click()
        page.get_by_role("button", name="All its values as they begin").click()
        page.get_by_text("Its values began anew.").wait_for()
        page.keyboard.press("Escape")
        self.assertEqual(self.kept("rules", 0, "actions", 0, "acceleration"), {"kind": "fixed", "value": 9.81})
        card.get_by_role("button", name=re.compile("^Threshold")).hover()
        card.get_by_role("button", name="Change this condition").click()
        page.get_by_role("menuitem", name="all its values as they begin").click()
        self.until(lambda: self.kept("rules", 0, "condition", "threshold", "value") != 0.3, "begun anew")

    def test_a_new_group_is_named_at_once(self) -> None:
        self.opened()
        page = self.page
        page.get_by_role("button", name="Add group").click()
        page.locator("input:focus").wait_for()
        # Letters that are keys elsewhere.
        page.keyboard.type("Gut")
        page.keyboard.press("Enter")
        self.until(lambda: [group["label"] for group in self.kept("groups")][-1] == "Gut", "named")
        self.assertEqual(page.get_by_role("dialog").count(), 0)


class Colours(BrowserCase):
    def layer(self) -> Any:
        self.saved()
        return self.document()["looks"][0]["layers"]

    def test_bands_and_ramps_begin_at_natural_ends_and_are_typed(self) -> None:
        """Bands of age stood as *bands of 0.39 s from 0.05 s*."""
        raw = document(count=500, source={"emission": {"kind": "rate", "rate": 120.0}}, clock={"duration": 3.0})
        raw["looks"] = [{"kind": "balls", "id": "b", "layers": []}]
        self.open_made(raw)
        self.wait_computed()
        self.seek(60)
        page = self.page
        look = page.locator('section[aria-label="Looks"] li[data-item]').first
        look.click(position={"x": 300, "y": 8})
        look.get_by_role("button", name="in their own colour").click()
        page.keyboard.type("bands")
        page.keyboard.press("Enter")
        self.until(lambda: len(self.layer()) == 1, "bands")
        page.keyboard.press("Escape")
        bands = self.layer()[0]
        self.assertEqual((bands["kind"], bands["start"]), ("bands", 0.0))
        self.assertIn(f"{bands['width']:.0e}"[0], "125")
        # A swatch puts the cursor into its box of digits, Tab goes on to the next.
        look.get_by_role("button", name=re.compile("^Colours: ")).click()
        box = page.get_by_role("dialog", name="Colours")
        box.get_by_role("button", name="Type colour 2").click()
        page.keyboard.type("tomato")
        page.keyboard.press("Tab")
        page.keyboard.type("#123456")
        page.keyboard.press("Enter")
        box.wait_for(state="detached")
        colours = [[round(255 * part) for part in color] for color in self.layer()[0]["colors"]]
        self.assertEqual(colours[1:3], [[255, 99, 71], [0x12, 0x34, 0x56]])
        # A box with a ramp is whole where the window has room for it.
        look.get_by_role("button", name=re.compile("colour over it")).click()
        page.keyboard.type("ramp over")
        page.keyboard.press("Enter")
        self.until(lambda: len(self.layer()) == 2, "a ramp")
        page.keyboard.press("Escape")
        look.get_by_role("button", name=re.compile("^Ramp: ")).click()
        ramp = page.get_by_role("dialog", name="Ramp")
        ramp.get_by_role("button", name="Fit to present values").wait_for()
        self.until(lambda: ramp.evaluate("box => box.scrollHeight <= box.clientHeight + 1"), "nothing is cut off")
        place = ramp.bounding_box()
        assert place
        self.assertTrue(place["y"] >= 0 and place["y"] + place["height"] <= page.viewport_size["height"], place)  # type: ignore[index]


class Meshes(BrowserCase):
    def crate(self, name: str) -> Any:
        corners = "\n".join(f"v {x} {y} {z}" for x in (0, 1) for y in (0, 1) for z in (0, 1))
        faces = "f 1 2 4 3\nf 5 7 8 6\nf 1 5 6 2\nf 3 4 8 7\nf 1 3 7 5\nf 2 6 8 4\n"
        return {"name": name, "mimeType": "", "buffer": f"{corners}\n{faces}".encode()}

    def test_a_file_comes_first_and_what_is_taken_is_told(self) -> None:
        self.open_made(document(count=10, clock={"duration": 0.5}))
        self.wait_computed()
        page = self.page
        page.get_by_label("Mesh file").set_input_files(self.crate("tub.obj"))
        page.get_by_role("listitem", name="Tub", exact=True).wait_for()
        self.saved()
        # A point becomes a mesh of the library, which is told; its name offers a file first.
        page.locator('[data-exchange="shapes/0"]').first.click()
        page.keyboard.type("imported mesh")
        page.keyboard.press("Enter")
        told = page.get_by_text(re.compile("^It is “.+” of the library"))
        told.wait_for()
        taken = re.findall("“(.+)”", told.inner_text())[0]
        self.until(lambda: self.document()["shapes"][0]["kind"] == "mesh", "a mesh")
        first = self.document()["shapes"][0]["asset"]
        page.locator('[data-item^="shapes/"]').first.get_by_role("button", name=taken, exact=True).click(timeout=9000)
        self.assertEqual(page.get_by_role("menuitem").first.inner_text(), "from a file…")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("menuitem", name="from a file…").click()
        chooser.value.set_files(self.crate("pail.obj") | {"buffer": self.crate("x")["buffer"] + b"v 9 9 9\n"})
        self.until(lambda: self.document()["shapes"][0]["asset"] != first, "another mesh in the same place")
        self.assertEqual(len(self.document()["shapes"]), 2)
