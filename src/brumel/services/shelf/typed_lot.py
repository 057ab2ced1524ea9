"""A lot as it is typed: what can be taken of it, and what can't."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.kit.shelf import Pack, standards
from brumel.core.place.water import SOLIDS_FACTORS
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.salinity import SALTIEST, conductivity_from_salinity
from brumel.core.standards.buffers import COMBINED, LABEL_TEMPERATURE_C, sold_as
from brumel.core.standards.targets import (
    CONDUCTIVITY,
    KCL,
    PH_BUFFER,
    SEA_WATER,
    Bottle,
    bottle_of,
    check_bottle,
    families_of,
)
from brumel.core.typed import number_typed
from brumel.core.wording import day_words, from_to, grouped

LABEL_UNITS = {"": "µS/cm", "mS": "mS/cm", "ppm": "ppm, by a factor", "salinity": "practical salinity"}
"""What a conductivity standard's label may be stated in."""
_WEAKEST_US_CM = 50.0
"""No standard of potassium chloride is sold weaker (common practice): then mS/cm was meant."""
_MOST_VALUE = 1_000_000.0
_LEAST_U = 1e-6
_ALIKE = 0.05
"""Farther from its label at 25 °C, a table is another lot's (rule of this product)."""
COVERAGES = {2.0: "U (k = 2)", 1.0: "u (k = 1)"}
"""The uncertainties that certificates state, by coverage factor."""
_DAYS = "Days must be from 1 to 3 650."
_SAME_LABEL = 0.003
"""Labels of a buffer this close are the same, pH: 4.005 is printed as 4.00 and as 4.01."""
LEAST, MOST = 0.1, 20_000.0
"""How much can be in a lot or taken from it, mL or pieces."""
AMOUNT = from_to(LEAST, MOST)
_ALSO = {"nominal": "also_us_cm", "table": "also_table", "certificate_u": "also_u", "family": "also_us_cm"}
"""The fields of a combined solution's conductivity."""


@dataclass(frozen=True)
class NewLot:
    """A lot to receive, as typed."""

    lot_id: uuid.UUID
    standard: str
    lot_number: str
    family: str = ""
    nominal: float | None = None
    received_on: date | None = None
    expires_on: date | None = None
    open_life_days: float | None = None
    pack: str = Pack.BOTTLE
    content: float | None = None
    certificate_u: float | None = None
    certificate_k: float | None = 1.0
    """With which coverage factor its certificate states it: 1 or 2."""
    label_unit: str = ""
    """In which unit its label states a conductivity, by key of :data:`LABEL_UNITS`; its standard's own where empty."""
    factor: float | None = None
    """ppm for each µS/cm, of a label in ppm."""
    table: str = ""
    """Its own values as typed, a line each: temperature, °C, and value in the standard's unit."""
    also_us_cm: float | None = None
    """Of a solution that is a buffer too its conductivity at 25 °C, µS/cm; ``also_table``, ``also_u`` as above."""
    also_table: str = ""
    also_u: float | None = None


@dataclass(frozen=True)
class Correction:
    """What stands of a lot after a correction, and why."""

    record_id: uuid.UUID
    lot_number: str
    received_on: date | None
    expires_on: date | None
    opened_on: date | None
    open_life_days: float | None
    content: float | None
    reason: str
    version: int | None


def standard_u(new: NewLot) -> tuple[NewLot, dict[str, str]]:
    """Return a lot with its certificate's uncertainty as a standard one, and what can't be told of it."""
    if new.certificate_u is None and new.also_u is None:
        return new, {}
    if new.certificate_k not in COVERAGES:
        return new, {"certificate_k": "Choose which uncertainty the certificate states: most print U (k = 2)."}
    k = new.certificate_k
    own, also = (None if u is None else u / k for u in (new.certificate_u, new.also_u))
    return replace(new, certificate_u=own, also_u=also, certificate_k=1.0), {}


