"""Formulas wherever a value, a test or a change stands; against NumPy over programs made at random; and what nobody can break in with."""

from __future__ import annotations

import colorsys
import random
import sys
import threading
import unittest
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from hailridge.core.formulas.formula import Formula, Script
from hailridge.core.formulas.reading import FormulaError, Words
from hailridge.core.formulas.syntax import tree_of
from hailridge.core.kernels.noise import curl
from hailridge.core.kinds.words import words_of
from hailridge.core.looking.advisories import advise
from hailridge.core.looking.formulas import advice_on
from hailridge.core.looking.plainer import plainer
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.step.simulation import Simulation
from hailridge.model.kind import references
from hailridge.model.validation import read_effect
from tests.support import Document, calls, compare, document, rule, run

Values = NDArray[np.float64]


def write(text: str, **rest: Any) -> Document:
    return rule({"kind": "formula", "text": text}, id="write", **rest)


def formula(text: str) -> Document:
    return {"kind": "formula", "text": text}


class Written(unittest.TestCase):
    """In effects: as amount, condition and action."""

    def test_circles_and_circles_upon_circles(self) -> None:
        """x = a cos ωt, z = a sin ωt: radius a, period 2π/ω; the second circles the first twice as fast (handbook mechanics: an epicycle)."""
        text = (
            "a = 2\nslow = 0.5\n"
            "post = a * vec3(cos(slow * time), 0, sin(slow * time))\n"
            "round = 0.6 * vec3(cos(2 * slow * time), 0, sin(2 * slow * time))\n"
            "position = post if id == 0 else post + round"
        )
        for rate, steps in ((24.0, 1), (25.0, 3), (60.0, 1)):
            with self.subTest(rate=rate, steps=steps):
                frames = run(document(write(text), count=2, clock={"duration": 13.0, "frames_per_second": rate, "steps_per_frame": steps}))
                at = np.array([frame.time for frame in frames[1:]])
                first, second = (np.array([frame.columns["position"][n] for frame in frames[1:]], np.float64) for n in (0, 1))
                np.testing.assert_allclose(np.hypot(first[:, 0], first[:, 2]), 2.0, atol=1e-6)
                np.testing.assert_allclose(first[:, 0], 2 * np.cos(0.5 * at), atol=1e-6)
                np.testing.assert_allclose(second[:, 2], 2 * np.sin(0.5 * at) + 0.6 * np.sin(at), atol=1e-6)
                # A whole turn takes 2π / 0.5 s.
                turned = np.unwrap(np.arctan2(first[:, 2], first[:, 0]))
                self.assertAlmostEqual(2 * np.pi * (at[-1] - at[0]) / (turned[-1] - turned[0]), 2 * np.pi / 0.5, places=4)

    def test_one_control_shape_moves_turns_and_scales_it_all(self) -> None:
        frame = {"kind": "point", "id": "mobile", "label": "Mobile", "position": {"keys": [{"at": 0.0, "value": [0, 1, 0]}, {"at": 2.0, "value": [3, 2, -1]}]},
                 "rotation": {"keys": [{"at": 0.0, "value": [0, 0, 0]}, {"at": 2.0, "value": [20, 90, 10]}]}, "scale": 1.5}  # fmt: skip
        moved = document(write('position = in_world("Mobile", vec3(cos(time), 0.2 * id, sin(time)))'), count=3, shapes=[frame])
        effect = read_effect(moved)
        simulation = Simulation(effect, MemoryAssets())
        for recorded in list(simulation.frames())[1:]:
            pose = simulation.plan.at(recorded.time).pose("mobile").transform
            own = np.array([[np.cos(recorded.time), 0.2 * n, np.sin(recorded.time)] for n in range(3)])
            wanted = Rotation.from_matrix(pose.rotation).apply(own * pose.scale) + pose.translation
            np.testing.assert_allclose(recorded.columns["position"], wanted, atol=2e-6)
        # And back: where somebody is in the shape's own space.
        back = document(write('position = in_world("mobile", in_space_of("mobile", position)) + origin_of("mobile") - origin_of("mobile")'), count=1,
                        position=[1.0, 2.0, 3.0], shapes=[frame])  # fmt: skip
        np.testing.assert_allclose(run(back)[-1].columns["position"][0], [1, 2, 3], atol=1e-5)

    def test_amounts_of_one_number_and_of_three(self) -> None:
        raw = document(
            rule({"kind": "set", "attribute": "radius", "amount": formula("0.1 + 0.05 * id")}, {"kind": "set", "attribute": "velocity", "amount": formula("vec3(id, 0, age)")},
                 {"kind": "set", "attribute": "opacity", "amount": formula("9 * id - 3")}, id="set"), count=4)  # fmt: skip
        last = run(raw)[-1].columns
        np.testing.assert_allclose(last["radius"], [0.1, 0.15, 0.2, 0.25], rtol=1e-6)
        np.testing.assert_allclose(last["velocity"][:, 0], [0, 1, 2, 3])
        # Held within what an opacity can be.
        np.testing.assert_array_equal(last["opacity"], [0, 1, 1, 1])
        for attribute, text, told in (("radius", "velocity", "has to be a single number"), ("velocity", "age", "has to be three numbers"), ("radius", "agee", "did you mean 'age'")):
            with self.subTest(text):
                wrong = read_effect(document(rule({"kind": "set", "attribute": attribute, "amount": formula(text)}), rule({"kind": "gravity"})))
                self.assertEqual([problem.path[:2] for problem in wrong.problems], [("rules", 0)])
                self.assertIn(told, wrong.problems[0].text)
                # The rule is left out, everything else goes on.
                self.assertLess(run(wrong)[-1].columns["position"][0, 1], -1)
        source = document(count=5, source={"speed": formula("2 + birth_order")})
        np.testing.assert_allclose(np.linalg.norm(run(source, 0)[0].columns["velocity"], axis=1), [2, 3, 4, 5, 6], rtol=1e-6)

    def test_conditions(self) -> None:
        last = run(document(rule({"kind": "remove"}, condition=formula("id % 3 == 0 and age > 0.5"), id="out"), count=9))[-1]
        np.testing.assert_array_equal(last.columns["id"], [1, 2, 4, 5, 7, 8])
        told = read_effect(document(rule({"kind": "remove"}, condition=formula("velocity"), id="out"))).problems
        self.assertIn("gives a vector, but a condition is one number", told[0].text)

    def test_lines_see_what_was_written_above_them(self) -> None:
        own = [{"id": "wet-ness", "label": "Wetness", "initial": 1.0}, {"id": "way", "label": "Way", "type": "vector", "initial": [0, 0, 0]},
               {"id": "count", "label": "Count", "type": "whole", "initial": 0}]  # fmt: skip
        text = "wet_ness *= 0.5\nhalf = wet_ness\nradius = half\nway.y = half * 2\nway.x += 1\nvelocity = -way\ncount += 1"
        frames = run(document(write(text), attributes=own, clock={"frames_per_second": 10.0, "duration": 0.5}))
        # It acts at the very beginning, too.
        for number, frame in enumerate(frames, 1):
            wet, columns = 0.5**number, frame.columns
            self.assertEqual(columns["own wet-ness"][0], np.float32(wet))
            self.assertEqual(columns["radius"][0], np.float32(wet))
            np.testing.assert_allclose(columns["own way"][0], [number, wet * 2, 0], rtol=1e-6)
            np.testing.assert_allclose(columns["velocity"][0], [-number, -wet * 2, 0], rtol=1e-6)
            self.assertEqual(columns["own count"][0], number)

    def test_per_second_whatever_the_steps(self) -> None:
        """velocity.y -= g · dt is gravity for newborns, too: each gets its share of the step that it is born in."""
        emission = {"kind": "rate", "rate": 40.0}
        for rate, steps in ((24.0, 1), (24.0, 4), (60.0, 1)):
            clock = {"duration": 1.0, "frames_per_second": rate, "steps_per_frame": steps}
            last = run(document(write("velocity.y -= 9.81 * dt"), source={"emission": emission}, clock=clock))[-1].columns
            np.testing.assert_allclose(last["velocity"][:, 1], -9.81 * last["age"], atol=2e-5)

    def test_what_is_no_number_is_not_written_and_names_rule_and_particle(self) -> None:
        simulation = Simulation(read_effect(document(write("radius = 0.2 / (0 if id == 2 else 1) * (0 if id == 2 else 1)"), count=4)), MemoryAssets())
        last = list(simulation.frames(3))[-1]
        np.testing.assert_allclose(last.columns["radius"], [0.2, 0.2, 0.05, 0.2], rtol=1e-6)
        texts = {finding.text: finding.item for finding in simulation.findings}
        found = next(text for text in texts if "radius" in text)
        self.assertIn("particle 2", found)
        self.assertIn("rules/write", str(texts[found]))
        amount = document(rule({"kind": "set", "attribute": "radius", "amount": formula("sqrt(id - 1.5)")}, id="set"), count=3)
        simulation = Simulation(read_effect(amount), MemoryAssets())
        self.assertTrue(np.isfinite(list(simulation.frames(3))[-1].columns["radius"]).all())
        self.assertTrue(any("gives no finite number for particle 0" in finding.text for finding in simulation.findings))

    def test_what_is_infinite_is_left_out_wherever_it_is_written(self) -> None:
        """Not 1e30, not 0: whoever it concerns keeps what it has, is named with the rule, and the others are written."""
        infinite = "0.2 / (0 if id == 2 else 1)"
        as_it_is = {"kind": "as_it_is", "quantity": {"kind": "formula", "text": infinite}}
        for given in (formula(infinite), as_it_is, formula("sqrt(0.04 if id != 2 else -1)")):
            for action in ({"kind": "set", "attribute": "radius", "amount": given}, {"kind": "add", "attribute": "radius", "amount": given, "per": "occasion"}):
                simulation = Simulation(read_effect(document(rule(action, id="change", trigger="once"), count=4)), MemoryAssets())
                radii = list(simulation.frames(2))[-1].columns["radius"]
                written = 0.2 if action["kind"] == "set" else 0.25
                np.testing.assert_allclose(radii, [written, written, 0.05, written], rtol=1e-6, err_msg=str(action))
                (told,) = [finding for finding in simulation.findings if "finite" in finding.text]
                self.assertIn("particle 2", told.text)
                self.assertTrue(str(told.item).startswith("rules/change"), told)
        born = document(count=4, source={"radius": formula(infinite), "lifetime": formula(infinite.replace("0.2", "3"))})
        simulation = Simulation(read_effect(born), MemoryAssets())
        last = list(simulation.frames(2))[-1]
        np.testing.assert_allclose(np.delete(last.columns["radius"], 2), 0.2, rtol=1e-6)
        self.assertTrue(0 < last.columns["radius"][2] < 1 and 0 < last.columns["lifetime"][2] < 1e6, (last.columns["radius"], last.columns["lifetime"]))

    def test_who_was_left_out_is_forgotten_with_the_action(self) -> None:
        """A neighbourhood whose reach is no number for one of them, while others leave: nothing of it is left for whoever comes then."""
        hood = {"id": "near", "label": "Near", "reach": formula("0.5 / (0 if id == 2 else 1)")}
        found = {"kind": "compare", "quantity": {"kind": "found", "neighbourhood": "near"}, "comparison": "at_least", "threshold": 0.0}
        leave = rule({"kind": "remove"}, id="leave", condition={"kind": "formula", "text": "id < 2 and age > 0.1"})
        raw = document(rule({"kind": "drag"}, id="ask", condition=found), leave, count=5) | {"neighbourhoods": [hood]}
        frames = list(Simulation(read_effect(raw), MemoryAssets()).frames(8))
        self.assertEqual(len(frames[-1].columns["id"]), 3)

    def test_what_is_wrong_with_lines(self) -> None:
        cases = {
            "swing = sin(time)": "gives no attribute a value", "radius = velocity": "'radius' is one number", "velocity = 2": "takes three numbers",
            "velocity.x = position": "takes one number", "radius.x = 1": "has no .x", "age2 + 1": "every line gives something a value",
            "time = 2\nradius = time": "'time' already means something", "radius = swin": "nothing called 'swin'", "a.b = 3": "what gets a value is",
            "a = b = 3": "every line gives something", "radius = x\nx = 2": "nothing called 'x'", "velocity.y -= position": "takes one number",
            "id = 3\nradius = id": "", "radius = 0.1\nradius2 = 2": "",
        }  # fmt: skip
        for text, told in cases.items():
            with self.subTest(text):
                problems = read_effect(document(write(text))).problems
                self.assertEqual(bool(problems), bool(told))
                if told:
                    self.assertIn(told, problems[0].text)

    def test_what_formulas_name_is_known(self) -> None:
        """Renaming and deleting ask who uses something."""
        raw = document(write('radius = dial("Swell") * field("Veil") + wetness'), dials=[{"id": "swell", "label": "Swell", "value": 0.1}],
                       fields=[{"kind": "noise", "id": "veil", "label": "Veil"}], attributes=[{"id": "wetness", "label": "Wetness"}])  # fmt: skip
        effect = read_effect(raw)
        self.assertEqual(effect.problems, [])
        for word, name in (("dial", "swell"), ("field", "veil"), ("attribute", "wetness")):
            self.assertIn(name, {named for _path, named in references(effect, word)})
        wide = document(write('color = dial("Tint")'), dials=[{"id": "tint", "label": "Tint", "type": "color", "value": [0.2, 0.4, 0.6]}])
        np.testing.assert_allclose(run(wide)[-1].columns["color"][0], [0.2, 0.4, 0.6], rtol=1e-6)

    def test_attributes_of_ones_own_go_by_label_and_by_id(self) -> None:
        """By the label's word where it means nothing else yet; by id always; a word that means something keeps its meaning."""
        own = [{"id": "w", "label": "How wet?"}, {"id": "old-age", "label": "Age"}, {"id": "noise-2", "label": "Noise"}, {"id": "x1", "label": "w"}]
        raw = document(write("how_wet = 0.5\nold_age = age + w\nnoise_2 = noise(position) * 0 + old_age\nx1 = how_wet * 2"), attributes=own)
        self.assertEqual(read_effect(raw).problems, [])
        last = run(raw, 12)[-1].columns
        np.testing.assert_allclose(last["own w"], 0.5)
        np.testing.assert_allclose(last["own old-age"], last["age"] + 0.5, rtol=1e-5)
        np.testing.assert_allclose(last["own noise-2"], last["own old-age"])
        np.testing.assert_allclose(last["own x1"], 1.0)
        self.assertIn("w", {named for _path, named in references(read_effect(raw), "attribute")})

    def test_the_wrong_one_stops_its_item_only(self) -> None:
        raw = document(write("radius = nothing_here"), rule({"kind": "gravity"}, condition=formula("1 +")), rule({"kind": "set", "attribute": "opacity", "amount": 0.5}))
        effect = read_effect(raw)
        self.assertEqual([problem.path[:2] for problem in effect.problems], [("rules", 0), ("rules", 1)])
        self.assertEqual(run(effect)[-1].columns["opacity"][0], 0.5)

    def test_neighbours_and_facts_in_formulas(self) -> None:
        crowd = {"id": "n", "label": "Around", "reach": 0.5}
        raw = document(rule({"kind": "remove"}, condition=formula('count_of("Around") >= 2 or touching(shape=None)'), id="out"),
                       rule({"kind": "set", "attribute": "radius", "amount": formula("random(3)")}, id="size"), neighbourhoods=[crowd], count=3)  # fmt: skip
        self.assertEqual(read_effect(raw).problems, [])
        self.assertEqual(run(raw, 3)[-1].count, 0)
        # The same number as the quantity gives.
        one = run(document(rule({"kind": "set", "attribute": "radius", "amount": {"kind": "as_it_is", "quantity": {"kind": "own_random", "seed": 3}}}), count=9))[-1]
        other = run(document(rule({"kind": "set", "attribute": "radius", "amount": formula("random(3)")}), count=9))[-1]
        np.testing.assert_array_equal(one.columns["radius"], other.columns["radius"])

    def test_vectors_of_neighbours_and_surfaces(self) -> None:
        """Against SciPy's k-d tree; the surface against a sphere's own formula."""
        own = [{"id": name, "label": name, "type": "vector", "initial": [0, 0, 0]} for name in ("second", "pace", "middle", "out", "way", "all")]
        cloud = {"kind": "box", "id": "cloud", "label": "Cloud", "size": [2, 2, 2]}
        ball = {"kind": "ball", "id": "ball", "label": "Ball", "radius": 0.4, "position": [0.1, 0.2, 0.3]}
        text = (
            'second = way_of("Around", 2)\npace = vector_of("Around", "velocity")\nmiddle = mean_vector_of("Around", "velocity")\n'
            'way = way_to("Ball")\nout = normal_of("ball")\nall = way_of("Around", which="mean")'
        )
        crowd = {"id": "n", "label": "Around", "reach": 0.6}
        source = {"shape": "cloud", "placement": {"kind": "inside"}, "speed": 0.0, "direction": {"kind": "any"}}
        raw = document(write('velocity = vec3(id, 0, 1)', ), rule({"kind": "formula", "text": text}, id="then"), count=200, shapes=[cloud, ball], source=source,
                       attributes=own, neighbourhoods=[crowd], clock={"duration": 0.1})  # fmt: skip
        self.assertEqual(read_effect(raw).problems, [])
        columns = run(raw, 0)[-1].columns
        places, velocity = columns["position"].astype(np.float64), columns["velocity"].astype(np.float64)
        tree = cKDTree(places)
        distances, order = tree.query(places, k=3)
        for row in range(200):
            near = [other for other in tree.query_ball_point(places[row], 0.6) if other != row]
            second = places[order[row, 2]] - places[row] if distances[row, 2] <= 0.6 else np.zeros(3)
            np.testing.assert_allclose(columns["own second"][row], second, atol=1e-5)
            np.testing.assert_allclose(columns["own pace"][row], velocity[order[row, 1] if near else row], atol=1e-5)
            np.testing.assert_allclose(columns["own middle"][row], velocity[near].mean(axis=0) if near else velocity[row], atol=1e-3)
            np.testing.assert_allclose(columns["own all"][row], (places[near] - places[row]).mean(axis=0) if near else np.zeros(3), atol=1e-5)
        away = places - [0.1, 0.2, 0.3]
        unit = away / np.linalg.norm(away, axis=1)[:, None]
        np.testing.assert_allclose(columns["own out"], unit, atol=1e-5)
        np.testing.assert_allclose(columns["own way"], unit * (0.4 - np.linalg.norm(away, axis=1))[:, None], atol=1e-5)
        told = read_effect(document(write('velocity = vector_of("Around", "radius")'), neighbourhoods=[crowd])).problems
        self.assertIn("'radius' is one number; ask for it with value_of", told[0].text)

    def test_same_condition_as_the_sentence(self) -> None:
        plain = run(document(rule({"kind": "remove"}, condition=compare("speed", "above", 3.0)), rule({"kind": "gravity"}), count=20, speed={"kind": "spread", "value": 2.0, "spread": 1.0}))
        by_hand = run(document(rule({"kind": "remove"}, condition=formula("speed > 3")), rule({"kind": "gravity"}), count=20, speed={"kind": "spread", "value": 2.0, "spread": 1.0}))
        self.assertEqual([frame.count for frame in plain], [frame.count for frame in by_hand])


