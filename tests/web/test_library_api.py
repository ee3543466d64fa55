"""The library over HTTP: uploads beside one another, sizes on disk, effects that go and come back."""

from __future__ import annotations

import io
import json
import threading
import time
import unittest
from typing import Any

import numpy as np
import trimesh

from hailridge import demo
from hailridge.store.bakes import RUNS_KEPT
from tests.support import compare, document, rule
from tests.web.cases import ApiCase


class Uploads(ApiCase):
    def box(self, size: float = 1.0) -> bytes:
        return trimesh.creation.box((size, size, size)).export(file_type="ply")  # type: ignore[no-any-return]

    def sent(self, name: str, data: bytes, ticket: str = "") -> Any:
        return self.client.post("/api/assets", files={"file": (name, data)}, data={"ticket": ticket})

    def test_the_name_given_is_the_name_kept(self) -> None:
        first = self.sent("old-box.ply", self.box(3.0)).json()
        again = self.sent("new-box.ply", self.box(3.0)).json()
        self.assertEqual((again["id"], again["name"], again["size"]), (first["id"], "new-box.ply", 3.0))
        self.assertIn("new-box.ply", [entry["name"] for entry in self.client.get("/api/assets").json()])
        self.assertNotIn("old-box.ply", [entry["name"] for entry in self.client.get("/api/assets").json()])

    def test_beside_heavy_runs_and_beside_one_another(self) -> None:
        step = compare({"kind": "neighbours", "distance": 100.0}, "at_least", 1e9)
        heavy = document(rule({"kind": "gravity"}, condition=step), count=120_000, clock={"duration": 60.0})
        effects = []
        for seed in range(2):
            effects.append(self.made(heavy | {"clock": {"duration": 60.0, "seed": seed}}))
            self.run_trial(effects[-1], wait=False)
        time.sleep(1.0)
        large = trimesh.creation.icosphere(subdivisions=7).export(file_type="ply")
        answers: dict[str, tuple[int, float]] = {}

        def send(name: str, data: bytes) -> None:
            answer = self.sent(name, data)
            answers[name] = (answer.status_code, time.monotonic())

        slow = threading.Thread(target=send, args=("large.ply", large))
        slow.start()
        send("small.ply", self.box())
        slow.join(120)
        for effect in effects:
            self.client.post(f"/api/effects/{effect}/stop")
        self.assertEqual({name: status for name, (status, _when) in answers.items()}, {"large.ply": 201, "small.ply": 201})
        # The small one did not wait for the large one.
        self.assertLess(answers["small.ply"][1], answers["large.ply"][1])

    def test_what_is_being_read_is_told_and_can_be_stopped(self) -> None:
        large = trimesh.creation.icosphere(subdivisions=8).export(file_type="ply")
        answers: list[Any] = []
        with self.client.websocket_connect("/api/live", headers={"origin": "http://127.0.0.1:8600", "host": "127.0.0.1:8600"}) as socket:
            thread = threading.Thread(target=lambda: answers.append(self.sent("large.ply", large, "t-1")))
            thread.start()
            told = socket.receive_json()
            while told.get("ticket") != "t-1":
                told = socket.receive_json()
            self.assertRegex(told["stage"], r"reading \d+ MB")
            self.assertTrue(self.client.post("/api/uploads/t-1/stop").json()["stopped"])
            thread.join()
        self.assertEqual((answers[0].status_code, "was stopped" in answers[0].text), (422, True))
        self.assertFalse(self.client.post("/api/uploads/t-1/stop").json()["stopped"])


class Sizes(ApiCase):
    own_server = True

    def frames(self) -> int:
        return int(self.client.get("/api/storage").json()["frames"])

    def settled(self, below: float) -> int:
        until = time.monotonic() + 30
        while self.frames() > below and time.monotonic() < until:
            time.sleep(0.1)
        return self.frames()

    def test_many_edits_and_then_none(self) -> None:
        """What 37 edits of the hail demo leave on disk is what the latest few take; what a deletion leaves is nothing."""
        effect = self.made(demo.document("hail-on-the-tin-roof"))
        raw = self.client.get(f"/api/effects/{effect}").json()["document"]
        raw["clock"]["duration"] = 2.0
        self.run_trial(effect, raw)
        one = self.frames()
        for seed in range(37):
            raw["clock"]["seed"] = 100 + seed
            self.run_trial(effect, raw)
        many = self.settled(one * (RUNS_KEPT + 1.5))
        self.assertLess(many, one * (RUNS_KEPT + 1.5))
        self.client.delete(f"/api/effects/{effect}")
        self.assertLess(self.settled(1.5e6), 1.5e6)
        # It comes back, and is computed again.
        self.assertEqual(self.client.post(f"/api/effects/{effect}/bring-back").status_code, 200)
        self.assertEqual(self.run_trial(effect, raw)["state"], "done")
        self.client.delete(f"/api/effects/{effect}")

    def test_the_limit_is_kept(self) -> None:
        self.assertEqual(self.client.put("/api/storage", json={"limit": 1}).status_code, 422)
        before = self.client.get("/api/storage").json()["limit"]
        self.assertEqual(self.client.put("/api/storage", json={"limit": 200_000_000}).json()["limit"], 200_000_000)
        for seed in range(6):
            effect = self.made(document(count=60_000, speed=1.0, clock={"duration": 1.0, "seed": seed}))
            self.run_trial(effect)
        self.assertLess(self.settled(260e6), 260e6)
        self.client.put("/api/storage", json={"limit": before})
        self.assertLess(self.client.post("/api/storage/clear").json()["frames"], 260e6)