def in_us_cm(new: NewLot) -> tuple[NewLot, dict[str, str]]:
    """Return a conductivity standard with its label in µS/cm at 25 °C, and what can't be of its unit."""
    if new.standard != CONDUCTIVITY or new.nominal is None:
        return new, {}
    if new.label_unit not in LABEL_UNITS:
        return new, {"label_unit": "Choose the unit that stands on the label."}
    if new.label_unit == "mS":
        return replace(new, nominal=round(new.nominal * 1000.0, 6)), {}
    if new.label_unit == "ppm":
        low, high = SOLIDS_FACTORS
        if new.factor is None or not low <= new.factor <= high:
            return new, {"factor": f"A label in ppm needs its factor, {low:g} to {high:g}: 0.5 as NaCl."}
        return replace(new, nominal=round(new.nominal / new.factor, 6)), {}
    if new.label_unit == "salinity":
        if not 0 < new.nominal <= SALTIEST:
            return new, {"nominal": f"A practical salinity lies above 0 and up to {SALTIEST:g}."}
        at_25 = float(conductivity_from_salinity(new.nominal, LABEL_TEMPERATURE_C)) * 1000.0
        return replace(new, nominal=round(at_25), family=SEA_WATER), {}
    if new.family == KCL and 0 < new.nominal < _WEAKEST_US_CM:
        words = f"{new.nominal:g} µS/cm is weaker than any that is sold: was mS/cm meant? Choose the unit on the label."
        return new, {"nominal": words}
    return new, {}


