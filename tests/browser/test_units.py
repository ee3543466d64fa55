"""Units of the front end, each by itself: the built modules driven from here in headless Chromium, without a server."""

from __future__ import annotations

import json
import subprocess
import unittest
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import Route

import hailridge.core  # noqa: F401
from hailridge import demo
from hailridge.core.kinds.words import own_words, taken_words
from hailridge.model.attributes import table_of
from hailridge.model.catalogue import catalogue
from hailridge.model.validation import read_effect
from tests import sharing
from tests.samples.typed_words import TYPED

FRONT = Path(__file__).resolve().parents[2] / "frontend"


@cache
def build() -> None:
    """The modules as they are now, built once a process."""
    subprocess.run(["npx", "--no-install", "vite", "build", "-c", "vite.units.config.ts", "--logLevel", "error"], cwd=FRONT, check=True, capture_output=True)


class Units(unittest.TestCase):
    whole = True

    @classmethod
    def setUpClass(cls) -> None:
        build()
        cls.page = sharing.chromium().new_page()
        cls.addClassCleanup(cls.page.close)
        # A page with storage of its own, which about:blank has not.
        cls.page.route(
            "http://units.local/**",
            lambda route: route.fulfill(body="<html></html>", content_type="text/html"),
        )
        cls.page.goto("http://units.local/")
        cls.page.add_script_tag(content=(FRONT / "dist-units" / "units.js").read_text())
        cls.catalogue = json.loads(json.dumps(catalogue(), default=str))
        cls.hail = read_effect(demo.document("hail-on-the-tin-roof")).model_dump(mode="json")
        cls.page.evaluate(
            "([hail, catalogue]) => { Object.assign(window, { hail, catalogue }); units.typed.knowUnits(catalogue.measures); }",
            [cls.hail, cls.catalogue],
        )

    def run_in_page(self, script: str, *given: Any) -> Any:
        return self.page.evaluate(f"async (given) => {{ {script} }}", list(given))


class Names(Units):
    def test_attributes_are_called_as_the_model_calls_them(self) -> None:
        """Against the model itself, over labels that mean something already, begin with digits, or are alike."""
        labels = ["Wetness", "how wet?", "Age", "2 wet", "Noise", "Height", "Wetness", "Größe", "_", "wet ness", "In", "x"]
        declared = [{"id": f"value-{place}", "label": label} for place, label in enumerate(labels)] + [{"id": "how-wet", "label": "Other"}]
        words = own_words(table_of(declared))
        first = {}
        for word, identifier in words.items():
            first.setdefault(identifier, word)
        called = self.run_in_page(
            "return given[0].map((_a, place) => units.naming.attributeWord(given[1], given[0], place))",
            declared, {"formula_words": sorted(taken_words())},
        )  # fmt: skip
        self.assertEqual(called, [first[entry["id"]] for entry in declared])
        self.assertEqual(called[0], "wetness")

    def test_words_are_exchanged_outside_of_quotes_only(self) -> None:
        text = 'a = wet + wetter * velocity.wet - wet(2)\nfield("wet") + wet.x if wet else \'wet\''
        self.assertEqual(
            self.run_in_page("return units.naming.reworded(given[0], 'wet', 'dry')", text),
            'a = dry + wetter * velocity.wet - wet(2)\nfield("wet") + dry.x if dry else \'wet\'',
        )


