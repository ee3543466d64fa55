"""Tests that go wrong, for `tests/test_running.py`: nothing finds them that is not told of them."""
