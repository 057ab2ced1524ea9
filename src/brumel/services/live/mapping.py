"""Says once, on its meter's page, which value of a device's answer is whose."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from brumel.core.quantities.quantity import Quantity, quantity
from brumel.services.acts import act
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.live.channels import TEMPERATURE, Carries, Channel, channels_of, signal_channel
from brumel.services.people import may_record
from brumel.services.probes import what_it_is
from brumel.services.units import linear_factor
from brumel.store.database import Database
from brumel.store.models.reference import Device, Person, Probe
from brumel.store.queries import device as device_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries

_FEEDS = frozenset({Carries.SIGNAL, Carries.INDICATED})
"""What makes a device one that a probe is read by."""
MOST_VALUES = 20
"""So many values an answer may hold: more than nine come with the concurrent measurement (SDI-12)."""


@dataclass(frozen=True)
class Mapped:
    """What is said of one position: what it carries, and for which probe; of the whole device where None.

    ``unit`` is that of a value which the device indicates; the one that its quantity is kept in where it is empty.
    """

    carries: Carries = Carries.OTHER
    probe_id: uuid.UUID | None = None
    unit: str = ""


@dataclass(frozen=True)
class MappedDevice:
    """A device with its channels in order, the probes that it may carry, and what it answered last."""

    device: Device
    channels: tuple[Channel, ...]
    probes: tuple[Probe, ...]
    values: tuple[float, ...]

    @property
    def positions(self) -> int:
        """How many positions a form asks for: those that it answered, or two more than are mapped."""
        known = max(len(self.channels), len(self.values))
        return min(known if self.values else known + 2, MOST_VALUES)

    def words(self, channel: Channel) -> str:
        """Return what a channel is, for people."""
        label = next((p.label for p in self.probes if p.id == channel.probe_id), "")
        if channel.carries is Carries.OTHER:
            return "not used"
        if channel.carries is Carries.TEMPERATURE:
            return f"temperature of {label}'s water" if label else "temperature"
        about = "indicated" if channel.carries is Carries.INDICATED else ""
        return ", ".join(word for word in (label, about, channel.unit) if word)

    @staticmethod
    def indicated_of(probe: Probe) -> Quantity:
        """Return what the device may indicate of a probe."""
        own = what_it_is.senses(probe)
        assert own is not None  # only such are offered
        return quantity(own.quantity)

    def indicated_units(self, probe: Probe) -> tuple[str, ...]:
        """Units in which the device may indicate it."""
        about = self.indicated_of(probe)
        return (about.unit, *(u for u in about.shown if linear_factor(u, about.unit) is not None))


@dataclass(frozen=True)
class ChannelMaps:
    """Use cases around the channels of devices."""

    database: Database

    def of_meter(self, meter_id: uuid.UUID) -> list[MappedDevice]:
        """Return the devices that carry a meter's probes, and those that carry none yet, by label."""
        with self.database.session() as session:
            return _of_meter(session, meter_id)

    def view(self, meter_id: uuid.UUID, device_id: uuid.UUID) -> MappedDevice:
        """Return one device of a meter."""
        with self.database.session() as session:
            return _one(session, meter_id, device_id)

    @act(meter="meter_id", device="device_id")
    def save(self, meter_id: uuid.UUID, device_id: uuid.UUID, positions: Sequence[Mapped], person: Person) -> None:
        """Say what stands at each position; the probes named are read by the device from then on, others no more.

        Raises
        ------
        InvalidInput
            With every position that can't be so, named ``position-1`` and on.
        """
        may_record(person)
        with self.database.session() as session:
            known = _one(session, meter_id, device_id)
            wrong = _wrong(positions, {p.id: known.indicated_units(p) for p in known.probes})
            busy = {r.probe_id for r in run_queries.open_runs(session)}
            for probe in known.probes:
                if probe.id in busy and probe.device_id == device_id:
                    wrong["position-1"] = (
                        f"{probe.label} is being calibrated on it: finish that run or give it up first."
                    )
            if wrong:
                raise InvalidInput(wrong)
            known.device.channels = [c.plain for c in _channels(session, positions)]
            carried = {m.probe_id for m in positions if m.carries in _FEEDS}
            for probe in known.probes:
                if probe.id in carried:
                    probe.device_id = device_id
                elif probe.device_id == device_id:
                    probe.device_id = None