class Units(unittest.TestCase):
    """Units are advice: only what is surely of two is told of, and nothing is refused for it (dimensional analysis, common practice)."""

    def advice(self, text: str, sort: Any = "lines", **changes: Any) -> list[str]:
        return [one.text for one in advice_on(read_effect(document(**changes)), sort, text)]

    def test_what_does_not_fit_is_told_with_what_may_be_missing(self) -> None:
        self.assertEqual(self.advice("position = position + velocity"), ["m/s is added to m; times dt?"])
        self.assertEqual(self.advice("radius = age"), ["radius takes m, and this is s"])
        self.assertEqual(self.advice("step_on = velocity\nposition += step_on"), ["m/s is added to m; times dt?"])
        self.assertEqual(self.advice("speed > age", "value"), ["s is held against m/s"])
        self.assertEqual(self.advice("max(radius, age)", "value"), ["s stands beside m"])
        self.assertEqual(self.advice("velocity / age - position", "value"), ["m is taken from m/s²"])
        self.assertEqual(self.advice("radius if age > 1 else mass", "value"), ["kg stands beside m"])
        told = self.advice('radius = dial("Pace")', dials=[{"id": "pace", "label": "Pace", "unit": "m/s"}])
        self.assertEqual(told, ["radius takes m, and this is m/s; times dt?"])
        own = [{"id": "w", "label": "Warmth so far", "unit": "s"}]
        self.assertEqual(self.advice("warmth_so_far = warmth_so_far + radius", attributes=own), ["m is added to s"])

    def test_what_may_be_meant_is_left_alone(self) -> None:
        for text in ("velocity.y -= 9.81 * dt", "radius = 0.1 * age", "position += velocity * dt", "radius = sqrt(position.x ** 2 + position.y ** 2)",
                     "velocity = normalize(velocity) * min(speed, 2)", "position = vec3(cos(time), 1, sin(time))", "radius = distance_to(\"Point\") / 4",
                     "a = age / lifetime\nradius = mix(0.1, 0.2, a)"):  # fmt: skip
            self.assertEqual(self.advice(text), [], text)

    def test_it_is_an_advisory_of_the_document_and_the_run_goes_on(self) -> None:
        raw = document(write("radius = age"))
        told = [advisory for advisory in advise(read_effect(raw)) if "units" in advisory.text]
        self.assertEqual([(advisory.level, advisory.item[:2]) for advisory in told], [("advice", ["rules", 0])])
        last = run(raw, 12)[-1].columns
        np.testing.assert_allclose(last["radius"], last["age"], rtol=1e-6)


