"""Looks, pictures and clips, driven in headless Chromium: colours and trails in the score, the pixels of a finished picture, files that play."""

from __future__ import annotations

import io
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from hailridge.core.kinds.looks.ramps import shipped
from tests.browser.cases import BrowserCase
from tests.formats.test_pictures import png
from tests.support import document

BACKGROUND = [0.2, 0.3, 0.4]


def placed(*places: list[float], look: dict[str, Any], **source: Any) -> dict[str, Any]:
    """One still particle at each place."""
    raw = document(clock={"duration": 0.25})
    first = raw["sources"][0]
    raw["shapes"] = [
        {"kind": "point", "id": f"p{k}", "label": f"P{k}", "position": at, "visible": False}
        for k, at in enumerate(places)
    ]
    raw["sources"] = [
        {**first, "id": f"s{k}", "label": f"S{k}", "shape": f"p{k}", **source} for k in range(len(places))
    ]
    raw["looks"] = [{"id": "look", **look}]
    # The camera looks along −z from 10 m away; 90° from top to bottom show 20 m on 400 pixels: 20 pixels a metre.
    raw["picture"] = {
        "width": 600,
        "height": 400,
        "background": BACKGROUND,
        "camera": "own",
        "position": [0.0, 0.0, 10.0],
        "target": [0.0, 0.0, 0.0],
        "field_of_view": 90.0,
        "samples": 1,
    }
    return raw


class LooksCase(BrowserCase):
    def look(self, number: int = 0) -> Any:
        return self.page.locator('section[aria-label="Looks"] li[data-item]').nth(number)

    def picture_mode(self) -> None:
        self.page.get_by_role("button", name="Picture", exact=True).click()
        self.page.get_by_test_id("picture").wait_for()

    def make(self, kind: str, **numbers: int) -> Path:
        """Make a still or a clip through the dialog and keep the file."""
        page = self.page
        page.get_by_role("button", name="Still or clip").click()
        page.get_by_role("button", name=re.compile(f"^{kind}")).click()
        for label, value in numbers.items():
            field = page.get_by_label(label.replace("_", " "), exact=True)
            field.fill(str(value))
            field.press("Enter")
        page.get_by_role("button", name="Make it").click()
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile("^Save")).click()
        path = Path(self.folder.name) / download.value.suggested_filename
        download.value.save_as(path)
        page.get_by_role("button", name="Done").click()
        return path

    def setUp(self) -> None:
        super().setUp()
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)


