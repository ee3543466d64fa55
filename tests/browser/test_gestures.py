"""Whole jobs from *New effect* by mouse and keyboard alone, with every deliberate gesture counted: a click, a drag, a typed value, a key."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from hailridge.core.step.simulation import Frame
from hailridge.model.validation import read_effect
from tests.browser.jobs import Job
from tests.support import moment_of, run


def track_all(frames: list[Frame], read: Callable[[Frame], NDArray[Any]]) -> NDArray[Any]:
    """Something of every particle over frames in which nobody comes or goes: (frames, particles, …)."""
    return np.stack([read(frame) for frame in frames if frame.count == frames[0].count])


def swept(document: dict[str, Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Where along x the ball is over time, by the curve that a browser eases with (W3C CSS Easing: cubic-bezier(.42, 0, .58, 1))."""
    first, last = (shape for shape in document["shapes"] if shape["kind"] == "ball").__next__()["position"][
        "keys"
    ]
    share = np.linspace(0, 1, 2001)
    bezier = lambda one, two: 3 * one * share * (1 - share) ** 2 + 3 * two * share**2 * (1 - share) + share**3  # noqa: E731
    return last["at"] * bezier(0.42, 0.58), first["value"][0] + (
        last["value"][0] - first["value"][0]
    ) * bezier(0.0, 1.0)


