"""The simulated bench as the interface moves it: beakers to put a probe into, faults to learn by."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any

from brumel.core.calibrating.judging import principle_of
from brumel.core.sensing.principle import Conditions
from brumel.core.standards.targets import target
from brumel.devices.sdi12 import DeviceError
from brumel.devices.simulation.control import BenchControl
from brumel.devices.simulation.model import Liquid
from brumel.services.calibrating import stored
from brumel.services.errors import InvalidInput
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Device, Lot, Site

ROOM_C = 21.5
_WATER_C = 18.0


@dataclass(frozen=True)
class Simulation:
    """Orders to the bench behind a simulated device; nothing where the device is real."""

    database: Database

    def state(self, device: Device | None) -> dict[str, Any] | None:
        """What the probe stands in and its fault; None for a real device or a bench that is away."""
        if device is None or device.control is None:
            return None
        try:
            state: dict[str, Any] = BenchControl(device.control).state()["probes"].get(device.address)
        except DeviceError:
            return None
        return state

    def into_lot(self, run_id: uuid.UUID, lot_id: uuid.UUID | None = None, step: str = "") -> None:
        """Put the run's probe into a standard: of the lot given, or that of the step; into air where it has none."""
        with self.database.session() as session:
            run = session.get_one(CalibrationRun, run_id)
            device = run.probe.device
            chosen = lot_id or run.lots.get(step)
            lot = session.get_one(Lot, uuid.UUID(str(chosen))) if chosen else None
        if lot is None:
            self._place(device, Liquid("air", ROOM_C))
            return
        key = principle_of(run.method).quantity
        aim = target(stored.bottle(lot), Conditions(ROOM_C, run.reference))
        liquid = Liquid(stored.lot_label(lot), ROOM_C, {key: aim.value}, aim.u, standard=True)
        self._place(device, liquid)

    def into_site(self, device: Device | None, site_id: uuid.UUID) -> None:
        """Put the probe into a site's water: as last read there, else the middle of what is expected."""
        with self.database.session() as session:
            site = session.get_one(Site, site_id)
            last = queries.last_readings_of_sites(session).get(site_id, [])
        values = {r.quantity: (r.low + r.high) / 2 for r in site.ranges} | {r.quantity: r.value for r in last}
        self._place(device, Liquid(f"the water of {site.name}", last[0].temperature_c if last else _WATER_C, values))

    def fault(self, device: Device | None, fault: str) -> None:
        """Give the probe a fault, or mend it."""
        if device is not None and device.control is not None:
            _ordered(lambda: BenchControl(device.control or "").fault(device.address, fault))

    def _place(self, device: Device | None, liquid: Liquid) -> None:
        if device is not None and device.control is not None:
            control, address = BenchControl(device.control), device.address
            _ordered(lambda: control.place(address, liquid))


def _ordered(order: Any) -> None:
    try:
        order()
    except DeviceError as error:
        raise InvalidInput({"device": str(error)}) from error
