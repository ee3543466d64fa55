"""Approaching values, giving birth, budgets, determinism, looking at recorded frames."""

from __future__ import annotations

import hashlib
import math
import os
import subprocess
import sys
import unittest

import numpy as np

from hailridge import demo
from hailridge.core.looking.advisories import advise
from hailridge.core.looking.observe import distribution, layers, recorded_moment, values_of
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Simulation
from hailridge.formats.posters import poster
from hailridge.model.validation import read_effect
from tests.support import compare, document, rule, run, simulation, track

COUNT = [{"id": "count", "label": "Count", "initial": 1.0}]


def approach(**rest: object) -> dict:
    return {"kind": "approach", "attribute": "count", "amount": 0.0, **rest}


class Approach(unittest.TestCase):
    def curve(self, fps: float = 24.0, steps: int = 1, **rest: object) -> np.ndarray:
        raw = document(
            rule(approach(**rest)),
            attributes=COUNT,
            clock={"frames_per_second": fps, "steps_per_frame": steps},
        )
        return track(run(raw), "own count")

    def test_half_life_law_at_any_frame_rate(self) -> None:
        for fps in (24.0, 25.0, 60.0):
            curve = self.curve(fps, manner="half_life", time=0.5)
            np.testing.assert_allclose(curve, 0.5 ** (np.arange(len(curve)) / fps / 0.5), rtol=1e-4)

    def test_four_per_cent_a_step_at_25_frames_a_second(self) -> None:
        # Practice, no source: moving 4 % of the way each step at 25 fps is a half-life of ln ½ / ln 0.96 steps.
        half_life = math.log(0.5) / math.log(0.96) / 25
        curve = self.curve(25.0, manner="half_life", time=half_life)
        np.testing.assert_allclose(curve, 0.96 ** np.arange(len(curve)), rtol=1e-4)

    def test_over_a_time_is_even_and_arrives(self) -> None:
        for fps, steps in ((24.0, 1), (24.0, 3), (60.0, 1)):
            curve = self.curve(fps, steps, manner="over", time=0.5)
            expected = np.maximum(0, 1 - np.arange(len(curve)) / fps / 0.5)
            np.testing.assert_allclose(curve, expected, atol=0.035)
            self.assertEqual(curve[round(0.5 * fps) + 1], 0)

    def test_springy_is_a_damped_oscillation_whose_envelope_halves(self) -> None:
        curve = self.curve(60.0, manner="half_life", time=0.2, springiness=0.8)
        t = np.arange(len(curve)) / 60
        damping = math.log(2) / 0.2
        swing = damping / 0.2 * math.sqrt(1 - 0.2**2)
        exact = np.exp(-damping * t) * (np.cos(swing * t) + damping / swing * np.sin(swing * t))
        np.testing.assert_allclose(curve, exact, atol=2e-3)
        self.assertLess(curve.min(), -0.3)

    def test_springy_does_not_depend_on_the_steps(self) -> None:
        one, many = (
            self.curve(24.0, steps, manner="half_life", time=0.2, springiness=0.7) for steps in (1, 6)
        )
        np.testing.assert_allclose(one, many, atol=1e-3)

    def test_begins_again_after_a_break(self) -> None:
        window = {"kind": "any", "conditions": [compare("age", "below", 0.3), compare("age", "above", 1.0)]}
        back = rule(
            {"kind": "set", "attribute": "count", "amount": 1.0},
            id="back",
            condition={"kind": "between", "quantity": {"kind": "age"}, "low": 0.6, "high": 0.7},
        )
        raw = document(rule(approach(manner="over", time=0.25), condition=window), back, attributes=COUNT)
        curve = track(run(raw), "own count")
        self.assertEqual((curve[10], curve[20]), (0, 1))
        self.assertAlmostEqual(curve[27], 1 - 4 / 6, places=3)

    def test_amount_kinds(self) -> None:
        ramp = {
            "kind": "mapped",
            "quantity": {"kind": "age"},
            "start": 0.0,
            "end": 1.0,
            "low": 0.0,
            "high": 10.0,
        }
        curve = track(
            run(document(rule({"kind": "set", "attribute": "count", "amount": ramp}), attributes=COUNT)),
            "own count",
        )
        np.testing.assert_allclose(curve[:25], np.arange(25) / 24 * 10, atol=1e-3)
        self.assertEqual(curve[-1], 10)
        keys = [{"at": 0.0, "value": 0.0}, {"at": 0.25, "value": 4.0}, {"at": 1.0, "value": 1.0}]
        life = {"kind": "curve", "over": "life", "curve": {"keys": keys}}
        raw = document(
            rule({"kind": "set", "attribute": "count", "amount": life}),
            attributes=COUNT,
            source={"lifetime": 2.0},
        )
        curve = track(run(raw), "own count")
        np.testing.assert_allclose([curve[12], curve[24]], [4.0, 3.0], atol=1e-3)

    def test_colours_mix(self) -> None:
        ramp = {
            "kind": "mapped",
            "quantity": {"kind": "age"},
            "start": 0.0,
            "end": 1.0,
            "low": [1.0, 0.0, 0.0],
            "high": [0.0, 0.0, 1.0],
        }
        colors = track(run(document(rule({"kind": "set", "attribute": "color", "amount": ramp}))), "color")
        np.testing.assert_allclose(colors[12], [0.5, 0, 0.5], atol=1e-3)


