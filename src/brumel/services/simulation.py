"""The simulated bench as the interface moves it: beakers to put a probe into, faults to learn by."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any

from brumel.core.standards.buffers import value_or_none
from brumel.devices.bench_control import BenchControl
from brumel.devices.sdi12 import DeviceError
from brumel.services import lines
from brumel.services.errors import InvalidInput
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Device, Lot, Site

ROOM_C = 21.5
_RINSE_PH = 6.2
_WATER_C = 18.0
FAULTS = ("none", "silent", "garbled", "slow", "unplugged")


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
        """Put the run's probe into a buffer: of the lot given, or that of the step."""
        with self.database.session() as session:
            run = session.get_one(CalibrationRun, run_id)
            device = run.probe.device
            lot = session.get_one(Lot, lot_id or uuid.UUID(run.lots[step]))
        buffer = lines.buffer_of(lot)
        value = value_or_none(buffer, ROOM_C)
        self._place(device, lines.lot_label(lot), buffer.nominal_ph if value is None else value, ROOM_C)

    def into_rinse(self, device: Device | None) -> None:
        """Put the probe into rinse water."""
        self._place(device, "rinse water", _RINSE_PH, ROOM_C)

    def into_site(self, device: Device | None, site_id: uuid.UUID) -> None:
        """Put the probe into a site's water: as last read there, else the middle of what is expected."""
        with self.database.session() as session:
            site = session.get_one(Site, site_id)
            last = next(iter(queries.readings(session, queries.Criteria(site_id=site_id), limit=1)), None)
            expected = site.expected("pH") or (7.0, 7.0)
        ph = last.ph if last else sum(expected) / 2
        self._place(device, f"the water of {site.name}", ph, last.temperature_c if last else _WATER_C)

    def fault(self, device: Device | None, fault: str) -> None:
        """Give the probe a fault, or mend it."""
        if fault not in FAULTS:
            raise InvalidInput({"fault": f"A fault is one of {', '.join(FAULTS)}."})
        if device is not None and device.control is not None:
            _ordered(lambda: BenchControl(device.control or "").fault(device.address, fault))

    def _place(self, device: Device | None, name: str, ph: float, temperature_c: float) -> None:
        if device is not None and device.control is not None:
            control, address = BenchControl(device.control), device.address
            _ordered(lambda: control.place(address, name=name, ph=ph, temperature_c=temperature_c))


def _ordered(order: Any) -> None:
    try:
        order()
    except DeviceError as error:
        raise InvalidInput({"device": str(error)}) from error
