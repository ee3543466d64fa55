"""Looking closer over HTTP: why, branches and their curves, flows between groups, fields as pictures, broken pieces."""

from __future__ import annotations

import itertools
import unittest
from typing import Any
from unittest import mock

import numpy as np

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.formats.blocks import unpack
from hailridge.model.validation import read_effect
from hailridge.web import counting
from tests.support import compare, document, rule, run
from tests.web.cases import ApiCase

BALL = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0, "position": [0.0, 1.0, 0.0]}
WARM: dict[str, Any] = {
    "kind": "falloff",
    "id": "warm",
    "label": "Warm",
    "shape": "ball",
    "inner": -0.5,
    "outer": 0.5,
}
UNEVEN = {"kind": "noise", "id": "uneven", "label": "Uneven", "size": 0.7, "change": 1.0}


def moving(**changes: Any) -> dict[str, Any]:
    """Two hundred that fly up through a field, some of them moved on by it, then removed."""
    both = [compare({"kind": "field", "field": "warm"}, "above", 0.5), compare("speed", "above", 1.0)]
    return document(
        rule(
            {"kind": "move", "group": "b"},
            id="in",
            label="In",
            who=["a"],
            trigger="becomes",
            condition={"kind": "all", "conditions": both},
        ),
        rule({"kind": "remove"}, id="out", who=["b"], condition=compare("time_in_group", "at_least", 0.5)),
        count=200,
        speed={"kind": "spread", "value": 1.2, "spread": 0.8},
        groups=["a", "b"],
        shapes=[BALL],
        fields=[WARM, UNEVEN],
        clock={"duration": 2.0},
        **changes,
    )