class Pixels(LooksCase):
    def still(self, raw: dict[str, Any]) -> Any:
        self.open_made(raw)
        self.seek(2)
        self.picture_mode()
        return np.asarray(Image.open(self.make("Still")).convert("RGB")).astype(int)

    def test_known_particles_lie_where_they_should(self) -> None:
        """Place, size and colour of discs in the pixels, by similar triangles."""
        color = [0.8, 0.5, 0.1]
        raw = placed(
            [0.0, 0.0, 0.0],
            [5.0, 2.0, 0.0],
            [-8.0, -6.0, -10.0],
            look={"kind": "discs"},
            radius=1.0,
            color=color,
        )
        image = self.still(raw)
        self.assertEqual(image.shape, (400, 600, 3))
        ground = np.round(np.array(BACKGROUND) * 255)
        tint = np.round(np.array(color) * 255)
        self.assertLessEqual(np.abs(image[5, 5] - ground).max(), 1)
        # 20 pixels a metre at 10 m, 10 at 20 m; pixels run down from the upper left.
        for x, y, radius in ((300, 200, 20), (400, 160, 20), (220, 260, 10)):
            self.assertLessEqual(np.abs(image[y, x] - tint).max(), 1, (x, y))
            disc = np.abs(image[y - 30 : y + 30, x - 30 : x + 30] - tint).max(axis=2) <= 2
            rows, columns = np.nonzero(disc)
            self.assertAlmostEqual(disc.sum(), np.pi * radius**2, delta=2.5 * radius)
            self.assertAlmostEqual(rows.mean() + 0.5, 30, delta=0.6)
            self.assertAlmostEqual(columns.mean() + 0.5, 30, delta=0.6)

    def test_a_ramp_and_light_that_adds_up(self) -> None:
        """The colour that a ramp gives by Matplotlib's table; two lights in one place are as bright as both together."""
        layer = {
            "kind": "ramp",
            "quantity": {"kind": "number"},
            "start": 0.0,
            "end": 2.0,
            "ramp": {"named": "viridis"},
        }
        image = self.still(
            placed(
                [-6.0, 0.0, 0.0],
                [0.0, 0.0, 0.0],
                [6.0, 0.0, 0.0],
                look={"kind": "discs", "layers": [layer]},
                radius=1.0,
            )
        )
        for x, share in ((180, 0.0), (300, 0.5), (420, 1.0)):
            expected = shipped("viridis")[round(share * 255)] * 255
            self.assertLessEqual(np.abs(image[200, x] - expected).max(), 2, x)
        twice = placed(
            [0.0, 0.0, 0.0],
            [0.0, 0.0, -1.0],
            look={"kind": "discs", "mixing": "light", "opacity": 0.5},
            radius=2.0,
            color=[0.4, 0.2, 0.0],
        )
        image = self.still(twice)
        both = np.add(BACKGROUND, [0.4, 0.2, 0.0])
        self.assertLessEqual(np.abs(image[200, 300] - both * 255).max(), 3)

    def test_nearer_covers_further_whichever_look_it_is_of(self) -> None:
        raw = placed(
            [0.0, 0.0, -2.0],
            [0.0, 0.0, 0.0],
            [0.0, 0.0, 2.0],
            look={"kind": "balls"},
            radius=1.0,
            opacity=0.5,
        )
        raw["groups"] = [{"id": "a", "label": "A"}, {"id": "b", "label": "B"}]
        for source, (group, color) in zip(
            raw["sources"],
            (("a", [1.0, 0.0, 0.0]), ("b", [0.0, 1.0, 0.0]), ("a", [0.0, 0.0, 1.0])),
            strict=True,
        ):
            source |= {"group": group, "color": color}
        # Two looks, the one in front and the one behind in the same: neither as a whole lies before the other.
        raw["looks"] = [
            {"kind": "discs", "id": "one", "who": ["a"], "softness": 0.01},
            {"kind": "discs", "id": "two", "who": ["b"], "softness": 0.01},
        ]
        expected = np.array(BACKGROUND)
        for color in ([1, 0, 0], [0, 1, 0], [0, 0, 1]):
            expected = expected * 0.5 + np.array(color) * 0.5
        self.assertLessEqual(np.abs(self.still(raw)[200, 300] - expected * 255).max(), 4)

    def test_a_card_and_the_processor_draw_the_same(self) -> None:
        """Instances on a graphics card, copies of meshes without one: every look, seen both ways, to the pixel."""
        raw = placed(
            [-8.0, 0.0, 0.0], [-4.0, 1.0, 0.0], [0.0, 0.0, 0.0], [4.0, 1.0, 0.0], [8.0, 0.0, 0.0],
            look={"kind": "balls"},
            radius=1.2,
            speed=8.0,
            opacity=0.7,
        )  # fmt: skip
        kinds: list[dict[str, Any]] = [
            {"kind": "instances", "form": "splinter"},
            {"kind": "pictures", "picture": "flakes", "picking": {"kind": "at_random"}},
            {"kind": "trails", "length": {"kind": "by_points", "points": 6}, "size": 0.4},
            {"kind": "discs", "softness": 0.5},
            {"kind": "links", "reach": 6.0, "width": 0.3},
        ]
        raw["groups"] = [{"id": name, "label": name.upper()} for name in "abcde"]
        for source, name in zip(raw["sources"], "abcde", strict=True):
            source["group"] = name
        raw["looks"] = [
            {"id": f"look{k}", "who": [name], "layers": [{"kind": "by_group"}], **kind}
            for k, (name, kind) in enumerate(zip("abcde", kinds, strict=True))
        ]
        raw["looks"][-1]["who"] = []
        seen = []
        for way in ("processor", "card"):
            self.page.goto(self.server.url)
            self.page.evaluate(f"sessionStorage.setItem('drawn by', '{way}')")
            seen.append(self.still(raw))
        self.assertGreater(
            int((np.abs(seen[0] - np.round(np.array(BACKGROUND) * 255)).max(axis=2) > 20).sum()), 2500
        )
        differing = np.abs(seen[0] - seen[1]).max(axis=2) > 8
        self.assertLess(int(differing.sum()), 40)

    def test_focus_exposure_and_glow(self) -> None:
        """Out of focus things spread by the lens, moving ones along their way, bright ones all round; what is lit in all stays the same."""
        raw = placed([0.0, 0.0, 0.0], look={"kind": "discs"}, radius=0.4, color=[1.0, 1.0, 1.0])
        raw["picture"] |= {"background": [0.0, 0.0, 0.0], "samples": 32}

        def spread(**picture: Any) -> tuple[float, float, float]:
            """How wide the light lies across and upward (standard deviations, pixels), and its sum."""
            image = self.still({**raw, "picture": {**raw["picture"], **picture}})[:, :, 1] / 255
            light = np.where(image <= 0.04045, image / 12.92, ((image + 0.055) / 1.055) ** 2.4)
            y, x = np.mgrid[:400, :600]
            total = light.sum()
            return (
                float(np.sqrt((light * (x - 299.5) ** 2).sum() / total)),
                float(np.sqrt((light * (y - 199.5) ** 2).sum() / total)),
                float(total),
            )

        sharp = spread()
        # A disc's standard deviation along an axis is half its radius: 8 pixels here.
        self.assertAlmostEqual(sharp[0], 4.0, delta=0.3)
        blurred = spread(aperture=1.0, focus=5.0)
        # Similar triangles: a lens 1 m wide focused at 5 m spreads a point at 10 m over 1 m there, a disc 20 pixels wide: variances add.
        self.assertAlmostEqual(blurred[0], float(np.hypot(4.0, 5.0)), delta=0.7)
        self.assertAlmostEqual(blurred[2] / sharp[2], 1.0, delta=0.05)
        self.assertAlmostEqual(spread(aperture=1.0, focus=10.0)[0], sharp[0], delta=0.3)
        # 48 m/s at 24 frames a second, exposed for half a frame: 1 m, 20 pixels long (a bar's deviation is its length / √12).
        raw["sources"][0] |= {"speed": 48.0, "direction": {"kind": "axis", "axis": [1.0, 0.0, 0.0]}}
        raw["shapes"][0]["position"] = [-4.0, 0.0, 0.0]
        moving = spread(shutter=0.5)
        self.assertAlmostEqual(moving[0], float(np.hypot(4.0, 20 / np.sqrt(12))), delta=0.7)
        self.assertAlmostEqual(moving[1], sharp[1], delta=0.3)
        raw["sources"][0] |= {"speed": 0.0}
        raw["shapes"][0]["position"] = [0.0, 0.0, 0.0]
        glowing = spread(glow=1.0, glow_from=0.5, glow_size=0.2)
        self.assertGreater(glowing[0], sharp[0] * 2)


