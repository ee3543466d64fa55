"""Advisories: what in a document will probably not do what was meant, with a fix where there is one."""

from __future__ import annotations

import copy
import unittest
from typing import Any

from hailridge import demo
from hailridge.core.looking.advisories import Advisory, advise
from hailridge.model.validation import read_effect
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import compare, document, rule

BOX = shape("box", size=[2.0, 1.0, 1.0])
LOOK: dict[str, Any] = {"looks": [{"kind": "balls", "id": "look"}]}


def told(raw: dict[str, Any]) -> list[Advisory]:
    return advise(read_effect(raw))


def fixed(raw: dict[str, Any], advisory: Advisory) -> dict[str, Any]:
    """The document with the advisory's fix applied, as the page applies it."""
    assert advisory.fix is not None
    whole = copy.deepcopy(read_effect(raw).model_dump())
    if not advisory.fix["path"]:
        return dict(advisory.fix["value"])
    *way, last = advisory.fix["path"]
    node: Any = whole
    for key in way:
        node = node[key]
    if advisory.fix.get("remove"):
        del node[last]
    else:
        node[last] = advisory.fix["value"]
    return whole


class Findings(unittest.TestCase):
    def one(self, raw: dict[str, Any], text: str, fix: bool = True) -> None:
        """Exactly one advisory, saying this; its fix, if any, silences it and makes a document that can be read."""
        found = [advisory for advisory in told(raw) if text in advisory.text]
        self.assertEqual(len(found), 1, [advisory.text for advisory in told(raw)])
        self.assertEqual(found[0].fix is not None, fix)
        if fix:
            after = fixed(raw, found[0])
            self.assertEqual([a.text for a in told(after) if text in a.text], [], text)

    def test_a_chance_at_each_step(self) -> None:
        now_and_then = {"kind": "chance", "probability": 0.1, "per": "occasion"}
        nested = {"kind": "all", "conditions": [{"kind": "not", "condition": now_and_then}]}
        self.one(
            document(rule({"kind": "remove"}, condition=nested), **LOOK), "depends on the steps a second"
        )
        # At contacts, births and deaths an occasion is just what is meant.
        self.assertEqual(
            told(document(rule({"kind": "remove"}, condition=now_and_then, trigger="contact"), **LOOK)), []
        )

    def test_nothing_can_be_seen(self) -> None:
        self.one(document(sources=[]), "no source gives birth", fix=False)
        plain = {"looks": [{"kind": "balls", "id": "look", "tiny": False}]}
        self.one(document(source={"radius": 0.0}, **plain), "radius of 0")
        self.assertEqual(told(document(source={"radius": 0.0}, looks=[{"kind": "dots", "id": "look"}])), [])
        self.one(document(source={"opacity": 0.0}), "opacity of 0", fix=False)
        self.one(document(source={"lifetime": 0.0}), "live for no time", fix=False)
        self.one(
            document(source={"emission": {"kind": "one", "time": 9.0}}),
            "only after the clock has ended",
            fix=False,
        )

    def test_sizes_nobody_can_see(self) -> None:
        # Common practice, no source: a spread of 90 % and more computes particles that nobody sees.
        self.one(
            document(source={"radius": {"kind": "spread", "value": 0.1, "spread": 0.095}}),
            "too small to be seen",
        )
        self.assertEqual(
            told(document(source={"radius": {"kind": "spread", "value": 0.1, "spread": 0.085}})), []
        )

    def test_frames_typed_as_seconds(self) -> None:
        self.one(document(source={"lifetime": 48.0}), "Were 48 frames meant")
        self.assertEqual(told(document(source={"lifetime": 60.0})), [])

    def test_per_step_numbers(self) -> None:
        shrink = {"kind": "multiply", "attribute": "radius", "factor": 0.9, "per": "occasion"}
        self.one(document(rule(shrink)), "depends on the frame rate")

    def test_lattices(self) -> None:
        coarse = {
            "shape": "box",
            "placement": {"kind": "lattice", "spacing": 0.6},
            "emission": {"kind": "fill"},
        }
        self.one(document(shapes=[BOX], source=coarse), "is coarse for its shape")
        fine = {**coarse, "placement": {"kind": "lattice", "spacing": 0.01}}
        self.one(document(shapes=[BOX], source=fine), "more than the particle budget", fix=False)
        self.one(
            document(
                shapes=[BOX],
                source={"shape": "box", "placement": {"kind": "inside"}, "emission": {"kind": "fill"}},
            ),
            "no places to count",
        )

    def test_keyframes_out_of_range(self) -> None:
        late = shape("ball", radius=keys((0, 1.0), (9, 2.0)))
        self.one(document(shapes=[late]), "1 of 2 keyframes of 'radius' lies beyond", fix=False)
        self.one(document(clock={"duration": 2.0, "time_from": "curve"}), "the effect stands still")

    def test_what_is_used_nowhere(self) -> None:
        gate = {"kind": "falloff", "id": "gate", "label": "Gate", "shape": "point"}
        dial = {"id": "pull", "label": "Pull", "value": 2.0}
        self.one(document(fields=[gate]), "The field 'Gate' is used nowhere")
        self.one(document(dials=[dial]), "The dial 'Pull' is used nowhere")
        used = rule({"kind": "gravity", "where": "gate", "acceleration": {"kind": "dial", "dial": "pull"}})
        self.assertEqual(told(document(used, fields=[gate], dials=[dial])), [])

    def test_a_curve_read_only_once(self) -> None:
        curve = {"kind": "curve", "over": "life", "curve": keys((0, 0.1), (1, 0.0))}
        raw = document(source={"radius": curve})
        found = next(advisory for advisory in told(raw) if "only at birth" in advisory.text)
        after = read_effect(fixed(raw, found))
        self.assertEqual((after.rules[0].label, after.rules[0].who), ("Radius over life", ["a"]))
        self.assertEqual(after.sources[0].radius.model_dump(), {"kind": "fixed", "value": 0.1})
        self.assertEqual(advise(after), [])

    def test_letting_go(self) -> None:
        """Nobody held; an answer that never counts; five drops of 0.12 m are 0.6 m (common practice: 5 × 0.12)."""
        free = rule({"kind": "let_go"}, id="free", condition=compare({"kind": "neighbours", "distance": 0.25}, "at_least", 5.0), trigger="becomes")
        alone = document(free, shapes=[BOX], source={"radius": 0.06}, **LOOK)
        self.assertTrue(any("Nothing holds anybody" in advisory.text for advisory in told(alone)))
        slide = rule({"kind": "bounce", "shape": "box"}, {"kind": "slide", "shape": "box"}, id="slide")
        held = document(slide, free, shapes=[BOX], source={"radius": 0.06}, **LOOK)
        texts = {advisory.text: advisory for advisory in told(held)}
        self.assertFalse(any("Nothing holds anybody" in text for text in texts))
        once = next(advisory for text, advisory in texts.items() if "never counts" in text)
        self.assertEqual([action["kind"] for action in fixed(held, once)["rules"][0]["actions"]], ["slide"])
        guess = next(advisory for text, advisory in texts.items() if "5 × 0.12 = 0.6 m" in text)
        mended = fixed(held, guess)
        self.assertEqual(mended["rules"][1]["condition"]["quantity"]["distance"]["value"], 0.6)
        self.assertFalse(any("side by side" in advisory.text for advisory in told(mended)))

    def test_regions_and_obstacles_that_cannot_be_what_was_meant(self) -> None:
        keep = rule({"kind": "keep", "shape": "box", "response": "stop"}, id="keep")
        for flat in (shape("plane"), shape("disc"), shape("sheet"), shape("point")):
            texts = [advisory.text for advisory in told(document(keep, shapes=[flat | {"id": "box"}], **LOOK))]
            self.assertTrue(any("encloses nothing" in text for text in texts), flat)
        small = document(keep, shapes=[BOX | {"size": [0.1, 1.0, 1.0]}], source={"radius": 0.06}, **LOOK)
        self.assertTrue(any("is 0.1 m across, a particle" in advisory.text for advisory in told(small)))
        self.assertEqual(told(document(keep, shapes=[BOX], source={"radius": 0.06}, **LOOK)), [])
        solid = rule({"kind": "bounce", "shape": "box"}, id="solid")
        for last, expected in ((0.5, True), (0.001, False)):
            breathing = BOX | {"scale": keys((0.0, 1.0), (1.0, 0.001), (2.0, last))}
            texts = [advisory.text for advisory in told(document(solid, shapes=[breathing], clock={"duration": 3.0}, **LOOK))]
            self.assertEqual(any("as good as gone at 1 s" in text for text in texts), expected)

    def test_demos_have_nothing_to_be_told(self) -> None:
        for name in demo.names():
            self.assertEqual(told(demo.document(name)), [], name)


if __name__ == "__main__":
    unittest.main()
