"""Which tests are meant, in portions that one process does by itself."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

TESTS = Path(__file__).resolve().parents[1]

QUICK = ("model", "core", "formats", "store", "test_cli")
"""What is asked between two commits: no browser, no server, nothing thorough."""


@dataclass
class Portion:
    """Tests that one process runs in one go."""

    name: str
    tests: list[str]
    browser: bool
    """Whether they need Chromium."""
    thorough: bool = False
    """Whether one of them looks at very many cases: it is begun early."""

    def told(self) -> dict[str, Any]:
        return asdict(self)


def thorough(test: Any) -> Any:
    """Marks a test, or a class of them, that `./run test quick` leaves out: it looks at very many cases."""
    test.thorough = True
    return test


def portions(names: list[str]) -> list[Portion]:
    """The tests that are meant by names such as `core`, `browser.test_rules` or `core.test_rules.Rules`; all of them by none, the quick ones by `quick`.

    Raises
    ------
    LookupError
        Where a name means no test.
    """
    quick = "quick" in names
    meant = [name for name in names if name != "quick"] or list(QUICK if quick else [""])
    by_class: dict[type[unittest.TestCase], list[str]] = {}
    broken: list[Portion] = []
    long: set[str] = set()
    for name in meant:
        found = list(_tests(_loaded(name)))
        if not found:
            raise LookupError(f"no test is called '{name}'")
        for test in found:
            if isinstance(test, unittest.loader._FailedTest):  # type: ignore[attr-defined]
                # A module that cannot be imported, or a name that nothing has: running it tells.
                broken.append(Portion(name, [_address(test)], False))
            elif not (quick and _is_thorough(test)) and _address(test) not in by_class.setdefault(type(test), []):
                by_class[type(test)].append(_address(test))
                long |= {_address(test)} if _is_thorough(test) else set()
    return broken + [portion for cls, tests in by_class.items() if tests for portion in _portions_of(cls, tests, long)]


def _loaded(name: str) -> unittest.TestSuite:
    loader = unittest.TestLoader()
    path = TESTS.joinpath(*name.removeprefix("tests.").split(".")) if name else TESTS
    if path.is_dir():
        return loader.discover(str(path), top_level_dir=str(TESTS.parent))
    return loader.loadTestsFromName(name if name.startswith("tests.") else f"tests.{name}")


def _tests(suite: Any) -> Iterator[unittest.TestCase]:
    for entry in suite if isinstance(suite, unittest.TestSuite) else [suite]:
        if isinstance(entry, unittest.TestSuite):
            yield from _tests(entry)
        else:
            yield entry


def _address(test: unittest.TestCase) -> str:
    """The name by which it is loaded again."""
    if isinstance(test, unittest.loader._FailedTest):  # type: ignore[attr-defined]
        return str(test._testMethodName)
    return test.id()


def _is_thorough(test: unittest.TestCase) -> bool:
    return bool(getattr(type(test), "thorough", False) or getattr(getattr(test, test._testMethodName), "thorough", False))


def _portions_of(cls: type[unittest.TestCase], tests: list[str], long: set[str]) -> Iterator[Portion]:
    """A class is one portion where it makes something ready for all of its tests (`whole`); else each test is one, and they share out evenly."""
    browser = cls.__module__.startswith("tests.browser")
    if getattr(cls, "whole", not browser):
        yield Portion(f"{cls.__module__}.{cls.__qualname__}", tests, browser, not long.isdisjoint(tests))
    else:
        yield from (Portion(test, [test], browser, test in long) for test in tests)