class Plainer(unittest.TestCase):
    """Formulas that say no more than a sentence: the sentence does the same, and what needs a formula keeps it."""

    own = [{"id": "wet-ness", "label": "Wetness", "initial": {"kind": "spread", "value": 0.5, "spread": 0.4}}, {"id": "cold", "label": "Cold", "type": "flag", "initial": 1}]

    def made(self, slot: Any, text: str) -> Any:
        return plainer(read_effect(document(attributes=self.own, dials=[{"id": "d", "label": "Pace", "value": 0.3}])), slot, text)

    def test_what_there_is_a_sentence_for(self) -> None:
        cases: list[tuple[Any, str, dict[str, Any]]] = [
            ("quantity", "speed", {"kind": "speed"}), ("quantity", "wet_ness", {"kind": "attribute", "attribute": "wet-ness"}), ("quantity", "height()", {"kind": "height"}),
            ("amount", "-0.5", {"kind": "fixed", "value": -0.5}), ("amount", "vec3(1, 2, -3)", {"kind": "fixed", "value": [1.0, 2.0, -3.0]}),
            ("amount", '2 * dial("Pace")', {"kind": "dial", "dial": "d", "factor": 2.0}), ("condition", "cold", {"kind": "holds", "quantity": {"kind": "marked", "attribute": "cold"}}),
        ]  # fmt: skip
        for slot, text, wanted in cases:
            with self.subTest(text):
                found = self.made(slot, text)
                self.assertEqual({name: found[name] for name in wanted}, wanted)

    def test_the_sentence_does_the_same(self) -> None:
        tests = ["speed > 2.5", "age >= 0.5 and wet_ness < 0.6", "not height() > 0.5", "cold", "number <= 7 or speed == 9"]
        for text in tests:
            with self.subTest(text):
                found = self.made("condition", text.replace("number", "number()"))
                raws = [document(rule({"kind": "remove"}, condition=condition, id="out"), rule({"kind": "gravity"}), count=40, attributes=self.own,
                                 speed={"kind": "spread", "value": 2.5, "spread": 1.0}) for condition in (formula(text.replace("number", "number()")), found)]  # fmt: skip
                one, other = (run(read_effect(raw), 30) for raw in raws)
                self.assertEqual([frame.count for frame in one], [frame.count for frame in other])
        for text in ("radius = 0.3", "velocity -= vec3(0, 9.81, 0) * dt", "radius = 0.1 * age", "wet_ness += 0.25 * dt", 'radius = dial("Pace")'):
            with self.subTest(text):
                raws = [document({"id": "write", "actions": [action]}, count=3, attributes=self.own, dials=[{"id": "d", "label": "Pace", "value": 0.3}])
                        for action in (formula(text), self.made("action", text))]  # fmt: skip
                one, other = (run(raw, 20)[-1].columns for raw in raws)
                for name in ("radius", "velocity", "own wet-ness"):
                    np.testing.assert_allclose(one[name], other[name], rtol=2e-5, atol=1e-6)

    def test_what_needs_a_formula_keeps_it(self) -> None:
        for slot, text in (("condition", "speed > age"), ("condition", "id % 3 == 0"), ("condition", "1 < speed < 2"), ("amount", "sin(age)"), ("amount", "velocity"), ("quantity", "velocity.x"),
                           ("quantity", "time + 1"), ("action", "radius *= 0.5"), ("action", "velocity.y = 2"), ("action", "radius = 1\nopacity = 1"), ("action", "radius = velocity"),
                           ("action", "time = 3"), ("amount", "speed >"), ("condition", "true"), ("amount", "touching(shape=None)")):  # fmt: skip
            with self.subTest(text):
                self.assertIsNone(self.made(slot, text))


