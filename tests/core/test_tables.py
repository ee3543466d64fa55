"""The table of a frame: against the frame's own columns, NumPy's order, and files read back by other libraries."""

from __future__ import annotations

import io
import unittest
from typing import Any

import numpy as np
import pyarrow.parquet

from hailridge.core.looking.tabulating import table_of_frame
from hailridge.formats.tables import parquet_of, rows_of_table
from tests.support import Document, document, moment_of, rule


def crowd() -> Document:
    shake = rule({"kind": "turbulence", "strength": 6.0})
    return document(
        shake, count=500, speed={"kind": "spread", "value": 2.0, "spread": 1.0}, groups=["sleet", "wet"],
        attributes=[{"id": "wet-ness", "label": "Wetness", "initial": {"kind": "spread", "value": 0.5, "spread": 0.5}}],
    ) | {"rules": [shake, rule({"kind": "move", "group": "wet"}, condition={"kind": "formula", "text": "id % 4 == 0"}, id="wet")]}  # fmt: skip


class Tables(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.moment = moment_of(crowd(), 20)

    def table(self, *columns: str, **asked: Any) -> Any:
        return table_of_frame(self.moment, columns, asked.pop("who", []), **asked)

    def test_columns_are_the_frame_s(self) -> None:
        table, column = self.table("speed", "position", "wet_ness", "2 * radius", "speed > 2"), self.moment.column
        np.testing.assert_array_equal(table.ids, column("id"))
        np.testing.assert_allclose(table.columns[0].values, np.linalg.norm(column("velocity"), axis=1), rtol=1e-6)
        np.testing.assert_array_equal(table.columns[1].values, column("position"))
        np.testing.assert_array_equal(table.columns[2].values, column("own wet-ness"))
        np.testing.assert_allclose(table.columns[3].values, column("radius") * 2.0, rtol=1e-6)
        self.assertEqual([entry.type for entry in table.columns], ["number", "vector", "number", "number", "flag"])

    def test_sorted_and_filtered(self) -> None:
        speed = np.linalg.norm(self.moment.column("velocity"), axis=1)
        for descending in (False, True):
            table = self.table("speed", "position", sort=0, descending=descending)
            np.testing.assert_array_equal(table.ids, np.argsort(-speed if descending else speed, kind="stable"))
        where = self.table("speed", where="speed > 2 and id % 3 == 0", sort=0)
        wanted = [row for row in np.argsort(speed, kind="stable") if speed[row] > 2 and row % 3 == 0]
        self.assertEqual((where.ids.tolist(), where.of), (wanted, 500))
        np.testing.assert_array_equal(self.table("age", who=["wet"]).ids, np.arange(0, 500, 4))
        np.testing.assert_array_equal(self.table("age", only=[7, 3, 900], descending=True).ids, [7, 3])
        far = self.table("position", sort=0, descending=True)
        np.testing.assert_array_equal(far.ids, np.argsort(-np.linalg.norm(self.moment.column("position").astype(np.float64), axis=1), kind="stable"))

    def test_who_has_no_number_comes_last(self) -> None:
        table = self.table("sqrt(wet_ness - 0.5)", sort=0)
        finite = np.isfinite(table.columns[0].values)
        self.assertTrue(finite.any() and not finite.all())
        self.assertEqual(np.flatnonzero(~finite)[0], finite.sum())
        down = self.table("sqrt(wet_ness - 0.5)", sort=0, descending=True).columns[0].values
        self.assertTrue(np.all(np.diff(down[: finite.sum()]) <= 0) and np.isnan(down[finite.sum() :]).all())

    def test_what_is_wrong_is_told_and_the_rest_is_there(self) -> None:
        table = self.table("spead", "speed", where="velocity", sort=0)
        self.assertIn("did you mean 'speed'?", table.columns[0].fault)
        self.assertEqual((len(table.columns[1].values), len(table.ids)), (500, 500))
        self.assertIn("is a vector", table.fault)
        self.assertIn("did you mean 'age'?", self.table("speed", where="agee > 1").fault)

    def test_files_are_read_back(self) -> None:
        table = self.table("speed", "position", "speed > 2", "nothing", "speed", sort=0)
        names, columns = rows_of_table(table, ["Sleet", "Wet"])
        self.assertEqual(names, ["id", "group", "speed", "position.x", "position.y", "position.z", "speed > 2", "speed"])
        read = pyarrow.parquet.read_table(io.BytesIO(parquet_of(names, columns)))
        self.assertEqual(read.column_names, [*names[:-1], "speed 2"])
        np.testing.assert_array_equal(read["position.y"].to_numpy(), table.columns[1].values[:, 1])
        self.assertEqual(read["group"].to_pylist(), ["Wet" if number % 4 == 0 else "Sleet" for number in table.ids])
        self.assertEqual(read["speed > 2"].to_pylist(), (table.columns[0].values > 2).tolist())


if __name__ == "__main__":
    unittest.main()