class Stories(LooksCase):
    def test_colouring_by_speed_until_it_can_be_seen(self) -> None:
        """A look of one's own: a ramp over speed, fitted to what is there, its dark end found by an advisory and lifted."""
        raw = document(
            count=300, speed={"kind": "spread", "value": 3.0, "spread": 1.5}, clock={"duration": 0.5}
        )
        raw["looks"] = [{"kind": "balls", "id": "b"}]
        self.open_made(raw)
        self.seek(6)
        page, card = self.page, self.look()
        card.click(position={"x": 300, "y": 8})
        card.get_by_role("button", name="in their own colour").click()
        page.get_by_role("option", name="a ramp over a quantity").click()
        card.get_by_role("button", name="part of life").click()
        page.get_by_role("option", name="speed", exact=True).first.click()
        card.get_by_role("button", name=re.compile("^Ramp: ")).click()
        page.get_by_role("button", name="viridis").click()
        page.get_by_text("present values 1.5").wait_for()
        page.get_by_role("button", name="Fit to present values").click()
        page.keyboard.press("Escape")
        self.until(
            lambda: re.search(
                r"speed goes from 1\.\d+ m/s to 4\.\d+ m/s", " ".join(card.inner_text().split())
            ),
            "fitted",
        )
        self.saved()
        # The advisory stands on the card, with its fix.
        self.lens("Advisories")
        page.get_by_role("button", name="Begin where it can be seen").first.click()
        self.until(lambda: card.get_by_role("button", name="Ramp: stops of your own").count() == 1, "lifted")
        self.assertEqual(self.violations(page), [])
        # A second layer over it, multiplied; then the layers change places.
        card.click(position={"x": 300, "y": 8})
        card.get_by_role("button", name="+ colour over it").click()
        page.get_by_role("option", name="bands").click()
        self.until(lambda: "over it" in card.inner_text(), "two layers")
        card.locator("[data-layer]").nth(1).get_by_role("button", name="normal").click()
        page.get_by_role("menuitem", name="multiply").click()
        card.locator("[data-layer]").nth(1).hover()
        card.get_by_role("button", name="Under the layer below: bands").click()
        self.until(lambda: "in bands of" in card.locator("[data-layer]").first.inner_text(), "changed places")
        self.saved()
        page.keyboard.press("Control+z")
        self.until(lambda: "in bands of" in card.locator("[data-layer]").nth(1).inner_text(), "undone")

    def test_bringing_in_a_sheet_that_does_not_divide(self) -> None:
        raw = document(count=20, clock={"duration": 0.25})
        raw["looks"] = [{"kind": "pictures", "id": "p"}]
        self.open_made(raw)
        page = self.page
        self.look().get_by_role("button", name="soft round").click()
        files = page.get_by_label("PNG files")
        files.set_input_files({"name": "my leaves.png", "mimeType": "image/png", "buffer": png(64, 32)})
        page.get_by_label("Columns").fill("3")
        page.get_by_role("button", name="Use these").click()
        page.get_by_role("alert").get_by_text(
            "64 pixels wide, which 3 columns do not divide evenly"
        ).wait_for()
        # Nothing is lost: the number is put right and sent again.
        page.get_by_label("Columns").fill("4")
        page.get_by_label("Rows").fill("2")
        page.get_by_role("button", name="Use these").click()
        self.look().get_by_role("button", name="my leaves").wait_for()
        page.get_by_text("8 drawings").first.wait_for()
        files.set_input_files({"name": "half.png", "mimeType": "image/png", "buffer": png(64, 32)[:300]})
        page.get_by_role("button", name="Use these").click()
        page.get_by_role("alert").get_by_text("'half.png' is damaged or cut off").wait_for()
        self.saved()

    def test_trails_that_are_too_much_say_what_to_lower(self) -> None:
        raw = document(count=400, speed=2.0, source={"direction": {"kind": "any"}}, clock={"duration": 3.0})
        raw["looks"] = [{"kind": "balls", "id": "b"}]
        self.open_made(raw)
        self.seek(72)
        page = self.page
        page.get_by_role("button", name="Add look").click()
        page.get_by_role("option", name="trails").click()
        trails = self.look(1)
        trails.get_by_text("400 trails").wait_for()
        trails.hover()
        page.get_by_role("button", name="All values of look 2").click()
        page.get_by_role("button", name=re.compile("^Budget of points")).click()
        budget = page.get_by_role("textbox", name="Budget of points")
        budget.fill("5e9")
        budget.press("Enter")
        page.get_by_text("cannot be above 4").wait_for()
        budget.fill("8000")
        budget.press("Enter")
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        trails.get_by_text(re.compile("the longest are cut to 20 points of 60 to keep within the budget")).wait_for()
        trails.get_by_role("button", name="Lower the points to 20").click()
        self.until(
            lambda: "20 points" in trails.inner_text() and "cut to" not in trails.inner_text(),
            "within the budget",
        )
        self.saved()

    def test_solid_forms_are_in_a_picture_once_they_have_come(self) -> None:
        """They are fetched after the first sample: the picture shows as many orange pixels as those found must cover."""
        self.open_named("Search lights and lost tags")
        page = self.page
        self.seek(60)
        self.picture_mode()
        canvas = page.get_by_test_id("picture").locator("canvas")

        def orange() -> float:
            image = np.asarray(Image.open(io.BytesIO(canvas.screenshot())).convert("RGB"), np.int32)
            return float(np.mean((image[..., 0] > image[..., 2] + 60) & (image[..., 0] > image[..., 1] + 20)))

        self.until(lambda: orange() > 0.01, "the tags that have been found")

    def test_a_picture_and_a_clip(self) -> None:
        self.open_named("Sparks from the stove pipe")
        page = self.page
        self.seek(60)
        self.picture_mode()
        self.until(
            lambda: page.get_by_test_id("picture").get_attribute("data-sampled") == "16", "all samples"
        )
        self.assertEqual(self.violations(page), [])
        # Looking around moves the picture's own camera, as one step of undo.
        canvas = page.get_by_test_id("picture").locator("canvas").bounding_box()
        assert canvas
        middle = (canvas["x"] + canvas["width"] / 2, canvas["y"] + canvas["height"] / 2)
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0] + 60, middle[1], steps=4)
        page.mouse.up()
        score = page.locator('[data-item="picture"]')
        self.until(lambda: "(1.9, 2.1, 5.4)" not in score.inner_text(), "the camera has moved")
        page.keyboard.press("Control+z")
        self.until(lambda: "(1.9, 2.1, 5.4)" in score.inner_text(), "and is back")
        # One clicks what one sees: the picture of the view before is replaced by the processor alone, in its own time.
        self.until(
            lambda: page.get_by_test_id("picture").get_attribute("data-sampled") == "16", "and is drawn"
        )
        # A click on the roof focuses there: where the line of sight meets its plane, measured along the camera's axis.
        across, down = 0.42, 0.9
        for _ in range(6):
            # While the processor draws, a click can come between two pictures and meet nothing: one clicks again.
            page.mouse.click(canvas["x"] + canvas["width"] * across, canvas["y"] + canvas["height"] * down)
            page.wait_for_timeout(1500)
            if "sharp at" in score.inner_text():
                break
        self.until(lambda: "sharp at" in score.inner_text(), "focused")
        eye, target = np.array([1.9, 2.1, 5.4]), np.array([0.5, 2.0, 0.0])
        ahead = (target - eye) / np.linalg.norm(target - eye)
        right = np.cross(ahead, [0, 1, 0]) / np.linalg.norm(np.cross(ahead, [0, 1, 0]))
        half = np.tan(np.radians(18))
        way = ahead + right * half * (16 / 9) * (2 * across - 1)
        way = way + np.cross(right, ahead) * half * (1 - 2 * down)
        # The roof slopes by 14° about z through (0, 0.62, 0).
        normal = np.array([np.sin(np.radians(14)), np.cos(np.radians(14)), 0.0])
        expected = float(normal @ (np.array([0, 0.62, 0]) - eye) / (normal @ way))
        told = re.search(r"sharp at ([\d.]+)", score.inner_text())
        assert told
        self.assertAlmostEqual(float(told[1]), expected, delta=0.02)
        path = self.make("WebM", Width=320, Height=180, Samples=2, From_frame=58, to=63)
        with av.open(str(path)) as container:
            frames = [frame.to_ndarray(format="rgb24").astype(int) for frame in container.decode(video=0)]
        self.assertEqual((len(frames), frames[0].shape), (6, (180, 320, 3)))
        # Something glows, and it moves.
        self.assertGreater(int(frames[0].max()), 200)
        self.assertGreater(np.abs(frames[5] - frames[0]).max(), 80)

    def test_a_long_clip_can_be_stopped(self) -> None:
        raw = document(count=50, speed=1.0, clock={"duration": 4.0})
        self.open_made(raw)
        page = self.page
        self.picture_mode()
        page.get_by_role("button", name="Still or clip").click()
        page.get_by_role("button", name=re.compile("^PNG sequence")).click()
        page.get_by_role("button", name="Make it").click()
        page.get_by_role("progressbar", name="Frames written").wait_for()
        page.get_by_text(re.compile("about .* left")).wait_for()
        page.get_by_role("button", name="Stop", exact=True).click()
        page.get_by_role("button", name="Make it").wait_for()


if __name__ == "__main__":
    unittest.main()