def also_of(new: NewLot, today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """Return the conductivity standard in the bottle of a combined buffer, as a row has it, and what can't be of it."""
    if new.standard != PH_BUFFER or new.family != COMBINED:
        if new.also_us_cm is None:
            return {}, {}
        return {}, {"also_us_cm": "Only a combined solution has two values: choose that family."}
    if new.also_us_cm is None:
        return {}, {"also_us_cm": "Give its conductivity too: one solution, two values."}
    face = replace(new, standard=CONDUCTIVITY, nominal=new.also_us_cm, label_unit="", certificate_u=new.also_u)
    table, unread = table_of(new.also_table)
    found = wrong_with(face, table, today) | unread
    wrong = {_ALSO[field]: words for field, words in found.items() if field in _ALSO}
    row = {"id": uuid.uuid5(new.lot_id, "also"), "standard": CONDUCTIVITY, "nominal": new.also_us_cm,
           "certificate_u": new.also_u, "value_table": table or None}  # fmt: skip
    return row, wrong


def table_of(text: str) -> tuple[list[list[float]], dict[str, str]]:
    """Return temperature and value of each line, and what can't be read."""
    found: list[list[float]] = []
    low, high = TEMPERATURE_RANGE_C
    for number, line in enumerate((x for x in text.splitlines() if x.strip()), 1):
        parts = line.replace(";", " ").replace("|", " ").split()
        try:
            temperature_c, value = (number_typed(part) for part in parts)
            if not (low <= temperature_c <= high and abs(value) <= _MOST_VALUE):
                raise ValueError(line)
        except (ValueError, CoreError):
            return [], {"table": f"Line {number} can't be read: write temperature and value, like 20 1278."}
        found.append([temperature_c, value])
    return found, {}


def _unlike_label(bottle: Bottle) -> dict[str, str]:
    """Return a table that is not this label's: at 25 °C the two say the same."""
    at_25 = dict(bottle.table).get(25.0)
    if at_25 is None or bottle.nominal is None or abs(at_25 - bottle.nominal) <= _ALIKE * abs(bottle.nominal):
        return {}
    return {"table": f"At 25 °C the table has {at_25:g}, the label {bottle.nominal:g}: one is not this lot's."}


def _not_of_family(bottle: Bottle) -> dict[str, str]:
    """Return a value that its family of buffers lacks, on a bottle without a table of its own."""
    sold = sold_as(bottle.family) if bottle.standard == PH_BUFFER else []
    if not sold or bottle.table or bottle.nominal is None or any(abs(v - bottle.nominal) < _SAME_LABEL for v in sold):
        return {}
    values = ", ".join(f"{v:.2f}" if round(v, 2) == v else f"{v:.3f}" for v in sold)
    return {"nominal": f"This family has {values}: choose another family, or give the bottle's own table below."}


def _wrong_on_label(lot_number: str, open_life_days: float | None) -> dict[str, str]:
    """Return what can't be of a lot's number and days of opening, whether new or corrected."""
    wrong = {}
    if not lot_number.strip():
        wrong["lot_number"] = "Give the lot number that stands on the bottle."
    if open_life_days is not None and not 1 <= open_life_days <= 3650:
        wrong["open_life_days"] = _DAYS
    return wrong


def wrong_with(new: NewLot, table: list[list[float]], today: date) -> dict[str, str]:
    wrong = _wrong_on_label(new.lot_number, new.open_life_days)
    received = new.received_on or today
    if new.standard not in standards():
        wrong["standard"] = "Choose what it is."
    elif standards()[new.standard].unit and new.nominal is None:
        wrong["nominal"] = f"Give its value at 25 °C, {standards()[new.standard].unit}."
    elif new.nominal is not None and new.standard != "orp" and not 0 < new.nominal <= _MOST_VALUE:
        wrong["nominal"] = f"The value of a standard must be above 0 and up to {grouped(_MOST_VALUE)}."
    if new.expires_on is None:
        wrong["expires_on"] = "Give the day that it expires."
    elif new.expires_on < received:
        wrong["expires_on"] = "A lot can't expire before it was received: check both dates."
    if received > today:
        wrong["received_on"] = "A lot can't be received on a day to come."
    if new.pack not in set(Pack):
        wrong["pack"] = "Choose what it comes in."
    elif new.content is not None and not LEAST <= new.content <= MOST:
        wrong["content"] = f"How many {Pack(new.pack).unit} there are must be from {AMOUNT}."
    elif new.content is not None and new.pack != Pack.BOTTLE and new.content != int(new.content):
        wrong["content"] = f"Give a whole number of {new.pack}."
    if new.certificate_u is not None and not _LEAST_U <= new.certificate_u <= _MOST_VALUE:
        wrong["certificate_u"] = (
            f"An uncertainty must be from {from_to(_LEAST_U, _MOST_VALUE)}, in the unit of the label."
        )
    if new.standard in standards() and new.nominal is not None and (families := families_of(new.standard)):
        if new.family not in families:
            wrong["family"] = f"Choose the {standards()[new.standard].short}'s family."
        elif new.standard == PH_BUFFER and not 0 < new.nominal < 14:
            wrong["nominal"] = "The value of a buffer lies between pH 0 and 14."
        else:
            try:
                bottle = bottle_of(new.standard, new.family, new.nominal, table, None)
                check_bottle(bottle)
                wrong |= _unlike_label(bottle) | _not_of_family(bottle)
            except CoreError as error:
                wrong["table" if table else "family"] = str(error)
    return wrong


def wrong_opening(opened_on: date | None, received_on: date | None, today: date) -> dict[str, str]:
    """Return what can't be of the day that a lot was opened."""
    if opened_on and (opened_on > today or (received_on and opened_on < received_on)):
        return {"opened_on": "It can't have been opened before it was received, or on a day to come."}
    return {}


def wrong_correction(new: Correction, today: date) -> dict[str, str]:
    wrong = _wrong_on_label(new.lot_number, new.open_life_days)
    if new.received_on is None or new.received_on > today:
        wrong["received_on"] = "Give the day that it was received, not one to come."
    if new.expires_on is None or (new.received_on and new.expires_on < new.received_on):
        wrong["expires_on"] = "Give the day that it expires, not before it was received."
    wrong |= wrong_opening(new.opened_on, new.received_on, today)
    if new.open_life_days is None:
        wrong["open_life_days"] = _DAYS
    if new.content is not None and not LEAST <= new.content <= MOST:
        wrong["content"] = f"How much there was must be from {AMOUNT}."
    if not new.reason.strip():
        wrong["correction"] = "Say in a few words what was wrong; it stays on record."
    return wrong


CORRECTED = {
    "lot_number": "lot number", "received_on": "received", "expires_on": "expires", "opened_on": "opened",
    "open_life_days": "days of opening", "content": "content",
}  # fmt: skip
"""What a correction may change of a lot, with its name in the log."""


def correction_words(before: Mapping[str, object], changed: Mapping[str, object]) -> str:
    """Return what a correction changes, as the log has it."""
    return "; ".join(f"{CORRECTED[n]}: {_said(before[n])} → {_said(value)}" for n, value in changed.items())


def _said(value: object) -> str:
    if isinstance(value, date):
        return day_words(value)
    return "none" if value is None else f"{value:g}" if isinstance(value, int | float) else str(value)
