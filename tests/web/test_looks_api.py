"""Pictures and clips over HTTP, and what a frame carries of looks."""

from __future__ import annotations

import io
import unittest
from typing import Any

import numpy as np
from PIL import Image

from hailridge.formats.blocks import unpack
from tests.formats.test_pictures import png
from tests.support import document
from tests.web.cases import ApiCase


class Pictures(ApiCase):
    def send(self, *files: tuple[str, bytes], **cut: int) -> Any:
        return self.client.post(
            "/api/pictures",
            files=[("files", file) for file in files],
            data={name: str(value) for name, value in cut.items()},
        )

    def test_brought_in_listed_shown_and_drawn(self) -> None:
        answer = self.send(("sheet.png", png(64, 32)), columns=2, rows=1)
        self.assertEqual(answer.status_code, 201, answer.text)
        made = answer.json()
        listed = {entry["id"]: entry for entry in self.client.get("/api/pictures").json()}
        self.assertEqual((listed[made["id"]]["count"], listed["soft"]["ships"]), (2, True))
        image = Image.open(io.BytesIO(self.client.get(f"/api/pictures/{made['id']}.png").content))
        self.assertEqual(image.size, (64, 32))
        raw = document(count=10)
        raw["looks"] = [{"kind": "pictures", "id": "p", "picture": made["id"]}]
        trial = self.run_trial(self.made(raw))["id"]
        head, arrays = unpack(self.client.get(f"/api/trials/{trial}/frames/2").content)
        self.assertEqual((head["layers"][0]["shader"], head["layers"][0]["columns"]), ("picture", 2))
        self.assertEqual(arrays["0/cell"].tolist(), [0, 1] * 5)

    def test_refused_in_words(self) -> None:
        for answer, words in (
            (self.send(("a.png", b"not at all")), "not a PNG"),
            (self.send(("a.png", png(64, 32)), columns=3, rows=1), "do not divide"),
            (self.client.get("/api/pictures/nowhere.png"), "not in the library"),
        ):
            self.assertIn(answer.status_code, (404, 422))
            self.assertIn(words, answer.json()["detail"])

    def test_a_missing_one_is_an_advisory(self) -> None:
        raw = document()
        raw["looks"] = [{"kind": "pictures", "id": "p", "picture": "lost"}]
        told = self.client.post("/api/effects/check", json=raw).json()
        self.assertTrue(any(entry["fix"]["value"] == "soft" for entry in told if entry.get("fix")))


class Frames(ApiCase):
    def test_motion_comes_along_where_an_exposure_needs_it(self) -> None:
        raw = document(count=3, speed=2.0)
        keys = [{"at": 0.0, "value": [0.0, 0.0, 10.0]}, {"at": 2.0, "value": [4.0, 0.0, 10.0]}]
        raw["picture"] = {"camera": "own", "position": {"keys": keys}}
        trial = self.run_trial(self.made(raw))["id"]
        head, arrays = unpack(self.client.get(f"/api/trials/{trial}/frames/12?motion=true").content)
        np.testing.assert_allclose(arrays["0/velocity"], [[0, 2, 0]] * 3)
        self.assertAlmostEqual(head["view"]["position"][0], 1.0, places=4)
        self.assertAlmostEqual(head["view_next"]["position"][0], 13 / 12, places=4)
        plain_head, plain = unpack(self.client.get(f"/api/trials/{trial}/frames/12").content)
        self.assertNotIn("0/velocity", plain)
        self.assertEqual(plain_head["keyed"]["picture/position"], head["view"]["position"])

    def test_looks_and_the_picture_compute_nothing_anew(self) -> None:
        raw = document(count=3, speed=1.0)
        effect = self.made(raw)
        first = self.run_trial(effect)
        raw["looks"] = [{"kind": "balls", "id": "b", "layers": [{"kind": "by_group"}]}]
        raw["picture"] = {"glow": 1.0}
        again = self.client.post(f"/api/effects/{effect}/trials", json={"document": raw}).json()
        self.assertEqual((again["key"], again["state"]), (first["key"], "done"))
        self.assertNotEqual(again["id"], first["id"])

    def test_forms_of_a_trial(self) -> None:
        raw = document(count=3)
        raw["looks"] = [{"kind": "instances", "id": "i", "form": "plate"}]
        trial = self.run_trial(self.made(raw))["id"]
        head, arrays = unpack(self.client.get(f"/api/trials/{trial}/forms").content)
        self.assertEqual(head["forms"], {"i": 1})
        self.assertEqual(arrays["i/0/vertices"].shape[1], 3)

    def test_trails_look_back_through_stored_frames(self) -> None:
        raw = document(count=2, speed=1.0, clock={"duration": 2.0, "store_every": 3})
        raw["looks"] = [{"kind": "trails", "id": "t", "length": {"kind": "by_time", "seconds": 1.0}}]
        trial = self.run_trial(self.made(raw))["id"]
        head, arrays = unpack(self.client.get(f"/api/trials/{trial}/frames/48").content)
        start, end = arrays["0/starts"][:2]
        line = arrays["0/points"][start + 1 : end - 1, 1]
        self.assertAlmostEqual(float(line[0] - line[-1]), 1.0, places=3)
        self.assertEqual((head["layers"][0]["shader"], head["layers"][0]["lines"]), ("ribbon", 2))


class Clips(ApiCase):
    def begin(self, **given: Any) -> Any:
        asked = {"name": "Hail & more", "format": "still", "width": 32, "height": 16, "frames": 1, **given}
        return self.client.post("/api/clips", json=asked)

    def put(self, clip: str, number: int, data: bytes) -> Any:
        return self.client.put(f"/api/clips/{clip}/frames/{number}", content=data)

    def test_a_still_from_raw_pixels(self) -> None:
        clip = self.begin().json()["id"]
        pixels = np.full((16, 32, 4), 255, np.uint8)
        pixels[0, :, :3] = [10, 20, 30]
        self.assertEqual(self.put(clip, 0, pixels.tobytes()).status_code, 200)
        made = self.client.post(f"/api/clips/{clip}/finish").json()
        self.assertEqual(made["name"], "hail-more.png")
        image = np.asarray(Image.open(io.BytesIO(self.client.get(f"/api/clips/{clip}/file").content)))
        self.assertEqual((image[0, 5].tolist(), image[1, 5].tolist()), ([10, 20, 30], [255, 255, 255]))

    def test_order_size_and_stopping(self) -> None:
        clip = self.begin(format="mp4", frames=3).json()["id"]
        frame = bytes(32 * 16 * 4)
        for answer, status in (
            (self.put(clip, 1, frame), 409),
            (self.put(clip, 0, frame[:-1]), 422),
            (self.client.get(f"/api/clips/{clip}/file"), 409),
            (self.client.post(f"/api/clips/{clip}/finish"), 409),
            (self.put(clip, 0, frame), 200),
            (self.client.delete(f"/api/clips/{clip}"), 204),
            (self.put(clip, 1, frame), 404),
            (self.begin(format="webm", width=33), 422),
            (self.begin(width=99_999), 422),
        ):
            self.assertEqual(answer.status_code, status, answer.text)


if __name__ == "__main__":
    unittest.main()
