"""Which value of a device's answer is which: mapped once, used by the link, the samples and every viewer."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any

from brumel.store.models.reference import Device, Probe


class Carries(StrEnum):
    """What stands at a position of a device's answer."""

    TEMPERATURE = "temperature"
    SIGNAL = "signal"
    OTHER = "other"
    """Read and not used."""


@dataclass(frozen=True)
class Channel:
    """One position: what it carries, in which unit and range, and for which probe; for all of the device where None."""

    carries: Carries
    unit: str = ""
    low: float = -1e9
    high: float = 1e9
    probe_id: uuid.UUID | None = None

    @property
    def plain(self) -> dict[str, Any]:
        """As a device keeps it."""
        return asdict(self) | {"carries": str(self.carries), "probe_id": self.probe_id and str(self.probe_id)}


TEMPERATURE = Channel(Carries.TEMPERATURE, "°C", -20.0, 120.0)
MILLIVOLTS = Channel(Carries.SIGNAL, "mV", -2000.0, 2000.0)


@dataclass(frozen=True)
class Positions:
    """Where a probe's signal and the temperature of its liquid stand in a sample."""

    signal: int
    temperature: int


def channels_of(device: Device) -> list[Channel]:
    """A device's channels in the order of its answer."""
    return [_channel(entry) for entry in device.channels]


def positions_of(probe: Probe) -> Positions | None:
    """Where a probe stands in the samples of its device; None where it has none, or the device does not carry it."""
    if probe.device is None:
        return None
    found = {}
    for carries in (Carries.SIGNAL, Carries.TEMPERATURE):
        fitting = [
            (c.probe_id is None, n)
            for n, c in enumerate(channels_of(probe.device))
            if c.carries is carries and c.probe_id in (None, probe.id)
        ]
        if not fitting:
            return None
        found[carries] = min(fitting)[1]  # its own before the device's
    return Positions(found[Carries.SIGNAL], found[Carries.TEMPERATURE])


def what_is_wrong(channels: Sequence[Channel], values: Sequence[float]) -> str:
    """Why an answer can't be what its channels say; empty where it can."""
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
