"""Which value of a device's answer is which: mapped once, used by the link, the samples and every viewer."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any

from brumel.core.sensing.principle import Principle
from brumel.store.models.reference import Device, Probe


class Carries(StrEnum):
    """What stands at a position of a device's answer."""

    TEMPERATURE = "temperature"
    SIGNAL = "signal"
    INDICATED = "indicated"
    """What the device itself makes of the signal, by its own calibration."""
    OTHER = "other"
    """Read and not used."""


@dataclass(frozen=True)
class Channel:
    """One position: what it carries, in which unit and range, and for which probe; for all of the device where None.

    ``factor`` is what an indicated value is multiplied by to be in the unit that its quantity is kept in.
    """

    carries: Carries
    unit: str = ""
    low: float = -1e9
    high: float = 1e9
    factor: float = 1.0
    probe_id: uuid.UUID | None = None

    @property
    def plain(self) -> dict[str, Any]:
        """As a device keeps it."""
        return asdict(self) | {"carries": str(self.carries), "probe_id": self.probe_id and str(self.probe_id)}


TEMPERATURE = Channel(Carries.TEMPERATURE, "°C", -20.0, 120.0)


def signal_channel(own: Principle, probe_id: uuid.UUID | None = None) -> Channel:
    """Return the raw signal of a probe that senses so, in its unit and range."""
    return Channel(Carries.SIGNAL, own.signal_unit, *own.signal_range, probe_id=probe_id)


@dataclass(frozen=True)
class Positions:
    """Where a probe's signal, or what its device indicates, and the temperature of its liquid stand in a sample."""

    signal: int
    temperature: int
    indicated: bool = False
    """Whether a value stands there that the device's own calibration makes of the signal."""
    factor: float = 1.0

    def of(self, values: Sequence[float]) -> tuple[float, float]:
        """Signal or indicated value, and temperature, of a sample's values."""
        return values[self.signal] * self.factor, values[self.temperature]


def channels_of(device: Device) -> list[Channel]:
    """Return a device's channels in the order of its answer."""
    return [_channel(entry) for entry in device.channels]


def positions_of(probe: Probe) -> Positions | None:
    """Say where a probe stands in the samples of its device; None where it has none, or the device does not carry it.

    A signal comes before a value that the device indicates: what a calibration of ours stands behind tells more.
    """
    if probe.device is None:
        return None
    channels = channels_of(probe.device)
    found: dict[Carries, int] = {}
    for number, c in sorted(enumerate(channels), key=lambda entry: entry[1].probe_id is None):
        if c.probe_id in (None, probe.id):
            found.setdefault(c.carries, number)  # its own before the device's
    main = found.get(Carries.SIGNAL, found.get(Carries.INDICATED))
    warmth = found.get(Carries.TEMPERATURE)
    if main is None or warmth is None:
        return None
    return Positions(main, warmth, channels[main].carries is Carries.INDICATED, channels[main].factor)


def signal_positions_of(probe: Probe) -> Positions | None:
    """Say where a probe's raw signal stands; None where its device gives none."""
    found = positions_of(probe)
    return None if found is None or found.indicated else found


def what_is_wrong(channels: Sequence[Channel], values: Sequence[float]) -> str:
    """Say why an answer can't be what its channels say; empty where it can."""
    if len(values) < len(channels):
        return f"The probe gave {len(values)} values, its line says {len(channels)}."
    for number, (channel, value) in enumerate(zip(channels, values, strict=False), 1):
        if not channel.low <= value <= channel.high:
            return f"Value {number} of the probe's answer, {value:g}, can't be {channel.carries} in {channel.unit}."
    return ""


def _channel(entry: Mapping[str, Any]) -> Channel:
    given = dict(entry)
    probe_id = given.pop("probe_id", None)
    return Channel(Carries(given.pop("carries")), **given, probe_id=uuid.UUID(probe_id) if probe_id else None)
