"""Charts against NumPy on the frames' own columns; where the time goes against what was measured around it."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from hailridge.core.looking.charting import MOST_POINTS, cloud, middle, spread
from hailridge.core.scene.assets import MemoryAssets
from hailridge.core.state.costs import Clocking, Costs
from hailridge.core.step.simulation import Simulation
from hailridge.model.validation import read_effect
from tests.core.test_tables import crowd
from tests.support import document, moment_of, rule


class Charts(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.moment = moment_of(crowd(), 20)
        column = cls.moment.column
        cls.speed = np.linalg.norm(column("velocity").astype(np.float64), axis=1)
        cls.wet = column("group") == 1

    def test_spread_is_a_histogram_by_group(self) -> None:
        found = spread(self.moment, "speed", [])
        for group, members in enumerate((~self.wet, self.wet)):
            np.testing.assert_array_equal(found.counts[group], np.histogram(self.speed[members], found.edges)[0])
        self.assertEqual((found.total, found.counts.sum() + found.outside), (500, 500))
        self.assertAlmostEqual(found.mean, self.speed.mean(), 5)
        self.assertAlmostEqual(found.median, float(np.median(self.speed)), 5)
        few = spread(self.moment, "speed", ["wet"], where="speed > 2")
        self.assertEqual(few.total, int((self.wet & (self.speed > 2)).sum()))

    def test_powers_of_ten(self) -> None:
        found = spread(self.moment, "wet_ness - 0.3", [], powers=True)
        across = self.moment.column("own wet-ness").astype(np.float64) - 0.3
        self.assertEqual(found.total, int((across > 0).sum()))
        self.assertGreaterEqual(found.outside, int((across <= 0).sum()))
        # Equally wide in powers of ten: each edge is the same multiple of the one before.
        np.testing.assert_allclose(found.edges[1:] / found.edges[:-1], found.edges[1] / found.edges[0], rtol=1e-9)
        np.testing.assert_array_equal(found.counts.sum(axis=0), np.histogram(np.log10(across[across > 0]), np.log10(found.edges))[0])
        nobody = spread(self.moment, "-1 - speed", [], powers=True)
        self.assertEqual((nobody.total, nobody.outside), (0, 500))

    def test_one_against_another(self) -> None:
        found = cloud(self.moment, "age", "velocity", [], where="id % 2 == 1")
        odd = np.arange(1, 500, 2)
        np.testing.assert_array_equal(found.ids, odd)
        np.testing.assert_allclose(found.x, self.moment.column("age")[odd])
        np.testing.assert_allclose(found.y, self.speed[odd], rtol=1e-6)
        np.testing.assert_array_equal(found.groups == 1, self.wet[odd])

    def test_many_are_thinned_and_the_picked_one_stays(self) -> None:
        many = moment_of(document(count=3 * MOST_POINTS), 2)
        found = cloud(many, "age", "speed", [], always=1)
        self.assertEqual((len(found.ids), found.of), (MOST_POINTS + 1, 3 * MOST_POINTS))
        self.assertIn(1, found.ids)
        self.assertEqual((found.ids[0], found.ids[-1]), (0, 3 * MOST_POINTS - 1))

    def test_the_middle_of_each_group(self) -> None:
        found = middle(self.moment, "speed", [])
        for group, members in enumerate((~self.wet, self.wet)):
            mine = self.speed[members]
            self.assertEqual(found.counts[group], len(mine))
            np.testing.assert_allclose([found.means[group], found.lows[group], found.highs[group]], [mine.mean(), *np.percentile(mine, [10, 90])], rtol=1e-5)
        self.assertTrue(np.isnan(middle(self.moment, "speed", ["wet"]).means[0]))
        holes = middle(self.moment, "sqrt(wet_ness - 0.5)", [])
        self.assertEqual(holes.counts.sum(), int((self.moment.column("own wet-ness") >= 0.5).sum()))

    def test_faults_are_told(self) -> None:
        self.assertIn("speed", spread(self.moment, "spead", []).fault)
        self.assertIn("vector", spread(self.moment, "speed", [], where="position").fault)
        wrong = cloud(self.moment, "speed", "1 +", [])
        self.assertEqual((wrong.fault, bool(wrong.fault_of_y), len(wrong.ids)), ("", True, 0))
        self.assertTrue(middle(self.moment, "__import__('os')", []).fault)


class WhereTheTimeGoes(unittest.TestCase):
    def test_each_pays_for_itself(self) -> None:
        """A rule from 0 to 10 s that asks a search from 2 to 8 s, which asks a field from 3 to 4 s."""
        costs = Costs()
        with mock.patch("hailridge.core.state.costs.wall.perf_counter", side_effect=[0.0, 2.0, 3.0, 4.0, 8.0, 10.0]):
            rule_, search, field = costs.begin(), costs.begin(), costs.begin()
            self.assertEqual(costs.end("field", field), 1.0)
            self.assertEqual(costs.end("search", search), 6.0)
            self.assertEqual(costs.end("rule", rule_), 10.0)
        self.assertEqual(costs.seconds, {"field": 1.0, "search": 5.0, "rule": 4.0})
        self.assertEqual(costs.charged, 10.0)

    def test_what_is_charged_to_nobody_is_the_rest_of_its_part(self) -> None:
        costs = Costs()
        clocking = Clocking(costs)
        with mock.patch("hailridge.core.state.costs.wall.perf_counter", side_effect=[0.0, 1.0, 3.0, 5.0, 9.0]):
            clocking.start()
            begun = costs.begin()
            costs.end("rule", begun)
            clocking.lap("pushes")
            clocking.lap("changes")
        self.assertEqual((clocking.seconds["pushes"], clocking.rest["pushes"], clocking.rest["changes"]), (5.0, 3.0, 4.0))

    def test_all_of_a_run_is_shared_out(self) -> None:
        """Shares add up to the whole; the neighbourhood is charged, not the rule that asks it. One particle has shares, too."""
        hood = {"id": "near", "label": "Near", "reach": {"kind": "fixed", "value": 0.4}}
        many = {"kind": "compare", "quantity": {"kind": "found", "neighbourhood": "near"}, "threshold": 1e6}
        asking = rule({"kind": "move", "group": "a"}, id="asking", condition=many)
        spread_out = {"placement": {"kind": "inside"}, "shape": "room"}
        room = {"kind": "box", "id": "room", "label": "Room"}
        for count, hoods in ((6000, [hood]), (1, [hood])):
            raw = document(asking, count=count, clock={"duration": 0.5}, shapes=[room], source=spread_out, neighbourhoods=hoods)
            simulation = Simulation(read_effect(raw), MemoryAssets({}))
            list(simulation.frames())
            told = simulation.clocking.told()
            whole = sum(seconds for seconds, _rest in told["parts"].values())
            shared = sum(told["items"].values()) + sum(rest for _seconds, rest in told["parts"].values())
            self.assertAlmostEqual(shared / whole, 1, 2)
            # Without the first one, in which everything is made ready.
            self.assertEqual(told["steps"], 12)
            self.assertGreater(told["items"]["rules/asking"], 0)
            if count > 1:
                self.assertGreater(told["items"]["neighbourhoods/near"], 5 * told["items"]["rules/asking"])
                self.assertGreater(told["items"]["neighbourhoods/near"], 0.3 * whole)