class ComingAndGoing(ApiCase):
    def test_deleted_and_brought_back(self) -> None:
        effect = self.made(document() | {"name": "Passing"})
        self.client.delete(f"/api/effects/{effect}")
        for path in ("", "/versions", "/poster"):
            answer = self.client.get(f"/api/effects/{effect}{path}")
            self.assertEqual((answer.status_code, "can be brought back" in answer.text), (404, True))
        deleted = self.client.get("/api/effects", params={"deleted": True}).json()
        (entry,) = [one for one in deleted if one["id"] == effect]
        self.assertAlmostEqual(entry["gone_in"], 30, delta=0.1)
        self.assertEqual(self.client.post(f"/api/effects/{effect}/bring-back").json()["name"], "Passing")
        self.assertEqual(self.client.get(f"/api/effects/{effect}").json()["document"]["name"], "Passing")
        self.assertEqual(self.client.delete(f"/api/effects/{effect}/for-good").status_code, 404)
        self.client.delete(f"/api/effects/{effect}")
        self.assertEqual(self.client.delete(f"/api/effects/{effect}/for-good").status_code, 204)
        self.assertEqual(self.client.post(f"/api/effects/{effect}/bring-back").status_code, 404)

    def test_renamed_and_copied_from_outside(self) -> None:
        effect = self.made(document() | {"name": "Drift"})
        renamed = self.client.put(f"/api/effects/{effect}/name", json={"name": "Snow drift"}).json()
        self.assertEqual((renamed["name"], renamed["revision"]), ("Snow drift", 2))
        self.assertEqual(self.client.put(f"/api/effects/{effect}/name", json={"name": ""}).status_code, 422)
        names = [self.client.post("/api/effects", json={"copy_of": effect}).json()["document"]["name"] for _ in range(3)]
        self.assertEqual(names, ["Snow drift (copy)", "Snow drift (copy 2)", "Snow drift (copy 3)"])
        first = next(entry["id"] for entry in self.client.get("/api/effects").json() if entry["demo"])
        copy = self.client.post("/api/effects", json={"copy_of": first}).json()["id"]
        self.assertEqual(self.client.get(f"/api/effects/{copy}/poster").content, self.client.get(f"/api/effects/{first}/poster").content)

    def test_out_and_in_again(self) -> None:
        listed = self.client.get("/api/effects").json()
        chosen = [entry["id"] for entry in listed if entry["demo"]][:3]
        file = self.client.get("/api/effects/file", params={"effect": chosen})
        self.assertEqual((file.status_code, file.headers["content-type"]), (200, "application/zip"))
        self.assertIn("3-effects.hailridge.zip", file.headers["content-disposition"])
        came = self.client.post("/api/effects/bring-in", files={"file": ("a.zip", io.BytesIO(file.content))})
        self.assertEqual((came.status_code, len(came.json())), (201, 3), came.text)
        for before, after in zip(chosen, came.json(), strict=True):
            documents = [json.dumps(self.client.get(f"/api/effects/{one}").json()["document"]) for one in (before, after["id"])]
            self.assertEqual(*documents)
        self.assertEqual(self.client.post("/api/effects/bring-in", files={"file": ("a.zip", b"no zip")}).status_code, 422)
        self.assertEqual(self.client.get("/api/effects/file", params={"effect": ["gone"]}).status_code, 404)

    def test_what_a_version_changed(self) -> None:
        effect = self.made(document(rule({"kind": "gravity"}, label="Fall")))
        raw = self.client.get(f"/api/effects/{effect}").json()["document"]
        raw["rules"] = []
        self.client.put(f"/api/effects/{effect}", json={"revision": 1, "document": raw})
        raw["clock"]["duration"] = 4.0
        self.client.put(f"/api/effects/{effect}", json={"revision": 2, "document": raw})
        address = f"/api/effects/{effect}/versions/3/changes"
        self.assertEqual(self.client.get(address).json(), [{"sort": "changed", "text": "clock, duration: 2 s → 4 s"}])
        self.assertEqual([change["sort"] for change in self.client.get(address, params={"since": 1}).json()], ["removed", "changed"])
        self.assertEqual(self.client.get(f"/api/effects/{effect}/versions/9/changes").status_code, 404)

    def test_sequences_carry_plain_names(self) -> None:
        import zipfile

        names = set()
        for _ in range(2):
            asked = {"name": "Tin roof", "format": "png", "width": 16, "height": 16, "frames": 2, "first": 7}
            clip = self.client.post("/api/clips", json=asked).json()["id"]
            for number in range(2):
                self.client.put(f"/api/clips/{clip}/frames/{number}", content=np.zeros((16, 16, 4), np.uint8).tobytes())
            self.client.post(f"/api/clips/{clip}/finish")
            file = io.BytesIO(self.client.get(f"/api/clips/{clip}/file").content)
            names.add(tuple(zipfile.ZipFile(file).namelist()))
        self.assertEqual(names, {("tin-roof.00007.png", "tin-roof.00008.png")})


if __name__ == "__main__":
    unittest.main()
