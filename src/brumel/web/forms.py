"""Reading forms: what was typed is kept, what can't be read gets a sentence in its field."""

from __future__ import annotations

import uuid
from datetime import UTC, date, datetime
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from werkzeug.datastructures import MultiDict

from brumel.core.place.local_time import NotOneMoment, moment_of
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.reckoning.definition import Number
from brumel.core.typed import NAME_MOST, NAMES, TEXT_MOST, NotANumber, number_and_rest, number_typed, whole_written
from brumel.services.errors import InvalidInput
from brumel.services.live.display import ITSELF
from brumel.services.units import in_unit
from brumel.web.context import own_unit

_FAR = 1e12
_FIRST_YEAR, _LAST_YEAR = 1990, 2100
MEANT = "-meant"
"""Behind the name of a time: which of two readings of it was chosen."""
PLACE = ("pressure", "pressure_unit", "pressure_kind", "altitude_m", "salinity", "conductivity")
"""Fields that ask for a place."""
Day = TypeVar("Day", date, datetime)


class Typed:
    """Values typed into a form, with the sentences for those that can't be read."""

    def __init__(self, form: MultiDict[str, str]) -> None:
        self.form = form
        self.errors: dict[str, str] = {}

    def meter_did(self) -> dict[str, Any]:
        """Return what a meter had done to a typed value, where the form asks."""
        if shown_as := self.text("meter_shown_as"):
            return {"shown_as": shown_as} | self._set_for_oxygen()
        method = self.text("meter_method")
        return {} if not method or method == "none" else self._compensation(method)

    def _compensation(self, method: str) -> dict[str, Any]:
        found: dict[str, Any] = {"method": method, "reference_c": self.number("meter_reference_c") or 25.0}
        return found | ({"coefficient": self.number("meter_coefficient")} if method == "linear" else {})

    def _set_for_oxygen(self) -> dict[str, float]:
        settings = {"salinity": self.number("meter_salinity"), "pressure_hpa": self.number("meter_pressure_hpa")}
        return {key: value for key, value in settings.items() if value is not None}

    def meter_does(self) -> dict[str, dict[str, Any]]:
        """Return what is said once of a meter: how it compensates, what is set in it for oxygen."""
        found: dict[str, dict[str, Any]] = {}
        if method := self.text("meter_method"):
            found["specific-conductance"] = self._compensation(method)
        if "meter_salinity" in self.form:
            found["oxygen"] = self._set_for_oxygen()
        if buffers := self.text("meter_buffers"):
            found["ph"] = {"buffers": buffers}
        if (minutes := self.number("meter_auto_off_min")) is not None:
            found[ITSELF] = {"auto_off_min": minutes}
        return found

    def place(self) -> Surroundings:
        """Return what was typed of a place, where the form asks; nothing where it does not."""
        pressure = None
        if "pressure" in self.form:
            unit, kind = self.text("pressure_unit") or "hPa", self.text("pressure_kind") or "station"
            pressure = Pressure(self.number("pressure"), unit, kind, self.number("altitude_m"))
        return Surroundings(
            pressure, self.number("salinity"), water_c=self.number("water_c"), conductivity=self.number("conductivity")
        )

    def pressure(self) -> Pressure | None:
        """Return the pressure, where one was typed or it is said that the altitude alone is known."""
        return self.place().pressure if self.text("pressure") or self.text("pressure_kind") == "altitude" else None

    def must_be_read(self) -> None:
        """Refuse where a field could not be read.

        Raises
        ------
        InvalidInput
            With the sentences for those fields.
        """
        if self.errors:
            raise InvalidInput(self.errors)

    def text(self, name: str) -> str:
        """Return the text of a field, without spaces around it; one that is too long is said."""
        found = self.form.get(name, "").strip()
        most = NAME_MOST if name in NAMES else TEXT_MOST
        if len(found) > most:
            self.errors[name] = f"Shorten it to {most} characters; it has {len(found)}."
        return found

    def number(self, name: str) -> float | None:
        """Return a number, with a point or a comma; None where the field is empty or can't be read."""
        typed = self.text(name)
        if not typed:
            return None
        try:
            return number_typed(typed)
        except NotANumber as error:
            self.errors[name] = str(error)
            return None

    def measured(self, name: str, unit: str) -> float | None:
        """Return a number in ``unit``, typed with a unit of its own, else in the one that this person reads for it."""
        typed = self.text(name)
        if not typed:
            return None
        text, carried = number_and_rest(typed) or (typed, "")
        try:
            number, unit_of_it = number_typed(text), carried or own_unit(unit)
            return in_unit(Number(name, name, unit, -_FAR, _FAR), number, unit_of_it) if unit_of_it else number
        except NotANumber as error:
            self.errors[name] = str(error)
        except ValueError as error:
            takes = str(error).partition(": ")[2]
            self.errors[name] = f"{typed!r} is not a number, and not one in a unit of it: {takes}"
        return None

    def version(self) -> int | None:
        """Return the version of what was edited; None where it is new."""
        return whole_written(self.text("version"), 8)

    def record_id(self, name: str) -> uuid.UUID | None:
        """Return a record's id; None where nothing was chosen or it can't be read."""
        return as_id(self.text(name))

    def seen(self, name: str = "seen") -> int | None:
        """Return the number of the sample up to which the page had judged a trace; None where it drew none."""
        return whole_written(self.text(name))

    def new_record_id(self, name: str = "id") -> uuid.UUID:
        """Return the id that the client made for a new record."""
        found = self.record_id(name)
        if found is None:
            self.errors[name] = "The form was incomplete: reload the page and send again."
            return uuid.uuid4()
        return found

    def day(self, name: str) -> date | None:
        """Return a date."""
        typed = self.text(name)
        if not typed:
            return None
        try:
            return self._near(name, date.fromisoformat(typed))
        except ValueError:
            self.errors[name] = f"{typed!r} is not a date: write it like 2026-05-04."
            return None

    def compensation(self) -> dict[str, Any]:
        """Say how a site's conductivity is compensated, as its fields have it."""
        return {
            "method": self.text("method") or "natural-water",
            "coefficient_percent_per_c": self.number("coefficient"),
            "reference_c": self.number("reference_c") or 25.0,
            "solids_factor": self.number("solids_factor"),
        }

    def moment(self, name: str, zone: ZoneInfo) -> datetime | None:
        """Return a date and time, local where no offset stands with it, as a moment; None where empty or unreadable.

        Where clocks change that night and it is none or two, it is asked back: what was chosen comes as ``…-meant``.
        """
        typed = self.text(name)
        if not typed:
            return None
        try:
            local = self._near(name, datetime.fromisoformat(typed))
        except ValueError:
            self.errors[name] = f"{typed!r} is not a date and time: write it like 2026-05-04T09:30."
            return None
        if local is None or local.tzinfo is not None:
            return local and local.astimezone(UTC)
        try:
            return moment_of(local, zone).astimezone(UTC)
        except NotOneMoment as asked:
            meant = next((m for m in asked.readings if m.isoformat() == self.text(f"{name}{MEANT}")), None)
            if meant is None:
                self.errors[name] = str(asked)
            return meant and meant.astimezone(UTC)

    def _near(self, name: str, found: Day) -> Day | None:
        """Return a date of this trade; a slip in the year is said."""
        if _FIRST_YEAR <= found.year <= _LAST_YEAR:
            return found
        self.errors[name] = f"The year {found.year} can't be meant: check it."
        return None


def as_id(text: str | None) -> uuid.UUID | None:
    """Return a UUID from text, or None."""
    try:
        return uuid.UUID(text or "")
    except ValueError:
        return None


def place_fields(known: Surroundings) -> dict[str, str]:
    """Return what is known of a place as the fields of a form have it."""
    salinity = {} if known.salinity is None else {"salinity": f"{known.salinity:.2f}"}
    salts = {} if known.conductivity is None else {"conductivity": f"{known.conductivity:.0f}"}
    return salinity | salts | (pressure_fields(known.pressure) if known.pressure else {})


def pressure_fields(known: Pressure) -> dict[str, str]:
    """Return a pressure as the fields of a form have it."""
    return {
        "pressure": "" if known.typed is None else f"{known.typed:g}",
        "pressure_unit": known.unit,
        "pressure_kind": known.kind,
        "altitude_m": "" if known.altitude_m is None else f"{known.altitude_m:g}",
    }
