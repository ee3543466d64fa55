"""Neighbourhoods: every result against SciPy's tree or plain NumPy over all kinds of clouds; who belongs to whom; giving, taking, mixing."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.distance import cdist

from hailridge.core.kernels import threads
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.looking.searching import as_acted, measured, searched, view_of
from hailridge.core.scene.around import FURTHEST, LIST, MEAN, WAYS, around
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.claims import claimed, lookers_of, place_for
from hailridge.core.scene.moment import Moment
from hailridge.core.scene.plan import Plan
from hailridge.core.state import surroundings
from hailridge.core.state.surroundings import KIN, NO_VIEW, Crowd, Sight, look, nearest
from hailridge.model.validation import read_effect
from tests.support import Document, compare, document, rule, run

RANDOM = np.random.default_rng(15)


def clouds() -> dict[str, Any]:
    even = RANDOM.uniform(0, 1, (1500, 3))
    return {
        "even": even,
        "all in one place": np.zeros((120, 3)),
        "some in pairs": np.concatenate([even[:300], even[:100]]),
        "in a plane": even[:700] * [1, 0, 1],
        "on a line": even[:700] * [0, 1, 0],
        "two clusters far apart": np.concatenate([even[:300], even[300:600] + 4000]),
        "clustered": RANDOM.normal(size=(900, 3)) ** 5,
        "two": even[:2],
        "one": even[:1],
    }


def crowd(places: Any) -> Crowd:
    return Crowd(np.ascontiguousarray(places, np.float32), np.arange(len(places)), np.full(len(places), -1, np.int32))


def scene(places: Any, *hoods: Document, groups: Any = None, **changes: Any) -> Moment:
    """A moment of particles at these places in groups a and b, with these neighbourhoods."""
    number = len(places)
    raw = document(count=number, groups=["a", "b"], neighbourhoods=[hood(**each) for each in hoods], **changes)
    effect = read_effect(raw)
    columns = {name: column.copy() for name, column in run(effect, 0)[0].columns.items()}
    columns["position"][:] = places
    if groups is not None:
        columns["group"][:] = groups
    moment = recorded_moment(Plan(effect, MemoryAssets()), columns, number, 0)
    moment.doomed = np.zeros(number, np.bool_)
    return moment


def hood(**changes: Any) -> Document:
    return {"id": "near", "label": "Near", "reach": 0.3} | changes


class AgainstScipy(unittest.TestCase):
    """Source: scipy.spatial.cKDTree, and NumPy over all pairs."""

    def test_the_nearest_of_all_kinds_of_clouds(self) -> None:
        for name, places in clouds().items():
            mine = crowd(places)
            exact = mine.places.astype(np.float64)
            for reach in (0.05, 0.3, 1e4):
                for most in (1, 5, 16):
                    with self.subTest(name, reach=reach, most=most):
                        rows, apart, thinned = nearest(mine, Sight(np.full(1, reach, np.float32)), mine, None, most)
                        theirs = cKDTree(exact).query(exact, k=list(range(2, most + 2)), distance_upper_bound=reach)[0]
                        self.assertEqual(thinned, 1)
                        np.testing.assert_allclose(apart, theirs, rtol=2e-4, atol=1e-3 * reach if reach < 1 else 1e-4)
                        self.assertFalse((rows == mine.rows[:, None]).any())
                        self.assertTrue(((rows >= 0) == np.isfinite(apart)).all())

    def test_a_guess_decides_nothing(self) -> None:
        """Dense specks in thin air, on a lattice with many at equal distances, some behind: whoever was looked at before, the nearest are the same.

        Source: all pairs by NumPy, ordered by distance and then by row."""
        lattice = np.stack(np.meshgrid(*[np.arange(5.0)] * 3), axis=-1).reshape(-1, 3)
        specks = [lattice * 0.01 + offset for offset in RANDOM.uniform(0, 6, (4, 3))]
        places = np.concatenate([lattice * 1.5, *specks]).astype(np.float32)[RANDOM.permutation(625)]
        headings = RANDOM.normal(size=(625, 3))
        headings = (headings / np.linalg.norm(headings, axis=1, keepdims=True)).astype(np.float32)
        headings[::7] = 0
        everyone = crowd(places)
        parents = RANDOM.integers(-1, 4, 625).astype(np.int32)
        everyone = Crowd(everyone.places, everyone.rows, parents)
        wider = RANDOM.uniform(0, 0.3, 625).astype(np.float32)
        ways = (places[None] - places[:, None]).astype(np.float32)
        squares = (ways[..., 0] ** 2 + ways[..., 1] ** 2) + ways[..., 2] ** 2
        for most, reach, view, kin, more in ((1, 9.0, -1.0, "any", None), (16, 9.0, 0.2, "any", None), (16, 1.6, -0.5, "others", None),
                                             (40, 3.0, -1.0, "siblings", None), (70, 1e4, -1.0, "any", None), (12, 0.2, -1.0, "any", wider)):  # fmt: skip
            with self.subTest(most=most, reach=reach, view=view, kin=kin):
                sight = Sight(np.full(1, reach, np.float32), headings if view > -1 else NO_VIEW, view, KIN[kin])
                rows, distances, _thinned = nearest(everyone, sight, everyone, more, most)
                limit = np.float32(reach) + (0 if more is None else more[None])
                fits = squares <= limit * limit
                np.fill_diagonal(fits, False)
                if kin != "any":
                    same = (parents[:, None] == parents[None]) & (parents[:, None] >= 0)
                    fits &= same if kin == "siblings" else ~same
                if view > -1:
                    ahead = np.einsum("ijk,ik->ij", ways, headings)
                    fits &= (ahead >= np.float32(view) * np.sqrt(squares)) | ~headings.any(axis=1)[:, None]
                for seeker in range(625):
                    found = np.flatnonzero(fits[seeker])
                    wanted = found[np.lexsort((found, squares[seeker, found]))][:most]
                    got = rows[seeker][rows[seeker] >= 0]
                    # An angle on the edge may fall on either side of it.
                    if view > -1 and set(got) != set(wanted):
                        edge = np.abs(ahead[seeker] - view * np.sqrt(squares[seeker]))[list(set(got) ^ set(wanted))]
                        self.assertLess(edge.min(), 1e-4)
                        continue
                    self.assertEqual(got.tolist(), wanted.tolist())
                    np.testing.assert_allclose(distances[seeker][: len(got)] ** 2, squares[seeker, wanted], rtol=1e-5)

    def test_everything_that_one_pass_finds(self) -> None:
        for name, places in clouds().items():
            for reach in (0.05, 0.4):
                with self.subTest(name, reach=reach):
                    self._one_pass(places, reach)

    def _one_pass(self, places: Any, reach: float) -> None:
        mine, values = crowd(places), RANDOM.random((len(places), 2)).astype(np.float32)
        exact = mine.places.astype(np.float64)
        apart = np.linalg.norm(exact[:, None] - exact[None], axis=2)
        # Pairs whose distance is the reach to the last bits may fall on either side.
        far = reach + np.float32(1e-5)
        if (np.abs(apart - far) < 2e-6).any():
            far += np.float32(7e-6)
        inside = (apart <= far) & ~np.eye(len(places), dtype=bool)
        found = look(mine, Sight(np.full(1, far, np.float32)), mine, None, values, True, True)
        number = inside.sum(axis=1)
        np.testing.assert_array_equal(found.counts, number)
        some = number > 0
        share = inside / np.maximum(number, 1)[:, None]
        np.testing.assert_allclose(found.means[some], (share @ values)[some], atol=1e-5)
        # Places thousands of metres off are kept to a few tenths of a millimetre.
        np.testing.assert_allclose(found.ways[some], (share @ exact - exact)[some], atol=1e-5 + 1e-7 * np.abs(exact).max())
        np.testing.assert_allclose(found.furthest[some], np.where(inside, apart, 0).max(axis=1)[some], rtol=1e-4, atol=1e-6)
        self.assertTrue((found.furthest_rows[~some] == -1).all())

    def test_counts_that_only_count_agree_with_the_pass_that_tells_more(self) -> None:
        mine = crowd(clouds()["even"])
        sight = Sight(RANDOM.uniform(-0.1, 0.3, 1500).astype(np.float32))
        none, one = np.zeros((1500, 0), np.float32), np.zeros((1500, 1), np.float32)
        plain, fused = (look(mine, sight, mine, None, values, False, False).counts for values in (none, one))
        np.testing.assert_array_equal(plain, fused)
        self.assertTrue((plain[sight.reach < 0] == 0).all())

    def test_the_same_bytes_for_any_number_of_threads(self) -> None:
        mine, values = crowd(RANDOM.random((6000, 3))), RANDOM.random((6000, 3)).astype(np.float32)
        sight, before, found = Sight(np.full(1, 0.1, np.float32)), threads.number_of_threads(), []
        try:
            for number in (1, 2, 3):
                threads.use_threads(number)
                found.append((look(mine, sight, mine, None, values, True, True), nearest(mine, sight, mine, None, 4)))
        finally:
            threads.use_threads(before)
        for other, lists in found[1:]:
            for name in ("counts", "means", "ways", "furthest", "furthest_rows"):
                np.testing.assert_array_equal(getattr(other, name), getattr(found[0][0], name))
            np.testing.assert_array_equal(lists[0], found[0][1][0])

    def test_a_hundred_thousand_in_one_place_end_and_it_is_said(self) -> None:
        number = 100_000
        moment = scene(np.zeros((number, 3)), {"reach": 1.0})
        before, surroundings.MOST_PAIRS = surroundings.MOST_PAIRS, 200_000_000
        try:
            counts = around(moment, "near").counts
        finally:
            surroundings.MOST_PAIRS = before
        self.assertAlmostEqual(counts.mean() / number, 1.0, delta=0.03)
        self.assertIn("only every 50th was looked at", next(iter(moment.findings.values())).text)
        few = scene(np.zeros((100, 3)), {"reach": 1.0})
        self.assertEqual((around(few, "near").counts.tolist(), few.findings), ([99] * 100, {}))


class Results(unittest.TestCase):
    def test_a_random_cloud_keeps_the_laws_of_chance(self) -> None:
        """Mean number ρ·4πr³/3, mean nearest distance 0.55396·ρ^(−1/3) (Hertz 1909; Chandrasekhar 1943)."""
        moment = scene(RANDOM.uniform(0, 2, (40_000, 3)), {"reach": 0.15})
        answers, density = around(moment, "near", f"{LIST} 1"), 40_000 / 8
        inner = np.all((moment.column("position") > 0.2) & (moment.column("position") < 1.8), axis=1)
        self.assertAlmostEqual(answers.counts[inner].mean() / (density * 4 / 3 * np.pi * 0.15**3), 1, delta=0.01)
        self.assertAlmostEqual(answers.distances[inner, 0].mean() / (0.55396 * density ** (-1 / 3)), 1, delta=0.01)

    def test_count_by_reach(self) -> None:
        """30 within 1.5 m make 20 for each metre."""
        places = np.zeros((31, 3))
        places[1:, 0] = np.linspace(0.1, 1.49, 30)
        moment = scene(places, {"reach": 1.5})
        self.assertAlmostEqual(self.quantity(moment, kind="found_density")[0], 20, places=5)
        self.assertAlmostEqual(self.quantity(moment, kind="found_density", per="volume")[0], 30 / (4 / 3 * np.pi * 1.5**3), places=5)

    @staticmethod
    def quantity(moment: Moment, **fields: Any) -> Any:
        from hailridge.model.kind import kinds

        part: Any = kinds("quantity")[fields["kind"]].model_validate({"neighbourhood": "near"} | fields)
        return part.read(moment, moment.everyone())

    def test_each_quantity_of_a_known_scene(self) -> None:
        places = np.array([[0, 0, 0], [1, 0, 0], [3, 0, 0], [0, 0, 9.0]])
        moment = scene(places, {"reach": 3.5})
        moment.column("radius")[:] = [0.1, 0.2, 0.4, 0.8]
        expected: dict[str, tuple[dict[str, Any], list[float]]] = {
            "how many": ({"kind": "found"}, [2, 2, 2, 0]),
            "nearest": ({"kind": "found_distance"}, [1, 1, 2, 3.5035]),
            "second": ({"kind": "found_distance", "order": 2}, [3, 2, 3, 3.5035]),
            "furthest": ({"kind": "found_distance", "which": "furthest"}, [3, 2, 3, 3.5035]),
            "middle": ({"kind": "found_distance", "which": "mean"}, [2, 0.5, 2.5, 3.5035]),
            "which way": ({"kind": "found_direction", "axis": "x"}, [1, 1, -1, 0]),
            "mean radius": ({"kind": "found_mean", "attribute": "radius"}, [0.3, 0.25, 0.15, 0.8]),
            "radius of the nearest": ({"kind": "found_attribute", "attribute": "radius"}, [0.2, 0.1, 0.2, 0.8]),
            "of the second": ({"kind": "found_attribute", "attribute": "radius", "order": 2}, [0.4, 0.4, 0.1, 0.8]),
            "lookers": ({"kind": "looked_at"}, [2, 2, 2, 0]),
            "place": ({"kind": "place_in_order"}, [1, 1, 2, 0]),
        }
        for name, (fields, values) in expected.items():
            with self.subTest(name):
                np.testing.assert_allclose(self.quantity(moment, **fields), values, atol=1e-5)

    def test_who_is_found(self) -> None:
        places = np.array([[0, 0, 0], [1, 0, 0], [-1, 0, 0], [0, 2, 0.0]])
        counts = lambda **changes: around(scene(places, {"reach": 1.5, **changes}, groups=[0, 0, 1, 1]), "near").counts  # noqa: E731
        self.assertEqual(counts().tolist(), [2, 1, 1, 0])
        self.assertEqual(counts(who=["a"]).tolist(), [2, 1, 0, 0])
        self.assertEqual(counts(who=["a"], among=["b"]).tolist(), [1, 0, 0, 0])
        self.assertEqual(counts(most=1).tolist(), [1, 1, 1, 0])
        self.assertEqual(counts(reach=1.0, edges=True).tolist(), [2, 1, 1, 0])
        self.assertEqual(counts(reach={"kind": "as_it_is", "quantity": {"kind": "number"}}).tolist(), [0, 1, 2, 3])

    def test_groups_within_groups(self) -> None:
        groups = [{"id": "a", "label": "A"}, {"id": "b", "label": "B", "parent": "a"}]
        raw = document(count=3, neighbourhoods=[hood(reach=9.0, among=["a"])]) | {"groups": groups}
        # Whom it is given to may be in a group within the one that is named in any case.
        for who, nested, found in (([], True, [2, 2, 2]), ([], False, [1, 1, 2]), (["a"], True, [2, 2, 2]), (["b"], True, [0, 0, 2])):
            raw["neighbourhoods"][0] |= {"nested": nested, "who": who}
            effect = read_effect(raw)
            columns = {name: column.copy() for name, column in run(effect, 0)[0].columns.items()}
            columns["group"][2] = 1
            moment = recorded_moment(Plan(effect, MemoryAssets()), columns, 3, 0)
            self.assertEqual(around(moment, "near").counts.tolist(), found)

    def test_angle_of_view_and_parents(self) -> None:
        places = np.array([[0, 0, 0], [1, 0, 0], [-1, 0, 0], [0, 1, 0.0]])
        for angle, seen in ((90.0, 1), (181.0, 2), (360.0, 3)):
            moment = scene(places, {"reach": 1.2, "angle": angle})
            moment.column("velocity")[0] = [2.0, 0.0, 0.0]
            self.assertEqual(around(moment, "near").counts[0], seen)
            listed = scene(places, {"reach": 1.2, "angle": angle, "most": 5})
            listed.column("velocity")[0] = [2.0, 0.0, 0.0]
            self.assertEqual(around(listed, "near").counts[0], seen)
        for kin, expected in (("siblings", [1, 1, 0, 0]), ("others", [2, 1, 2, 3])):
            moment = scene(places, {"reach": 1.5, "kin": kin})
            moment.column("parent_id")[:] = [7, 7, 8, -1]
            self.assertEqual(around(moment, "near").counts.tolist(), expected)

    def test_asked_once_whatever_is_read_of_it(self) -> None:
        reads = [{"kind": "found"}, {"kind": "found_mean", "attribute": "radius"}, {"kind": "found_distance", "which": "furthest"}]
        rules = [
            rule({"kind": "drag"}, id=f"r{index}", condition=compare({"neighbourhood": "near", **read}, "above", 0.0))
            for index, read in enumerate(reads)
        ]
        effect = read_effect(document(*rules, count=50, neighbourhoods=[hood()]))
        plan = Plan(effect, MemoryAssets())
        self.assertEqual(plan.asked_around["near"], {FURTHEST, f"{MEAN} radius"})
        frame = run(effect, 0)[0]
        moment = recorded_moment(plan, frame.columns, 50, 0)
        first = around(moment, "near")
        self.assertIs(around(moment, "near", FURTHEST), first)
        self.assertIsNot(around(moment, "near", WAYS), first)
        # Another state of the groups is another question.
        moment.answers.changed("group")
        self.assertIsNot(around(moment, "near"), first)


class Acting(unittest.TestCase):
    def test_the_nearest_seeker_wins_then_the_lower_number(self) -> None:
        places = np.array([[0, 0, 0], [2, 0, 0], [1, 0, 0], [1.5, 0, 0], [9, 0, 0.0]])
        moment = scene(places, {"reach": 3.0, "who": ["a"], "among": ["b"]}, groups=[0, 0, 1, 1, 1])
        found, seekers = claimed(moment, "near", moment.everyone(), "all")
        self.assertEqual((found.tolist(), seekers.tolist()), ([2, 3], [0, 1]))
        found, seekers = claimed(moment, "near", moment.everyone(), "nearest")
        self.assertEqual((found.tolist(), seekers.tolist()), ([2, 3], [0, 1]))
        found, seekers = claimed(moment, "near", np.array([0]), "furthest")
        self.assertEqual((found.tolist(), seekers.tolist()), ([3], [0]))

    def test_claims_agree_with_all_pairs(self) -> None:
        places = RANDOM.random((900, 3))
        groups = RANDOM.integers(0, 2, 900)
        for most in (0, 3):
            moment = scene(places, {"reach": 0.12, "who": ["a"], "among": ["b"], "most": most}, groups=groups)
            apart = np.linalg.norm(places[:, None] - places[None], axis=2)
            apart[np.ix_(groups == 1, np.arange(900))] = np.inf
            apart[:, groups == 0] = np.inf
            apart[apart > 0.12] = np.inf
            if most:
                cut = np.sort(apart, axis=1)[:, most - 1 : most]
                apart = np.where(apart <= cut, apart, np.inf)
            found, seekers = claimed(moment, "near", moment.everyone(), "all")
            there = np.isfinite(apart).any(axis=0)
            np.testing.assert_array_equal(found, np.flatnonzero(there))
            np.testing.assert_array_equal(seekers, apart.argmin(axis=0)[there])
            counts, owners, _distances = lookers_of(moment, "near")
            np.testing.assert_array_equal(counts, np.isfinite(apart).sum(axis=0))
            places_in_order = place_for(moment, "near")
            for one in np.flatnonzero(there)[:60]:
                self.assertEqual(places_in_order[one], 1 + (apart[owners[one]] < apart[owners[one], one]).sum())

    def test_places_in_order_between_surfaces(self) -> None:
        """Of those found, whose surfaces are near enough (SciPy's distances): the place by the distance of centres, then by number; each once."""
        for _cloud in range(6):
            places, radii = RANDOM.random((160, 3)), RANDOM.uniform(0.001, 0.08, 160).astype(np.float32)
            places[150:] = places[140:150]
            groups = RANDOM.integers(0, 2, 160)
            moment = scene(places, {"reach": 0.1, "who": ["a"], "among": ["b"], "edges": True}, groups=groups)
            moment.column("radius")[:] = radii
            apart = cdist(places.astype(np.float32), places.astype(np.float32))
            found = (apart <= 0.1 + radii[:, None] + radii) & (groups == 0)[:, None] & (groups == 1)[None]
            apart = np.where(found, apart.astype(np.float32), np.inf)
            owners, orders = np.where(found.any(axis=0), apart.argmin(axis=0), -1), place_for(moment, "near")
            np.testing.assert_array_equal(lookers_of(moment, "near")[1], owners)
            for one in np.flatnonzero(owners >= 0):
                row = np.lexsort((np.arange(160), apart[owners[one]]))
                self.assertEqual(orders[one], 1 + int(np.flatnonzero(row == one)[0]))
            self.assertTrue((orders[owners < 0] == 0).all())

    def test_two_in_one_place_part(self) -> None:
        """Pushed away from each other, and kept apart by an urge: each pair its own way, the two opposite ways, whichever form asks."""
        for most in (0, 4):
            push = rule({"kind": "repel", "neighbourhood": "near", "strength": 4.0}, id="away")
            steer = rule({"kind": "steer", "neighbourhood": "near", "urges": [{"kind": "keep_apart", "id": "0", "distance": 0.5}]}, id="urge")
            for given in (push, steer):
                raw = document(given, count=2, neighbourhoods=[hood(reach=1.0, most=most)], clock={"duration": 0.5})
                first, second = run(raw)[-1].columns["position"]
                self.assertGreater(float(np.linalg.norm(first - second)), 0.05, given)
                np.testing.assert_allclose(first, -second, atol=1e-5)

    def test_one_takes_its_nearest_until_nobody_is_left_and_it_is_said_why(self) -> None:
        seek = rule({"kind": "move_found", "neighbourhood": "near", "whom": "nearest", "group": "c", "pause": 0.25}, who=["a"], id="take")
        raw = document(
            seek, rule({"kind": "move", "group": "b"}, id="out", who=["a"], condition=compare("number", "above", 0.5), trigger="once"),
            count=5, groups=["a", "b", "c"], neighbourhoods=[hood(who=["a"], among=["b"], reach=5.0)], clock={"frames_per_second": 24.0, "duration": 2.0},
        )  # fmt: skip
        raw["rules"].reverse()
        effect = read_effect(raw)
        frames = run(effect)
        taken = [int(frame.population[2]) for frame in frames]
        self.assertEqual([taken.index(number) for number in (1, 2, 3, 4)], [0, 6, 12, 18])
        self.assertEqual(taken[-1], 4)
        last = frames[30]
        events = np.concatenate([frame.events for frame in frames])
        moment = recorded_moment(Plan(effect, MemoryAssets()), last.columns, last.count, 30)
        text = searched(moment, moment.scene.neighbourhoods["near"], events).text
        self.assertIn("There is nobody to be found. Nobody is left in B", text)
        self.assertIn("moved to C by rule 2", text)

    def test_taking_at_once_and_mixing(self) -> None:
        raw = document(count=2, groups=["a"], neighbourhoods=[hood(reach=5.0)], clock={"duration": 1.0})
        mix = {"kind": "take_from", "neighbourhood": "near", "attribute": "color"}
        red_blue = rule({"kind": "set", "attribute": "color", "amount": [1.0, 0.0, 0.0]}, id="red", condition=compare("number", "below", 0.5), trigger="once")
        blue = rule({"kind": "set", "attribute": "color", "amount": [0.0, 0.0, 1.0]}, id="blue", condition=compare("number", "above", 0.5), trigger="once")
        for rate in (24.0, 60.0):
            raw["clock"] |= {"frames_per_second": rate}
            raw["rules"] = [red_blue, blue, rule(mix | {"half_life": 0.5}, id="mix")]
            colors = [frame.columns["color"] for frame in run(raw)]
            # Both lose half of what parts them from the other in half a second: 1 − 2w a step, whose limit is a quarter.
            self.assertTrue((np.abs(np.array(colors).mean(axis=1) - [0.5, 0, 0.5]) < 1e-5).all(), "equal weights keep the mean colour")
            apart = colors[int(rate / 2)][0] - colors[int(rate / 2)][1]
            self.assertAlmostEqual(float(apart[0]), 0.25, delta=0.02)
        raw["rules"] = [red_blue, blue, rule(mix, id="mix", condition=compare("time", "above", 0.5), trigger="once")]
        colors = [frame.columns["color"] for frame in run(raw)]
        np.testing.assert_allclose(colors[-1], [[0, 0, 1], [1, 0, 0]], atol=1e-6)

    def test_mixing_stays_within_the_hull(self) -> None:
        box = {"kind": "box", "id": "box", "label": "Box", "size": [1.0, 1.0, 1.0]}
        mix = {"kind": "take_from", "neighbourhood": "near", "attribute": "color", "half_life": 0.05}
        varied = {"kind": "spread", "value": [0.5, 0.5, 0.5], "spread": 0.4}
        raw = document(
            rule(mix, id="mix"), count=300, shapes=[box], neighbourhoods=[hood(reach=0.25)],
            source={"shape": "box", "placement": {"kind": "inside"}, "color": varied},
        )  # fmt: skip
        colors = [frame.columns["color"] for frame in run(raw, 24)]
        lows, highs = np.array([c.min(axis=0) for c in colors]), np.array([c.max(axis=0) for c in colors])
        self.assertTrue((np.diff(lows, axis=0) >= -1e-6).all() and (np.diff(highs, axis=0) <= 1e-6).all())
        self.assertLess(np.ptp(colors[-1]), 0.5 * np.ptp(colors[0]))

    def test_giving(self) -> None:
        give = {"kind": "give_to", "neighbourhood": "near", "attribute": "radius", "whom": "nearest"}
        raw = document(rule(give, condition=compare("number", "below", 0.5), trigger="once"), count=3, neighbourhoods=[hood(reach=9.0)])
        raw["sources"][0]["radius"] = {"kind": "mapped", "quantity": {"kind": "birth_order"}, "start": 0.0, "end": 2.0, "low": 0.1, "high": 0.3}
        np.testing.assert_allclose(run(raw, 0)[0].columns["radius"], [0.1, 0.1, 0.3], atol=1e-6)

    def test_born_in_the_middle_of_those_found(self) -> None:
        spawn = {"kind": "spawn", "count": 1, "group": "b", "parent": "kept", "speed": 0, "at": "near"}
        raw = document(rule(spawn, who=["a"], condition=compare("number", "below", 0.5), trigger="once"), count=4, groups=["a", "b"],
            shapes=[{"kind": "box", "id": "box", "label": "Box", "size": [1.0, 1.0, 1.0]}], neighbourhoods=[hood(reach=9.0, among=["a"])],
            source={"shape": "box", "placement": {"kind": "inside"}})  # fmt: skip
        columns = run(raw, 0)[0].columns
        np.testing.assert_allclose(columns["position"][4], columns["position"][1:4].mean(axis=0), atol=1e-6)
        alone = run(raw | {"neighbourhoods": [hood(reach=1e-6, among=["a"])]}, 0)[0]
        self.assertEqual(alone.count, 4, "whoever finds nobody gives no birth")

    def test_keeping_to_the_one_chosen(self) -> None:
        """Number 0 looks; 1 is nearest at first and drifts away, 2 comes near; it keeps to 1 until that is out of reach."""
        read = {"kind": "as_it_is", "quantity": {"kind": "found_attribute", "neighbourhood": "near", "attribute": "mass"}}
        away = rule({"kind": "set", "attribute": "velocity", "amount": [2.0, 0.0, 0.0]}, id="go", condition=compare("number", "equal", 1.0))
        raw = document(
            rule({"kind": "set", "attribute": "position", "amount": [0.6, 0.0, 0.0]}, id="place", condition=compare("number", "equal", 2.0), trigger="once"),
            away, rule({"kind": "set", "attribute": "n", "amount": read}, id="read", condition=compare("number", "below", 0.5)),
            count=3, attributes=[{"id": "n", "label": "N"}], neighbourhoods=[hood(reach=1.0, keeping=True)], clock={"frames_per_second": 10.0},
        )  # fmt: skip
        raw["sources"][0]["mass"] = {"kind": "mapped", "quantity": {"kind": "birth_order"}, "start": 0.0, "end": 2.0, "low": 1.0, "high": 3.0}
        frames = run(raw, 8)
        self.assertEqual([float(frame.columns["own n"][0]) for frame in frames], [2, 2, 2, 2, 2, 2, 3, 3, 3])
        raw["neighbourhoods"] = [hood(reach=1.0)]
        self.assertEqual([float(frame.columns["own n"][0]) for frame in run(raw, 8)][4:], [3, 3, 3, 3, 3])


class BadInput(unittest.TestCase):
    def test_reaches_that_find_nobody(self) -> None:
        for reach in (0.0, {"kind": "as_it_is", "quantity": {"kind": "height"}, "added": -50.0}):
            moment = scene(RANDOM.random((30, 3)), {"reach": reach})
            self.assertEqual(around(moment, "near", WAYS, FURTHEST, f"{LIST} 3").counts.max(), 0)
            text = searched(moment, moment.scene.neighbourhoods["near"], moment.log.take()).text
            self.assertIn("0 m or less", text)

    def test_more_wanted_than_there_are(self) -> None:
        answers = around(scene(RANDOM.random((3, 3)), {"reach": 1e4, "most": 64}), "near", FURTHEST)
        self.assertEqual(answers.counts.tolist(), [2, 2, 2])

    def test_circles_and_names_of_nothing_are_told_at_their_place(self) -> None:
        itself = hood(reach={"kind": "as_it_is", "quantity": {"kind": "found", "neighbourhood": "near"}})
        reading = rule({"kind": "drag"}, id="r", condition=compare({"kind": "found", "neighbourhood": "near"}, "above", 1.0))
        effect = read_effect(document(reading, count=3, neighbourhoods=[itself]))
        problems = {problem.path: problem.text for problem in effect.problems}
        self.assertIn("a neighbourhood cannot decide itself how far it looks", problems.values())
        self.assertIn("relies on the neighbourhood 'Near', which is left out itself", problems.values())
        self.assertEqual(run(effect, 1)[1].count, 3)
        effect = read_effect(document(count=3, neighbourhoods=[hood(among=["gone"])]))
        self.assertIn("there is no group called 'gone'", effect.problems[0].text)
        effect = read_effect(document(rule({"kind": "move_found", "neighbourhood": "near", "group": "a", "pause": 1.0}), neighbourhoods=[hood()]))
        self.assertIn("choose the nearest or the furthest", effect.problems[0].text)

    def test_in_formulas(self) -> None:
        text = 'count_of("Near") + 10 * mean_of("near", attribute="radius")'
        effect = read_effect(document(
            rule({"kind": "set", "attribute": "n", "amount": {"kind": "as_it_is", "quantity": {"kind": "formula", "text": text}}}),
            count=4, attributes=[{"id": "n", "label": "N"}], neighbourhoods=[hood()]))  # fmt: skip
        self.assertEqual(effect.problems, [])
        self.assertEqual(Plan(effect, MemoryAssets()).asked_around["near"], {f"{MEAN} radius"})
        np.testing.assert_allclose(run(effect, 0)[0].columns["own n"], 3.5, atol=1e-5)


class Looking(unittest.TestCase):
    def test_what_one_sees_at_the_moment_that_acted(self) -> None:
        move = rule({"kind": "move_found", "neighbourhood": "near", "group": "c"}, who=["a"], id="catch", condition=compare("time", "at_least", 0.124))
        raw = document(
            rule({"kind": "move", "group": "b"}, id="out", who=["a"], condition=compare("number", "above", 0.5), trigger="once"), move,
            count=4, groups=["a", "b", "c"], neighbourhoods=[hood(who=["a"], among=["b"], reach=2.0)],
        )  # fmt: skip
        effect = read_effect(raw)
        frames = run(effect, 5)
        events = np.concatenate([frame.events for frame in frames])
        for frame, finding, targets in ((2, 1, 3), (3, 1, 3), (4, 0, 0)):
            moment = recorded_moment(Plan(effect, MemoryAssets()), frames[frame].columns, frames[frame].count, frame)
            acted = as_acted(moment, events)
            found = searched(acted, acted.scene.neighbourhoods["near"], events)
            self.assertEqual((found.seekers, found.finding, found.targets), (1, finding, targets), f"frame {frame}")
            self.assertIsNone(view_of(acted, acted.scene.neighbourhoods["near"], 1), "who does not look sees nothing")

    def test_the_nearest_is_further_than_the_reach(self) -> None:
        places = np.array([[0, 0, 0], [0.31, 0, 0]])
        moment = scene(places, {"reach": 0.2})
        near = moment.scene.neighbourhoods["near"]
        self.assertEqual(searched(moment, near, moment.log.take()).text, "The nearest is 0.31 m away, and the reach is 0.2 m.")
        self.assertEqual((measured(moment, near).spread.total, measured(moment, near).within), (2, 0))
        view = view_of(scene(places, {"reach": 0.4}), near, 0)
        assert view is not None
        self.assertEqual((view.count, view.ids, view.heading), (1, [1], None))
        np.testing.assert_allclose(view.middle, [0.31, 0, 0], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
