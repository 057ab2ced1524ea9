"""The simulated bench as the interface moves it: beakers to put a probe into, faults to learn by."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import StepKind, steps_of
from brumel.core.place.station_pressure import Pressure
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.quantities.pressure import at_altitude_hpa
from brumel.core.quantities.salinity import practical_salinity
from brumel.devices.sdi12 import DeviceError
from brumel.devices.simulation.control import BenchControl
from brumel.devices.simulation.model import Liquid
from brumel.services.errors import InvalidInput
from brumel.services.people import may_record
from brumel.services.probes import run_facts
from brumel.services.shelf import lot_words
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Device, Lot, Person, Site
from brumel.store.queries import reading as reading_queries

ROOM_C, FIELD_C = 21.5, 9.0
_WATER_C = 18.0
_SALT_US_CM = 5_000.0
"""Above this a water's salts are sea salt, on the bench."""


@dataclass(frozen=True)
class Simulation:
    """Orders to the bench behind a simulated device; nothing where the device is real."""

    database: Database

    def state(self, device: Device | None) -> dict[str, Any] | None:
        """Return what the probe stands in and its fault; None for a real device or a bench that is away."""
        if device is None or device.control is None:
            return None
        try:
            state: dict[str, Any] = BenchControl(device.control).state()["probes"].get(device.address)
        except DeviceError:
            return None
        return state

    def into_lot(self, run_id: uuid.UUID, person: Person, lot_id: uuid.UUID | None = None, step: str = "") -> None:
        """Put the run's probe into a standard: of the lot given, or that of the step; into air where it has none."""
        may_record(person)
        with self.database.session() as session:
            run = session.get_one(CalibrationRun, run_id)
            device = run.probe.device
            chosen = lot_id or run.lots.get(step)
            lot = session.get_one(Lot, uuid.UUID(str(chosen))) if chosen else None
            at = next((s for s in steps_of(run.method) if s.key == step), None)
            if at is None or not at.kind.has_point:
                return
            stands_c = FIELD_C if at.of_waters else ROOM_C
            own, aim = principle_of(run.method), lot_words.aim_of(at, lot, run_facts.where(run, stands_c))
            values = {own.quantity: aim.value} | _weather(run_facts.place_of(run).pressure)
        name, warm_c = lot_words.lot_label(lot) if lot else at.label, stands_c if own.asks_temperature else aim.value
        self._place(device, Liquid(name, warm_c, values, aim.u, standard=True, gas=at.kind is StepKind.AIR))

    def into_site(self, device: Device | None, site_id: uuid.UUID, person: Person) -> None:
        """Put the probe into a site's water: as last read there, else the middle of what is expected."""
        may_record(person)
        with self.database.session() as session:
            site = session.get_one(Site, site_id)
            last = reading_queries.last_readings_of_sites(session).get(site_id, [])
            weather = _weather(Pressure(altitude_m=site.set_at(datetime.now(UTC)).altitude_m))
        values = {r.quantity: (r.low + r.high) / 2 for r in site.ranges} | {r.quantity: r.value for r in last}
        values |= weather
        warm = next((r.temperature_c for r in last if r.temperature_c is not None), _WATER_C)
        values |= _saturated(values, warm)
        self._place(device, Liquid(f"the water of {site.name}", warm, values))

    def fault(self, device: Device | None, fault: str, person: Person) -> None:
        """Give the probe a fault, or mend it."""
        may_record(person)
        if device is not None and device.control is not None:
            _ordered(lambda: BenchControl(device.control or "").fault(device.address, fault))

    def _place(self, device: Device | None, liquid: Liquid) -> None:
        if device is not None and device.control is not None:
            control, address = BenchControl(device.control), device.address
            _ordered(lambda: control.place(address, liquid))


def _weather(pressure: Pressure | None) -> dict[str, float]:
    """Return the true pressure of a place: the standard atmosphere's at its altitude, else what was given for it."""
    if pressure is None:
        return {}
    if pressure.altitude_m is not None:
        return {"station-pressure": float(at_altitude_hpa(pressure.altitude_m))}
    return {"station-pressure": pressure.hpa} if pressure.typed else {}


def _saturated(values: Mapping[str, float], temperature_c: float) -> dict[str, float]:
    """Return a water's oxygen as a probe feels it: percent of saturation at its pressure and salinity."""
    if "oxygen" not in values:
        return {}
    salinity = 0.0
    if values.get("specific-conductance", 0.0) > _SALT_US_CM:
        salinity = float(practical_salinity(values["specific-conductance"] / 1000.0, 25.0))
    full = saturation_mg_l(temperature_c, values.get("station-pressure", ATMOSPHERE_HPA), salinity)
    return {"oxygen-saturation": 100.0 * values["oxygen"] / float(full)}


def _ordered(order: Any) -> None:
    try:
        order()
    except DeviceError as error:
        raise InvalidInput({"device": str(error)}) from error