class Gestures(Job):
    def sweeping_ball(self, reach: float, height: float) -> None:
        """A ball that goes from one side to the other during the effect."""
        self.click(self.button("^Add shape"))
        self.choose("ball", "Ball")
        ball = self.rule("Ball")
        self.click(self.button("^Position", ball))
        self.typed(str(-reach), "Tab")
        self.typed(str(height), "Shift+Tab")
        # A value at a time is a key there; what was there stays at the beginning.
        self.typed(f"{reach} at 5 s")

    def test_soft_sprites_from_a_ball(self) -> None:
        """Lives of 5 s, sizes ± 80 %, soft sprites, turbulence, four colours over life, a trail as second look."""
        page = self.page
        self.begin("From a surface")
        self.click(self.button("^Radius", self.rule("Source")))
        self.typed("0.03 ± 80%")
        self.key("Escape")
        self.key("r")
        self.click(self.button(r"^\+ action", self.rule("New rule")))
        self.choose("swirl", "turbulence")
        look = page.locator('[data-item="looks/look"]')
        self.click(self.button("^as balls", look))
        self.choose("soft", "discs")
        self.click(self.button("^All values of look", look))
        self.click(self.button("^Softness", page.get_by_role("dialog")))
        self.typed("80")
        self.key("Escape")
        self.click(self.button("^in their own colour", look))
        self.choose("over life", "a ramp over a quantity")
        self.click(self.button("^Ramp", look))
        ramp = page.get_by_role("dialog")
        colours = ["#fff2c0", "#ffb040", "#d04020", "#402030"]
        for colour in colours:
            self.typed(colour, "Tab")
        # On the fifth now, which is one too many.
        self.click(self.button("^remove stop", ramp))
        self.key("Escape")
        self.click(self.button("^Add look"))
        self.choose("ribbon", "trails")
        made = self.document()
        discs, trails = made["looks"]
        self.assertEqual([discs["kind"], discs["softness"], trails["kind"]], ["discs", 0.8, "trails"])
        self.assertEqual(trails["layers"][0]["ramp"], discs["layers"][0]["ramp"])
        tones = [[int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)] for colour in colours]
        np.testing.assert_allclose(
            [key["value"] for key in discs["layers"][0]["ramp"]["keys"]], tones, atol=1e-4
        )
        for _rate, frames in self.at_rates(made):
            last = frames[-1]
            # 200 a second that live for 5 s, ± 80 % of 3 cm: the whole of that is used, and nothing beyond it.
            self.assertAlmostEqual(last.count, 1000, delta=2)
            radius = last.columns["radius"]
            self.assertTrue(0.006 - 1e-6 <= radius.min() < 0.008 and 0.052 < radius.max() <= 0.054 + 1e-6)
            np.testing.assert_allclose(last.columns["lifetime"], 5)
        self.told("soft sprites from a ball", 30)

    def test_one_flash(self) -> None:
        """One particle that flares up and is gone, by curves over its life: how opaque, what colour."""
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

    def test_five_hundred_on_a_plane_by_bands(self) -> None:
        """In bands of their number, then of their age."""
        page = self.page
        self.begin("From a surface")
        self.click(self.button("^ball$", self.rule("Ball")))
        self.choose("floor", "Plane")
        source = self.rule("Source")
        self.click(source.get_by_role("button", name="from", exact=True))
        self.click(page.get_by_role("option", name="many at once"))
        self.click(self.button("^How many", source))
        self.typed("500", "Tab")
        self.key("Tab")
        self.typed("0", "Tab")
        self.typed("0")
        self.key("Escape")
        look = page.locator('[data-item="looks/look"]')
        self.click(self.button("^in their own colour", look))
        self.choose("bands", "bands")
        made = self.document()
        self.assertEqual([shape["label"] for shape in made["shapes"]], ["Plane"])
        for _rate, frames in self.at_rates(made):
            self.assertEqual(frames[3].count, 500)
            position = frames[3].columns["position"]
            np.testing.assert_allclose(position[:, 1], 1, atol=1e-5)
            # The plane is as large as the ball was: 0.5 m to each side.
            self.assertTrue(0.45 < np.abs(position[:, ::2]).max() <= 0.5)
        moment = moment_of(made, 3)
        painted = read_effect(made).looks[0].paint(moment, np.arange(500))[:, :3]
        self.assertEqual(len(np.unique(painted[:50], axis=0)), 1)
        self.assertTrue((painted[49] != painted[50]).any())
        self.assertEqual(len(np.unique(painted, axis=0)), 6)
        self.click(self.button("^its number", look))
        self.choose("age", "age")
        layer = self.document()["looks"][0]["layers"][0]
        self.assertEqual((layer["quantity"]["kind"], layer["width"] < 2), ("age", True))
        self.told("500 on a plane by bands", 22)

    def test_touched_then_red_after_thirteen_frames(self) -> None:
        """Touched by a ball that passes: green and spinning; 13 frames later red and still."""
        page = self.page
        self.begin("Filling")
        self.sweeping_ball(1.6, 0.8)
        self.click(self.button("^Add group"))
        self.typed("Hit")
        self.key("r")
        touched, over = self.rule("New rule"), self.rule("New rule 2")
        self.click(self.button("^Everyone", touched))
        self.click(page.get_by_role("checkbox", name="Particles"))
        self.click(self.button("^always", touched))
        self.choose("inside", "something is so")
        self.click(self.button(r"^\+ action", touched))
        self.choose("colour", "set an attribute")
        self.click(self.button("^To:", touched))
        self.typed("#20c040")
        self.click(self.button(r"^\+ action", touched))
        self.choose("spin", "set an attribute")
        self.click(self.button(r"^\+ action", touched))
        self.choose("group", "move to a group")
        self.key("r")
        self.click(self.button("^Everyone", over))
        self.click(page.get_by_role("checkbox", name="Hit"))
        self.click(self.button("^always", over))
        self.choose("time in group", "compare a quantity")
        self.click(self.button("^Threshold", over))
        self.typed("13f")
        self.click(self.button(r"^\+ action", over))
        self.choose("colour", "set an attribute")
        self.click(self.button("^To:", over))
        self.typed("#e03020")
        self.click(self.button(r"^\+ action", over))
        self.choose("spin", "set an attribute")
        self.click(self.button("^To:.*°", over))
        self.typed("0", "Tab")
        self.typed("0")
        self.key("Escape")
        made = self.document()
        for rate, frames in self.at_rates(made):
            green = track_all(frames, lambda frame: frame.columns["color"][:, 0] < 0.2)
            red = track_all(frames, lambda frame: frame.columns["color"][:, 0] > 0.85)
            spinning = track_all(frames, lambda frame: np.abs(frame.columns["spin"]).max(axis=1) > 1)
            first_green, first_red = green.argmax(axis=0), red.argmax(axis=0)
            both = green.any(axis=0) & red.any(axis=0)
            self.assertGreater(both.sum(), 100)
            np.testing.assert_allclose((first_red - first_green)[both], 13 / 24 * rate, atol=0.5 + 1e-6)
            # In place of the default's pale blue: spinning as long as they are green, still when they are red.
            self.assertFalse((spinning & red).any())
            self.assertTrue(spinning[first_green[both], np.flatnonzero(both)].all())
        self.told("touched, then red after 13 frames", 45)

    def test_a_field_that_sweeps_over_a_mesh(self) -> None:
        """Where it is, colour and radius go gradually there; otherwise they come back faster."""
        page = self.page
        self.begin("From a surface")
        self.click(self.button("^ball$", self.rule("Ball")))
        self.choose("mesh", "Imported mesh")
        source = self.rule("Source")
        self.click(source.get_by_role("button", name="from", exact=True))
        self.click(page.get_by_role("option", name="many at once"))
        self.click(self.button("^Speed", source))
        self.typed("0 ± 0")
        self.sweeping_ball(2.5, 2.9)
        self.click(self.button("^Add field"))
        self.click(page.get_by_role("option", name="falloff of a shape"))
        self.key("r")
        mine = self.rule("New rule")
        self.click(self.button("^always", mine))
        self.choose("field", "compare a quantity")
        toward = mine.get_by_role("button", name=re.compile("^Toward"))
        for number, (attribute, value) in enumerate((("colour", "#f0a020"), ("radius", "0.08")), 1):
            self.click(self.button(r"^\+ action", mine))
            self.choose(f"approach {attribute}", "approach a value")
            self.until(lambda number=number: toward.count() == number, "it is there")
            self.click(toward.last)
            self.typed(value)
        for number, attribute in enumerate(("colour", "radius"), 3):
            self.click(self.button(r"^\+ otherwise", mine))
            self.choose(f"approach {attribute}", "approach a value")
            self.until(lambda number=number: toward.count() == number, "it is there")
            self.click(toward.last)
            self.click(self.button("^its first value", page.get_by_role("dialog")))
            first = mine.get_by_role("button", name=re.compile("its first"))
            self.until(lambda first=first, number=number: first.count() == number - 2, "it comes back")
            self.click(mine.get_by_role("button", name=re.compile("^Time")).last)
            self.typed("0.2")
        made = self.document()
        for rate, frames in self.at_rates(made):
            lasting = frames[:-1]
            ball = np.array([np.interp(frame.time, *swept(made)) for frame in lasting])
            position = lasting[0].columns["position"]
            away = np.stack([np.linalg.norm(position - [x, 2.9, 0.0], axis=1) for x in ball])
            # Smooth falloff over half a metre from a ball of half a metre: above one half within three quarters of a metre.
            inside, outside = away < 0.73, away > 0.77
            radius = track_all(lasting, lambda frame: frame.columns["radius"])
            there, back = round(0.5 * rate) + 1, round(0.2 * rate) + 1
            grown = np.array([inside[at - there : at].all(axis=0) for at in range(there, len(lasting))])
            gone = np.array([outside[at - back : at].all(axis=0) for at in range(back, len(lasting))])
            self.assertGreater(grown.sum(), 100)
            np.testing.assert_allclose(radius[there - 1 : -1][grown], 0.08, atol=1e-4)
            np.testing.assert_allclose(
                radius[back - 1 : -1][gone], np.broadcast_to(radius[0], gone.shape)[gone], atol=1e-4
            )
        self.told("a field that sweeps over a mesh", 45)

    def test_a_lattice_that_wanders_in_a_ring(self) -> None:
        """It wanders, and its box is exchanged for a ring."""
        self.begin("Filling")
        self.key("r")
        mine = self.rule("New rule")
        self.click(self.button(r"^\+ action", mine))
        self.choose("wander", "ambient drift")
        self.click(self.button("^Way", mine))
        self.typed("0.12", "Tab")
        self.typed("0.6", "Tab")
        self.typed("0.4")
        self.key("Escape")
        self.click(self.button("^box$", self.rule("Box")))
        self.choose("ring", "Ring")
        made = self.document()
        action, ring = made["rules"][0]["actions"][0], made["shapes"][0]
        self.assertEqual((action["travel"], action["size"], action["change"]), (0.12, 0.6, 0.4))
        self.assertEqual((ring["kind"], ring["label"], len(made["shapes"])), ("ring", "Ring", 1))
        for _rate, frames in self.at_rates(made):
            place = track_all(frames, lambda frame: frame.columns["position"]) - ring["position"]
            off = np.hypot(np.hypot(place[..., 0], place[..., 2]) - ring["radius"], place[..., 1])
            self.assertGreater(place.shape[1], 60)
            # In the body of the ring, and at most 12 cm from where each was born; never still.
            born = run(made | {"rules": []}, 0)[0].columns["position"] - ring["position"]
            self.assertLessEqual(off.max(), ring["thickness"] / 2 + 0.12 + 1e-5)
            self.assertLessEqual(np.linalg.norm(place - born, axis=2).max(), 0.12 + 1e-5)
            self.assertGreater(np.linalg.norm(np.diff(place, axis=0), axis=2).max(axis=0).min(), 1e-4)
        self.told("a lattice that wanders in a ring", 15)

    def test_a_trail_of_three_hundred_points(self) -> None:
        page = self.page
        self.begin("One particle")
        self.key("r")
        mine = self.rule("New rule")
        self.click(mine.get_by_role("button", name="+ action"))
        self.choose("swirl", "turbulence")
        self.click(page.get_by_role("button", name="Add look", exact=True))
        self.choose("ribbon", "trails")
        look = page.locator('[data-item="looks/trails"]')
        self.click(self.button("^Points", look))
        self.typed("300")
        self.key("Escape")
        self.click(self.button("^All values of", look))
        values = page.get_by_role("dialog")
        self.click(self.button("^Spacing", values))
        self.typed("0.02")
        self.click(self.button("^Sway:", values))
        self.typed("0.1")
        self.key("Escape")
        trails = self.document()["looks"][1]
        self.assertEqual((trails["length"]["points"], trails["spacing"]), ({"kind": "fixed", "value": 300.0}, 0.02))
        self.told("a trail of 300 points", 25)
