"""What calculations and principles declare in numbers, a line each: ranges, defaults, digits, usual coefficients.

Ranges of published relations are checked against their sources in ``tests/reference``; here whoever moves one sees
it. As of 1 December 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_declared`` writes it anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from tests.golden.golden import Golden

from brumel.core.reckoning.definition import REQUIRED, Calculation, Number, Output, calculations
from brumel.core.sensing.principle import Coefficient, Principle
from brumel.core.sensing.principles import principles

_BASE = {name: getattr(Principle, name, None) for name in dir(Principle)}


def span(ends: tuple[float | None, float | None]) -> str:
    """Two ends, each left out where there is none."""
    return "..".join("" if end is None or abs(end) == float("inf") else f"{end:g}" for end in ends)


def taken(i: Number) -> str:
    """An input: its range, what it usually is, its default."""
    usual = f" usually {span(i.usual)}" if i.usual else ""
    default = "" if i.default in (REQUIRED, None) else f" else {i.default:g}"
    few = f" {[*i.allowed]}" if i.allowed else ""
    return f"{i.name} {'above ' if i.above else ''}{span((i.low, i.high))}{few}{usual}{default}"


def given(o: Output) -> str:
    """An output: its digits, what is plausible."""
    return f"→ {o.name} .{o.digits}" + (f" plausible {span(o.plausible)}" if o.plausible else "")


def of_calculation(name: str, chosen: Calculation) -> str:
    parts = [taken(i) for i in chosen.accepted if isinstance(i, Number)] + [given(o) for o in chosen.outputs]
    if curve := chosen.curve:
        parts.append(f"drawn over {curve.x} {span((curve.low, curve.high))}".rstrip(". "))
    inherent = (f"{key} has {u:g} of its own" for key, own in chosen.inherent.items() for _, u in own)
    return " | ".join([name, *parts, *inherent])


def of_coefficient(c: Coefficient) -> str:
    extra = [f"apart {c.least_apart:g}"] * (c.least_apart > 0) + [f"anew {c.renew_days:g} days"] * (c.renew_days > 0)
    return " ".join([f"{c.key} {c.usual:g}±{c.u_usual:g} .{c.decimals}{' fixed' * c.fixed}", *extra])


def of_principle(own: Principle) -> str:
    """Its coefficients, and each of its numbers that is not everybody's."""
    parts = [own.key, *map(of_coefficient, own.coefficients)]
    for name in sorted(n for n in dir(own) if not n.startswith("_")):
        if name == "assumed" or callable(getattr(own, name)):
            continue
        value = getattr(own, name)
        pair = isinstance(value, tuple) and all(isinstance(v, int | float) for v in value)
        if value and value != _BASE.get(name) and (pair or isinstance(value, int | float)):
            parts.append(f"{name} {span(value) if pair else f'{value:g}'}")
    return " | ".join(parts)


def declared() -> Iterator[str]:
    """All of it."""
    for name, chosen in calculations().items():
        yield of_calculation(name, chosen)
    yield from map(of_principle, principles())


GOLDEN = Golden(Path(__file__).with_name("declared.txt"), declared)


def test_what_ships_is_as_it_was_declared() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
