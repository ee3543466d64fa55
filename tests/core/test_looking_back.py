"""What looks read of earlier frames: the places at steps, memory of what was seen, frames without history, and the demos' own trails."""

from __future__ import annotations

import unittest

import numpy as np

from hailridge import demo
from hailridge.core.kinds.looks import tracing
from hailridge.core.looking.affected import ALWAYS, NEVER, differ_from
from hailridge.core.looking.observe import layers
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.layout import SUBSTEPS, recorded_for_looks
from hailridge.core.step.simulation import Simulation
from hailridge.model.effect import Effect
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, moment_of, rule, run

TRAILS: Document = {"kind": "trails", "id": "t", "length": {"kind": "by_time", "seconds": 0.5}}
FALL = rule({"kind": "gravity"}, id="fall")


def stepping(**clock: object) -> Document:
    """A stream that falls, four steps a frame, with trails through the steps."""
    raw = document(
        FALL,
        speed=3.0,
        axis=[1.0, 1.0, 0.0],
        source={"emission": {"kind": "rate", "rate": 100.0}, "lifetime": 0.6},
        clock={"duration": 1.0, "steps_per_frame": 4, **clock},
    )
    return raw | {"looks": [dict(TRAILS)]}


class Steps(unittest.TestCase):
    def test_places_at_steps_lie_on_the_way(self) -> None:
        frames = run(stepping())
        before, after = frames[10], frames[11]
        both, at_before, at_after = np.intersect1d(
            before.columns["id"], after.columns["id"], return_indices=True
        )
        self.assertGreater(len(both), 20)
        steps = after.columns[SUBSTEPS][at_after].reshape(-1, 3, 3).astype(np.float64)
        # Semi-implicit Euler with a steady push is exact for velocities: places at steps of h are x + Σ (v + g·h·k)·h.
        start, velocity = (
            before.columns["position"][at_before].astype(np.float64),
            before.columns["velocity"][at_before].astype(np.float64),
        )
        h, g = 1 / 96, np.array([0.0, -9.81, 0.0])
        for slot in range(3):
            elapsed = h * (slot + 1)
            exact = start + velocity * elapsed + 0.5 * g * elapsed**2
            np.testing.assert_allclose(steps[:, slot], exact, atol=2e-3)

    def test_newborns_have_been_nowhere_else(self) -> None:
        for frame in run(stepping())[1:]:
            places = frame.columns[SUBSTEPS].reshape(-1, 3, 3)
            apart = np.linalg.norm(places - frame.columns["position"][:, None], axis=2)
            # At 3 m/s and more nobody is further from a step's place than the way of a frame.
            self.assertLess(float(apart.max(initial=0.0)), 0.5)

    def test_a_run_taken_up_again_gives_the_same_bytes(self) -> None:
        effect = read_effect(stepping())
        whole = list(Simulation(effect, MemoryAssets()).frames())
        again = Simulation(read_effect(stepping()), MemoryAssets())
        middle = whole[11]
        again.resume(middle.columns, middle.count, middle.stand)
        for frame in again.frames():
            np.testing.assert_array_equal(frame.columns[SUBSTEPS], whole[frame.number].columns[SUBSTEPS])

    def test_as_many_steps_as_needed(self) -> None:
        frames = run(stepping(stepping="up_to", longest_way=0.05))
        self.assertEqual(frames[-1].columns[SUBSTEPS].shape[1], 9)
        lines = layers(moment_of(stepping(stepping="up_to", longest_way=0.05)))[0]
        self.assertGreater(len(lines.id), 10)
        self.assertTrue(np.isfinite(lines.extra["points"]).all())

    def test_only_what_a_look_asks_for_concerns_the_run(self) -> None:
        def effect(**look: object) -> Effect:
            return read_effect(stepping() | {"looks": [{**TRAILS, **look}]})

        self.assertEqual(differ_from(effect(), effect(size=3.0, spacing=0.2)), NEVER)
        self.assertEqual(differ_from(effect(), effect(smooth=False)), ALWAYS)
        self.assertEqual(recorded_for_looks(effect(enabled=False)), [0, []])
        since = {"kind": "ramp", "quantity": {"kind": "since_rule", "rule": "fall"}}
        watched = read_effect(stepping() | {"looks": [{"kind": "balls", "id": "b", "layers": [since]}]})
        self.assertEqual(recorded_for_looks(watched), [0, ["fall"]])
        self.assertIn("rules/fall acted", watched and moment_of(watched).particles.layout)


