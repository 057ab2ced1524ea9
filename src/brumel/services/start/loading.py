"""Entering devices, meters, probes, lots and sites from a TOML file, all or nothing.

What a file says becomes what the forms of those places make of what is typed, and is judged by the same functions;
here stands only which fields a file may have, and of which shape.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from brumel.core.errors import CoreError
from brumel.core.outside_data import UnreadableText, read_toml, shown
from brumel.core.record.shapes import Shape, day, each, fields, flag, named, number, one_of, text
from brumel.core.sensing.principles import principles
from brumel.core.standards.targets import PH_BUFFER
from brumel.core.typed import NAME_MOST
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.kit.meters import NewMeter, fill_meter, wrong_meter
from brumel.services.kit.probes import NewProbe, probe_row, wrong_probe
from brumel.services.live.channels import TEMPERATURE, Carries, Channel, signal_channel
from brumel.services.shelf.lots import put_on_shelf
from brumel.services.shelf.typed_lot import NewLot, wrong_opening
from brumel.services.sites.sites import NewSite, fill_site, wrong_site
from brumel.store.database import Database
from brumel.store.models.reference import Device, Meter, Site

_CHANNELS = {
    "temperature": TEMPERATURE,
    **{p.signal_unit: signal_channel(p) for p in reversed(principles())},
    "unused": Channel(Carries.OTHER),
}
Entry = Mapping[str, Any]


@dataclass(frozen=True)
class Loading:
    """Use cases around what there is to choose from."""

    database: Database
    clock: Clock

    def load(self, words: str) -> dict[str, int]:
        """Enter all that a TOML text lists; return how many of each.

        Raises
        ------
        InvalidInput
            With every entry that can't be taken; nothing is entered then.
        """
        try:
            data = read_toml(words)
        except UnreadableText as error:
            raise InvalidInput({"file": str(error)}) from error
        if wrong := dict(_misshapen(data)):
            raise InvalidInput(wrong)
        with self.database.session() as session:
            for kind, add in _ADDERS.items():
                for place, entry in enumerate(data.get(kind, []), 1):
                    where = f"{kind} {place}"
                    try:
                        add(session, entry, self.clock.today())
                        session.flush()
                    except InvalidInput as refused:
                        wrong[where] = " ".join(_said(where, entry, n, words) for n, words in refused.fields.items())
                    except CoreError as error:
                        wrong[where] = f"{where}: {error}"
            if wrong:
                raise InvalidInput(wrong)
        return {kind: len(data.get(kind, [])) for kind in _ADDERS}


def _said(where: str, entry: Entry, field: str, words: str) -> str:
    """Return a sentence of a form with its place in the file, and what stands there."""
    return f"{where}, {field} {shown(entry[field])}: {words}" if field in entry else f"{where}, {field}: {words}"


def _misshapen(data: Entry) -> Iterator[tuple[str, str]]:
    """Yield what in a file has not the shape that is read, by entry."""
    for kind, entries in data.items():
        if kind not in _SHAPES:
            yield kind, f"{shown(kind)} is none of {', '.join(_SHAPES)}."
            continue
        if not isinstance(entries, list):
            yield kind, f"{kind} must be a list of tables: begin each with [[{kind}]]."
            continue
        for place, entry in enumerate(entries, 1):
            if wrong := "; ".join(_SHAPES[kind](entry)):
                yield f"{kind} {place}", f"{kind} {place}: {wrong}."


def _pair(value: object) -> Iterator[str]:
    if not isinstance(value, list) or len(value) != 2 or any(True for end in value for _ in number()(end)):
        yield f"must be a pair of numbers, the lower first; {shown(value)} is not"


_NAME, _NUMBER = text(NAME_MOST), number()
_OF_THE_KIT: Mapping[str, Shape] = {"label": _NAME, "serial": _NAME, "kit": _NAME, "in_service_on": day}
_SHAPES: Mapping[str, Shape] = {
    "devices": fields(
        {"label": _NAME, "url": text(), "address": _NAME},
        {"channels": each(one_of(list(_CHANNELS))), "period_s": number(0.05, 3_600.0)},
    ),
    "meters": fields(
        {**_OF_THE_KIT, "takes": each(_NAME)},
        {"compensates": each(_NAME), "buffer_families": each(_NAME), "holds_calibration": flag, "polarises_off": flag,
         "accuracy": named(text()), "memory_records": _NUMBER, "batteries": text(), "battery_hours": _NUMBER},
    ),
    "probes": fields(
        {**_OF_THE_KIT, "kind": _NAME},
        {"device": _NAME, "meter": _NAME, "own_waits": named(_NUMBER), "reference": text(), "steers": text()},
    ),
    "lots": fields(
        {"lot_number": _NAME, "received_on": day, "expires_on": day, "open_life_days": _NUMBER},
        {"standard": _NAME, "family": text(), "nominal": _NUMBER, "opened_on": day, "certificate_u": _NUMBER,
         "value_table": each(_pair), "pack": _NAME, "content": _NUMBER},
    ),
    "sites": fields(
        {"code": _NAME, "name": _NAME, "water_kind": _NAME, "visit_every_days": _NUMBER}, {"expected": named(_pair)}
    ),
}  # fmt: skip
"""The fields that each must and may have."""


def _add_device(session: Session, entry: Entry, today: date) -> None:
    del today
    if session.scalar(select(Device.id).where(Device.label == entry["label"])):
        raise InvalidInput({"label": "Another device has this label: choose one that differs."})
    usual = {"channels": ["temperature", "mV"], "period_s": 1.0}
    row = {**usual, **entry}
    row["channels"] = [_CHANNELS[c].plain for c in row["channels"]]
    session.add(Device(id=uuid.uuid4(), **row))


def _add_meter(session: Session, entry: Entry, today: date) -> None:
    given = {"holds_calibration": True, **entry, "takes": [in_force().kind(k).key for k in entry["takes"]]}
    new = NewMeter(uuid.uuid4(), **given)
    _refuse(wrong_meter(session, new, today))
    meter = Meter(id=new.meter_id, version=1)
    fill_meter(meter, new)
    session.add(meter)


def _add_probe(session: Session, entry: Entry, today: date) -> None:
    given = {**entry, "kind": in_force().kind(entry["kind"]).key}
    device, meter = (_labelled(session, model, given.pop(name, None), name)
                     for name, model in (("device", Device), ("meter", Meter)))  # fmt: skip
    new = NewProbe(uuid.uuid4(), **given, meter_id=meter)
    _refuse(wrong_probe(session, new, today))
    row = probe_row(new)
    row.device_id = device
    session.add(row)


def _add_lot(session: Session, entry: Entry, today: date) -> None:
    given = {"standard": PH_BUFFER, **entry}
    opened_on, rows = given.pop("opened_on", None), given.pop("value_table", [])
    _refuse(wrong_opening(opened_on, given["received_on"], today))
    table = "\n".join(f"{temperature_c} {value}" for temperature_c, value in rows)
    put_on_shelf(session, NewLot(uuid.uuid4(), **given, table=table), today).opened_on = opened_on


def _add_site(session: Session, entry: Entry, today: date) -> None:
    del today
    expected = {key: (float(low), float(high)) for key, (low, high) in entry.get("expected", {}).items()}
    new = NewSite(uuid.uuid4(), **{**entry, "expected": expected})
    _refuse(wrong_site(session, new))
    site = Site(id=new.site_id, version=1)
    fill_site(site, new)
    session.add(site)


_ADDERS: Mapping[str, Callable[[Session, Entry, date], None]] = {
    "devices": _add_device, "meters": _add_meter, "probes": _add_probe, "lots": _add_lot, "sites": _add_site,
}  # fmt: skip
"""In the order of what points to what."""


def _refuse(wrong: dict[str, str]) -> None:
    if wrong:
        raise InvalidInput(wrong)


def _labelled(session: Session, model: type[Device] | type[Meter], label: str | None, name: str) -> uuid.UUID | None:
    if label is None:
        return None
    found = session.scalar(select(model.id).where(model.label == label))
    if found is None:
        raise InvalidInput({name: f"No {name} has this label: list it in {name}s."})
    return found
