"""Which tests touch which line of the core: a plugin of pytest that notes it, and that leaves out tests.

With ``TOUCHED_INTO`` it watches a run and writes the map there; with ``TOUCHED_NOT`` (a file, a test's id a line) it
leaves those tests out. ``scripts/mutants.py`` uses both.
"""

from __future__ import annotations

import functools
import gc
import json
import os
import time
from collections import defaultdict
from collections.abc import Generator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import coverage
import pytest


@dataclass(frozen=True)
class Touched:
    """By file (from the root) and line, the tests that ran it; and how long each test took, s."""

    lines: dict[str, dict[int, list[str]]]
    seconds: dict[str, float]

    @staticmethod
    def read(*paths: Path) -> Touched:
        """The maps of several runs as one."""
        lines: dict[str, dict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
        seconds: dict[str, float] = {}
        for path in paths:
            noted = json.loads(path.read_text(encoding="utf-8"))
            tests = list(noted["seconds"])
            seconds |= noted["seconds"]
            for file, touched in noted["lines"].items():
                for line, numbers in touched.items():
                    lines[file][int(line)] += [tests[n] for n in numbers]
        return Touched(lines, seconds)

    def tests(self, file: str, lines: range) -> set[str]:
        """Those that ran one of the lines; where it only ran at import, of the whole file; all, where all of it did."""
        of = self.lines.get(file, {})
        found = {test for line in lines for test in of.get(line, ())}
        return found or {test for tests in of.values() for test in tests} or set(self.seconds)


class _Watch:
    def __init__(self, into: Path, root: Path) -> None:
        self._into, self._root = into, root
        self._coverage = coverage.Coverage(data_file=None, config_file=False, source=[str(root / "src/brumel/core")])
        self._coverage.start()
        self._caches: list[Any] = []
        self._seconds: dict[str, float] = {}

    def pytest_collection_finish(self) -> None:
        self._caches = [o for o in gc.get_objects() if isinstance(o, functools._lru_cache_wrapper)]

    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_protocol(self, item: pytest.Item) -> Generator[None, object, object]:
        # What an earlier test has had worked out would not be seen to hang on the line.
        for cache in self._caches:
            cache.cache_clear()
        self._coverage.switch_context(item.nodeid)
        begun = time.perf_counter()
        try:
            return (yield)
        finally:
            self._seconds[item.nodeid] = round(time.perf_counter() - begun, 3)

    def pytest_sessionfinish(self) -> None:
        self._coverage.stop()
        data, number = self._coverage.get_data(), {test: n for n, test in enumerate(self._seconds)}
        lines = {
            str(Path(file).relative_to(self._root)): {
                line: touched
                for line, tests in data.contexts_by_lineno(file).items()
                if (touched := [number[t] for t in tests if t])
            }
            for file in data.measured_files()
        }
        self._into.write_text(json.dumps({"lines": lines, "seconds": self._seconds}), encoding="utf-8")


class _Without:
    def __init__(self, tests: Path) -> None:
        self._tests = set(tests.read_text(encoding="utf-8").splitlines())

    def pytest_collection_modifyitems(self, items: list[pytest.Item]) -> None:
        items[:] = [item for item in items if item.nodeid not in self._tests]


def pytest_configure(config: pytest.Config) -> None:
    """Watch, or leave out, as the environment says."""
    if into := os.environ.get("TOUCHED_INTO"):
        config.pluginmanager.register(_Watch(Path(into), config.rootpath))
    if tests := os.environ.get("TOUCHED_NOT"):
        config.pluginmanager.register(_Without(Path(tests)))
