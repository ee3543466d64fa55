"""Contact against closed forms at six rates and steps: bounces keep their height, a hit goes through a row, rest in valleys is rest."""

from __future__ import annotations

import unittest

import numpy as np

from tests.support import Document, document, rule, run

RATES = ((12.0, 1), (24.0, 1), (24.0, 4), (30.0, 2), (60.0, 1), (120.0, 1))
"""Frames a second and steps a frame."""

GRAVITY = rule({"kind": "gravity"}, id="gravity")


def plane(name: str, axis: int, degrees: float, **given: object) -> Document:
    turned = [0.0, 0.0, 0.0]
    turned[axis] = degrees
    return {"kind": "plane", "id": name, "label": name, "width": 20.0, "depth": 20.0, "rotation": turned, **given}


Vector = tuple[float, float, float]
STILL: Vector = (0.0, 0.0, 0.0)


def steadily(speed: Vector, seconds: float) -> Document:
    """A value that grows at one speed from nothing."""
    ends = [[entry * at for entry in speed] for at in (0.0, seconds)]
    return {"keys": [{"at": at, "value": value, "ease": "linear"} for at, value in zip((0.0, seconds), ends, strict=True)]}


def clock(rate: tuple[float, int], seconds: float) -> Document:
    return {"duration": seconds, "frames_per_second": rate[0], "steps_per_frame": rate[1]}


class Bounces(unittest.TestCase):
    def bouncing(self, rate: tuple[float, int], **floor: object) -> Document:
        bounce = rule({"kind": "bounce", "shape": "floor", "bounciness": 1.0, "friction": 0.0}, id="bounce")
        return document(
            GRAVITY, bounce, position=[0.0, 2.05, 0.0], speed=0.5, axis=[1.0, 0.0, 0.0], shapes=[plane("floor", 0, 0.0, **floor)],
            clock=clock(rate, 20.0),
        )  # fmt: skip

    def test_no_height_is_lost_or_gained(self) -> None:
        """From 2 m with bounciness 1: after twenty seconds kinetic and potential energy are what they were (handbook mechanics), and x is v·t."""
        for rate in RATES:
            with self.subTest(rate=rate):
                last = run(self.bouncing(rate))[-1]
                place, velocity = (last.columns[name][0].astype(float) for name in ("position", "velocity"))
                self.assertAlmostEqual(velocity[1] ** 2 / (2 * 9.81) + place[1] - 0.05, 2.0, delta=1e-3)
                self.assertAlmostEqual(place[0], 0.5 * last.time, delta=1e-3)

    def test_a_floor_that_rises_at_one_speed_is_one_that_stands(self) -> None:
        """Seen from the floor, which rises by 0.3 m/s, the ball is thrown down at that speed (Galilei): its energy against the floor stays."""
        keys = {"keys": [{"at": 0.0, "value": [0.0, 0.0, 0.0], "ease": "linear"}, {"at": 20.0, "value": [0.0, 6.0, 0.0], "ease": "linear"}]}
        for rate in RATES:
            with self.subTest(rate=rate):
                last = run(self.bouncing(rate, position=keys))[-1]
                height = float(last.columns["position"][0][1]) - 0.05 - 0.3 * last.time
                speed = float(last.columns["velocity"][0][1]) - 0.3
                self.assertAlmostEqual(speed**2 / (2 * 9.81) + height, 2.0 + 0.3**2 / (2 * 9.81), delta=5e-3)


class Row(unittest.TestCase):
    def test_a_hit_goes_through_within_the_step(self) -> None:
        """Six equal balls, five of them touching, the first at 3 m/s: it stops where it hits, the last leaves with all of it (Newton's cradle)."""
        first, rest = -1.0, [0.2 * k for k in range(5)]
        for rate in RATES:
            raw = document(rule({"kind": "collide", "bounciness": 1.0}, id="collide"), clock=clock(rate, 2.0))
            places = [first, *rest]
            raw["shapes"] = [{"kind": "point", "id": f"p{k}", "label": f"P{k}", "position": [x, 0.0, 0.0]} for k, x in enumerate(places)]
            one = raw["sources"][0] | {"radius": 0.1, "emission": {"kind": "one"}, "direction": {"kind": "axis", "axis": [1.0, 0.0, 0.0]}}
            raw["sources"] = [
                one | {"id": f"s{k}", "label": f"S{k}", "shape": f"p{k}", "speed": 3.0 if k == 0 else 0.0} for k in range(len(places))
            ]
            with self.subTest(rate=rate):
                last = run(raw)[-1]
                far = 0.8 + 3.0 * (last.time - 0.8 / 3.0)
                np.testing.assert_allclose(last.columns["position"][:, 0], [-0.2, *rest[:-1], far], atol=1e-3)

    def test_who_is_caught_between_two_ends(self) -> None:
        """Two heavy balls close in on a light one: it bounces between them faster and faster, and the step ends; momentum is kept."""
        raw = document(rule({"kind": "collide", "bounciness": 1.0}, id="collide"), clock=clock((24.0, 1), 1.0))
        raw["shapes"] = [{"kind": "point", "id": f"p{k}", "label": f"P{k}", "position": [x, 0.0, 0.0]} for k, x in enumerate((-0.6, 0.0, 0.6))]
        one = raw["sources"][0] | {"radius": 0.1, "emission": {"kind": "one"}, "direction": {"kind": "axis", "axis": [1.0, 0.0, 0.0]}}
        raw["sources"] = [
            one | {"id": f"s{k}", "label": f"S{k}", "shape": f"p{k}", "speed": speed, "mass": mass}
            for k, (speed, mass) in enumerate(((1.0, 1000.0), (0.0, 0.001), (0.0, 1000.0)))
        ]
        for frame in run(raw):
            momentum = (frame.columns["velocity"][:, 0].astype(float) * frame.columns["mass"]).sum()
            self.assertAlmostEqual(momentum, 1000.0, delta=1e-2)
        self.assertTrue(np.isfinite(frame.columns["position"]).all())


