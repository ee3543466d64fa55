"""Random numbers: Philox against its published vectors, and independence from everything but seed, lineage, item and draw."""

from __future__ import annotations

import unittest

import numpy as np
from scipy import stats

from hailridge.core.kernels import philox
from hailridge.core.state import randomness
from tests.support import document, rule, run

SPREAD = {"kind": "spread", "value": 1.0, "spread": 0.5}


class KnownAnswers(unittest.TestCase):
    """Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3": the vectors published with it (values from memory)."""

    VECTORS = [
        ([0, 0, 0, 0], [0, 0], [0x6627E8D5, 0xE169C58D, 0xBC57AC4C, 0x9B00DBD8]),
        ([0xFFFFFFFF] * 4, [0xFFFFFFFF] * 2, [0x408F276D, 0x41C83B0E, 0xA20BC7C6, 0x6D5451FD]),
        (
            [0x243F6A88, 0x85A308D3, 0x13198A2E, 0x03707344],
            [0xA4093822, 0x299F31D0],
            [0xD16CFE09, 0x94FDCCEB, 0x5001E420, 0x24126EA1],
        ),
    ]

    def test_words(self) -> None:
        for counter, key, expected in self.VECTORS:
            out = np.empty((1, 4), np.uint64)
            philox.words(1, np.array([counter], np.uint64), np.array([key], np.uint64), out)
            self.assertEqual(out[0].tolist(), expected)


class Distribution(unittest.TestCase):
    KEYS = np.arange(200_000, dtype=np.uint64)

    def test_uniform_by_kolmogorov_smirnov(self) -> None:
        u = randomness.uniforms(self.KEYS, 7, 0, 1)
        for column in range(4):
            self.assertGreater(stats.kstest(u[:, column], "uniform").pvalue, 0.001)
        self.assertTrue((u >= 0).all() and (u < 1).all())

    def test_columns_items_draws_and_seeds_are_uncorrelated(self) -> None:
        base = randomness.uniforms(self.KEYS, 7, 0, 1)
        others = [
            base[:, 1],
            *(randomness.uniforms(self.KEYS, *args)[:, 0] for args in ((8, 0, 1), (7, 1, 1), (7, 0, 2))),
        ]
        for other in others:
            # 4.4 standard errors of a correlation of independent numbers, 1/sqrt(n).
            self.assertLess(abs(np.corrcoef(base[:, 0], other)[0, 1]), 4.4 / np.sqrt(len(self.KEYS)))

    def test_normal_by_kolmogorov_smirnov(self) -> None:
        self.assertGreater(stats.kstest(randomness.normals(self.KEYS, 3, 0, 1)[:, 0], "norm").pvalue, 0.001)

    def test_cone_is_even_by_solid_angle(self) -> None:
        half = np.radians(35)
        axis = np.tile(np.array([[0.6, 0.0, 0.8]], np.float32), (50_000, 1))
        out = randomness.directions_in_cone(axis, half, randomness.uniforms(self.KEYS[:50_000], 1, 0, 1))
        np.testing.assert_allclose(np.linalg.norm(out, axis=1), 1, atol=1e-5)
        cosines = (out * axis).sum(axis=1)
        self.assertGreaterEqual(cosines.min(), np.cos(half) - 1e-5)
        # On a sphere the height along the axis is uniform (Archimedes).
        share = (cosines - np.cos(half)) / (1 - np.cos(half))
        self.assertGreater(stats.kstest(share, "uniform").pvalue, 0.001)

    def test_children_of_one_parent_differ(self) -> None:
        keys = randomness.child_keys(
            np.zeros(100_000, np.uint64), np.arange(100_000, dtype=np.uint64), 5, 3, 1
        )
        self.assertEqual(len(np.unique(keys)), len(keys))


class NothingElseIsReshuffled(unittest.TestCase):
    def radii(self, **changes: object) -> np.ndarray:
        return run(document(count=50, source={"radius": SPREAD}, **changes), 2)[-1].columns["radius"]  # type: ignore[arg-type]

    def test_by_a_new_rule(self) -> None:
        chance = rule({"kind": "drag"}, condition={"kind": "chance", "probability": 0.5})
        np.testing.assert_array_equal(self.radii(), self.radii(rules=[chance]))

    def test_by_more_particles(self) -> None:
        more = run(document(count=80, source={"radius": SPREAD}), 2)[-1].columns["radius"]
        np.testing.assert_array_equal(self.radii(), more[:50])

    def test_by_another_source_before_it(self) -> None:
        raw = document(count=50, source={"radius": SPREAD})
        raw["sources"] = [{**raw["sources"][0], "id": "first", "label": "First"}, *raw["sources"]]
        frame = run(raw, 2)[-1]
        np.testing.assert_array_equal(frame.columns["radius"][50:], self.radii())

    def test_seeds_change_only_their_own(self) -> None:
        other = document(
            count=50,
            source={
                "radius": SPREAD | {"seed": 4},
                "lifetime": {"kind": "spread", "value": 500.0, "spread": 100.0},
            },
        )
        same = document(
            count=50,
            source={"radius": SPREAD, "lifetime": {"kind": "spread", "value": 500.0, "spread": 100.0}},
        )
        first, second = run(other, 1)[-1].columns, run(same, 1)[-1].columns
        self.assertFalse(np.array_equal(first["radius"], second["radius"]))
        np.testing.assert_array_equal(first["lifetime"], second["lifetime"])

    def test_clock_seed_changes_all(self) -> None:
        self.assertFalse(np.array_equal(self.radii(), self.radii(clock={"seed": 2})))


if __name__ == "__main__":
    unittest.main()