class Looking(ApiCase):
    def setUp(self) -> None:
        self.raw = moving()
        self.trial = self.run_trial(self.made(self.raw))["id"]
        self.first = str(self.raw["rules"][0]["id"])

    def explained(self, frame: int, rule: str) -> dict[str, Any]:
        answer = self.client.get(f"/api/trials/{self.trial}/frames/{frame}/rules/{rule}")
        self.assertEqual(answer.status_code, 200, answer.text)
        found: dict[str, Any] = answer.json()
        return found

    def ringed(self, frame: int, path: list[str | int], condition: dict[str, Any]) -> int:
        body = {"condition": condition, "path": path, "who": ["a"]}
        answer = self.client.post(f"/api/trials/{self.trial}/frames/{frame}/highlight", json=body)
        return int(unpack(answer.content)[0]["count"])

    def test_branches_and_their_curves_are_those_of_the_rings(self) -> None:
        asked = f"/api/trials/{self.trial}/rules/{self.first}/curves"
        # With all the time there is every frame is looked at, up to the most; with none it is three from everywhere.
        with mock.patch.object(counting, "time", mock.Mock(monotonic=lambda: 0.0)):
            curves = self.client.get(asked).json()
        self.assertEqual((curves["frames"][0], curves["frames"][-1], len(curves["frames"])), (0, 48, counting.CURVE_FRAMES))
        with mock.patch.object(counting, "time", mock.Mock(monotonic=itertools.count(0.0, 9.0).__next__)):
            hurried = self.client.get(asked).json()["frames"]
        self.assertEqual((hurried[0], hurried[-1], len(hurried)), (0, 48, 3))
        self.assertEqual(
            [curve["path"] for curve in curves["curves"]], [[], ["conditions", 0], ["conditions", 1]]
        )
        condition = self.raw["rules"][0]["condition"]
        seen = 0
        for frame in (6, 12, 20):
            at = curves["frames"].index(frame)
            for place, branch in enumerate(self.explained(frame, self.first)["branches"]):
                part = condition if not branch["path"] else condition["conditions"][branch["path"][1]]
                ringed = self.ringed(frame, ["rules", self.first, "condition", *branch["path"]], part)
                self.assertEqual((branch["holds"], curves["curves"][place]["holds"][at]), (ringed, ringed))
                seen += ringed
        self.assertGreater(seen, 50)

    def test_why_nobody(self) -> None:
        # Who is fast and within has moved on already; what is short for the others is said.
        self.assertIn("'speed' goes from", self.explained(8, self.first)["text"])
        self.assertIn("Nobody has come into B yet", self.explained(0, str(self.raw["rules"][1]["id"]))["text"])
        nothing = {"text": "", "branches": []}
        self.assertEqual(self.explained(0, "nothing"), nothing)
        self.assertEqual(
            self.client.get(f"/api/trials/{self.trial}/rules/nothing/curves").json(), {"frames": [], "curves": []}
        )

    def test_a_neighbourhood_looked_at(self) -> None:
        raw = self.raw | {"neighbourhoods": [{"id": "near", "label": "Near", "who": ["a"], "among": ["b"], "reach": 0.05}]}
        address = f"/api/trials/{self.run_trial(self.made(raw))['id']}/frames"
        first = self.client.get(f"{address}/0/neighbourhoods/near").json()
        self.assertEqual((first["seekers"], first["finding"], first["targets"]), (200, 0, 0))
        self.assertIn("There is nobody to be found. Nobody has come into B yet: the first does at frame", first["text"])
        later = int(first["text"].rstrip(".").split()[-1]) + 2
        found = self.client.get(f"{address}/{later}/neighbourhoods/near?particle=0").json()
        self.assertGreater(found["targets"], 0)
        self.assertEqual(found["reach"], [found["reach"][0]] * 2)
        if found["view"] is not None:
            self.assertEqual(len(found["view"]["ids"]), found["view"]["count"])
        spread = self.client.get(f"{address}/{later}/neighbourhoods/near/distances").json()
        self.assertEqual(spread["total"], found["seekers"])
        self.assertEqual(spread["passing"], found["finding"])
        gone = self.client.get(f"{address}/0/neighbourhoods/far")
        self.assertEqual(gone.status_code, 202, gone.text)
        self.assertIn("no neighbourhood 'far'", gone.text)

    def test_flows_add_up(self) -> None:
        flow = self.client.get(f"/api/trials/{self.trial}/flow", params={"most": 5}).json()
        self.assertEqual((flow["frames"][0], flow["frames"][-1]), (0, 48))
        for place, population in enumerate(flow["population"][1:]):
            for group, number in enumerate(population):
                into = sum(n for at, _from, to, n in flow["ribbons"] if at == place and to == group)
                self.assertEqual(into, number)
        self.assertTrue({(a, b, by) for _at, a, b, by, _n in flow["moves"]} == {(0, 1, 0)})

    def test_a_field_as_a_picture(self) -> None:
        for field, axis in (("warm", "y"), ("uneven", "x")):
            answer = self.client.get(
                f"/api/trials/{self.trial}/frames/24/fields/{field}", params={"axis": axis, "at": 0.5}
            )
            head, arrays = unpack(answer.content)
            cut = head["slice"]
            values = arrays["slice"].reshape(cut["height"], cut["width"])
            # The values of the slice are the field's own, read at the middle of each of its places.
            corner, across, up = (np.array(cut[name]) for name in ("corner", "across", "up"))
            u, v = (
                (np.arange(cut["width"]) + 0.5) / cut["width"],
                (np.arange(cut["height"]) + 0.5) / cut["height"],
            )
            places = corner + u[None, :, None] * across + v[:, None, None] * up
            plan = Plan(read_effect(self.raw), MemoryAssets())
            true = plan.beginning.field_strength(field, places.reshape(-1, 3).astype(np.float32), 1.0)
            self.assertLess(np.abs(values.ravel() / 255 - true).max(), 0.01)
        self.assertEqual(head["line"], None)

    def test_what_is_not_there_is_said(self) -> None:
        for path in ("frames/0/fields/none", "frames/99/rules/0"):
            answer = self.client.get(f"/api/trials/{self.trial}/{path}")
            self.assertEqual(answer.status_code, 202, answer.text)
        gone = compare({"kind": "field", "field": "none"}, "above", 0.5)
        body = {"condition": gone, "who": []}
        answer = self.client.post(f"/api/trials/{self.trial}/frames/0/highlight", json=body)
        self.assertLess(answer.status_code, 500)

    def test_a_broken_rule_is_left_out_and_told(self) -> None:
        raw = moving()
        raw["fields"].append(
            {"kind": "combination", "id": "self", "label": "Self", "fields": ["self", "warm"]}
        )
        raw["rules"].append(rule({"kind": "wind", "where": "self"}, id="blow", label="Blow"))
        effect = self.made(raw)
        notes = self.client.post("/api/effects/check", json=raw).json()
        told = {tuple(note["item"]): note["text"] for note in notes if note["level"] == "error"}
        self.assertEqual(len(told), 2, told)
        self.assertTrue(all("goes on without it" in text for text in told.values()))
        self.assertEqual(self.run_trial(effect)["state"], "done")


