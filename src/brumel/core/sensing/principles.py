"""All sensing principles by key; a further one is added here, or by who brings one of a house's own."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from brumel.core.errors import CoreError
from brumel.core.sensing.conductivity import Conductivity
from brumel.core.sensing.glass import Glass
from brumel.core.sensing.indicator import chlorine_tip
from brumel.core.sensing.ion_tip import ion_tips
from brumel.core.sensing.luminescence import Luminescence
from brumel.core.sensing.membrane import Membrane
from brumel.core.sensing.metal import Metal
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.thermometer import Thermometer

_PRINCIPLES: dict[str, Principle] = {
    p.key: p
    for p in (
        Glass(), Metal(), Conductivity(), Membrane(), Luminescence(), *ion_tips(), chlorine_tip(), Thermometer(),
    )
}  # fmt: skip


def principle(key: str) -> Principle:
    """The principle of a key."""
    try:
        return _PRINCIPLES[key]
    except KeyError:
        raise CoreError(f"There is no sensing principle {key!r}; known are {', '.join(_PRINCIPLES)}.") from None


def principles() -> tuple[Principle, ...]:
    """All of them."""
    return tuple(_PRINCIPLES.values())


def known(key: str) -> bool:
    """Whether there is a principle of a key."""
    return key in _PRINCIPLES


@contextmanager
def added(further: Principle) -> Iterator[None]:
    """Within the context there is a further principle."""
    _PRINCIPLES[further.key] = further
    try:
        yield
    finally:
        del _PRINCIPLES[further.key]
