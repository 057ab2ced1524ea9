"""Keys of what earlier versions kept as words alone: contributions to an uncertainty, remedies, sources.

The table is frozen: what words are today does not matter to it. Whom it does not know keeps its words.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cache
from importlib.resources import files
from typing import Any

_OF_DERIVED = ("readings", "contributions", "signals", "inputs")
_OF_OTHERS = ("contributions", "signals", "inputs", "readings")
_BEGINS = {"because: ": "deviation.because", "taken all the same: ": "deviation.all-the-same"}
_NAMES_ITSELF = ("signals", "readings", "inputs")


@cache
def frozen(part: str) -> Mapping[str, str]:
    """Return keys by words: of ``contributions``, ``signals``, ``readings``, ``inputs``, ``sentences``, ``sources``,
    ``settling``, ``otherwise``.
    """
    text = files("brumel.store").joinpath("frozen_words.toml").read_text(encoding="utf-8")
    found: Mapping[str, str] = tomllib.loads(text)[part]
    return found


@cache
def of_contributions(*, derived: bool) -> Mapping[str, Mapping[str, str]]:
    """Give what is added to an old contribution, by its name: ``key``, and ``of`` where it names itself.

    In a ``derived`` reading's budget, "temperature" is the reading of that quantity; elsewhere its probe's.
    """
    found: dict[str, Mapping[str, str]] = {}
    for part in reversed(_OF_DERIVED if derived else _OF_OTHERS):
        for name, key in frozen(part).items():
            found[name] = {"key": key} | ({"of": name} if part in _NAMES_ITSELF else {})
    return found


def otherwise(deviations: Any) -> Any:
    """Return what an earlier version kept of a point's deviations by its keys; what it doesn't know as it is."""
    known = frozen("otherwise")

    def one(words: Any) -> Any:
        if not isinstance(words, str):
            return words
        if words in known:
            return {"table": "otherwise", "key": known[words]}
        why = next((key for begins, key in _BEGINS.items() if words.startswith(begins)), None)
        return {"key": why, "values": {"why": words.split(": ", 1)[1]}} if why else words

    return [one(d) for d in deviations] if isinstance(deviations, list) else deviations


def keyed(budget: Any, *, derived: bool) -> Any:
    """Return a budget of an earlier version with its keys; what is no budget is returned as it is."""
    if not isinstance(budget, list):
        return budget
    known = of_contributions(derived=derived)

    def one(c: Any) -> Any:
        name = c.get("name") if isinstance(c, dict) and "key" not in c else None
        return c | known.get(name, {}) if isinstance(name, str) else c

    return [one(c) for c in budget]
