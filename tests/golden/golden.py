"""Lines of figures and words as they were: whoever moves one sees it, and writes its file anew where that was meant.

Each file is written by its module: ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_numbers``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np


@dataclass(frozen=True)
class Golden:
    """A text beside its test, and what makes it."""

    file: Path
    made: Callable[[], Iterable[str]]

    @property
    def now(self) -> list[str]:
        """What is made today, line by line."""
        return self._text.split("\n")

    @property
    def then(self) -> list[str]:
        """What stands in the file."""
        return self.file.read_text(encoding="utf-8").split("\n")

    def write(self) -> None:
        """Let today's stand."""
        self.file.write_text(self._text, encoding="utf-8")

    @property
    def _text(self) -> str:
        return "\n".join(self.made()) + "\n"


def words(value: Any) -> str:
    """A number to five digits, and whatever holds numbers."""
    if value is None or isinstance(value, str | bool | np.bool_):
        return str(value)
    if isinstance(value, tuple | list | np.ndarray):
        return "[" + " ".join(words(v) for v in value) + "]"
    if isinstance(value, datetime):
        return value.isoformat(timespec="minutes")
    return f"{round(float(value), 9) + 0.0:.5g}"