class Spawning(unittest.TestCase):
    def test_binary_splitting_doubles(self) -> None:
        # Harris 1963: splitting in two at a fixed age gives 2ⁿ after n generations.
        split = rule(
            {"kind": "spawn", "count": 2, "group": "a", "lifetime": 1000.0},
            condition=compare("age", "at_least", 6 / 24 - 1e-4),
        )
        frames = run(document(split, clock={"duration": 3.0}))
        sizes = sorted({frame.count for frame in frames})
        self.assertEqual(sizes, [2**n for n in range(len(sizes))])
        self.assertGreater(len(sizes), 8)

    def test_siblings_are_numbered_from_zero_for_each_parent(self) -> None:
        split = rule({"kind": "spawn", "count": 3, "group": "b", "lifetime": 1000.0}, trigger="once", who=["a"])
        columns = run(document(split, count=4, groups=["a", "b"]), 1)[-1].columns
        children = columns["birth_index"][columns["group"] == 1]
        self.assertEqual(children.tolist(), [0, 1, 2] * 4)

    def test_galton_watson_mean_and_variance(self) -> None:
        # Harris 1963: offspring uniform on {1, 2, 3}: mean m = 2, variance 2/3; after n generations mean mⁿ,
        # variance σ² mⁿ⁻¹ (mⁿ − 1) / (m − 1). Families of 500 founders, four standard errors.
        count = {"kind": "spread", "value": 2.0, "spread": 1.4999}
        split = rule(
            {"kind": "spawn", "count": count, "group": "a", "lifetime": 1000.0},
            condition=compare("age", "at_least", 6 / 24 - 1e-4),
        )
        totals = []
        for seed in range(40):
            totals.append(run(document(split, count=20, clock={"duration": 2.0, "seed": seed}), 22)[-1].count)
        families, n = 20, 3
        mean, variance = 2.0**n, (2 / 3) * 2.0 ** (n - 1) * (2.0**n - 1)
        self.assertAlmostEqual(
            np.mean(totals) / families, mean, delta=4 * math.sqrt(variance / families / 40)
        )
        self.assertAlmostEqual(np.var(totals, ddof=1) / families, variance, delta=variance)

    def test_inheritance(self) -> None:
        spawn = {
            "kind": "spawn",
            "count": 2,
            "group": "b",
            "parent": "kept",
            "speed": 0.0,
            "radius": 0.2,
            "lifetime": 4.0,
            "color": [0.0, 0.0, 1.0],
            "inherit_velocity": 50.0,
            "inherit_color": 25.0,
            "inherit_radius": 50.0,
            "inherit_life": 100.0,
        }
        raw = document(
            rule(spawn, trigger="once", who=["a"], condition=compare("age", "at_least", 0.499)),
            groups=["a", "b"],
            speed=4.0,
            source={"radius": 0.4, "lifetime": 1.5, "color": [1.0, 0.0, 0.0]},
            attributes=[{"id": "kept", "label": "K", "initial": 7.0, "share": 100.0}],
        )
        frame = run(raw, 13)[-1]
        children = frame.columns["parent_id"] == 0
        self.assertEqual(np.count_nonzero(children), 2)
        for name, expected in (("radius", 0.3), ("lifetime", 1.0), ("own kept", 7.0)):
            np.testing.assert_allclose(frame.columns[name][children], expected, atol=1e-4)
        np.testing.assert_allclose(frame.columns["velocity"][children], [[0, 2, 0]] * 2, atol=1e-5)
        np.testing.assert_allclose(frame.columns["color"][children], [[0.25, 0, 0.75]] * 2, atol=1e-5)

    def test_children_keep_up_with_the_step(self) -> None:
        spawn = {"kind": "spawn", "count": 1, "group": "b", "speed": 0.0, "inherit_velocity": 100.0}
        raw = document(
            rule(spawn, trigger="once", who=["a"], condition=compare("age", "at_least", 0.499)),
            groups=["a", "b"],
            speed=4.0,
        )
        heights = [frame.columns["position"][0, 1] for frame in run(raw, 20)]
        np.testing.assert_allclose(np.diff(heights), 4 / 24, atol=1e-5)


