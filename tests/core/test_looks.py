"""Which drawing a particle gets, solid forms, links, what is kept in sight, and advisories about looks."""

from __future__ import annotations

import unittest

import numpy as np
from scipy import stats
from scipy.spatial import cKDTree

from hailridge.core.kinds.looks.blending import contrast
from hailridge.core.kinds.looks.instances import Instances
from hailridge.core.kinds.looks.ramps import ReadyRamp
from hailridge.core.looking.advisories import advise
from hailridge.core.looking.observe import layers
from hailridge.core.scene.shipped import shipped_pictures
from hailridge.model.ramps import Ramp
from hailridge.model.validation import read_effect
from tests.support import Document, document, moment_of, rule

CLOUD: Document = {
    "source": {"placement": {"kind": "inside"}, "shape": "ball"},
    "shapes": [{"kind": "ball", "id": "ball", "label": "Ball", "radius": 1.0}],
}


def cells(picking: Document, count: int = 1000, picture: str = "slips", **rest: object) -> np.ndarray:
    """Which drawing each particle of a burst gets."""
    raw = document(count=count, **rest)  # type: ignore[arg-type]
    raw["looks"] = [{"kind": "pictures", "id": "p", "picture": picture, "picking": picking}]
    return layers(moment_of(raw))[0].extra["cell"]


class Picking(unittest.TestCase):
    def test_equal_chances_for_all_drawings(self) -> None:
        # χ² over six drawings; the last coming up seldom is the defect that this guards against (needs 10).
        counts = np.bincount(cells({"kind": "at_random"}, 60_000), minlength=6)
        self.assertGreater(stats.chisquare(counts).pvalue, 0.01)
        self.assertEqual(len(counts), 6)

    def test_weights(self) -> None:
        counts = np.bincount(
            cells({"kind": "at_random", "weights": [3.0, 1.0, 0.0, 2.0]}, 60_000), minlength=6
        )
        self.assertEqual(counts[[2, 4, 5]].tolist(), [0, 0, 0])
        self.assertGreater(stats.chisquare(counts[[0, 1, 3]], np.array([3, 1, 2]) * 10_000).pvalue, 0.01)

    def test_a_draw_is_kept_for_life_and_another_seed_gives_another(self) -> None:
        first = cells({"kind": "at_random"}, clock={"duration": 0.1})
        np.testing.assert_array_equal(first, cells({"kind": "at_random"}, clock={"duration": 1.0}))
        self.assertGreater(np.count_nonzero(first != cells({"kind": "at_random", "seed": 5})), 600)

    def test_in_order_of_birth(self) -> None:
        np.testing.assert_array_equal(cells({"kind": "in_order"}, 20), np.arange(20) % 6)

    def test_an_animation_goes_round_once_a_cycle(self) -> None:
        # Six drawings in 0.5 s; at 24 frames a second drawing k begins at k/12 s.
        for seconds, expected in ((0.25, 3), (0.5, 0), (1.0 / 12, 1), (0.75, 3)):
            found = cells({"kind": "by_age", "cycle": 0.5}, 3, clock={"duration": seconds})
            self.assertEqual(found.tolist(), [expected] * 3, seconds)
        self.assertEqual(
            cells({"kind": "by_age", "cycle": 0.5, "after": "stay"}, 1, clock={"duration": 2.0}).tolist(), [5]
        )
        # Back and forth: 0 1 2 3 4 5 4 3 2 1, so 0.5 s + 1/12 s is the fifth drawing again.
        self.assertEqual(
            cells({"kind": "by_age", "cycle": 0.5, "after": "back"}, 1, clock={"duration": 7 / 12}).tolist(),
            [3],
        )

    def test_a_starting_age_with_a_spread_puts_them_out_of_step(self) -> None:
        start = {"kind": "spread", "value": 0.5, "spread": 0.5}
        counts = np.bincount(cells({"kind": "by_age", "cycle": 1.0, "start": start}, 6000), minlength=6)
        self.assertGreater(stats.chisquare(counts).pvalue, 0.01)

    def test_by_quantity_and_by_picture_number(self) -> None:
        by_number = {"kind": "by_quantity", "quantity": {"kind": "number"}, "start": 0.0, "end": 12.0}
        self.assertEqual(cells(by_number, 13).tolist(), [0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 5])
        number = rule({"kind": "set", "attribute": "picture", "amount": 7.0}, trigger="once")
        raw = document(number, count=3)
        raw["looks"] = [{"kind": "pictures", "id": "p", "picture": "slips", "picking": {"kind": "by_number"}}]
        self.assertEqual(layers(moment_of(raw))[0].extra["cell"].tolist(), [1, 1, 1])
        self.assertEqual(cells({"kind": "by_number"}, 2).tolist(), [0, 0])

    def test_nonsense_is_told(self) -> None:
        for picking, words in (
            ({"kind": "at_random", "weights": [0.0, 0.0]}, "all weights are 0"),
            ({"kind": "at_random", "weights": [-1.0]}, "less than nothing"),
            ({"kind": "by_quantity", "start": 1.0, "end": 1.0}, "nothing between its ends"),
        ):
            raw = document()
            raw["looks"] = [{"kind": "pictures", "id": "p", "picking": picking}]
            self.assertIn(words, str(read_effect(raw).problems[0]))