class Functions(unittest.TestCase):
    def test_hues(self) -> None:
        """Against Python's colorsys."""
        words = Words({"h": "number", "s": "number", "v": "number"})
        h, s, v = np.random.default_rng(1).random((3, 200))
        wanted = [colorsys.hsv_to_rgb(*one) for one in zip(h, s, v, strict=True)]
        np.testing.assert_allclose(Formula("hsv(h, s, v)", words)({"h": h, "s": s, "v": v}), wanted, atol=1e-12)

    def test_curls(self) -> None:
        """The same as the turbulence's own kernel with one octave, for any number of places; two at once do not mix."""
        words = Words({"p": "vector"})
        for number in (1, 255, 700, 20_000):
            places = np.random.default_rng(number).uniform(-8, 8, (number, 3)).astype(np.float32)
            wanted = {}
            for salt in (0, 5):
                out = np.empty((number, 3), np.float32)
                curl(number, places, np.float32(1), np.int64(1), np.float32(0.5), np.float32(0), np.uint32(salt), out)
                wanted[salt] = out
            np.testing.assert_array_equal(Formula("curl(p)", words)({"p": places}), wanted[0])
            both = Formula("a = curl(p, 5)\nb = curl(p)\na.z + vec3(0, 1000 * b.y, a.x) + vec3(0, 0, b.x * 0)", words)({"p": places})
            np.testing.assert_allclose(both[:, 1], wanted[5][:, 2] + 1000.0 * wanted[0][:, 1].astype(np.float64), rtol=1e-9)
            np.testing.assert_allclose(both[:, 2], wanted[5][:, 2].astype(np.float64) + wanted[5][:, 0], rtol=1e-9)
        with self.assertRaisesRegex(FormulaError, "seed of a curl"):
            Formula("curl(p, p.x)", words)