class Budget(unittest.TestCase):
    ENDLESS = rule({"kind": "spawn", "count": 3, "group": "a", "parent": "kept"}, label="Runaway")

    def test_a_rule_without_end_is_stopped_and_named(self) -> None:
        made, frames = simulation(document(self.ENDLESS, clock={"particle_budget": 5000}))
        self.assertLessEqual(max(frame.count for frame in frames), 5000)
        self.assertEqual(len(frames), 49)
        finding = made.findings[0]
        self.assertEqual(finding.item, f"rules/{made.effect.rules[0].id}")
        self.assertIn("'Runaway'", finding.text)
        self.assertIn("frame", finding.text)

    def test_forewarned(self) -> None:
        advisories = advise(read_effect(document(self.ENDLESS)))
        self.assertTrue(any("multiplies without end" in advisory.text for advisory in advisories))

    def test_sources_too(self) -> None:
        made, frames = simulation(document(count=900, clock={"particle_budget": 500}), 1)
        self.assertEqual(frames[0].count, 500)
        self.assertEqual(made.findings[0].item, f"sources/{made.effect.sources[0].id}")


class Advisories(unittest.TestCase):
    def texts(self, raw: dict) -> str:
        return " ".join(advisory.text for advisory in advise(read_effect(raw)))

    def test_each_kind(self) -> None:
        self.assertIn("Nothing can be seen", self.texts(document() | {"sources": []}))
        self.assertIn("used nowhere", self.texts(document(groups=["a", "spare"])))
        self.assertIn(
            "too small to be seen",
            self.texts(document(source={"radius": {"kind": "spread", "value": 1.0, "spread": 0.95}})),
        )
        below = [rule({"kind": "remove"}, id="all"), rule({"kind": "live_on"}, id="late", trigger="once")]
        self.assertIn("never reached", self.texts(document(*below)))
        pushed = [rule({"kind": "remove"}, id="all"), rule({"kind": "gravity"}, id="late")]
        self.assertIn("acts on nobody for longer than the step of its birth", self.texts(document(*pushed)))
        self.assertIn(
            "depends on the frame rate",
            self.texts(
                document(rule({"kind": "multiply", "attribute": "radius", "factor": 0.9, "per": "occasion"}))
            ),
        )
        self.assertIn(
            "after the clock has ended",
            self.texts(document(source={"emission": {"kind": "burst", "count": 1, "time": 99.0}})),
        )

    def test_demos_give_none(self) -> None:
        for name in (*demo.names(), demo.STARTER):
            self.assertEqual(self.texts(demo.document(name)), "", name)


