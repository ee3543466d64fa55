"""The web interface over HTTP: effects, trials, looking closer, bad input, security."""

from __future__ import annotations

import io
import os
import signal
import time
import unittest
from typing import Any

import numpy as np
import trimesh
from PIL import Image
from starlette.websockets import WebSocketDisconnect

from hailridge import demo
from hailridge.core.looking.suggesting import present_quantity
from hailridge.formats.blocks import unpack
from hailridge.formats.posters import poster_of
from hailridge.model.kind import Kind
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule
from tests.web.cases import HOST, ApiCase


class Effects(ApiCase):
    def test_the_demo_is_there_and_a_new_effect_runs(self) -> None:
        listed = self.client.get("/api/effects").json()
        self.assertIn("Hail on the tin roof", [effect["name"] for effect in listed])
        new = self.client.post("/api/effects", json={}).json()
        trial = self.run_trial(new["id"])
        self.assertEqual(trial["state"], "done")
        self.assertGreater(self.client.get(f"/api/trials/{trial['id']}/stats").json()[-1]["count"], 100)
        poster = None
        for _ in range(100):
            poster = next(
                effect["poster"]
                for effect in self.client.get("/api/effects").json()
                if effect["id"] == new["id"]
            )
            if poster:
                break
            time.sleep(0.05)
        self.assertEqual(self.client.get(poster).content[:4], b"\x89PNG")

    def test_every_demo_comes_with_its_picture(self) -> None:
        """It ships, so that the library is not empty before anything has run, and is what a run would draw today."""
        entries = {entry["name"]: entry["poster"] for entry in self.client.get("/api/effects").json()}
        for name in demo.names():
            self.assertIsNotNone(entries[demo.document(name)["name"]], name)
        for name in ("shutters-in-the-gust", "sleet-under-the-lamp"):
            drawn = poster_of(read_effect(demo.document(name)), demo.assets())
            shipped, fresh = (
                np.asarray(Image.open(io.BytesIO(picture)), np.float64)
                for picture in (demo.poster(name), drawn)
            )
            self.assertLess(np.abs(shipped - fresh).mean(), 2.0, f"{name}: run ./run shots")

    def test_a_demo_opens_with_a_picture_until_it_is_changed(self) -> None:
        entries = {entry["name"]: entry for entry in self.client.get("/api/effects").json()}
        for name in demo.names():
            entry = entries[demo.document(name)["name"]]
            answer = self.client.get(entry["opening"])
            self.assertEqual((answer.status_code, answer.content[8:12]), (200, b"WEBP"), name)
        effect = self.made(document())
        self.assertEqual(self.client.get(f"/api/effects/{effect}/opening").status_code, 404)
        entry = entries["Paper slips"]
        kept = self.client.get(f"/api/effects/{entry['id']}").json()
        changed = kept["document"] | {"summary": "Something else."}
        self.client.put(f"/api/effects/{entry['id']}", json={"revision": kept["revision"], "document": changed})
        entries = {entry["name"]: entry["opening"] for entry in self.client.get("/api/effects").json()}
        self.assertIsNone(entries["Paper slips"])

    def test_save_conflict_and_versions(self) -> None:
        effect = self.made(document())
        raw = self.client.get(f"/api/effects/{effect}").json()["document"]
        saved = self.client.put(
            f"/api/effects/{effect}", json={"revision": 1, "document": raw | {"name": "mine"}}
        )
        self.assertEqual(saved.json()["revision"], 2)
        other = self.client.put(
            f"/api/effects/{effect}", json={"revision": 1, "document": raw | {"name": "theirs"}}
        )
        self.assertEqual(other.status_code, 409)
        self.assertIn("changed somewhere else", other.json()["detail"])
        self.assertEqual(self.client.get(f"/api/effects/{effect}/versions/1").json()["name"], "test")
        self.client.put(f"/api/effects/{effect}/versions/1", json={"name": "first"})
        self.assertEqual(
            [version["name"] for version in self.client.get(f"/api/effects/{effect}/versions").json()],
            [None, "first"],
        )

    def test_copy_and_delete(self) -> None:
        effect = self.made(document())
        copy = self.client.post("/api/effects", json={"copy_of": effect}).json()
        self.assertEqual(copy["document"]["name"], "test (copy)")
        self.assertEqual(self.client.delete(f"/api/effects/{copy['id']}").status_code, 204)
        self.assertEqual(self.client.get(f"/api/effects/{copy['id']}").status_code, 404)

    def test_bad_documents_are_refused_with_their_place(self) -> None:
        effect = self.made(document())
        bad = document(rule({"kind": "bounce", "shape": "gone"}, label="Solid"))
        # A broken rule is kept as it was typed, and told with its place.
        (advisory, *_others) = self.client.post("/api/effects/check", json=bad).json()
        self.assertEqual(
            (advisory["level"], advisory["item"]), ("error", ["rules", 0, "actions", 0, "shape"])
        )
        self.assertIn("rule 1 'Solid'", advisory["text"])
        bad = document(source={"shape": "gone"})
        answer = self.client.put(f"/api/effects/{effect}", json={"revision": 1, "document": bad})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(answer.json()["problems"][0]["path"], ["sources", 0, "shape"])
        self.assertIn("source 1 'Source'", answer.json()["detail"])
        nan = self.client.put(
            f"/api/effects/{effect}",
            content='{"revision": 1, "document": {"clock": {"duration": NaN}}}',
            headers={"content-type": "application/json"},
        )
        self.assertEqual(nan.status_code, 422)
        self.assertEqual(self.client.get(f"/api/effects/{effect}").json()["revision"], 1)

    def test_advisories_with_a_fix(self) -> None:
        found = self.client.post("/api/effects/check", json=document(groups=["a", "spare"])).json()
        self.assertEqual((found[0]["item"], found[0]["fix"]["remove"]), (["groups", 1], True))
        # What a fix puts in a place is told whole, as documents are kept.
        source = {"emission": {"kind": "fill"}, "placement": {"kind": "inside"}, "shape": "box"}
        raw = document(source=source, shapes=[{"kind": "box", "id": "box", "label": "Box"}])
        notes = self.client.post("/api/effects/check", json=raw).json()
        fix = next(note["fix"] for note in notes if note["fix"] and "value" in note["fix"])
        self.assertEqual(fix["path"], ["sources", 0, "placement"])
        raw["sources"][0]["placement"] = {"kind": "lattice"}
        self.assertEqual(fix["value"], read_effect(raw).model_dump()["sources"][0]["placement"])
        self.assertGreater(len(fix["value"]), 2)

    def test_reference(self) -> None:
        catalogue = self.client.get("/api/catalogue").json()
        self.assertIn("impact_speed", [kind["kind"] for kind in catalogue["slots"]["quantity"]])
        self.assertIn("$defs", self.client.get("/api/schema").json())
        pages = self.client.get("/api/guide").json()
        self.assertGreaterEqual(len(pages), 4)
        self.assertTrue(all(page["title"] and len(page["text"]) > 200 for page in pages))
        # In reading order, by the numbers of the files and not as text.
        self.assertEqual(
            [page["id"] for page in pages][:2] + [page["id"] for page in pages][-4:],
            ["first", "rules", "neighbourhoods", "births", "contact", "formulas"],
        )
        # Ramps that ship come along for drawing, as evenly spaced colours.
        self.assertEqual((catalogue["ramps"]["viridis"][0], len(catalogue["ramps"]["rime"])), ("#440154", 33))


