"""Over HTTP: frames taken over and gone on from, frames at once, frames waited for, moving shapes, keyframed values."""

from __future__ import annotations

import copy
import unittest
from typing import Any
from unittest.mock import patch

import numpy as np

from hailridge.formats.blocks import unpack, unpack_columns
from hailridge.model.effect import FORMAT
from tests.core.test_curves import keys
from tests.core.test_shapes import shape
from tests.support import document, rule
from tests.web.cases import ApiCase


def moving(later: float = 9.0) -> dict[str, Any]:
    """A source on a ball that moves; its last key lies late."""
    ball = shape(
        "ball", radius=0.2, position=keys((0, [0.0, 0.0, 0.0]), (1, [1.0, 0.0, 0.0]), (2, [later, 0.0, 0.0]))
    )
    return document(
        rule({"kind": "gravity"}, {"kind": "turbulence"}),
        shapes=[ball],
        source={"shape": "ball", "emission": {"kind": "rate", "rate": 300.0}, "inherit": 50.0},
    )


class Motion(ApiCase):
    def frame(self, trial: str, number: int, query: str = "") -> tuple[dict[str, Any], dict[str, Any]]:
        answer = self.client.get(f"/api/trials/{trial}/frames/{number}{query}")
        self.assertEqual(answer.status_code, 200, answer.text)
        return unpack(answer.content)

    def asked(self, effect: str, raw: dict[str, Any], **ask: Any) -> dict[str, Any]:
        answer = self.client.post(f"/api/effects/{effect}/trials", json={"document": raw, **ask})
        self.assertEqual(answer.status_code, 200, answer.text)
        found: dict[str, Any] = answer.json()
        return found

    def states(self, trial: str) -> list[bytes]:
        key = self.context.runs.trial(trial).key
        return [self.context.bakes.frame(key, number).state for number in range(49)]

    def test_a_later_key_leaves_the_earlier_frames(self) -> None:
        effect = self.made(moving())
        first = self.run_trial(effect)["id"]
        second = self.run_trial(effect, moving(later=3.0))["id"]
        afresh = self.run_trial(self.made(moving(later=3.0)))["id"]
        whole, taken = self.states(first), self.states(second)
        # Up to a second they are copies, from there on another run; all are the bytes of a run from the start.
        self.assertEqual(whole[:25], taken[:25])
        self.assertNotEqual(whole[30], taken[30])
        self.assertEqual(taken, self.states(afresh))
        stats = self.client.get(f"/api/trials/{second}/stats").json()
        self.assertEqual([entry["frame"] for entry in stats], list(range(49)))

    def test_what_was_taken_over_was_not_computed(self) -> None:
        effect = self.made(moving())
        self.run_trial(effect)
        begun: list[dict[str, Any]] = []
        submit = self.context.pool.submit

        def watch(message: dict[str, Any], *rest: Any, **named: Any) -> Any:
            # The library's picture is drawn once a run has ended.
            if message["what"] == "bake":
                begun.append(message)
            return submit(message, *rest, **named)

        self.context.pool.submit = watch
        self.addCleanup(setattr, self.context.pool, "submit", submit)
        self.run_trial(effect, moving(later=4.0))
        self.assertEqual(begun[-1]["from"], 24)
        gravity = moving()
        gravity["rules"][0]["actions"][0]["acceleration"] = 3.0
        self.run_trial(effect, gravity)
        self.assertEqual((begun[-1]["base"], begun[-1]["from"]), (None, -1))

    def test_onward_goes_on_from_the_frame_on_screen(self) -> None:
        effect = self.made(moving())
        ground = self.run_trial(effect)["id"]
        changed = moving()
        changed["rules"][0]["actions"][0]["acceleration"] = -30.0
        onward = self.asked(effect, changed, frame=20, onward=ground)
        self.assertEqual(onward["provisional_from"], 21)
        self.waited(onward["id"])
        exact = self.asked(effect, changed)
        self.assertIsNone(exact["provisional_from"])
        self.waited(exact["id"])
        self.assertNotEqual(exact["key"], onward["key"])
        before, guess, truth = self.states(ground), self.states(onward["id"]), self.states(exact["id"])
        self.assertEqual(before[:21], guess[:21])
        self.assertNotEqual(guess[21:], truth[21:])
        # Going on, the sparks that are there rise from here; from the start they would be far up already.
        heights = [unpack_columns(states[40])[0]["position"][:, 1].max() for states in (guess, truth)]
        self.assertLess(heights[0], heights[1])
        lost = self.asked(effect, changed, frame=20, onward="no such trial")
        self.assertIsNone(lost["provisional_from"])

    def test_a_frame_is_waited_for(self) -> None:
        raw = moving()
        raw["clock"]["duration"] = 20.0
        effect = self.made(raw)
        trial = self.asked(effect, raw, frame=120)["id"]
        head, _arrays = self.frame(trial, 120, "?wait=5")
        self.assertEqual((head["frame"], head["stored"]), (120, 120))
        self.client.post(f"/api/effects/{effect}/stop")
        self.waited(trial)
        # A run that has been stopped is not waited for.
        with patch.object(self.context.runs._news, "wait", side_effect=AssertionError("waits")):
            self.assertEqual(self.client.get(f"/api/trials/{trial}/frames/479?wait=5").status_code, 202)

    def test_frames_tell_where_shapes_are(self) -> None:
        trial = self.run_trial(self.made(moving()))["id"]
        head, arrays = unpack(self.client.get(f"/api/trials/{trial}/shapes").content)
        self.assertEqual([entry["id"] for entry in head["shapes"]], ["point", "ball"])
        self.assertGreater(len(arrays["shape 1/faces"]), 100)
        there = self.frame(trial, 36)[0]
        self.assertEqual([entry["id"] for entry in there["shapes"]], ["ball"])
        # Column by column: the last column is the place, halfway from 1 to 9 m.
        np.testing.assert_allclose(there["shapes"][0]["matrix"][12:15], [5, 0, 0], atol=1e-6)
        np.testing.assert_allclose(there["keyed"]["shapes/ball/position"], [5, 0, 0], atol=1e-6)

    def test_two_readers_at_different_times_do_not_disturb_one_another(self) -> None:
        from concurrent.futures import ThreadPoolExecutor

        trial = self.run_trial(self.made(moving()))["id"]
        frames = [6, 42] * 12
        with ThreadPoolExecutor(6) as pool:
            found = list(pool.map(lambda number: self.frame(trial, number)[0], frames))
        for number, head in zip(frames, found, strict=True):
            wanted = number / 24 if number < 24 else 1 + 8 * (number / 24 - 1)
            self.assertAlmostEqual(head["shapes"][0]["matrix"][12], wanted, places=4)

    def test_any_frame_of_what_has_no_history(self) -> None:
        raw = document(
            rule({"kind": "drift"}),
            shapes=[shape("ball", radius=1.0)],
            source={
                "shape": "ball",
                "placement": {"kind": "lattice", "spacing": 0.1},
                "emission": {"kind": "fill"},
            },
            clock={"duration": 60.0},
        )
        effect = self.made(raw)
        trial = self.asked(effect, raw)
        self.assertTrue(trial["any_frame"])
        self.client.post(f"/api/effects/{effect}/stop")
        head, arrays = self.frame(trial["id"], 1437)
        self.assertEqual(head["frame"], 1437)
        self.assertGreater(head["count"], 3000)
        _head, same = self.frame(trial["id"], 1437)
        np.testing.assert_array_equal(arrays["0/position"], same["0/position"])
        self.assertFalse(self.asked(self.made(moving()), moving())["any_frame"])

    def test_every_third_frame_stored(self) -> None:
        raw = moving()
        raw["clock"]["store_every"] = 3
        trial = self.run_trial(self.made(raw))["id"]
        self.assertEqual(
            [self.frame(trial, number)[0]["stored"] for number in (0, 2, 3, 11, 48)], [0, 0, 3, 9, 48]
        )
        self.assertEqual(len(self.client.get(f"/api/trials/{trial}/stats").json()), 49)

    def test_old_documents_are_given_whole(self) -> None:
        raw = copy.deepcopy(moving())
        raw["format"] = 1
        del raw["shapes"][1]["position"]
        given = self.client.get(f"/api/effects/{self.made(raw)}").json()["document"]
        self.assertEqual((given["format"], given["fields"], given["dials"]), (FORMAT, [], []))
        self.assertEqual(given["shapes"][1]["roughness"], 0.0)


if __name__ == "__main__":
    unittest.main()
