"""Shots from *New effect* to what is seen in the end, by mouse and keyboard alone, every deliberate gesture counted."""

from __future__ import annotations

import numpy as np

from tests.browser.jobs import Job


class Shots(Job):
    def test_one_flash(self) -> None:
        """One particle that flares up and is gone, by curves over its life: how large, how opaque, what colour."""
        page = self.page
        self.begin("One particle")
        source, look = self.rule("Source"), page.locator('[data-item="looks/look"]')
        self.click(self.button("^Lifetime", source))
        self.typed("2")
        self.click(self.button("^as balls", look))
        self.choose("soft", "discs")
        self.key("r")
        mine = self.rule("New rule")
        curve = page.get_by_role("dialog").get_by_role("button", name="a curve", exact=True)
        self.click(self.button(r"^\+ action", mine))
        self.choose("opacity", "set an attribute")
        self.click(curve)
        self.typed("1", "Tab")
        self.key("Escape")
        self.click(self.button(r"^\+ action", mine))
        self.choose("colour", "set an attribute")
        self.click(curve)
        for colour in ("#ffffff", "#ff5010"):
            self.typed(colour, "Tab")
        self.key("Escape")
        made = self.document()
        for rate, frames in self.at_rates(made):
            for frame in frames[1 : round(2 * rate)]:
                self.assertEqual(frame.count, 1)
                # Straight from end to end, over two seconds, as it was when the step ended.
                share = float(frame.columns["age"][0]) / 2
                np.testing.assert_allclose(frame.columns["opacity"], 1 - share, atol=1e-5)
                np.testing.assert_allclose(frame.columns["color"][0], [1, 1 - share * (1 - 0x50 / 255), 1 - share * (1 - 0x10 / 255)], atol=1e-4)
            self.assertEqual(frames[round(2 * rate) + 1].count, 0)
        self.told("one flash", 22)