class Formulas(ApiCase):
    """Formulas as they are written, and the table that is made of them."""

    def setUp(self) -> None:
        self.trial = self.run_trial(self.made(moving()))["id"]

    def asked(self, what: str, **body: Any) -> dict[str, Any]:
        answer = self.client.post(f"/api/trials/{self.trial}/frames/12/{what}", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        found: dict[str, Any] = answer.json()
        return found

    def test_words_are_those_of_the_document(self) -> None:
        words = {word["word"]: word for word in self.client.get(f"/api/trials/{self.trial}/words").json()}
        for word in ("speed", "id", "random", "curl", 'field("Warm")', 'in_world("Ball")', "way_to", "time"):
            self.assertTrue(words[word]["help"], word)
        self.assertEqual((words["velocity"]["type"], words["velocity"]["unit"]), ("vector", "m/s"))
        fields = {word["word"] for word in self.client.get(f"/api/trials/{self.trial}/words", params={"fields": True}).json()}
        self.assertLessEqual({"position", "time", "noise"}, fields)
        self.assertFalse({"speed", "height", "id"} & fields)

    def test_lines_tell_their_values_and_what_is_wrong(self) -> None:
        found = self.asked("formula", text="fast = speed > 1\nup = velocity.y\nradius = 0.1 * up if fast else 0.02", sort="lines", particle=3)
        self.assertIsNone(found["fault"])
        given = {entry["name"]: entry for entry in found["values"]}
        self.assertEqual([given[name]["line"] for name in ("fast", "up", "radius", "speed")], [1, 2, 3, 0])
        self.assertEqual(given["fast"]["own"], [float(given["speed"]["own"][0] > 1)])
        self.assertLessEqual(given["up"]["low"][0], given["up"]["own"][0])
        fault = self.asked("formula", text="a = 1\nspead + a")["fault"]
        self.assertEqual((fault["line"], fault["column"], fault["wrong"], fault["instead"]), (2, 1, "spead", "speed"))
        self.assertEqual(self.asked("formula", text="speed > 2", slot="condition")["plainer"]["kind"], "compare")
        self.assertEqual(self.asked("formula", text='field("Uneven") + position.x', sort="field")["type"], "number")

    def test_windows_of_the_table(self) -> None:
        whole = self.asked("table", columns=["speed", "position"], sort=0, limit=1000)
        part = self.asked("table", columns=["speed", "position"], sort=0, offset=40, limit=7, find=whole["ids"][150])
        self.assertEqual((part["ids"], part["at"], part["count"]), (whole["ids"][40:47], 150, 200))
        self.assertEqual(part["columns"][1]["values"], whole["columns"][1]["values"][120:141])
        self.assertEqual(whole["columns"][0]["values"], sorted(whole["columns"][0]["values"]))
        self.assertEqual(part["columns"][0]["high"], whole["columns"][0]["values"][-1])
        few = self.asked("table", columns=["nonsense"], where="speed > 1.5")
        self.assertTrue(0 < few["count"] < few["of"] == 200 and few["columns"][0]["fault"])
        answer = self.client.post(f"/api/trials/{self.trial}/frames/12/table.csv", json={"columns": ["speed"], "where": "speed > 1.5"})
        self.assertEqual(len(answer.text.splitlines()), few["count"] + 1)
        self.assertEqual(answer.text.splitlines()[0], "id,group,speed")
        self.assertIn(".csv", answer.headers["content-disposition"])


if __name__ == "__main__":
    unittest.main()


class Charts(ApiCase):
    """Charts and where the time goes, over the interface, against the frames themselves."""

    def setUp(self) -> None:
        self.trial = self.run_trial(self.made(moving()))["id"]
        self.frames = run(moving(), 12)

    def asked(self, what: str, **body: Any) -> dict[str, Any]:
        answer = self.client.post(f"/api/trials/{self.trial}/{what}", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        found: dict[str, Any] = answer.json()
        return found

    def test_of_a_frame(self) -> None:
        speed = np.linalg.norm(self.frames[12].columns["velocity"].astype(np.float64), axis=1)
        found = self.asked("frames/12/charts/spread", of="speed")
        np.testing.assert_array_equal(np.sum(list(found["counts"].values()), axis=0), np.histogram(speed, found["edges"])[0])
        points = self.asked("frames/12/charts/against", of="age", against="speed", where="speed > 1")
        np.testing.assert_array_equal(points["ids"], self.frames[12].columns["id"][speed > 1])
        np.testing.assert_allclose(points["y"], speed[speed > 1], rtol=1e-5)
        self.assertIn("nonsense", self.asked("frames/12/charts/spread", of="nonsense")["fault"])
        self.assertEqual(self.client.post(f"/api/trials/{self.trial}/frames/12/charts/spread", json={"of": "age", "who": ["gone"]}).status_code, 202)

    def test_over_time_and_of_one(self) -> None:
        over = self.asked("charts/over-time", of="speed")
        one = self.asked("charts/one", of="speed", particle=3)
        both: list[int] = []
        self.assertEqual(over["frames"][0], 0)
        for told in (over, one):
            self.assertEqual(told["frames"], sorted(told["frames"]))
        for place, number in enumerate(over["frames"]):
            if number > 12:
                break
            columns = self.frames[number].columns
            speed = np.linalg.norm(columns["velocity"].astype(np.float64), axis=1)
            for group, name in enumerate(("a", "b")):
                mine = speed[columns["group"] == group]
                self.assertEqual(over["counts"][name][place], len(mine))
                told = [over[what][name][place] for what in ("means", "lows", "highs")]
                np.testing.assert_allclose(np.array(told, float), [mine.mean(), *np.percentile(mine, [10, 90])] if len(mine) else np.nan, rtol=1e-4)
            if number in one["frames"]:
                # A busy machine looks at fewer frames, not always the same.
                self.assertAlmostEqual(one["values"][one["frames"].index(number)], speed[columns["id"].tolist().index(3)], 4)
                both.append(number)
        self.assertGreaterEqual(len(both), 2)
        self.assertEqual(set(self.asked("charts/one", of="speed", particle=10**6)["values"]), {None})
        self.assertTrue(self.asked("charts/over-time", of="1 +")["fault"])

    def test_a_life_tells_where_each_touch_was(self) -> None:
        """Dropped 1 m over a floor without friction: each touch lies under where it began, and says upward (geometry)."""
        floor = {"kind": "plane", "id": "floor", "label": "Floor", "width": 9.0, "depth": 9.0}
        fall = rule({"kind": "gravity"}, {"kind": "bounce", "shape": "floor", "bounciness": 0.7})
        raw = document(fall, shapes=[floor], position=[0.25, 1.0, -0.5], groups=["a", "b"], clock={"duration": 2.0})
        raw["rules"].append(rule({"kind": "move", "group": "b"}, id="late", trigger="once", condition=compare("age", "above", 1.5)))
        drawn = self.run_trial(self.made(raw))["id"]
        story = self.client.get(f"/api/trials/{drawn}/frames/40/particles/0").json()["story"]
        touches = [event for event in story if event["what"] == "contact"]
        self.assertGreater(len(touches), 1)
        for touch in touches:
            self.assertEqual(touch["item"], "floor")
            np.testing.assert_allclose(touch["place"], [0.25, 0.0, -0.5], atol=1e-3)
            np.testing.assert_allclose(touch["normal"], [0.0, 1.0, 0.0], atol=1e-3)
        others = [event for event in story if event["what"] != "contact"]
        self.assertEqual([event["what"] for event in others], ["birth", "rule", "move"])
        self.assertFalse(any("place" in event for event in others))

    def test_where_the_time_goes(self) -> None:
        drawn = self.run_trial(self.made(moving(looks=[{"kind": "dots", "id": "all"}])))["id"]
        self.client.get(f"/api/trials/{drawn}/frames/12")
        found = self.client.get(f"/api/trials/{drawn}/costs").json()
        self.assertGreater(found["steps"], 12)
        self.assertAlmostEqual(sum(found["items"].values()) + sum(found["rest"].values()), found["seconds"], 3)
        self.assertEqual(list(found["parts"]), ["birth", "pushes", "motion and contact", "changes", "leaving", "record"])
        rules = {f"rules/{entry['id']}" for entry in moving()["rules"]}
        self.assertLessEqual(rules, set(found["items"]))
        self.assertEqual(list(found["looks"]), ["looks/all"])
        self.assertGreater(found["looks"]["looks/all"], 0)
        # Where nothing has been computed nothing has taken any time.
        with mock.patch.object(self.context.runs, "costs", return_value={}):
            none = self.client.get(f"/api/trials/{drawn}/costs").json()
        self.assertEqual((none["steps"], none["seconds"], {*none["parts"].values()}, {*none["rest"].values()}), (0, 0.0, {0.0}, {0.0}))
