"""Care: what is done to a probe, or befalls it, as data; and what is done with a meter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import ClassVar

from brumel.core.tables import read_once, table


class Care(str):
    """A word of care, by its key in ``care.toml``; those that a rule of readiness speaks of have names here.

    Examples
    --------
    >>> Care("power-back").words, Care("power-back") == Care.POWER_BACK
    ('powered again', True)
    """

    __slots__ = ()
    CLEANED: ClassVar[Care]
    SOAKED: ClassVar[Care]
    STORED: ClassVar[Care]
    POWER_BACK: ClassVar[Care]
    SWITCHED_ON: ClassVar[Care]
    UNPLUGGED: ClassVar[Care]
    BATTERIES_OUT: ClassVar[Care]
    DROPPED: ClassVar[Care]
    CALIBRATION_LOST: ClassVar[Care]
    SHARED_REFERENCE_CHANGED: ClassVar[Care]
    PAUSED: ClassVar[Care]
    HANDED_BACK: ClassVar[Care]

    @property
    def value(self) -> str:
        """The key."""
        return str(self)

    @property
    def words(self) -> str:
        """As a log says it."""
        return _words().get(self) or self.replace("-", " ")


for _name in Care.__annotations__:
    setattr(Care, _name, Care(_name.lower().replace("_", "-")))


@dataclass(frozen=True)
class AboutCare:
    """What is known of a word of care."""

    words: str = ""
    part: str = ""
    always: bool = False
    leaflet: bool = False
    takes_power: bool = False
    never_logged: bool = False
    of_steering: bool = False


def read_care() -> Mapping[str, AboutCare]:
    """Read all words of care by key, in the order of a log's form."""
    return {key: AboutCare(**entry) for key, entry in table("kit", "care.toml").items()}


@read_once
def _words() -> Mapping[str, str]:
    return {key: about.words for key, about in read_care().items()}


def part_changes(care: Mapping[str, AboutCare]) -> Mapping[str, Care]:
    """Give the care by which each part is changed."""
    return {about.part: Care(key) for key, about in care.items() if about.part}


REFERENCE_CHANGES = frozenset({Care("electrode-changed"), Care("reference-refilled"), Care("junction-changed")})
"""What changes a reference electrode, for all that share it."""
METER_LOSES = frozenset({Care.CALIBRATION_LOST})
"""What ends a calibration that a meter keeps, beside what ends any of the kind."""


class MeterEvent(StrEnum):
    """What is done with a meter; its powered probes feel it."""

    BATTERIES_CHANGED = "batteries-changed"
    BATTERIES_OUT = "batteries-out"
    BATTERIES_IN = "batteries-in"
    SWITCHED_ON = "switched-on"
    SWITCHED_OFF = "switched-off"

    @property
    def words(self) -> str:
        """As a log says it."""
        return self.replace("-", " ")