class Documents(Units):
    def test_a_value_is_changed_without_touching_the_rest(self) -> None:
        changed, kept, before = self.run_in_page("""
            const next = units.document.withValue(hail, ["rules", 1, "label"], "Gusts of wind");
            return [next.rules[1].label, next.rules[0] === hail.rules[0] && next.shapes === hail.shapes, hail.rules[1].label];
        """)
        self.assertEqual((changed, kept, before), ("Gusts of wind", True, "Gusts"))

    def test_something_is_taken_out(self) -> None:
        self.assertEqual(
            self.run_in_page("return units.document.withValue({ a: [1, 2, 3], b: 4 }, ['a', 1], undefined)"),
            {"a": [1, 3], "b": 4},
        )
        self.assertEqual(
            self.run_in_page("return units.document.withValue({ a: 1, b: 4 }, ['b'], undefined)"), {"a": 1}
        )

    def test_addresses_stay_when_lists_are_put_in_another_order(self) -> None:
        address, path, gone = self.run_in_page("""
            const { addressOf, pathTo, withValue, moved } = units.document;
            const address = addressOf(hail, ["rules", 2, "actions", 0]);
            const turned = withValue(hail, ["rules"], moved(hail.rules, 2, 0));
            return [address, pathTo(turned, address), pathTo(turned, "rules/nobody")];
        """)
        self.assertEqual((address, path, gone), ("rules/shatter/actions/0", ["rules", 0, "actions", 0], None))

    def test_parts_get_ids_of_their_own_and_the_rest_is_not_looked_at(self) -> None:
        ids, same = self.run_in_page("""
            const action = { ...hail.rules[0].actions[0] };
            const next = units.document.withValue(hail, ["rules", 0, "actions"], [...hail.rules[0].actions, action]);
            const named = units.document.identified(next, hail);
            return [named.rules[0].actions.map((one) => one.id), named.rules[1] === hail.rules[1]];
        """)
        self.assertEqual(len(ids), len(set(ids)))
        self.assertTrue(same)

    def test_a_fresh_name_beside_others(self) -> None:
        self.assertEqual(
            self.run_in_page("""
                const { freshId, freshLabel } = units.document;
                const taken = [{ id: "ball", label: "Ball" }, { id: "ball-2", label: "Ball 2" }];
                return [freshId("Ball", taken), freshLabel("Ball", taken), freshId("Größe!", []), freshLabel("Box", taken)];
            """),
            ["ball-3", "Ball 3", "gr-e", "Box"],
        )

    def test_a_copy_of_a_copy_counts_up(self) -> None:
        """*Ball 2* was copied as *Ball 2 2*."""
        self.assertEqual(
            self.run_in_page("""
                const { freshId, freshLabel } = units.document;
                const taken = ["Ball", "Ball 2", "Ball 3", "Layer 400", "2"].map((label) => ({ id: freshId(label, []), label }));
                const names = ["Ball 2", "Ball 3", "Layer 400", "2", "Ball 9"];
                return [names.map((name) => freshLabel(name, taken)), names.map((name) => freshId(name, taken))];
            """),
            [["Ball 4", "Ball 4", "Layer 401", "2 2", "Ball 9"], ["ball-4", "ball-4", "layer-401", "2-2", "ball-9"]],
        )

    def test_the_same_content_in_another_order_is_the_same_text(self) -> None:
        self.assertTrue(
            self.run_in_page(
                "return units.document.canonical({ a: 1, b: { c: 2, d: 3 } }) === units.document.canonical({ b: { d: 3, c: 2 }, a: 1 })"
            )
        )

    def test_a_new_label_goes_into_formulas_too(self) -> None:
        text = self.run_in_page("""
            const { withValue, relabelled } = units.document;
            const info = catalogue.slots.field.find((kind) => kind.kind === "formula");
            const own = units.document.made(info, hail, catalogue);
            const fields = [
                { id: "veil", label: "Veil", ...units.document.made(catalogue.slots.field[0], hail, catalogue) },
                { id: "sum", label: "Sum", ...own, text: 'field("Veil") * 2' },
            ];
            const next = relabelled(withValue(hail, ["fields"], fields), catalogue, "fields", 0, "Cloud");
            return next.fields[1].text;
        """)
        self.assertEqual(text, 'field("Cloud") * 2')

    def test_what_is_used_says_where(self) -> None:
        users = self.run_in_page('return units.document.usesOf(hail, catalogue, "shape", "cloud")')
        self.assertEqual(users, ["Squall"])

    def test_a_copy_stands_behind_its_original(self) -> None:
        labels = self.run_in_page(
            "return units.adding.duplicated(hail, 'rules', 0).rules.slice(0, 3).map((rule) => [rule.id, rule.label])"
        )
        self.assertEqual(labels, [["fall", "Fall"], ["fall-2", "Fall 2"], ["gusts", "Gusts"]])

    def test_new_things_take_the_newest_reference(self) -> None:
        shape = self.run_in_page(
            "return units.document.made(catalogue.parts.source, hail, catalogue, false).shape"
        )
        self.assertEqual(shape, self.hail["shapes"][-1]["id"])


