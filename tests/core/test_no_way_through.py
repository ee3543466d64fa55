"""Nothing gets through: particles of any speed, any number of steps, shapes that move, turn and change their form. Some 20 000 cases.

Which side somebody is on is asked of the winding number, added up here after Van Oosterom and Strackee 1983. Who is on a side at a recorded frame is
there at the next one.
"""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.plan import Plan
from hailridge.core.step.simulation import Frame
from hailridge.model.validation import read_effect
from tests.running.choosing import thorough
from tests.support import Document, document, rule, run

COUNT = 400
"""Particles in a run; each is a case at each of its frames, counted once."""


def keyed(rng: np.random.Generator, low: float, high: float, width: int, every: float, keys: int = 6) -> Document:
    values = rng.uniform(low, high, (keys, width)).tolist() if width > 1 else rng.uniform(low, high, keys).tolist()
    return {"keys": [{"at": at * every, "value": value, "ease": "linear"} for at, value in enumerate(values)]}


def winding(places: Any, corners: Any) -> Any:
    """How often a surface (f, 3, 3) goes round each place (n, 3): solid angles of its triangles over 4π (Van Oosterom and Strackee 1983)."""
    total = np.zeros(len(places))
    for k in range(0, len(places), 50):
        a, b, c = (corners[None, :, i] - places[k : k + 50, None] for i in range(3))
        la, lb, lc = (np.linalg.norm(v, axis=2) for v in (a, b, c))
        above = np.einsum("nfi,nfi->nf", a, np.cross(b, c))
        below = la * lb * lc + np.einsum("nfi,nfi->nf", a, b) * lc + np.einsum("nfi,nfi->nf", b, c) * la + np.einsum("nfi,nfi->nf", c, a) * lb
        total[k : k + 50] = 2 * np.arctan2(above, below).sum(axis=1) / (4 * np.pi)
    return total


def shower(seed: int, shape: Document, clock: Document, radius: float, fast: float, place: list[float]) -> Document:
    rng = np.random.default_rng(seed)
    cloud = {"kind": "ball", "id": "cloud", "label": "Cloud", "radius": 4.0, "position": place}
    # Sources give 10⁴ m/s at most; what is faster is made so at birth.
    times = max(1.0, fast / 1e4)
    speed = {"kind": "spread", "value": fast / times / 2, "spread": fast / times / 2}
    hurry = rule({"kind": "multiply", "attribute": "velocity", "factor": times, "per": "occasion"}, trigger="birth", id="hurry")
    source = {"shape": "cloud", "placement": {"kind": "inside"}, "direction": {"kind": "any"}, "speed": speed, "radius": radius}
    solid = rule({"kind": "bounce", "shape": "wall", "bounciness": float(rng.choice([0.0, 0.4, 1.0])), "friction": float(rng.choice([0.0, 0.5]))})
    return document(hurry, solid, count=COUNT, source=source, shapes=[shape, cloud], clock=clock | {"seed": seed})


@thorough
class NoWayThrough(unittest.TestCase):
    def sides(self, raw: Document, frames: list[Frame]) -> int:
        """How many change sides; who is closer to the surface than can be told is left out."""
        plan = Plan(read_effect(raw), MemoryAssets())
        crossed = 0
        before: dict[int, bool] = {}
        for frame in frames:
            pose = plan.at(frame.time).pose("wall")
            places = frame.columns["position"]
            if pose.geometry.ball is not None:
                known = pose.geometry.ball
                centre = pose.transform.points(np.asarray(known[0], np.float64)[None])[0]
                inside = np.linalg.norm(places - centre, axis=1) < known[1] * pose.transform.scale
            else:
                corners = pose.transform.points(pose.geometry.vertices.astype(np.float64))[pose.geometry.faces]
                near = np.all((places > corners.min(axis=(0, 1))) & (places < corners.max(axis=(0, 1))), axis=1)
                inside = np.zeros(len(places), np.bool_)
                inside[near] = np.abs(winding(places[near].astype(np.float64), corners)) > 0.5
            for who, now in zip(frame.columns["id"].tolist(), inside.tolist(), strict=True):
                crossed += before.get(who, now) != now
                before[who] = now
        return crossed

    def runs(self, number: int, changing: bool) -> None:
        crossed, cases, told = 0, 0, []
        for seed in range(number):
            rng = np.random.default_rng([seed, int(changing)])
            every = float(rng.choice([0.08, 0.2, 0.5]))
            far = float(rng.choice([0.0, 30.0, 900.0]))
            place = [far * 0.6, 0.0, far * 0.7]
            shape: Document = {"id": "wall", "label": "Wall", **rng.choice([
                {"kind": "box", "size": [2.0, 1.0, 0.02]}, {"kind": "ball", "radius": 1.0}, {"kind": "tube", "radius": 0.8, "height": 2.0},
                {"kind": "cone"}, {"kind": "ring", "radius": 1.0}])}  # fmt: skip
            position = keyed(rng, -1.5, 1.5, 3, every)
            for key in position["keys"]:
                key["value"] = [a + b for a, b in zip(key["value"], place, strict=True)]
            # Less than half a turn a step.
            shape |= {"position": position if rng.random() < 0.7 else place, "rotation": keyed(rng, -60.0, 60.0, 3, max(every, 0.1))}
            if changing:
                if shape["kind"] in ("ball", "ring", "tube"):
                    shape["radius"] = keyed(rng, 0.3, 2.5, 1, every)
                elif shape["kind"] == "box":
                    shape["size"] = keyed(rng, 0.1, 3.0, 3, every)
                if shape["kind"] == "cone" or rng.random() < 0.4:
                    shape |= {"roughness": 0.1, "roughness_size": 1.0, "roughness_change": float(rng.choice([1.0, 6.0]))}
            clock = {"frames_per_second": float(rng.choice([24.0, 60.0])), "steps_per_frame": int(rng.choice([1, 1, 3])), "duration": 0.25}
            radius, fast = float(rng.choice([0.0, 0.01, 0.2])), float(rng.choice([0.0, 10.0, 300.0, 1e5]))
            raw = shower(seed, shape, clock, radius, fast, place)
            frames = run(raw)
            wrong = self.sides(raw, frames[1:])
            if wrong:
                told.append((seed, shape["kind"], "roughness" in shape, clock, radius, fast, far, wrong))
            crossed += wrong
            cases += COUNT
        self.assertEqual(crossed, 0, f"of {cases}: {told}")

    def test_shapes_that_keep_their_form(self) -> None:
        self.runs(26, changing=False)

    def test_shapes_that_change_it(self) -> None:
        self.runs(26, changing=True)


if __name__ == "__main__":
    unittest.main()
