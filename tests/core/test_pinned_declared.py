"""What ships, as it is declared: ranges, defaults, digits, plausible results, usual coefficients.

Ranges of published relations are checked against their sources in ``tests/reference``; here whoever moves one sees
it. As of 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.core.test_pinned_declared`` writes it anew.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

from tests.pinned import Pinned

from brumel.core.quantities.quantity import quantities
from brumel.core.reckoning.definition import calculations
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import principles


def said(value: Any) -> str:
    """A declared value in one line; what only a program can read is left out."""
    if isinstance(value, float | int | str) or value is None:
        return f"{value:g}" if isinstance(value, float) else str(value)
    if isinstance(value, Mapping):
        return " ".join(f"{k}={said(v)}" for k, v in value.items())
    if isinstance(value, tuple | list | frozenset):
        return "[" + ", ".join(said(v) for v in (sorted(value) if isinstance(value, frozenset) else value)) + "]"
    if is_dataclass(value):
        told = {f.name: getattr(value, f.name) for f in fields(value)}
        return "(" + " ".join(f"{k}={said(v)}" for k, v in told.items() if said(v) not in {"", "[]", "None"}) + ")"
    return ""


def of_principle(own: Principle) -> Iterator[str]:
    """Each of its attributes that is a value."""
    for name in sorted(n for n in dir(own) if not n.startswith("_")):
        try:
            value = getattr(own, name)
        except NotImplementedError:
            continue
        if not callable(value) and (words := said(value)):
            yield f"principle {own.key} {name}: {words}"


def declared() -> Iterator[str]:
    """All of it."""
    for name, chosen in calculations().items():
        for i in chosen.accepted:
            yield f"calculation {name} takes {said(i)}"
        for o in chosen.outputs:
            yield f"calculation {name} gives {said(o)}"
        yield f"calculation {name} draws {said(chosen.curve)} inherent {said(chosen.inherent)}"
    for about in quantities().values():
        yield f"quantity {said(about)}"
    for own in principles():
        yield from of_principle(own)


PINNED = Pinned(Path(__file__).with_name("pinned_declared.txt"), declared)


def test_what_ships_is_as_it_was_declared() -> None:
    assert PINNED.now == PINNED.then


if __name__ == "__main__":
    PINNED.write()