class Determinism(unittest.TestCase):
    """Same document, seed and version: the same bytes, whatever the thread count."""

    SCRIPT = (
        "import hashlib, sys; import hailridge.core; from hailridge import demo;"
        "from hailridge.core.step.simulation import Simulation; from hailridge.model.validation import read_effect;"
        "s = Simulation(read_effect(demo.document('hail-on-the-tin-roof')), demo.assets()); h = hashlib.sha256();"
        "[h.update(f.columns[n].tobytes()) for f in s.frames(60) for n in sorted(f.columns)]; print(h.hexdigest())"
    )

    def digest(self, threads: str) -> str:
        out = subprocess.run(
            [sys.executable, "-c", self.SCRIPT],
            capture_output=True,
            text=True,
            check=True,
            env=os.environ | {"HAILRIDGE_THREADS": threads},
        )
        return out.stdout.strip()

    def test_threads_and_processes(self) -> None:
        digests = {self.digest("1"), self.digest("2")}
        self.assertEqual(len(digests), 1)

    def test_stopping_early_does_not_matter(self) -> None:
        effect = read_effect(demo.document("starter"))
        whole = list(Simulation(effect, demo.assets()).frames())
        half = Simulation(effect, demo.assets())
        frames = [*half.frames(30), *half.frames()]
        for a, b in zip(whole, frames, strict=True):
            self.assertEqual(
                hashlib.sha256(a.columns["position"].tobytes()).digest(),
                hashlib.sha256(b.columns["position"].tobytes()).digest(),
            )

    def test_stop_is_asked_before_each_step(self) -> None:
        made = Simulation(read_effect(document(clock={"duration": 100.0})), MemoryAssets())
        asked = iter([False] * 5 + [True])
        self.assertEqual(len(list(made.frames(stop=lambda: next(asked)))), 5)


class Observing(unittest.TestCase):
    def setUp(self) -> None:
        raw = document(
            rule(
                {"kind": "move", "group": "b"},
                trigger="once",
                condition={"kind": "chance", "probability": 0.5},
                label="Half",
            ),
            count=100,
            groups=["a", "b"],
        )
        raw["looks"] = [{"kind": "balls", "id": "l", "who": ["a"], "layers": [{"kind": "by_group"}]}]
        made, frames = simulation(raw, 5)
        self.frame = frames[-1]
        self.moment = recorded_moment(
            Plan(made.effect, MemoryAssets()), self.frame.columns, self.frame.count, 5
        )

    def test_groups_without_a_look_are_drawn_as_dots(self) -> None:
        drawn = layers(self.moment)
        self.assertEqual([layer.shader for layer in drawn], ["ball", "dot"])
        self.assertEqual(sum(len(layer.id) for layer in drawn), 100)
        # Group colours as in the document: #56b4e9 by default.
        self.assertEqual(drawn[0].color[0].tolist(), [0x56, 0xB4, 0xE9, 255])

    def test_values_and_reasons(self) -> None:
        found = values_of(self.moment, 3)
        assert found is not None
        self.assertAlmostEqual(found["values"]["age"]["value"], 5 / 24, places=4)
        self.assertEqual(len(found["reasons"]), 1)
        self.assertIsNone(values_of(self.moment, 12345))

    def test_distribution(self) -> None:
        values = np.random.default_rng(1).normal(5, 1, 10_000)
        spread = distribution(values)
        reference, _ = np.histogram(values, spread.edges)
        np.testing.assert_array_equal(spread.counts, reference)
        self.assertEqual((spread.total, spread.outside), (10_000, 10_000 - reference.sum()))
        self.assertEqual(distribution(np.array([])).total, 0)
        self.assertEqual(distribution(np.array([2.0, 2.0])).counts.sum(), 2)

    def test_poster_is_a_picture(self) -> None:
        self.assertEqual(poster(self.moment)[:8], b"\x89PNG\r\n\x1a\n")


if __name__ == "__main__":
    unittest.main()