class Keys(Units):
    CURVE = '[{ at: 0, value: 1, ease: "linear" }, { at: 2, value: 5, ease: "hold" }]'

    def test_a_key_is_added_changed_and_kept_between_its_neighbours(self) -> None:
        added, changed, held = self.run_in_page(f"""
            const keys = {self.CURVE};
            const {{ withKey, movedKey }} = units.keys;
            return [withKey(keys, 1, 3), withKey(keys, 2, 7), movedKey([...keys, {{ at: 3, value: 0, ease: "linear" }}], 1, 9, 5)];
        """)
        self.assertEqual([key["at"] for key in added], [0, 1, 2])
        self.assertEqual(added[1]["ease"], "linear")
        self.assertEqual([key["value"] for key in changed], [1, 7])
        self.assertAlmostEqual(held[1]["at"], 2.9998)

    def test_where_keyframes_are(self) -> None:
        paths = self.run_in_page(f"""
            const node = {{ position: {{ keys: {self.CURVE} }}, curve: {{ keys: {self.CURVE} }}, list: [{{ value: {{ keys: {self.CURVE} }} }}] }};
            return units.keys.keyedPaths(node, new Set(["curve"]));
        """)
        self.assertEqual(paths, [["position"], ["list", 0, "value"]])


class Words(Units):
    def test_sentences_are_taken_apart(self) -> None:
        self.assertEqual(
            self.run_in_page(
                'return units.template.pieces("swirl by {strength}[, {octaves} octaves[ of {seed}]]")'
            ),
            [
                {"words": "swirl by "},
                {"field": "strength"},
                {
                    "optional": [
                        {"words": ", "},
                        {"field": "octaves"},
                        {"words": " octaves"},
                        {"optional": [{"words": " of "}, {"field": "seed"}], "fields": ["seed"]},
                    ],
                    "fields": ["octaves"],
                },
            ],
        )
        self.assertEqual(
            self.run_in_page('return units.template.coreOf(", only in ")'), [", ", "only in", " "]
        )

    def test_every_sentence_names_fields_that_there_are(self) -> None:
        missing = self.run_in_page("""
            const names = (list) => list.flatMap((piece) => piece.field ?? (piece.optional ? names(piece.optional) : []));
            return [...Object.values(catalogue.slots).flat(), ...Object.values(catalogue.parts)].flatMap((info) =>
                names(units.template.pieces(info.sentence))
                    .filter((name) => !info.fields.some((field) => field.name === name))
                    .map((name) => `${info.title}: ${name}`));
        """)
        self.assertEqual(missing, [])

    def test_kinds_are_found_by_what_one_would_say(self) -> None:
        found = self.run_in_page("""
            const by = (words) => units.kinds.found(catalogue.slots.action, words, catalogue, []).map(({ kind }) => kind.kind);
            return Object.fromEntries(["fall", "stop", "split", "die", "grow"].map((words) => [words, by(words)]));
        """)
        for words, kind in {
            "fall": "gravity",
            "stop": "drag",
            "split": "spawn",
            "die": "remove",
            "grow": "approach",
        }.items():
            self.assertIn(kind, found[words], words)

    def test_a_search_says_what_a_kind_is_about(self) -> None:
        said = self.run_in_page("""
            const own = [{ id: "wetness", label: "Wetness" }];
            const first = (slot, words) => {
                const all = [...catalogue.attributes, ...own];
                const hit = units.kinds.found(catalogue.slots[slot], words, catalogue, all)[0];
                return hit ? [hit.kind.kind, hit.said, hit.word] : null;
            };
            return [first("action", "set spin"), first("action", "approach wetness"), first("condition", "time in group"),
                first("condition", "inside"), first("layer", "ramp speed"), first("action", "gravity"), first("action", "nonsense")];
        """)
        self.assertEqual(
            said,
            [
                ["set", {"attribute": "spin"}, "spin"],
                ["approach", {"attribute": "wetness"}, "Wetness"],
                ["compare", {"quantity": {"kind": "time_in_group"}}, "time in its group"],
                ["holds", {"quantity": {"kind": "inside"}}, "is inside a shape"],
                ["ramp", {"quantity": {"kind": "speed"}}, "speed"],
                ["gravity", {}, ""],
                None,
            ],
        )

    def test_what_an_artist_types_comes_first(self) -> None:
        """Common practice, no source: three hundred words, and the kind, with what it is about, that must be first."""
        said = self.run_in_page(
            """
            const attributes = [...catalogue.attributes, { id: "wetness", label: "Wetness" }];
            const first = (slot, words) => {
                const hit = units.kinds.found(catalogue.slots[slot], words, catalogue, attributes)[0];
                if (!hit) return "nothing";
                const about = Object.values(hit.said)[0];
                const name = about === undefined ? "" : typeof about === "string" ? about : [about.kind, about.attribute].filter(Boolean).join(" ");
                return name ? `${hit.kind.kind}: ${name}` : hit.kind.kind;
            };
            return Object.fromEntries(Object.entries(given[0]).map(([slot, table]) => [slot,
                Object.fromEntries(Object.keys(table).map((words) => [words, first(slot, words)]))]));
            """,
            TYPED,
        )
        wrong = [
            f"{slot}: {words!r} gives {said[slot][words]}, not {wanted}"
            for slot, table in TYPED.items() for words, wanted in table.items() if said[slot][words] != wanted
        ]  # fmt: skip
        self.assertFalse(wrong, "\n" + "\n".join(wrong))

    def test_every_kind_has_a_picture(self) -> None:
        named = {
            f"{slot}-{kind['kind']}" for slot, kinds in self.catalogue["slots"].items() for kind in kinds
        }
        drawn = {path.stem for path in (FRONT / "public" / "kinds").glob("*.png")}
        self.assertEqual(named, drawn)

    def test_numbers_are_read_as_the_server_reads_them(self) -> None:
        cases = json.loads((Path(__file__).resolve().parents[1] / "samples" / "typed_numbers.json").read_text("utf-8"))
        found = self.run_in_page("return given[0].map(({ text, ...rest }) => units.typed.typed(text, { fps: 24, ...rest }));", cases)
        for case, read in zip(cases, found, strict=True):
            with self.subTest(case["text"], unit=case.get("unit")):
                if "fault" in case:
                    self.assertEqual(read.get("fault"), case["fault"])
                else:
                    self.assertAlmostEqual(read["value"], case["value"], delta=1e-12 * abs(case["value"]))

    def test_times_that_are_set_by_the_frame_are_told_in_frames(self) -> None:
        told = self.run_in_page("""
            const s = { s: "s" };
            return [[100 / 24, 24], [1 / 30, 30], [2, 24], [0.4, 25], [0.3337, 24], [1e9, 24], [13 / 24, 24]].map(([value, fps]) => units.numbers.withUnit(value, "s", s, fps));
        """)
        self.assertEqual(told, ["100 frames", "1 frame", "2 s", "0.4 s", "0.3337 s", "ever", "13 frames"])

    def test_numbers_are_written_and_read(self) -> None:
        written = self.run_in_page("""
            const { plain, count, short, withUnit, otherWay, lasting } = units.numbers;
            return [plain(-0.25), plain(1234.56), count(12345), short(0.00123), withUnit(0.5, "share", {}), withUnit(2, "m", { m: "m" }), otherWay(2, "s", 24), otherWay(50000, "count", 30, "points"), lasting(7325), lasting(5)];
        """)
        self.assertEqual(
            written,
            ["−0.25", "1234.6", "12\u202f345", "0.00123", "50 %", "2 m", "48 frames at 24 a second", "one a frame: 27 min 47 s at 30 a second", "2 h 2 min 5 s", "5 s"],
        )
        colours = self.run_in_page("""
            return ["#F80", "ff8800", "rgb(255, 136, 0)", "Orange", " rebeccapurple ", "#ff880080", "orangey", "12345", ""].map(units.colours.hexIn);
        """)
        # CSS Color Module Level 4, named colours: orange is #ffa500, rebeccapurple #663399.
        self.assertEqual(colours, ["#ff8800"] * 3 + ["#ffa500", "#663399", "#ff8800", None, None, None])

    def test_key_presses_are_written_as_commands_have_them(self) -> None:
        keys = self.run_in_page("""
            const press = (key, held = {}) => units.keyboard.written({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...held });
            return [press(" "), press("z", { ctrlKey: true }), press("Z", { metaKey: true, shiftKey: true }), press("?", { shiftKey: true }), press("ArrowUp", { altKey: true }), press("d")];
        """)
        self.assertEqual(keys, ["Space", "Ctrl+Z", "Ctrl+Shift+Z", "?", "Alt+ArrowUp", "D"])