class Trials(ApiCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        move = rule(
            {"kind": "move", "group": "b"},
            trigger="once",
            condition=compare("speed", "above", 3.0),
            label="Fast",
        )
        raw = document(
            move, count=200, groups=["a", "b"], speed={"kind": "spread", "value": 3.0, "spread": 1.0}
        )
        cls.effect = cls.client.post("/api/effects", json={"document": raw}).json()["id"]
        cls.trial = cls.client.post(f"/api/effects/{cls.effect}/trials", json={}).json()["id"]
        for _ in range(300):
            if cls.client.get(f"/api/trials/{cls.trial}").json()["state"] == "done":
                break
            time.sleep(0.02)

    def test_frames_are_binary_and_complete(self) -> None:
        answer = self.client.get(f"/api/trials/{self.trial}/frames/10")
        head, arrays = unpack(answer.content)
        self.assertEqual((head["frame"], head["count"]), (10, 200))
        self.assertEqual(sum(layer["count"] for layer in head["layers"]), 200)
        self.assertEqual(arrays["0/position"].shape, (200, 3))
        self.assertEqual(self.client.get(f"/api/trials/{self.trial}/frames/9999").status_code, 202)

    def test_counts_agree_with_a_highlight(self) -> None:
        stats = self.client.get(f"/api/trials/{self.trial}/stats?start=10").json()[0]
        test = {"condition": compare("speed", "above", 3.0), "who": []}
        head, arrays = unpack(
            self.client.post(f"/api/trials/{self.trial}/frames/10/highlight", json=test).content
        )
        self.assertEqual((head["count"], head["of"]), (stats["population"][1], 200))
        self.assertEqual(len(arrays["ids"]), head["count"])

    def test_a_varying_threshold_is_the_same_when_looked_at_later(self) -> None:
        size = {"kind": "attribute", "attribute": "radius"}
        varying = compare(size, "above", {"kind": "spread", "value": 0.5, "spread": 0.4})
        raw = document(
            rule({"kind": "drag"}, condition=varying, id="slow"),
            count=500,
            source={"radius": {"kind": "spread", "value": 0.5, "spread": 0.45}},
        )
        trial = self.run_trial(self.made(raw))["id"]
        held = self.client.get(f"/api/trials/{trial}/stats?start=9").json()[0]["held"][0]
        condition = self.context.runs.trial(trial).effect.rules[0].condition.model_dump()
        # Asked for as a piece of the trial's own document, it means the same particles as it did in the run.
        body = {"condition": condition, "who": [], "path": ["rules", 0, "condition"]}
        head, _ = unpack(self.client.post(f"/api/trials/{trial}/frames/9/highlight", json=body).content)
        self.assertEqual(head["count"], held)
        self.assertTrue(100 < held < 400)

    def test_histogram(self) -> None:
        reading = {
            "quantity": {"kind": "speed"},
            "who": ["b"],
            "condition": compare("speed", "above", 3.5),
        }
        found = self.client.post(f"/api/trials/{self.trial}/frames/10/histogram", json=reading).json()
        self.assertEqual(sum(found["counts"]) + found["outside"], found["total"])
        self.assertTrue(0 < found["passing"] < found["total"])
        self.assertGreaterEqual(found["low"], 3.0)
        self.assertEqual(found["thresholds"], [[3.5, 3.5]])
        reading["condition"] = {"kind": "between", "quantity": {"kind": "speed"}, "low": 3.5, "high": 1e3}
        between = self.client.post(f"/api/trials/{self.trial}/frames/10/histogram", json=reading).json()
        self.assertEqual((between["passing"], len(between["thresholds"])), (found["passing"], 2))

    def test_probe_and_track(self) -> None:
        found = self.client.get(f"/api/trials/{self.trial}/frames/10/particles/7").json()
        self.assertEqual(next(event["what"] for event in found["story"]), "birth")
        reason = found["now"]["reasons"][0]
        self.assertEqual(reason["holds"], reason["tests"][0]["value"] > reason["tests"][0]["threshold"])
        series = self.client.get(f"/api/trials/{self.trial}/particles/7/track?columns=speed,height").json()
        self.assertEqual(len(series["speed"]), 49)
        np.testing.assert_allclose(np.diff(series["height"]), series["speed"][0] / 24, rtol=1e-3)
        nobody = self.client.get(f"/api/trials/{self.trial}/frames/10/particles/99999").json()
        self.assertEqual(nobody, {"alive": False, "now": None, "story": []})

    def test_pieces_are_as_strict_as_documents(self) -> None:
        for body in (
            {"condition": {"kind": "comparr"}},
            {"condition": {"kind": "compare", "x": 1}},
            {"condition": compare("age", "above", "1")},
        ):
            self.assertEqual(
                self.client.post(f"/api/trials/{self.trial}/frames/3/highlight", json=body).status_code, 422
            )
        gone = {"condition": {"kind": "holds", "quantity": {"kind": "touching", "shape": "gone"}}}
        self.assertEqual(
            self.client.post(f"/api/trials/{self.trial}/frames/3/highlight", json=gone).status_code, 202
        )
        self.assertEqual(
            self.client.post(
                f"/api/trials/{self.trial}/frames/3/highlight", json={"who": ["gone"]}
            ).status_code,
            202,
        )

    def test_parts_are_exchanged_with_what_the_particles_have(self) -> None:
        document_ = self.client.get(f"/api/effects/{self.effect}").json()["document"]
        where = {"document": document_, "trial": self.trial, "frame": 10}
        answer = self.client.post(
            "/api/exchange", json={**where, "path": ["rules", 0, "condition", "quantity"], "kind": "speed"}
        )
        self.assertEqual(answer.status_code, 200, answer.text)
        changed = answer.json()["document"]["rules"][0]["condition"]
        runs = self.context.runs
        with runs.moment(runs.trial(self.trial), 10) as moment:
            found = present_quantity(moment, Kind.registry["quantity"]["speed"](), [])  # type: ignore[arg-type]
        assert found is not None
        told = vars(found)
        self.assertEqual(changed["threshold"], {"kind": "fixed", "value": told["middle"]})
        self.assertTrue(told["lowest"] < told["middle"] < told["highest"])
        for wrong, status in (
            ({"path": ["rules", 99, "condition"], "kind": "all"}, 404),
            ({"path": ["rules", 0, "condition"], "kind": "nothing"}, 404),
        ):
            self.assertEqual(self.client.post("/api/exchange", json={**where, **wrong}).status_code, status)

        refused = self.client.post("/api/exchange", json={**where, "path": ["shapes", 0], "kind": "mesh"}).json()
        self.assertEqual(refused["document"], None)
        self.assertIn("brought in from a file", refused["refused"])

    def test_time_between_and_versions_kept_beside(self) -> None:
        address = f"/api/trials/{self.trial}/between"
        found = self.client.get(address, params={"start": "birth", "end": "rule"}).json()
        self.assertEqual((found["number"], sum(found["counts"])), (len(found["rows"]), found["number"]))
        self.assertEqual(self.client.get(address, params={"start": "birth", "end": "rule:gone"}).status_code, 202)
        self.assertEqual(self.client.get(address, params={"start": "tea", "end": "death"}).status_code, 404)
        before = self.client.get(f"/api/effects/{self.effect}").json()
        mine = {**before["document"], "name": "mine"}
        kept = self.client.post(f"/api/effects/{self.effect}/versions", json={"document": mine, "name": "kept"}).json()
        self.assertEqual((kept["document"], kept["revision"]), (before["document"], before["revision"] + 2))
        version = self.client.get(f"/api/effects/{self.effect}/versions/{before['revision'] + 1}").json()
        self.assertEqual(version["name"], "mine")

    def test_the_same_document_is_computed_once(self) -> None:
        self.assertEqual(self.run_trial(self.effect)["id"], self.trial)
        self.assertEqual(self.run_trial(self.effect)["seconds"], self.run_trial(self.effect)["seconds"])

    def test_progress_is_told(self) -> None:
        effect = self.made(document(count=5, clock={"duration": 1.0}))
        with self.client.websocket_connect("/api/live", headers={"origin": HOST, "host": HOST[7:]}) as socket:
            trial = self.run_trial(effect)
            news = []
            while not news or news[-1]["type"] != "finished":
                message = socket.receive_json()
                if message.get("effect") == effect and message["type"] in ("progress", "finished"):
                    news.append(message)
        self.assertEqual(sum(len(message.get("stats", [])) for message in news), trial["last"] + 1)
        self.assertEqual(news[-1]["state"], "done")


class Runs(ApiCase):
    own_server = True

    LONG = document(rule({"kind": "turbulence"}), count=30_000, clock={"duration": 120.0})

    def long(self, seed: int) -> dict[str, Any]:
        """A long run of its own: names alone would share the frames of the others."""
        return self.LONG | {"clock": {"duration": 120.0, "seed": seed}}

    def started(self, raw: dict[str, Any]) -> tuple[str, dict[str, Any]]:
        effect = self.made(raw)
        trial = self.run_trial(effect, wait=False)
        while self.client.get(f"/api/trials/{trial['id']}").json()["computed"] == 0:
            time.sleep(0.01)
        return effect, trial

    def test_stop_comes_at_once_and_keeps_frames(self) -> None:
        effect, trial = self.started(self.LONG)
        self.assertTrue(self.client.post(f"/api/effects/{effect}/stop").json())
        ended = self.waited(trial["id"], 30)
        self.assertEqual(ended["state"], "stopped")
        self.assertLess(ended["computed"], ended["last"] // 2)
        self.assertEqual(self.client.get(f"/api/trials/{trial['id']}/frames/0").status_code, 200)

    def test_an_edit_replaces_the_run(self) -> None:
        effect, first = self.started(self.long(4))
        second = self.run_trial(effect, self.LONG | {"clock": {"duration": 0.5}})
        self.assertEqual(second["state"], "done")
        self.assertEqual(self.waited(first["id"])["state"], "stopped")

    def test_a_killed_worker_is_replaced_and_told(self) -> None:
        effect, trial = self.started(self.long(2))
        worker = next(
            worker
            for worker in self.context.pool.workers
            if worker.job is not None and worker.job.owner == effect
        )
        os.kill(worker.process.pid, signal.SIGKILL)
        ended = self.waited(trial["id"], 10)
        self.assertEqual(ended["state"], "failed")
        self.assertIn("Your effect is saved", ended["message"])
        again = self.run_trial(effect, self.LONG | {"clock": {"duration": 0.2}})
        self.assertEqual(again["state"], "done")

    def test_answers_are_quick_while_computing(self) -> None:
        effect, trial = self.started(self.long(3))
        for _ in range(5):
            self.assertEqual(self.client.get(f"/api/effects/{effect}").status_code, 200)
            self.assertEqual(self.client.get(f"/api/trials/{trial['id']}/frames/0").status_code, 200)
        # How quick is measured by the benchmarks; here, that nobody waits for the run.
        self.assertEqual(self.client.get(f"/api/trials/{trial['id']}").json()["state"], "computing")
        self.client.post(f"/api/effects/{effect}/stop")

    def test_endless_growth_is_stopped_and_told(self) -> None:
        spawn = rule({"kind": "spawn", "count": 3, "group": "a", "parent": "kept"}, label="Runaway")
        trial = self.run_trial(self.made(document(spawn, clock={"particle_budget": 2000})))
        self.assertEqual(trial["state"], "done", trial["message"])
        self.assertIn("'Runaway'", trial["findings"][0]["text"])

    def test_a_missing_mesh_is_told(self) -> None:
        raw = document(shapes=[{"kind": "mesh", "id": "m", "label": "Cairn", "asset": "lost"}])
        self.assertIn("the mesh of 'Cairn' is missing", self.run_trial(self.made(raw))["findings"][0]["text"])


class Meshes(ApiCase):
    def test_import_and_use(self) -> None:
        data = trimesh.creation.icosphere().export(file_type="glb")
        answer = self.client.post("/api/assets", files={"file": ("cairn.glb", data)})
        self.assertEqual(answer.status_code, 201, answer.text)
        asset = answer.json()
        raw = document(
            shapes=[{"kind": "mesh", "id": "m", "label": "Cairn", "asset": asset["id"]}],
            source={"shape": "m", "placement": {"kind": "surface"}},
            count=50,
        )
        trial = self.run_trial(self.made(raw))
        self.assertEqual(trial["findings"], [])
        head, arrays = unpack(self.client.get(f"/api/trials/{trial['id']}/shapes").content)
        self.assertEqual(head["shapes"][1]["kind"], "mesh")
        self.assertEqual(len(arrays["shape 1/faces"]), asset["triangles"])

    def test_damaged_files_are_refused_in_words(self) -> None:
        for name, data in (
            ("x.obj", b"nothing"),
            ("x.exe", b"MZ"),
            ("x.glb", b"glTF" + b"\xff" * 100),
            ("../../x.ply", b"ply\nformat ascii 1.0\nend_header\n"),
        ):
            answer = self.client.post("/api/assets", files={"file": (name, data)})
            self.assertEqual(answer.status_code, 422, name)
            self.assertTrue(len(answer.json()["detail"]) > 10)
        self.assertEqual(self.client.get("/api/effects").status_code, 200)


class Security(ApiCase):
    def test_only_this_host_and_its_own_pages(self) -> None:
        self.assertEqual(self.client.get("/api/effects", headers={"host": "evil.example"}).status_code, 403)
        self.assertEqual(
            self.client.get("/api/effects", headers={"origin": "http://evil.example"}).status_code, 403
        )
        self.assertEqual(self.client.get("/api/effects", headers={"origin": HOST}).status_code, 200)
        # Another program of this machine has another port.
        for origin in ("http://127.0.0.1:9999", "http://127.0.0.1", "http://localhost:8600"):
            self.assertEqual(self.client.get("/api/effects", headers={"origin": origin}).status_code, 403, origin)
        with (
            self.assertRaises(WebSocketDisconnect),
            self.client.websocket_connect(
                "/api/live", headers={"origin": "http://evil.example", "host": HOST[7:]}
            ),
        ):
            pass

    def test_unknown_paths(self) -> None:
        self.assertEqual(self.client.get("/api/nothing").status_code, 404)
        self.assertEqual(self.client.get("/api/trials/zzz").status_code, 404)
        self.assertNotIn("root:", self.client.get("/assets/../../../../etc/passwd").text)


class Tokens(ApiCase):
    token = "winter"

    def test_a_token_is_asked_for(self) -> None:
        self.assertEqual(self.client.get("/api/effects").status_code, 403)
        self.assertEqual(
            self.client.get("/api/effects", headers={"authorization": "Bearer wrong"}).status_code, 403
        )
        self.assertEqual(
            self.client.get("/api/effects", headers={"authorization": "Bearer winter"}).status_code, 200
        )
        self.assertEqual(self.client.get("/api/effects?token=winter").status_code, 200)


if __name__ == "__main__":
    unittest.main()
