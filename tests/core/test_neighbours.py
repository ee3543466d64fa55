"""Neighbour counts against SciPy's tree and against the statistics of random clouds; in rules, with groups and positions of the step."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from hailridge.core.kernels.neighbours import sorted_order
from hailridge.core.looking.observe import recorded_moment
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.scene.near import nearest_of, neighbour_counts
from hailridge.core.scene.plan import Plan
from hailridge.core.state.neighbours import Grid
from hailridge.model.validation import read_effect
from tests.support import compare, document, moment_of, rule, run

RANDOM = np.random.default_rng(11)


def clouds() -> dict[str, Any]:
    one = RANDOM.uniform(0, 1, (3000, 3)).astype(np.float32)
    return {
        "even": one,
        "all in one place": np.zeros((200, 3), np.float32),
        "in a plane": one * np.array([1, 0, 1], np.float32),
        "on a line": one * np.array([0, 1, 0], np.float32),
        "two far clusters": np.concatenate([one[:500], one[500:900] + np.float32(5e4)]),
        "a stray": np.concatenate([one[:500], np.array([[9e4, -9e4, 9e4]], np.float32)]),
        "negative": one - np.float32(7.5),
        "one": one[:1],
        "none": one[:0],
    }


class AgainstScipy(unittest.TestCase):
    """Source: scipy.spatial.cKDTree."""

    def test_counts_on_all_kinds_of_clouds(self) -> None:
        for name, places in clouds().items():
            for reach in (0.03, 0.11, 0.7):
                with self.subTest(name, reach=reach):
                    counts = Grid(places, reach).count(places, reach, own=np.arange(len(places)))
                    wanted = (
                        cKDTree(places).query_ball_point(places, reach, return_length=True) - 1
                        if len(places)
                        else np.zeros(0)
                    )
                    # A pair whose distance is the reach to the last bit may fall on either side.
                    self.assertLessEqual(np.count_nonzero(counts != wanted), len(places) // 1000)

    def test_an_endless_reach_finds_all_others(self) -> None:
        places = clouds()["even"][:333]
        grid = Grid(places, 10.0)
        for reach in (10.0, 1e19, np.inf):
            self.assertEqual(set(grid.count(places, reach, own=np.arange(333)).tolist()), {332})
            self.assertEqual(set(grid.count(places[:9] + np.float32(0.1), reach).tolist()), {333})

    def test_order_of_keys_is_numpys_stable_sort(self) -> None:
        """Source: numpy.argsort(kind="stable"); few different keys, many, and some that are far apart."""
        for count, highest in ((1, 5), (2, 1), (5000, 3), (5000, 20_000), (5000, 2**40), (40_000, 2**19)):
            keys = RANDOM.integers(-highest, highest, count)
            with self.subTest(count=count, highest=highest):
                np.testing.assert_array_equal(sorted_order(keys), np.argsort(keys, kind="stable"))

    def test_whoever_is_surely_near_is_a_candidate(self) -> None:
        """No target within what is said to be sure is missing among the candidates: all pairs, by NumPy."""
        places = np.concatenate([clouds()["even"][:400], clouds()["even"][:50] + np.float32(3)])
        grid = Grid(places, 0.13)
        around, sure = grid.candidates(places, True), grid.surely(places)
        self.assertTrue((sure >= 0.13 * (1 - 2e-5)).all() and (sure <= 0.13 * 1.5).all())
        apart = np.linalg.norm(places[:, None].astype(float) - places[None], axis=2)
        for cell in range(len(around.starts)):
            spans = [
                np.arange(start, start + length)
                for start, length in zip(around.starts[cell], around.lengths[cell], strict=True)
            ]
            candidates = set(grid.order[np.concatenate(spans)].tolist())
            for seeker in around.seekers[around.cells[cell] : around.cells[cell + 1]]:
                self.assertLessEqual(set(np.flatnonzero(apart[seeker] < sure[seeker]).tolist()), candidates)

    def test_a_reach_of_its_own_for_each_seeker(self) -> None:
        targets, seekers = clouds()["even"], RANDOM.uniform(-0.3, 1.3, (700, 3)).astype(np.float32)
        reach = RANDOM.uniform(0.0, 0.2, 700).astype(np.float32)
        counts = Grid(targets, reach.max()).count(seekers, reach)
        tree = cKDTree(targets)
        wanted = [len(tree.query_ball_point(place, far)) for place, far in zip(seekers, reach, strict=True)]
        self.assertLessEqual(np.count_nonzero(counts != wanted), 1)

    def test_touching_by_both_radii(self) -> None:
        places = clouds()["even"][:800]
        radii = RANDOM.uniform(0.0, 0.05, 800).astype(np.float32)
        counts = Grid(places, 0.1).count(places, radii, extra=radii, own=np.arange(800))
        apart = np.linalg.norm(places[:, None] - places[None], axis=2)
        np.testing.assert_array_equal(counts, (apart <= radii[:, None] + radii[None]).sum(axis=1) - 1)

    def test_places_that_are_no_numbers_are_never_found(self) -> None:
        places = clouds()["even"][:50].copy()
        places[7] = np.nan
        counts = Grid(places, 2.0).count(places, 2.0, own=np.arange(50))
        self.assertEqual(counts[0], 48)


class InRules(unittest.TestCase):
    def test_the_mean_number_in_a_random_cloud(self) -> None:
        """ρ·4πr³/3 neighbours on average (Hertz 1909; Chandrasekhar 1943), away from the walls."""
        box = {"kind": "box", "id": "box", "label": "Box", "size": [2.0, 2.0, 2.0]}
        own = [{"id": "n", "label": "N"}]
        inner = {
            "kind": "all",
            "conditions": [
                {"kind": "between", "quantity": {"kind": "place", "axis": axis}, "low": -0.7, "high": 0.7}
                for axis in "xyz"
            ],
        }
        count = {
            "kind": "mapped",
            "quantity": {"kind": "neighbours", "distance": 0.3},
            "start": 0.0,
            "end": 1e3,
            "low": 0.0,
            "high": 1e3,
        }
        raw = document(
            rule({"kind": "set", "attribute": "n", "amount": count}, condition=inner),
            count=20_000,
            shapes=[box],
            attributes=own,
            source={"shape": "box", "placement": {"kind": "inside"}},
        )
        found = run(raw, 0)[0].columns["own n"]
        found = found[found > 0]
        expected = 20_000 / 8 * 4 / 3 * np.pi * 0.3**3
        self.assertAlmostEqual(found.mean() / expected, 1.0, delta=0.02)

    def test_present_groups_and_places_of_the_start_of_the_step(self) -> None:
        """Rules above may move others to a group, which counts at once, and put them elsewhere, which does not yet."""
        near = compare({"kind": "neighbours", "distance": 0.5, "who": ["b"]}, "at_least", 1.0)
        even = compare({"kind": "number"}, "below", 1.0)
        away = {"kind": "set", "attribute": "position", "amount": [50.0, 0.0, 0.0]}
        raw = document(
            rule({"kind": "move", "group": "b"}, away, condition=even, id="leave"),
            rule({"kind": "set", "attribute": "radius", "amount": 1.0}, condition=near, who=["a"], id="near"),
            count=3,
            groups=["a", "b"],
        )
        frames = run(raw, 1)
        self.assertEqual((frames[0].held[1], frames[1].held[1]), (2, 0))

    def test_the_removed_do_not_count(self) -> None:
        gone = rule({"kind": "remove"}, condition=compare({"kind": "number"}, "below", 1.0), id="gone")
        lone = rule(
            {"kind": "set", "attribute": "mass", "amount": 2.0},
            condition=compare({"kind": "neighbours", "distance": 1.0}, "at_least", 2.0),
        )
        self.assertEqual(run(document(gone, lone, count=3), 0)[0].held[1], 0)
        self.assertEqual(run(document(lone, count=3), 0)[0].held[0], 3)

    def test_the_removed_are_not_the_nearest(self) -> None:
        # Three in a row; the middle one is removed, so the outer ones are each other's nearest, whoever asks first and with whatever groups.
        effect = read_effect(document(count=3, groups=["a", "b"]))
        frame = run(effect, 0)[0]
        columns = {name: column.copy() for name, column in frame.columns.items()}
        columns["position"][:] = [[0, 0, 0], [1, 0, 0], [2.5, 0, 0]]
        for counted_first in (False, True):
            moment = recorded_moment(Plan(effect, MemoryAssets()), columns, 3, 0)
            moment.doomed = np.zeros(3, np.bool_)
            if counted_first:
                neighbour_counts(moment, slice(0, 3), 5.0, [])
            moment.doom(np.array([1]))
            self.assertEqual(nearest_of(moment, slice(0, 3), 5.0, [], 1)[0][:, 0].tolist(), [2, 0, 0])
            self.assertEqual(neighbour_counts(moment, slice(0, 3), 5.0, []).tolist(), [1, 2, 1])
            self.assertEqual(nearest_of(moment, slice(0, 3), 5.0, ["a"], 1)[0][:, 0].tolist(), [2, 0, 0])


class WithinGroups(unittest.TestCase):
    def test_the_nearest_of_a_group_may_be_in_one_within_it(self) -> None:
        raw = document(count=2, speed=1.0, source={"group": "inner", "direction": {"kind": "any"}})
        raw["groups"] = [{"id": "outer", "label": "Outer"}, {"id": "inner", "label": "Inner", "parent": "outer"}]
        moment = moment_of(raw, 10)
        found, apart = nearest_of(moment, np.arange(2), 5.0, ["outer"], 1)
        np.testing.assert_array_equal(found, [[1], [0]])
        np.testing.assert_array_equal(neighbour_counts(moment, np.arange(2), 5.0, ["outer"]), [1, 1])
        places = moment.column("position")
        np.testing.assert_allclose(apart, np.linalg.norm(places[0] - places[1]), rtol=1e-5)


if __name__ == "__main__":
    unittest.main()