class Kept(Units):
    def test_a_loop_keeps_what_it_needs_soonest(self) -> None:
        """A budget of ten frames, a loop of twenty: the least useful is the one just passed, never the next."""
        kept = self.run_in_page("""
            const block = () => ({ head: {}, arrays: { a: new Uint8Array(new ArrayBuffer(100)) } });
            const frames = new units.Frames(1000);
            frames.put("old", 0, block());
            for (let at = 0; at < 20; at++) {
                frames.heed("now", at, [0, 19]);
                frames.put("now", at, block());
            }
            const here = Array.from({ length: 20 }, (_, at) => at).filter((at) => frames.has("now", at));
            return [here, frames.has("old", 0), frames.size];
        """)
        here, old, size = kept
        self.assertFalse(old)
        self.assertEqual(size, 10)
        # The frame under the playhead, and those that come first when it goes round.
        self.assertIn(19, here)
        self.assertTrue({0, 1, 2, 3}.issubset(here), here)

    def test_preferences_are_kept_and_what_cannot_be_read_begins_anew(self) -> None:
        tone, again, broken = self.run_in_page("""
            localStorage.clear();
            const first = units.preferences();
            first.setState({ tone: "light", scoreWidth: 400 });
            const again = units.preferences().getState();
            localStorage.setItem("hailridge", "{not json");
            return [again.tone, again.scoreWidth, units.preferences().getState().scoreWidth];
        """)
        self.assertEqual((tone, again, broken), ("light", 400, 0))

    def test_a_save_that_fails_is_tried_again_and_a_conflict_is_not(self) -> None:
        answers: list[dict[str, Any] | None] = [
            None,
            {"status": 200, "body": json.dumps({"revision": 2})},
            {"status": 409, "body": json.dumps({"detail": "changed elsewhere"})},
        ]
        asked: list[int] = []

        def answer(route: Route) -> None:
            asked.append(route.request.post_data_json["revision"])
            reply = answers.pop(0)
            if reply is None:
                route.abort()
            else:
                route.fulfill(content_type="application/json", **reply)

        self.page.route("**/api/effects/x", answer)
        states, unsaved = self.run_in_page("""
            const queue = new units.SaveQueue("x", "tab");
            const states = [];
            queue.listener = (saving) => states.push(saving.state);
            queue.goOn(1);
            queue.enqueue({ name: "a" });
            await new Promise((resolve) => setTimeout(resolve, 1500));
            queue.enqueue({ name: "b" });
            await new Promise((resolve) => setTimeout(resolve, 500));
            queue.enqueue({ name: "c" });
            await new Promise((resolve) => setTimeout(resolve, 300));
            return [states, queue.open];
        """)
        self.assertEqual(states, ["saved", "saving", "failed", "saving", "saved", "saving", "conflict"])
        self.assertEqual(asked, [1, 1, 2])
        self.assertTrue(unsaved)