# ── Programs made at random ─────────────────────────────────────────────────────────────────────────────────────────────

NUMBERS: dict[str, Callable[..., Any]] = {
    "sin": np.sin, "cos": np.cos, "tan": np.tan, "asin": np.arcsin, "acos": np.arccos, "atan": np.arctan, "sqrt": np.sqrt, "exp": np.exp, "log": np.log,
    "abs": np.abs, "sign": np.sign, "floor": np.floor, "ceil": np.ceil, "fract": lambda a: a - np.floor(a), "radians": np.radians, "degrees": np.degrees,
    "atan2": np.arctan2, "pow": np.power, "min": np.minimum, "max": np.maximum, "clamp": lambda a, b, c: np.minimum(np.maximum(a, b), c),
    "mix": lambda a, b, c: a + (b - a) * c, "step": lambda a, b: np.where(b < a, 0.0, 1.0),
    "smoothstep": lambda a, b, c: (lambda t: t * t * (3 - 2 * t))(np.minimum(np.maximum((c - a) / (b - a), 0), 1)),
    "remap": lambda a, b, c, d, e: d + (a - b) / (c - b) * (e - d),
}  # fmt: skip
ARGUMENTS = {"atan2": 2, "pow": 2, "min": 2, "max": 2, "clamp": 3, "mix": 3, "step": 2, "smoothstep": 3, "remap": 5}
SIGNS: dict[str, Callable[..., Any]] = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": np.divide, "%": np.mod, "**": np.power}
TESTS: dict[str, Callable[..., Any]] = {"<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal, "==": np.equal, "!=": np.not_equal}


class Maker:
    """Text in the formula language, and what NumPy makes of it, type by type."""

    def __init__(self, seed: int, number: int = 11) -> None:
        self.choose = random.Random(seed)
        spread = np.random.default_rng(seed)
        self.given = {"a": spread.normal(0, 2, number), "b": spread.uniform(-1, 1, number), "p": spread.normal(0, 2, (number, 3)), "on": spread.random(number) < 0.5}

    def number(self, depth: int) -> tuple[str, Any]:
        pick = self.choose
        match "leaf" if depth <= 0 else pick.choice(["leaf", "call", "call", "sign", "sign", "choice", "part", "size", "flag"]):
            case "leaf":
                name = pick.choice(["a", "b", "c"])
                value = round(pick.uniform(-3, 3), 2)
                return (f"({value})", np.float64(value)) if name == "c" else (name, self.given[name])
            case "call":
                name = pick.choice(sorted(NUMBERS))
                parts = [self.number(depth - 1) for _ in range(ARGUMENTS.get(name, 1))]
                return f"{name}({', '.join(text for text, _ in parts)})", NUMBERS[name](*(value for _, value in parts))
            case "sign":
                sign = pick.choice(sorted(SIGNS))
                (left, one), (right, other) = self.number(depth - 1), self.number(depth - 1)
                return f"({left} {sign} {right})", SIGNS[sign](one, other)
            case "choice":
                (test, held), (yes, one), (no, other) = self.flag(depth - 1), self.number(depth - 1), self.number(depth - 1)
                return f"({yes} if {test} else {no})", np.where(held, one, other)
            case "part":
                (text, value), part = self.vector(depth - 1), pick.choice("xyz")
                return f"({text}).{part}", value[..., "xyz".index(part)]
            case "size":
                (left, one), (right, other) = self.vector(depth - 1), self.vector(depth - 1)
                name = pick.choice(["length", "distance", "dot"])
                if name == "length":
                    return f"length({left})", np.sqrt((one * one).sum(-1))
                away = one - other
                return f"{name}({left}, {right})", np.sqrt((away * away).sum(-1)) if name == "distance" else (one * other).sum(-1)
            case _:
                text, held = self.flag(depth - 1)
                return f"({text} + 0)", np.asarray(held, np.float64) + 0

    def vector(self, depth: int) -> tuple[str, Any]:
        pick = self.choose
        match "leaf" if depth <= 0 else pick.choice(["leaf", "made", "made", "sign", "each", "cross", "unit", "choice", "mirror", "mix"]):
            case "leaf":
                return "p", self.given["p"]
            case "made":
                parts = [self.number(depth - 1) for _ in range(3)]
                return f"vec3({', '.join(text for text, _ in parts)})", np.stack(np.broadcast_arrays(*(value for _, value in parts)), -1)
            case "sign":
                sign = pick.choice(["+", "-", "*", "/"])
                (left, one), (right, other) = self.vector(depth - 1), self.number(depth - 1)
                return f"({left} {sign} {right})", SIGNS[sign](one, np.asarray(other)[..., None])
            case "each":
                name = pick.choice(["sin", "abs", "floor", "sqrt", "fract", "sign"])
                text, value = self.vector(depth - 1)
                return f"{name}({text})", NUMBERS[name](value)
            case "cross":
                (left, one), (right, other) = self.vector(depth - 1), self.vector(depth - 1)
                return f"cross({left}, {right})", np.cross(one, other)
            case "unit":
                text, value = self.vector(depth - 1)
                size = np.sqrt((value * value).sum(-1))[..., None]
                # What has no length stays as it is; where a length is no number, nothing is above 0.
                return f"normalize({text})", np.where(size > 0, value / np.where(size > 0, size, 1), 0.0)
            case "choice":
                (test, held), (yes, one), (no, other) = self.flag(depth - 1), self.vector(depth - 1), self.vector(depth - 1)
                return f"({yes} if {test} else {no})", np.where(np.asarray(held)[..., None], one, other)
            case "mirror":
                (left, one), (right, other) = self.vector(depth - 1), self.vector(depth - 1)
                return f"reflect({left}, {right})", one - 2 * (one * other).sum(-1)[..., None] * other
            case _:
                (left, one), (right, other), (share, part) = self.vector(depth - 1), self.vector(depth - 1), self.number(depth - 1)
                return f"mix({left}, {right}, {share})", one + (other - one) * np.asarray(part)[..., None]

    def flag(self, depth: int) -> tuple[str, Any]:
        pick = self.choose
        match "leaf" if depth <= 0 else pick.choice(["leaf", "test", "test", "chain", "and", "or", "not"]):
            case "leaf":
                return pick.choice([("on", self.given["on"]), ("True", np.True_), ("False", np.False_)])
            case "test":
                sign = pick.choice(sorted(TESTS))
                (left, one), (right, other) = self.number(depth - 1), self.number(depth - 1)
                return f"({left} {sign} {right})", TESTS[sign](one, other)
            case "chain":
                parts = [self.number(depth - 1) for _ in range(3)]
                return f"({parts[0][0]} < {parts[1][0]} <= {parts[2][0]})", (parts[0][1] < parts[1][1]) & (parts[1][1] <= parts[2][1])
            case "not":
                text, held = self.flag(depth - 1)
                return f"(not {text})", ~np.asarray(held)
            case word:
                (left, one), (right, other) = self.flag(depth - 1), self.flag(depth - 1)
                return f"({left} {word} {right})", np.asarray(one) & np.asarray(other) if word == "and" else np.asarray(one) | np.asarray(other)


class AtRandom(unittest.TestCase):
    def test_the_same_as_numpy(self) -> None:
        """A thousand programs of all types, functions and signs, some with names for what is in between."""
        words = Words({"a": "number", "b": "number", "p": "vector", "on": "flag"})
        used: set[str] = set()
        for seed in range(1000):
            make = Maker(seed)
            sort = make.choose.choice(["number", "vector", "flag"])
            with np.errstate(all="ignore"):
                text, wanted = getattr(make, sort)(make.choose.randint(1, 4))
                if make.choose.random() < 0.3:
                    text = f"middle = {text}\nmiddle"
                if text.count("(") > 120 or len(text) > 1900:
                    continue
                read = Formula(text, words)
                self.assertEqual(read.type, sort, text)
                found = np.broadcast_to(read(make.given), np.shape(wanted)) if np.ndim(read(make.given)) < np.ndim(wanted) else read(make.given)
                wanted = np.broadcast_to(wanted, np.shape(found))
            used |= {name for name in NUMBERS if f"{name}(" in text}
            if sort == "flag":
                np.testing.assert_array_equal(found, wanted, err_msg=f"{seed}: {text}")
            else:
                np.testing.assert_allclose(found, wanted, rtol=1e-7, atol=1e-9, err_msg=f"{seed}: {text}")
        self.assertEqual(used, set(NUMBERS))


class AtOnce(unittest.TestCase):
    def test_formulas_are_read_by_several_threads_at_once(self) -> None:
        """With Python's parser asked by all of them, one reading in some thousand ended with a SystemError, and the page with "500"."""
        text = "1 if life > noise(position * 4 + vector(0, time, 0), 3) else sqrt(abs(velocity.x)) + min(1, 2, radius * (3 + 4 * (2 + age)))"
        problems: list[str] = []

        class Round:
            """Left to the collector, which runs wherever memory is asked for: in the midst of reading, too, and other threads go on there."""

            def __init__(self) -> None:
                self.itself = self

            def __del__(self) -> None:
                sum(range(50))

        def read() -> None:
            for _ in range(2500):
                try:
                    tree_of(text)
                except SystemError as error:
                    problems.append(str(error))
                Round()

        before = sys.getswitchinterval()
        self.addCleanup(sys.setswitchinterval, before)
        sys.setswitchinterval(1e-6)
        threads = [threading.Thread(target=read) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(problems, [])


class Hostile(unittest.TestCase):
    def test_hundreds_of_wrong_formulas_each_get_words(self) -> None:
        """Nothing but a FormulaError comes of any of them, with little work, whatever they are read as."""
        words = words_of(read_effect(document()))
        writable: dict[str, Any] = {"radius": "number", "velocity": "vector"}
        corpus = list(dict.fromkeys(hostile()))
        self.assertGreaterEqual(len(corpus), 400)
        most = 0
        for text in corpus:
            for reader in (lambda text: Formula(text, words), lambda text: Script(text, words, writable), lambda text: Script(f"radius = {text}", words, writable)):
                caught: list[FormulaError] = []
                most = max(most, calls(lambda text=text, reader=reader, caught=caught: caught.append(refusal(reader, text))))
                self.assertGreater(len(str(caught[0])), 8)
                self.assertGreaterEqual(caught[0].column, 0)
        # How long that takes is measured by the benchmarks.
        self.assertLess(most, MOST_CALLS)

    def test_huge_powers_are_infinite_and_nothing_hangs(self) -> None:
        words = Words({"x": "number"})
        for text in ("9 ** 9 ** 9 ** 9", "x ** 999999999", "1e308 * 10", "2 ** 100000 - 2 ** 100000", "x / 0", "0 / 0", "log(-1)", "x % 0", "x // 0"):
            with self.subTest(text), np.errstate(all="ignore"):
                self.assertEqual(np.shape(Formula(text, words)({"x": np.array([2.0, 3.0])}))[-1:] or (2,), (2,))


MOST_CALLS = 30_000
"""Of Python functions, in reading one formula."""


def refusal(reader: Callable[[str], Any], text: str) -> FormulaError:
    """What a reader says against a formula."""
    try:
        reader(text)
    except FormulaError as error:
        return error
    raise AssertionError(f"not refused: {text[:200]}")


def hostile() -> list[str]:
    """Formulas of people who want in, and of people who are mistaken."""
    names = ["__import__", "eval", "exec", "open", "compile", "globals", "getattr", "type", "os", "sys", "print", "input", "breakpoint", "vars", "self", "object", "numpy"]
    found = [f"{name}" for name in names] + [f"{name}('x')" for name in names] + [f"{name}(1)" for name in names] + [f"age + {name}" for name in names]
    dunders = ["__class__", "__dict__", "__init__", "__globals__", "__mro__", "__subclasses__", "__builtins__", "__code__", "__doc__", "__reduce__", "real", "T", "shape", "data"]
    for base in ("age", "velocity", "position", "(1)", "sin", "field", "dial"):
        found += [f"{base}.{dunder}" for dunder in dunders] + [f"{base}.{dunder}()" for dunder in dunders[:4]]
    found += [f"velocity.x.{dunder}" for dunder in dunders] + [f"().{dunder}" for dunder in dunders] + [f"''.{dunder}" for dunder in dunders]
    found += [
        "[x for x in (1, 2)]", "{x for x in (1, 2)}", "{1: 2}", "(x for x in (1,))", "lambda: 1", "lambda x: x", "(lambda: age)()", "[age]", "(age, age)", "age[0]",
        "velocity[0]", "velocity[0:1]", "f'{age}'", "'text'", "b'bytes'", "...", "None", "1j", "age @ age", "age << 2", "age | 1", "age & 1", "age ^ 1", "~age", "(y := 3)",
        "*age", "sin(*velocity)", "sin(**{})", "sin(age=1)", "await age", "yield age", "import os", "from os import path", "del age", "global age", "pass", "assert age",
        "raise age", "return age", "while True: age", "for i in age: i", "if age: age", "with age: age", "try: age\nfinally: age", "class A: pass", "def f(): return 1",
        "async def f(): return 1", "@age\ndef f(): return 1", "match age:\n case 1: 2", "age is age", "age in velocity", "age not in (1,)", "age is not None", "age; age",
        "age\n\tage", "  \n age +", "age age", "age +", "+", "(", ")", "((age)", "age)", "sin(", "sin)", "sin(age", "sin age", "=", "==", "age ==", "= age", "age = ", "1 2",
        "1..2", "1.2.3", "0x", "0b2", "08", "1e", "1e999", "--", "\\", "$age", "age?", "age!", "#", "# only words", "'", '"', '\'\'\'', "`age`", "age:", "age,", ",",
    ]  # fmt: skip
    looks_alike = {"a": "\u0430", "e": "\u0435", "o": "\u043e", "p": "\u0440", "x": "\u0445", "s": "\u0455", "i": "\u0456"}
    for word in ("age", "speed", "position", "opacity", "radius", "mass", "lifetime", "noise(position)", "sin(age)", "abs(age)", "step(1, age)"):
        for latin, other in looks_alike.items():
            if latin in word:
                found.append(word.replace(latin, other, 1))
    found += ["age\u200b", "\ufeffage age", "age \u2212 1", "age \u00d7 2", "\u221aage", "\ud83d\ude00", "age\x00", "\x00", "age\u2028+", "\u202eega"]
    typos = ["agge", "sped", "radus", "positon", "velosity", "opacty", "colr", "lifetme", "tiem", "fram", "sinn(age)", "coss(age)", "maxx(1, 2)", "lenght(velocity)", "normalise(velocity)",
             "clamp(age)", "clamp(age, 1, 2, 3)", "min(age)", "max(1)", "mix(1, 2)", "vec3(1)", "vec3(1, 2)", "vec3(1, 2, 3, 4)", "length(age)", "dot(age, velocity)", "dot(velocity, age)",
             "cross(1, 2)", "normalize(2)", "reflect(velocity, 1)", "noise(1)", "noise(age)", "curl(age)", "curl(1)", "hsv(1)", "step(velocity, 1)", "smoothstep(velocity, 1, 2)",
             "remap(velocity, 0, 1, 0, 1)", "velocity > 1", "velocity == position", "velocity and age", "not velocity", "1 if velocity else 2", "velocity or 1", "age.x", "velocity.w", "velocity.xy",
             "velocity.x.y", "field()", "field(1)", "field('none')", "distance_to()", "distance_to('nobody')", "distance_to(age)", "dial()", "dial('none')", "dial(1)", "dial('a', 'b')", "neighbours(age)",
             "neighbours(distance=-1)", "neighbours(reach=1)", "neighbours(1, 2, 3, 4)", "random(seed='x')", "random(-1)", "random(1.5)", "random(1, 2)", "height(1)", "in_world()", "in_world('none', position)",
             "in_world('point', 1)", "in_world(position, 'point')", "in_world('point')", "in_space_of('point', age)", "origin_of()", "origin_of('none')", "origin_of('point', position)", "along('point', 2)",
             "count_of()", "count_of('none')", "mean_of('none', 'age')", "since_rule('none')", "population('none', 'x')", "place('w')", "formula('age')", "attribute('age')"]  # fmt: skip
    found += typos
    found += ["(" * depth + "age" + ")" * depth for depth in (500, 900, 990)] + ["-" * depth + "age" for depth in (1200, 1999)]
    found += ["[" * 900 + "]" * 900, "sin(" * 400 + "age" + ")" * 400, "age" + "+age" * 700, "age" * 500, "'" + "x" * 1900 + "'", "x" * 1990, "1" * 1990, "9" * 400 + ".0e9", "age if " * 300 + "age"]
    found += ["age < " * 400 + "age", "not " * 500 + "age", "age.x" + ".x" * 600, "a\n" * 900, "a = 1\n" * 300, "\n" * 50, " " * 100, "age +" + " " * 1900, "((((((((((" * 150, "age ** " * 280 + "velocity.q"]
    return found