class Pictures(unittest.TestCase):
    def test_a_missing_picture_is_replaced_by_soft_discs_and_told(self) -> None:
        raw = document(count=4)
        raw["looks"] = [{"kind": "pictures", "id": "p", "picture": "gone"}]
        head = layers(moment_of(raw))[0].head()
        self.assertEqual((head["shader"], head["softness"], head["missing"]), ("disc", 1.0, "gone"))
        told = [advisory.text for advisory in advise(read_effect(raw), set(shipped_pictures()))]
        self.assertTrue(any("not in the library" in text for text in told))

    def test_sets_that_ship_divide_evenly(self) -> None:
        for key, sheet in shipped_pictures().items():
            self.assertEqual((sheet.width % sheet.columns, sheet.height % sheet.rows), (0, 0), key)
            self.assertLessEqual(sheet.count, sheet.columns * sheet.rows)


class Forms(unittest.TestCase):
    def test_forms_fit_a_ball_of_radius_one(self) -> None:
        raw = document(
            count=300,
            shapes=[
                {
                    "kind": "box",
                    "id": "slab",
                    "label": "Slab",
                    "size": [4.0, 1.0, 2.0],
                    "position": [9.0, 0.0, 0.0],
                }
            ],
        )
        raw["looks"] = [
            {"kind": "instances", "id": "i", "form": form}
            for form in ("block", "pebble", "cone", "rod", "splinter", "plate")
        ]
        raw["looks"] = [{**look, "id": f"i{k}"} for k, look in enumerate(raw["looks"])]
        raw["looks"].append({"kind": "instances", "id": "own", "shapes": ["slab", "slab"]})
        moment = moment_of(raw)
        for look in moment.scene.effect.looks:
            assert isinstance(look, Instances)
            for geometry in look.forms(moment.scene):
                reach = np.linalg.norm(geometry.vertices, axis=1).max()
                self.assertAlmostEqual(float(reach), 1.0, places=5)
        sides = np.ptp(moment.scene.effect.looks[-1].forms(moment.scene)[0].vertices, axis=0)  # type: ignore[attr-defined]
        np.testing.assert_allclose(sides / sides[1], [4, 1, 2], rtol=1e-4)

    def test_particles_come_form_by_form(self) -> None:
        raw = document(
            count=300, shapes=[{"kind": "box", "id": name, "label": name} for name in ("one", "two", "three")]
        )
        raw["looks"] = [
            {
                "kind": "instances",
                "id": "i",
                "shapes": ["one", "two", "three"],
                "picking": {"kind": "in_order"},
            }
        ]
        drawn = layers(moment_of(raw))[0]
        self.assertEqual(drawn.settings["starts"], [0, 100, 200, 300])
        np.testing.assert_array_equal(drawn.id[:100], np.arange(0, 300, 3))
        self.assertEqual(drawn.extra["orientation"].shape, (300, 4))


