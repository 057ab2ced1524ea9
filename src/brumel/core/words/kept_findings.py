"""Findings and workings as records and open files keep them: by keys, and in the catalogue's words beside them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from brumel.core.findings import Finding
from brumel.core.said import Value, as_plain
from brumel.core.words.catalogue import word


def plain_finding(f: Finding) -> dict[str, Any]:
    """Return code, level, sentence, remedy, minutes and source in words, and the keys of all three as ``said``."""
    said = {"says": as_plain(f.says), "source": as_plain(f.source)}
    return {
        "code": f.code,
        "level": str(f.level),
        "sentence": str(word(f.says)),
        "remedy": str(word(f.remedy)),
        "minutes": f.minutes,
        "source": str(word(f.source)),
        "said": said | ({"remedy": as_plain(f.remedy)} if f.remedy else {}),
    }


def working_plain(lines: Iterable[Value]) -> dict[str, Any]:
    """Give the lines of a working as a record keeps them: the words that are read now, and their keys."""
    each = list(lines)
    return {"working": [str(word(line)) for line in each], "working_said": [as_plain(line) for line in each]}
