"""Entering probes, lots, sites and devices from a TOML file, all or nothing."""

from __future__ import annotations

import tomllib
import uuid
from dataclasses import dataclass
from datetime import date
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.standards.buffers import buffer_of_label
from brumel.services.errors import InvalidInput
from brumel.store.database import Database
from brumel.store.models import Base, Device, Lot, Probe, Site

_KINDS: dict[str, tuple[type[Base], dict[str, type]]] = {
    "devices": (Device, {"label": str, "url": str, "address": str}),
    "probes": (Probe, {"label": str, "serial": str, "kind": str, "kit": str, "in_service_on": date}),
    "lots": (
        Lot,
        {
            "lot_number": str,
            "family": str,
            "nominal_ph": float,
            "received_on": date,
            "expires_on": date,
            "open_life_days": int,
        },
    ),
    "sites": (
        Site,
        {
            "code": str,
            "name": str,
            "water_kind": str,
            "expected_ph_low": float,
            "expected_ph_high": float,
            "visit_every_days": int,
        },
    ),
}
_OPTIONAL: dict[str, dict[str, Any]] = {
    "devices": {"value_order": ["temperature_c", "mv"], "period_s": 1.0},
    "probes": {"device": None},
    "lots": {"opened_on": None, "certificate_u_ph": None, "value_table": None},
    "sites": {},
}


@dataclass(frozen=True)
class Registry:
    """Use cases around what there is to choose from."""

    database: Database

    def load(self, text: str) -> dict[str, int]:
        """Enter all that a TOML text lists; return how many of each.

        Raises
        ------
        InvalidInput
            With every entry that can't be taken; nothing is entered then.
        """
        try:
            data = tomllib.loads(text)
        except tomllib.TOMLDecodeError as error:
            raise InvalidInput({"file": f"The file is not TOML: {error}."}) from error
        wrong = {k: f"{k} is none of {', '.join(_KINDS)}." for k in data if k not in _KINDS}
        rows = {kind: [_row(kind, n, entry, wrong) for n, entry in enumerate(data.get(kind, []), 1)] for kind in _KINDS}
        if wrong:
            raise InvalidInput(wrong)
        with self.database.session() as session:
            for kind, (model, _) in _KINDS.items():
                for row in rows[kind]:
                    label = row.pop("device", None)
                    if label is not None:
                        device = session.query(Device).filter_by(label=label).first()
                        if device is None:
                            raise InvalidInput({"device": f"No device has the label {label!r}: list it in devices."})
                        row["device_id"] = device.id
                    session.add(model(**row))
                session.flush()
        return {kind: len(found) for kind, found in rows.items()}


def _row(kind: str, number: int, entry: dict[str, Any], wrong: dict[str, str]) -> dict[str, Any]:
    needed, optional = _KINDS[kind][1], _OPTIONAL[kind]
    where = f"{kind} {number}"
    problems = [f"{name} is missing" for name in needed if name not in entry]
    problems += [f"{name} is unknown" for name in entry if name not in needed and name not in optional]
    for name, wanted in needed.items():
        value = entry.get(name)
        fits = isinstance(value, wanted) or (wanted is float and isinstance(value, int))
        if value is not None and not fits:
            problems.append(f"{name} is not a {wanted.__name__}")
    if kind == "lots" and not problems:
        try:
            buffer_of_label(entry["family"], entry["nominal_ph"], table=entry.get("value_table"))
        except (CoreError, TypeError, ValueError) as error:
            problems.append(str(error))
    if problems:
        wrong[where] = f"{where}: {'; '.join(problems)}."
    return {"id": uuid.uuid4(), **optional, **entry}
