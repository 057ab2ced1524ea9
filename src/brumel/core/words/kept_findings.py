"""A finding as records and open files keep it: by its keys, and in the words of the catalogue beside them."""

from __future__ import annotations

from typing import Any

from brumel.core.findings import Finding
from brumel.core.said import as_plain
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