class Memory(unittest.TestCase):
    def test_playing_on_reads_one_frame_more(self) -> None:
        effect = read_effect(stepping())
        frames = run(effect)
        moment = moment_of(effect)
        asked: list[int] = []
        back = moment.past
        assert back is not None

        def past(number: int):  # type: ignore[no-untyped-def]
            asked.append(number)
            return back(number)

        earlier = back(20)
        assert earlier is not None
        earlier.past, earlier.traces = past, {}
        layers(earlier)
        first, asked[:] = len(asked), []
        layers(back_on := moment_at(back, 21, past, earlier.traces))
        self.assertEqual((first, asked, back_on.frame, len(frames)), (12, [], 21, 25))

    def test_what_is_remembered_is_bounded(self) -> None:
        before, tracing.MOST_ROWS = tracing.MOST_ROWS, 300
        try:
            moment = moment_of(stepping())
            layers(moment)
            trace = moment.traces["t"]
            self.assertLessEqual(trace.rows, 300 + 61)
        finally:
            tracing.MOST_ROWS = before

    def test_the_scene_is_back_at_the_frame_that_is_looked_at(self) -> None:
        raw = stepping()
        raw["shapes"].append(
            {
                "kind": "ball",
                "id": "m",
                "label": "M",
                "position": {
                    "keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0]}, {"at": 1.0, "value": [4.0, 0.0, 0.0]}]
                },
            }
        )
        moment = moment_of(raw)
        layers(moment)
        self.assertAlmostEqual(float(moment.scene.frame("m").translation[0]), 4.0, places=5)

    def test_trails_of_those_that_drift_without_history(self) -> None:
        raw = demo.document("drifting-glitter")
        raw["clock"]["duration"] = 1.0
        raw["looks"] = [{**TRAILS, "who": ["sparks"]}]
        moment = moment_of(read_effect(raw), assets=demo.assets())
        drawn = layers(moment)[0]
        self.assertGreater(len(drawn.id), 20)
        np.testing.assert_allclose(
            drawn.position[0], moment.column("position")[moment.column("id") == drawn.id[0]][0], atol=1e-6
        )


def moment_at(back, number: int, past, traces):  # type: ignore[no-untyped-def]
    """A frame's moment that looks back through `past`."""
    moment = back(number)
    moment.past, moment.traces = past, traces
    return moment


class Along(unittest.TestCase):
    def test_only_trails_have_a_length_for_colours_to_run_along(self) -> None:
        layer = {"kind": "along_trail"}
        raw = document() | {
            "looks": [{**TRAILS, "layers": [layer]}, {"kind": "balls", "id": "b", "layers": [layer]}]
        }
        problems = [problem.path[:2] for problem in read_effect(raw).problems]
        self.assertEqual(problems, [("looks", 1)])

    def test_the_flares_trail_is_five_seconds_long_and_stays_a_while(self) -> None:
        effect = read_effect(demo.document("signal-flare"))
        moment = moment_of(effect, last=144, assets=demo.assets())
        wake = layers(moment)[0]
        self.assertEqual((wake.look, len(wake.id)), ("wake", 1))
        # The path of the last five seconds, by what was recorded: no trail is longer, and this one is not much shorter.
        frames = [moment.past(number) for number in range(24, 145)]  # type: ignore[misc]
        group = effect.groups.index(next(entry for entry in effect.groups if entry.id == "flare"))
        places = np.array(
            [found.column("position")[found.column("group") == group][0] for found in frames if found]
        )
        way = float(np.linalg.norm(np.diff(places.astype(np.float64), axis=0), axis=1).sum())
        points = wake.extra["points"][1:-1, :3].astype(np.float64)
        # Sway moves the tail aside, which makes it a little longer.
        self.assertAlmostEqual(
            float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum()) / way, 1.0, delta=0.25
        )

    def test_only_followed_where_it_is_known(self) -> None:
        into = rule(
            {"kind": "move", "group": "b"},
            trigger="once",
            who=["a"],
            condition=compare("age", "at_least", 0.5),
        )
        back = rule(
            {"kind": "move", "group": "a"},
            id="back",
            who=["b"],
            condition=compare("time_in_group", "at_least", 0.25),
        )
        raw = document(into, back, speed=1.0, groups=["a", "b"], clock={"duration": 1.5})
        raw["looks"] = [
            {**TRAILS, "who": ["b"], "length": {"kind": "by_time", "seconds": 5.0}, "outlive": 5.0}
        ]
        moment = moment_of(raw)
        drawn = layers(moment)[0]
        # It was in the group for a quarter of a second, and left that piece of its way behind.
        starts, points = drawn.extra["starts"], drawn.extra["points"]
        self.assertEqual(len(drawn.id), 1)
        line = points[starts[0] + 1 : starts[1] - 1, 1]
        self.assertAlmostEqual(float(line[0] - line[-1]), 0.25, delta=0.06)


if __name__ == "__main__":
    unittest.main()