class Valleys(unittest.TestCase):
    CASES = {
        "uneven": [plane("a", 2, -38.0), plane("b", 2, 52.0)],
        "even": [plane("a", 2, -45.0), plane("b", 2, 45.0)],
        "shallow": [plane("a", 2, -20.0), plane("b", 2, 35.0)],
        "steep": [plane("a", 2, -30.0), plane("b", 2, 70.0)],
        "a corner of three": [plane("a", 2, -38.0), plane("b", 2, 52.0), plane("c", 0, 40.0)],
    }

    def lying(self, shapes: list[Document], rate: tuple[float, int], along: Vector = STILL, turning: float = 0.0) -> None:
        """`along`: m/s at which the whole valley goes; `turning`: degrees a second about its middle's upright."""
        bounces = [{"kind": "bounce", "shape": shape["id"], "bounciness": 0.3, "friction": 0.3} for shape in shapes]
        source = {"shape": "cloud", "placement": {"kind": "inside"}, "radius": {"kind": "spread", "value": 0.05, "spread": 0.02}}
        cloud = {"kind": "ball", "id": "cloud", "label": "Cloud", "radius": 0.3, "position": [0.0, 1.6, 0.0]}
        valley = {"id": "valley", "label": "Valley", "actions": bounces}
        carrier = {
            "kind": "point", "id": "carrier", "label": "Carrier", "position": steadily(along, 7.0), "rotation": steadily((0.0, turning, 0.0), 7.0)
        }  # fmt: skip
        carried = [shape | {"parent": "carrier"} for shape in shapes]
        frames = run(document(GRAVITY, valley, count=12, shapes=[carrier, *carried, cloud], source=source, clock=clock(rate, 7.0)))
        then, now = frames[round(5 * rate[0])], frames[-1]
        spin = np.array([0.0, np.radians(turning), 0.0])
        seen = []
        for frame in (then, now):
            # Seen from the valley: turned back about the upright, which is handbook mechanics (v' = v - V - w x r).
            place = frame.columns["position"] - np.asarray(along) * frame.time
            speeds = np.linalg.norm(frame.columns["velocity"] - np.asarray(along) - np.cross(spin, place), axis=1)
            # The speed of a step is that along its chord, which leaves the circle's by half of what it turns in the step.
            chord = np.radians(turning) ** 2 * float(np.linalg.norm(place, axis=1).max()) / (2 * rate[0] * rate[1])
            self.assertLess(float(speeds.max()), 1e-3 + chord)
            angle = np.radians(-turning * frame.time)
            back = np.array([[np.cos(angle), 0.0, np.sin(angle)], [0.0, 1.0, 0.0], [-np.sin(angle), 0.0, np.cos(angle)]])
            seen.append(place @ back.T)
        np.testing.assert_array_equal(now.columns["contact_count"], then.columns["contact_count"], "nobody touches anew")
        self.assertLess(float(np.abs(seen[1] - seen[0]).max()), 2e-3)

    def test_who_lies_on_several_surfaces_rests(self) -> None:
        for place, (name, shapes) in enumerate(self.CASES.items()):
            # The one that was told of at every rate, of the others three each, so that every rate has its turn.
            for rate in RATES if place == 0 else RATES[place % 2 :: 2]:
                with self.subTest(valley=name, rate=rate):
                    self.lying(shapes, rate)

    def test_so_does_who_lies_in_a_valley_that_goes_or_turns(self) -> None:
        """What goes at one speed is as what stands (Galilei); friction carries who lies in what turns slowly."""
        for rate in RATES:
            for name, along, turning in (("uneven", (0.4, 0.0, -0.2), 0.0), ("shallow", (0.0, 0.3, 0.0), 0.0), ("a corner of three", STILL, 20.0)):
                with self.subTest(valley=name, rate=rate, along=along, turning=turning):
                    self.lying(self.CASES[name], rate, along, turning)


if __name__ == "__main__":
    unittest.main()
