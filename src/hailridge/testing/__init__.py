"""For whoever adds a kind: one battery of checks that every kind passes, a stranger's too. `check_kind(Mine)` in a test is all it takes."""

from hailridge.testing.battery import check_kind

__all__ = ["check_kind"]