class Views(Units):
    def test_what_is_framed_fills_the_picture_at_any_size(self) -> None:
        """All points lie within the picture and touch its margin on one pair of sides; a camera's own projection is the check."""
        found = self.run_in_page("""
            const { PerspectiveCamera, Vector3, view } = units;
            const points = [[-2, 0, -1], [2, 0, 1], [0, 3, 0], [1, 1, 2], [-1.5, 0.2, 1.5]].map((at) => new Vector3(...at));
            return [16 / 9, 840 / 640, 1, 0.6].flatMap((aspect) => ["home", "front", "side", "above"].map((side) => {
                const camera = new PerspectiveCamera(36, aspect, 0.1, 100);
                const target = new Vector3();
                view.placeCamera(camera, target, points, side);
                camera.lookAt(target);
                camera.updateMatrixWorld();
                const seen = points.map((point) => point.clone().project(camera));
                return [Math.max(...seen.map((at) => Math.abs(at.x))), Math.max(...seen.map((at) => Math.abs(at.y)))];
            }));
        """)
        for across, up in found:
            self.assertLess(max(across, up), 0.95)
            self.assertGreater(max(across, up), 0.80)

    def test_far_comes_before_near(self) -> None:
        order = self.run_in_page("return [...units.order.farToNear(new Float32Array([1, 5, 3, 5, -2]))]")
        self.assertEqual(order, [1, 3, 2, 0, 4])
