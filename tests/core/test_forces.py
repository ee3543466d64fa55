"""Forces, turning, ambient drift, and the clock: against handbook mechanics, and the same at every frame rate."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from hailridge.core.scene.timeline import Timeline
from hailridge.core.state.orientation import turned
from hailridge.model.effect import Clock
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import document, rule, run, track

GRAVITY = {"kind": "gravity"}


def at_rates(*actions: Any, seconds: float = 2.0, **changes: Any) -> list[dict[str, Any]]:
    """The columns after some seconds at 24, 30 and 60 frames a second."""
    out = []
    for fps in (24.0, 30.0, 60.0):
        raw = document(rule(*actions), clock={"frames_per_second": fps, "duration": seconds}, **changes)
        out.append(run(raw)[-1].columns)
    return out


class Drag(unittest.TestCase):
    def test_square_law(self) -> None:
        # v = v₀ / (1 + k v₀ t), k = ln 2 / distance; half of the speed is left after that distance (handbook mechanics).
        k = np.log(2) / 5.0
        for columns in at_rates({"kind": "square_drag", "distance": 5.0}, speed=20.0, seconds=1.0):
            self.assertAlmostEqual(columns["velocity"][0, 1] / (20 / (1 + k * 20)), 1.0, delta=0.005)
            self.assertAlmostEqual(columns["position"][0, 1] / (np.log(1 + k * 20) / k), 1.0, delta=0.005)

    def test_terminal_speed_of_the_square_law(self) -> None:
        # √(g/k), as the help of the action says it: √(1.44 g distance).
        for columns in at_rates({"kind": "square_drag", "distance": 2.0}, GRAVITY, seconds=6.0):
            self.assertAlmostEqual(
                -columns["velocity"][0, 1] / np.sqrt(9.81 * 2.0 / np.log(2)), 1.0, delta=0.002
            )

    def test_wind_with_a_varying_half_life_and_gusts(self) -> None:
        half = {"kind": "spread", "value": 0.5, "spread": 0.2}
        wind = {"kind": "wind", "velocity": [3.0, 0.0, 0.0], "half_life": half}
        speed = at_rates(wind, count=200)[0]["velocity"][:, 0]
        self.assertTrue((speed > 2.5).all() and (speed < 3.0).all())
        self.assertGreater(speed.std(), 0.01)
        gusty = at_rates(
            {**wind, "half_life": 0.05, "gusts": 80.0, "gust_size": 0.5},
            count=500,
            source={"shape": "ball", "placement": {"kind": "inside"}},
            shapes=[shape("ball", radius=5.0)],
            seconds=0.25,
        )[0]
        self.assertGreater(gusty["velocity"][:, 0].std(), 0.4)
        self.assertAlmostEqual(gusty["velocity"][:, 0].mean(), 3.0, delta=0.4)

    def test_gusts_of_a_hundred_percent_still_the_air_and_double_it(self) -> None:
        # The swell is cut at −1 and 1: somewhere the air stands still, nowhere does it blow back, and it doubles at most.
        wind = {"kind": "wind", "velocity": [3.0, 0.0, 0.0], "half_life": 0.001, "gusts": 100.0, "gust_size": 0.3}
        cube = {"kind": "box", "id": "cube", "label": "Cube", "size": [8.0, 8.0, 8.0]}
        source = {"shape": "cube", "placement": {"kind": "inside"}}
        raw = document(rule(wind), count=20_000, shapes=[cube], source=source)
        speed = run(raw, 2)[-1].columns["velocity"][:, 0]
        self.assertAlmostEqual(speed.min(), 0.0, places=3)
        self.assertAlmostEqual(speed.max(), 6.0, places=3)

    def test_a_field_says_where(self) -> None:
        gate = {"kind": "falloff", "id": "gate", "label": "Gate", "shape": "ball", "inner": 0.0, "outer": 0.0}
        raw = document(
            rule({**GRAVITY, "where": "gate"}),
            shapes=[shape("ball", radius=1.0)],
            fields=[gate],
            count=400,
            source={"shape": "box", "placement": {"kind": "inside"}, "speed": 0.0},
            clock={"duration": 0.1},
        )
        raw["shapes"].append(shape("box", size=[4.0, 4.0, 4.0]))
        frames = run(raw, 1)
        inside = np.linalg.norm(frames[0].columns["position"], axis=1) < 1
        fell = frames[1].columns["velocity"][:, 1] < 0
        np.testing.assert_array_equal(fell, inside)


class SameAtEveryFrameRate(unittest.TestCase):
    """Under one per cent of the way gone lies between 24, 30 and 60 frames a second."""

    def differ(self, *actions: Any, seconds: float = 2.0, **changes: Any) -> float:
        ends = [columns["position"] for columns in at_rates(*actions, seconds=seconds, **changes)]
        way = np.linalg.norm(ends[-1] - changes.get("home", 0.0), axis=1).mean()
        return float(max(np.linalg.norm(end - ends[-1], axis=1).mean() for end in ends) / way)

    def test_drag(self) -> None:
        self.assertLess(
            self.differ({"kind": "drag", "half_life": 0.4}, GRAVITY, speed=5.0, axis=[1.0, 1.0, 0.0]), 1e-3
        )
        self.assertLess(
            self.differ({"kind": "square_drag", "distance": 3.0}, GRAVITY, speed=15.0, axis=[1.0, 1.0, 0.0]),
            0.01,
        )

    def test_turbulence(self) -> None:
        for changes in ({"evolution": 0.5}, {"octaves": 2, "strength": 2.0}):
            swirl = {"kind": "turbulence", "strength": 4.0, "size": 1.5, "octaves": 1, **changes}
            self.assertLess(
                self.differ(
                    swirl,
                    {"kind": "drag", "half_life": 0.7},
                    count=300,
                    source={"direction": {"kind": "any"}, "speed": 1.0},
                ),
                0.01,
            )

    def test_springs_and_attraction(self) -> None:
        goal = {**shape("point", position=[2.0, 0.0, 0.0]), "id": "goal"}
        spring = {"kind": "spring", "shape": "goal", "period": 1.6, "calming": 0.8}
        self.assertLess(self.differ(spring, speed=1.0, shapes=[goal]), 0.01)
        self.assertLess(
            self.differ({"kind": "centre", "strength": 4.0}, speed=2.0, seconds=1.5, axis=[1.0, 0.5, 0.0]),
            0.01,
        )


class Toward(unittest.TestCase):
    def test_a_spring_swings_in_its_period(self) -> None:
        # Undisturbed, x(t) = x₀ cos(2π t / T): back at the start after a whole period (handbook mechanics).
        goal = {**shape("point", position=[1.0, 0.0, 0.0]), "id": "goal"}
        for columns in at_rates(
            {"kind": "spring", "shape": "goal", "period": 2.0, "calming": 1000.0}, shapes=[goal]
        ):
            np.testing.assert_allclose(columns["position"][0], [0, 0, 0], atol=0.01)

    def test_a_spring_calms(self) -> None:
        home = track(
            run(document(rule({"kind": "spring", "period": 0.5, "calming": 0.25}), speed=3.0)), "position"
        )
        swing = np.abs(home[:, 1])
        # After a second four halvings: a sixteenth of the swing is left.
        self.assertAlmostEqual(swing[24:36].max() / swing[:12].max(), 1 / 16, delta=0.02)

    def test_stiff_springs_hold(self) -> None:
        home = track(
            run(document(rule({"kind": "spring", "period": 0.01, "calming": 10.0}), speed=3.0)), "position"
        )
        self.assertLess(np.abs(home).max(), 1.0)

    def test_pull_to_the_centre_is_harmonic(self) -> None:
        # −4 × position: ω = 2 (needs of the trade), so x = (v/2) sin 2t.
        frames = run(document(rule({"kind": "centre", "strength": 4.0}), speed=2.0))
        height = track(frames, "position")[:, 1]
        np.testing.assert_allclose(height, np.sin(2 * np.arange(49) / 24), atol=0.005)

    def test_attraction_and_its_fading(self) -> None:
        ball = shape("ball", radius=1.0, position=[5.0, 0.0, 0.0])

        def first_speed(**fields: Any) -> float:
            raw = document(
                rule({"kind": "attract", "shape": "ball", "strength": 2.4, **fields}), shapes=[ball]
            )
            return float(run(raw, 1)[-1].columns["velocity"][0, 0]) * 24

        # The surface is 4 m off.
        self.assertAlmostEqual(first_speed(), 2.4, places=3)
        self.assertAlmostEqual(first_speed(strength=-2.4), -2.4, places=3)
        self.assertAlmostEqual(first_speed(fade="reach", reach=8.0), 1.2, places=3)
        self.assertAlmostEqual(first_speed(fade="reach", reach=3.0), 0.0)
        self.assertAlmostEqual(first_speed(fade="distance", reach=2.0), 0.6, places=3)

    def test_attraction_to_a_path(self) -> None:
        line = shape("path", points=[[-5.0, 2.0, 0.0], [5.0, 2.0, 0.0]], smooth=False)
        speed = run(document(rule({"kind": "attract", "shape": "path"}), shapes=[line]), 1)[-1].columns[
            "velocity"
        ][0]
        np.testing.assert_allclose(speed, [0, 3 / 24, 0], atol=1e-5)

    def test_a_vortex_sweeps_round(self) -> None:
        tower = {**shape("point"), "id": "tower"}
        swirl = {"kind": "vortex", "shape": "tower", "speed": 3.0, "core": 1.0, "half_life": 0.01}
        raw = document(rule(swirl), shapes=[tower], position=[1.0, 0.0, 0.0])
        speed = run(raw, 1)[-1].columns["velocity"][0]
        np.testing.assert_allclose(speed, [0, 0, -3], atol=0.3)
        # Four metres out it is 2·4/(1 + 16) of that.
        speed = run(document(rule(swirl), shapes=[tower], position=[4.0, 0.0, 0.0]), 1)[-1].columns[
            "velocity"
        ][0]
        self.assertAlmostEqual(-speed[2], 3 * 8 / 17, delta=0.15)

    def test_speed_limit(self) -> None:
        speed = track(run(document(rule(GRAVITY, {"kind": "speed_limit", "speed": 4.0}))), "velocity")
        self.assertAlmostEqual(np.abs(speed).max(), 4.0, places=4)
        way = track(run(document(rule(GRAVITY, {"kind": "speed_limit", "speed": 4.0}))), "position")[:, 1]
        self.assertAlmostEqual((way[40] - way[41]) * 24, 4.0, places=3)


    def test_of_several_limits_the_lowest_counts(self) -> None:
        """Wherever they stand."""
        for limits in ((4.0, 2.0), (2.0, 4.0), (2.0, 4.0, 3.0)):
            rules = [rule({"kind": "speed_limit", "speed": limit}, id=f"limit-{place}") for place, limit in enumerate(limits)]
            speed = track(run(document(rule(GRAVITY), *rules)), "velocity")
            self.assertAlmostEqual(np.abs(speed).max(), 2.0, places=4, msg=str(limits))


class Turning(unittest.TestCase):
    def test_torque_grows_the_spin(self) -> None:
        # ½ α t²: 90 °/s² for two seconds turn by 180° (handbook mechanics); the sum over steps approaches it.
        frames = run(document(rule({"kind": "torque", "strength": 90.0}), clock={"steps_per_frame": 4}))
        last = Rotation.from_quat(frames[-1].columns["orientation"][0])
        self.assertAlmostEqual(float(np.degrees(last.magnitude())), 180.0, delta=2.0)
        self.assertAlmostEqual(float(np.degrees(frames[-1].columns["spin"][0, 1])), 180.0, delta=0.1)

    def test_spin_turns_at_its_rate(self) -> None:
        source = {"spin": 360.0, "spin_axis": {"kind": "axis", "axis": [0.0, 0.0, 1.0]}}
        quarter = run(document(source=source), 6)[-1].columns["orientation"]
        np.testing.assert_allclose(turned(quarter, [[1.0, 0, 0]]), [[0, 1, 0]], atol=1e-4)

    def test_calming(self) -> None:
        source = {"spin": 360.0, "spin_axis": {"kind": "axis", "axis": [0.0, 0.0, 1.0]}}
        for columns in at_rates({"kind": "calm_spin", "half_life": 0.5}, source=source, seconds=1.0):
            self.assertAlmostEqual(float(np.degrees(columns["spin"][0, 2])), 90.0, delta=0.1)

    def test_facing_the_motion(self) -> None:
        raw = document(
            rule({"kind": "face_motion", "own": "z", "half_life": 0.02}, GRAVITY),
            speed=5.0,
            axis=[1.0, 1.0, 0.0],
        )
        last = run(raw)[-1].columns
        way = last["velocity"][0] / np.linalg.norm(last["velocity"][0])
        self.assertGreater(float(turned(last["orientation"], [[0.0, 0, 1]])[0] @ way), 0.99)

    def test_setting_spin_by_a_rule(self) -> None:
        frames = run(document(rule({"kind": "set", "attribute": "spin", "amount": [0.0, 720.0, 0.0]})), 2)
        np.testing.assert_allclose(frames[-1].columns["spin"], np.radians([[0, 720, 0]]), rtol=1e-5)

    def paper(self, **fields: Any) -> Any:
        raw = document(
            rule(GRAVITY, {"kind": "flutter", **fields}),
            count=60,
            clock={"duration": 4.0, "frames_per_second": 60.0},
            source={"orientation": {"kind": "any"}, "direction": {"kind": "any"}, "speed": 0.3},
        )
        return run(raw)

    def test_paper_falls_slowly_glides_and_tumbles(self) -> None:
        frames = self.paper(calming=0.3)
        late = frames[-1].columns
        # Between broadside and edge-on terminal speed, g · half-life / ln 2: 0.7 and 5 m/s (handbook mechanics).
        fall = np.median([-frame.columns["velocity"][:, 1] for frame in frames[120:]])
        self.assertTrue(0.7 < fall < 5.0, fall)
        aside = np.hypot(late["position"][:, 0], late["position"][:, 2])
        self.assertGreater(np.median(aside), 0.5)
        ups = np.array(
            [turned(frame.columns["orientation"], np.tile([0.0, 1, 0], (60, 1)))[:, 1] for frame in frames]
        )
        turns = (np.diff(np.sign(ups), axis=0) != 0).sum(axis=0)
        self.assertGreater(np.mean(turns > 1), 0.5)

    def test_calmed_paper_rocks_but_does_not_tumble(self) -> None:
        frames = self.paper(calming=0.1)[120:]
        ups = np.array(
            [turned(frame.columns["orientation"], np.tile([0.0, 1, 0], (60, 1)))[:, 1] for frame in frames]
        )
        self.assertLess((np.diff(np.sign(ups), axis=0) != 0).mean(), 0.002)
        self.assertGreater(np.degrees(np.arccos(np.abs(ups))).std(), 3.0)


class Drift(unittest.TestCase):
    DRIFT = {"kind": "drift", "travel": 0.5, "size": 2.0, "change": 0.5, "own_turning": 90.0}

    def test_it_stays_near_its_birthplace_and_has_no_history(self) -> None:
        source = {"shape": "ball", "placement": {"kind": "inside"}}
        raw = document(rule(self.DRIFT), count=300, shapes=[shape("ball", radius=2.0)], source=source)
        frames = run(raw)
        away = np.linalg.norm(frames[-1].columns["position"] - frames[0].columns["birthplace"], axis=1)
        self.assertGreater(away.mean(), 0.05)
        self.assertLess(away.max(), 1.3)
        # The same moment reached by other steps is the same place.
        finer = run({**raw, "clock": {"duration": 2.0, "frames_per_second": 60.0, "steps_per_frame": 3}})
        np.testing.assert_allclose(finer[-1].columns["position"], frames[-1].columns["position"], atol=1e-5)

    def test_neighbours_move_alike(self) -> None:
        source = {"shape": "ball", "placement": {"kind": "inside"}}
        tight = run(
            document(
                rule({**self.DRIFT, "size": 50.0}),
                count=100,
                shapes=[shape("ball", radius=0.5)],
                source=source,
            )
        )[-1]
        moved = tight.columns["position"] - tight.columns["birthplace"]
        self.assertLess(moved.std(axis=0).max(), 0.02)

    def test_the_whole_turns(self) -> None:
        raw = document(
            rule({**self.DRIFT, "travel": 0.0, "turning": 90.0}),
            position=[1.0, 0.0, 0.0],
            clock={"duration": 1.0},
        )
        np.testing.assert_allclose(run(raw)[-1].columns["position"], [[0, 0, -1]], atol=1e-5)


class TheClock(unittest.TestCase):
    def test_steps_follow_the_speed(self) -> None:
        clock = Timeline(Clock(stepping="up_to", steps_per_frame=16, longest_way=0.1))
        self.assertEqual(len(clock.edges(5, 0.0)) - 1, 1)
        self.assertEqual(len(clock.edges(5, 9.5)) - 1, 4)
        self.assertEqual(len(clock.edges(5, 1e9)) - 1, 16)
        self.assertEqual(clock.edges(5, 9.5)[-1], 5 / 24)

    def test_the_last_frame_by_a_time(self) -> None:
        # Whatever the rates, it is the last frame whose own time is not later.
        held = Clock.model_validate(
            {"time_from": "curve", "effect_time": keys((0, 0.0), (1, 0.5), (2, 0.5), (3, 4.0))}
        )
        for clock in (Clock(), Clock(frames_per_second=29.97), Clock(frames_per_second=60.0), held):
            timeline = Timeline(clock)
            for time in (-1.0, 0.0, 0.1, 0.5, 1.0, 1.9999, 2.0, 4.0, 99.0):
                expected = max((n for n in range(121) if timeline.time_of(n) <= time), default=-1)
                self.assertEqual(timeline.last_frame_by(time, 120), expected, (clock.frames_per_second, time))

    def test_automatic_steps_make_curves_of_polygons(self) -> None:
        # A fast swing round a centre: with one step a frame it strays, with as many as it needs it does not.
        def stray(**clock: Any) -> float:
            raw = document(
                rule({"kind": "centre", "strength": 400.0}),
                speed=20.0,
                position=[1.0, 0.0, 0.0],
                clock={"duration": 1.0, **clock},
            )
            return float(np.abs(np.linalg.norm(track(run(raw), "position"), axis=1) - 1).max())

        self.assertGreater(stray(), 5 * stray(stepping="up_to", steps_per_frame=32, longest_way=0.05))

    def test_time_from_a_curve(self) -> None:
        # Held for half a second, then at double speed: position is that of the effect's time, not of the clock.
        curve = {"effect_time": keys((0, 0.0), (0.5, 0.0), (1.5, 2.0)), "time_from": "curve", "duration": 1.5}
        frames = run(document(speed=1.0, clock=curve))
        height = track(frames, "position")[:, 1]
        np.testing.assert_allclose(height[[0, 12, 24, 36]], [0, 0, 1, 2], atol=1e-4)
        self.assertAlmostEqual(frames[-1].time, 2.0)


if __name__ == "__main__":
    unittest.main()