class Linking(unittest.TestCase):
    def test_links_are_the_nearest_within_reach(self) -> None:
        raw = document(count=200, **CLOUD)
        raw["looks"] = [{"kind": "links", "id": "l", "reach": 0.25, "most": 3}]
        moment = moment_of(raw)
        drawn = layers(moment)[0]
        places = moment.column("position").astype(np.float64)
        # Outside check: scipy.spatial.cKDTree.
        distances, found = cKDTree(places).query(places, k=4, distance_upper_bound=0.25)
        expected = {
            tuple(sorted((row, int(other))))
            for row in range(200)
            for other, apart in zip(found[row, 1:], distances[row, 1:], strict=True)
            if np.isfinite(apart)
        }
        self.assertEqual(len(drawn.id), len(expected))
        points = drawn.extra["points"].reshape(-1, 4, 4)
        ends = {
            tuple(sorted(int(cKDTree(places).query(point)[1]) for point in line[1:3, :3])) for line in points
        }
        self.assertEqual(ends, expected)
        self.assertTrue((points[:, [0, 3], 3] == 0).all())

    def test_the_nearest_few_agree_with_scipy_on_degenerate_clouds_too(self) -> None:
        from hailridge.core.state.surroundings import Crowd, Sight, nearest

        rng = np.random.default_rng(4)
        for places in (
            rng.random((500, 3)),
            np.zeros((20, 3)),
            rng.random((300, 3)) * [1, 0, 0],
            rng.integers(0, 3, (200, 3)).astype(float),
        ):
            places = places.astype(np.float32)
            rows = np.arange(len(places))
            crowd = Crowd(places, rows, np.full(len(places), -1, np.int32))
            found, distances, _thinned = nearest(crowd, Sight(np.full(1, 0.3, np.float32)), crowd, None, 5)
            theirs, _ = cKDTree(places.astype(np.float64)).query(
                places.astype(np.float64), k=6, distance_upper_bound=0.3 + 1e-7
            )
            mine = np.sort(np.where(np.isfinite(distances), distances, np.inf), axis=1)
            np.testing.assert_allclose(mine, theirs[:, 1:6], atol=2e-6)
            self.assertFalse((found == rows[:, None]).any())


class Advice(unittest.TestCase):
    def test_a_ramp_whose_low_end_vanishes(self) -> None:
        raw = document(count=5)
        layer: Document = {"kind": "ramp", "quantity": {"kind": "speed"}, "ramp": {"named": "magma"}}
        raw["looks"] = [{"kind": "balls", "id": "b", "layers": [layer]}]
        found = next(advisory for advisory in advise(read_effect(raw)) if "background" in advisory.text)
        self.assertEqual(found.item, ["looks", 0, "layers", 0, "ramp"])
        assert found.fix is not None
        layer["ramp"] = found.fix["value"]
        lifted = ReadyRamp(Ramp.model_validate(layer["ramp"])).table[:, 0]
        self.assertGreater(contrast(lifted, [0.063, 0.078, 0.09]), 2.0)
        self.assertFalse(any("background" in advisory.text for advisory in advise(read_effect(raw))))
        # On a light ground the same ramp stands out, and one with a light end does not.
        layer["ramp"] = {"named": "magma"}
        raw["picture"] = {"background": [0.95, 0.95, 0.95]}
        self.assertFalse(any("background" in advisory.text for advisory in advise(read_effect(raw))))
        layer["ramp"] = {"named": "magma", "reversed": True}
        self.assertTrue(any("background" in advisory.text for advisory in advise(read_effect(raw))))

    def test_trails_beyond_their_budget(self) -> None:
        raw = document(count=2000, clock={"duration": 600.0, "frames_per_second": 120})
        raw["looks"] = [{"kind": "trails", "id": "t", "length": {"kind": "by_points", "points": 50_000}}]
        found = next(advisory for advisory in advise(read_effect(raw)) if "budget" in advisory.text)
        self.assertIn("2.0 GB", found.text)
        assert found.fix is not None
        self.assertEqual(found.fix["value"], {"kind": "fixed", "value": 300})
        # With a point each frame there are no more than the effect has frames: 2 000 × 121 are within 600 000.
        short = raw | {"clock": {"duration": 5.0}}
        self.assertFalse(any("budget" in advisory.text for advisory in advise(read_effect(short))))
        short["looks"] = [raw["looks"][0] | {"spacing": 0.001}]
        self.assertTrue(any("budget" in advisory.text for advisory in advise(read_effect(short))))
        raw["looks"][0]["length"]["points"] = 300
        self.assertFalse(any("budget" in advisory.text for advisory in advise(read_effect(raw))))

    def test_no_radius_at_all_is_kept_in_sight_or_told(self) -> None:
        raw = document(count=1, source={"radius": 0.0})
        for tiny, told in ((True, False), (False, True)):
            raw["looks"] = [{"kind": "balls", "id": "b", "tiny": tiny}]
            self.assertEqual(
                any("tiny ones in sight" in advisory.text for advisory in advise(read_effect(raw))), told
            )


if __name__ == "__main__":
    unittest.main()
