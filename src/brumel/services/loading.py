"""Entering devices, meters, probes, lots and sites from a TOML file, all or nothing."""

from __future__ import annotations

import tomllib
import uuid
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import read_accuracy
from brumel.core.kit.care import about_care
from brumel.core.kit.kinds import probe_kind
from brumel.core.kit.shelf import Pack, standards
from brumel.core.quantities.quantity import of_a_round, quantity
from brumel.core.quantities.redox import REFERENCES
from brumel.core.sensing.principles import principles
from brumel.core.standards.targets import PH_BUFFER, bottle_of, check_bottle
from brumel.core.typed import far_in
from brumel.services.errors import InvalidInput, check_value
from brumel.services.live.channels import TEMPERATURE, Carries, Channel, signal_channel
from brumel.store.database import Database
from brumel.store.models.base import Base
from brumel.store.models.reference import Device, Lot, Meter, Probe, Site, SiteRange

_KINDS: dict[str, tuple[type[Base], dict[str, type]]] = {
    "devices": (Device, {"label": str, "url": str, "address": str}),
    "meters": (Meter, {"label": str, "serial": str, "kit": str, "in_service_on": date, "takes": list}),
    "probes": (Probe, {"label": str, "serial": str, "kind": str, "kit": str, "in_service_on": date}),
    "lots": (
        Lot,
        {"lot_number": str, "received_on": date, "expires_on": date, "open_life_days": int},
    ),
    "sites": (
        Site,
        {
            "code": str,
            "name": str,
            "water_kind": str,
            "visit_every_days": int,
        },
    ),
}
_OPTIONAL: dict[str, dict[str, Any]] = {
    "devices": {"channels": ["temperature", "mV"], "period_s": 1.0},
    "probes": {"device": None, "meter": None, "own_waits": {}, "reference": "", "steers": ""},
    "meters": {
        "compensates": [],
        "buffer_families": [],
        "holds_calibration": True,
        "polarises_off": False,
        "accuracy": {},
        "memory_records": None,
        "batteries": "",
        "battery_hours": None,
    },
    "lots": {
        "standard": PH_BUFFER,
        "family": "",
        "nominal": None,
        "opened_on": None,
        "certificate_u": None,
        "value_table": None,
        "pack": "bottle",
        "content": None,
    },
    "sites": {"expected": {}},
}
_POINTS_TO: dict[str, type[Device] | type[Meter]] = {"device": Device, "meter": Meter}


@dataclass(frozen=True)
class Loading:
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
                    for name, other in _POINTS_TO.items():
                        label = row.pop(name, None)
                        if label is not None:
                            row[f"{name}_id"] = _labelled(session, other, name, label)
                    expected = row.pop("expected", {})
                    session.add(model(**row))
                    session.flush()
                    session.add_all(
                        SiteRange(site_id=row["id"], quantity=p, low=low, high=high)
                        for p, (low, high) in expected.items()
                    )
                session.flush()
        return {kind: len(found) for kind, found in rows.items()}


def _labelled(session: Session, model: type[Device] | type[Meter], name: str, label: str) -> uuid.UUID:
    found = session.scalar(select(model.id).where(model.label == label))
    if found is None:
        raise InvalidInput({name: f"No {name} has the label {label!r}: list it in {name}s."})
    return found


def _lot_problems(row: dict[str, Any]) -> list[str]:
    """What is wrong with a lot; a lot that is no buffer is a family of its own."""
    if row["standard"] not in standards():
        return [f"standard is none of {', '.join(standards())}"]
    if row["pack"] not in set(Pack):
        return [f"pack is none of {', '.join(Pack)}"]
    if standards()[row["standard"]].unit and not isinstance(row["nominal"], int | float):
        return ["nominal is missing"]
    if standards()[row["standard"]].needs_value:
        check_bottle(
            bottle_of(row["standard"], row["family"], row["nominal"], row["value_table"], row["certificate_u"])
        )
    row["family"] = row["family"] or row["standard"]
    return []


_CHANNELS = {
    "temperature": TEMPERATURE,
    **{p.signal_unit: signal_channel(p) for p in reversed(principles())},
    "unused": Channel(Carries.OTHER),
}


def _device_problems(row: dict[str, Any]) -> list[str]:
    """What is wrong with a device; its channels are named in the order of its answer."""
    unknown = [c for c in row["channels"] if c not in _CHANNELS]
    if unknown:
        return [f"channels has {c!r}, known are {', '.join(_CHANNELS)}" for c in unknown]
    row["channels"] = [_CHANNELS[c].plain for c in row["channels"]]
    return []


def _probe_problems(row: dict[str, Any]) -> list[str]:
    """What is wrong with a probe; its kind is given by key."""
    kind = probe_kind(row["kind"])
    if kind.own_reference and row["reference"] not in REFERENCES:
        return [f"reference is none of {', '.join(REFERENCES)}"]
    return [f"own_waits has {c!r}, which is no care" for c in row["own_waits"] if c not in about_care()]


def _meter_problems(row: dict[str, Any]) -> list[str]:
    """What is wrong with a meter; the kinds that it takes may be given by key or by name, accuracy as a data sheet."""
    row["takes"] = [probe_kind(k).key for k in row["takes"]]
    row["accuracy"] = {key: read_accuracy(words).plain for key, words in row["accuracy"].items()}
    return []


def _range_problems(row: dict[str, Any]) -> list[str]:
    """What is wrong with a site's expected ranges."""
    expected = row["expected"]
    if not isinstance(expected, dict):
        return ["expected is not a table of quantities"]
    known = [q.key for q in of_a_round()]
    found = [f"expected has {p!r}, known are {', '.join(known)}" for p in expected if p not in known]
    for key, reach in expected.items():
        pair = reach if isinstance(reach, list) and len(reach) == 2 else [0, 0]
        if not all(isinstance(x, int | float) for x in pair) or not pair[0] < pair[1]:
            found.append(f"expected {key} is not a pair of numbers, the lower first")
            continue
        if key in known:
            wrong, about = dict[str, str](), quantity(key)
            for end in pair:
                check_value(wrong, key, end, about)
            found += [f"expected {key}: {words.rstrip('.')}" for words in wrong.values()]
    return found


_PROBLEMS = {
    "devices": _device_problems, "lots": _lot_problems, "probes": _probe_problems, "meters": _meter_problems,
    "sites": _range_problems,
}  # fmt: skip
"""What is looked at beyond the types of an entry; may put a row right."""


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
    if (far := far_in(entry)) is not None:
        problems.append(f"{far:g} is too large to be meant")
    row = {"id": uuid.uuid4(), **optional, **entry}
    if not problems and kind in _PROBLEMS:
        try:
            problems += _PROBLEMS[kind](row)
        except (CoreError, TypeError, ValueError) as error:
            problems.append(str(error))
    if problems:
        wrong[where] = f"{where}: {'; '.join(problems)}."
    return row