def _of_meter(session: Session, meter_id: uuid.UUID) -> list[MappedDevice]:
    every = queries.probes(session)
    probes = tuple(p for p in every if p.meter_id == meter_id and in_force().kinds[p.kind].principle)
    taken = {p.device_id: p.meter_id for p in every if p.device_id}
    devices = [d for d in device_queries.devices(session) if taken.get(d.id, meter_id) == meter_id]
    newest = device_queries.newest_values(session, [d.id for d in devices])
    return [MappedDevice(d, tuple(channels_of(d)), probes, tuple(newest.get(d.id, ()))) for d in devices]


def _one(session: Session, meter_id: uuid.UUID, device_id: uuid.UUID) -> MappedDevice:
    found = next((m for m in _of_meter(session, meter_id) if m.device.id == device_id), None)
    if found is None:
        raise NotFound("This meter has no such device.")
    return found


def _channels(session: Session, positions: Sequence[Mapped]) -> list[Channel]:
    found = []
    for mapped in positions:
        if mapped.carries is Carries.SIGNAL:
            probe = session.get_one(Probe, mapped.probe_id)
            sensed = what_it_is.senses(probe)
            assert sensed is not None
            found.append(signal_channel(sensed, mapped.probe_id))
        elif mapped.carries is Carries.INDICATED:
            about = MappedDevice.indicated_of(session.get_one(Probe, mapped.probe_id))
            unit = mapped.unit or about.unit
            factor = linear_factor(unit, about.unit) or 1.0
            low, high = (end / factor for end in about.typed)
            found.append(Channel(Carries.INDICATED, unit, low, high, factor, mapped.probe_id))
        elif mapped.carries is Carries.TEMPERATURE:
            found.append(replace(TEMPERATURE, probe_id=mapped.probe_id))
        else:
            found.append(Channel(Carries.OTHER))
    while found and found[-1].carries is Carries.OTHER:
        found.pop()
    return found


def _wrong(positions: Sequence[Mapped], units: Mapping[uuid.UUID | None, Sequence[str]]) -> dict[str, str]:
    """Return what can't be so, by position; ``units`` in which each probe of the meter may be indicated."""
    wrong: dict[str, str] = {}
    if len(positions) > MOST_VALUES:
        wrong["position-1"] = f"An answer holds at most {MOST_VALUES} values."
    seen: set[tuple[Carries, uuid.UUID | None]] = set()
    warmed = {m.probe_id for m in positions if m.carries is Carries.TEMPERATURE}
    for number, mapped in enumerate(positions, 1):
        field = f"position-{number}"
        if mapped.carries is Carries.OTHER:
            continue
        if mapped.probe_id is not None and mapped.probe_id not in units:
            wrong[field] = "Choose a probe that is plugged into this meter."
        elif mapped.carries in _FEEDS and mapped.probe_id is None:
            wrong[field] = f"Say whose {'signal' if mapped.carries is Carries.SIGNAL else 'value'} it is."
        elif mapped.unit and mapped.unit not in units.get(mapped.probe_id, ()):
            wrong[field] = "Choose a unit that this quantity is shown in."
        elif (mapped.carries, mapped.probe_id) in seen:
            wrong[field] = "Another value is this one already: each is said once."
        elif mapped.carries in _FEEDS and not {None, mapped.probe_id} & warmed:
            wrong[field] = "Its temperature is missing: say which value is the temperature of its water."
        seen.add((mapped.carries, mapped.probe_id))
    return wrong
