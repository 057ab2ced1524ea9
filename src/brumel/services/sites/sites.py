"""Sites: entering them, and what is expected of their waters."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.place.station_pressure import ALTITUDE_M
from brumel.core.place.water import METHODS, SOLIDS_FACTORS, Compensation, wrong_with
from brumel.core.quantities.quantity import of_a_round, quantities, quantity
from brumel.services.acts import act
from brumel.services.clock import Clock
from brumel.services.editing import edited
from brumel.services.errors import InvalidInput, NotFound, check_number, check_value
from brumel.services.people import may_record, may_set_limits
from brumel.store.add_fact import add_once
from brumel.store.database import Database
from brumel.store.models.reference import Person, Site, SiteRange
from brumel.store.models.visit import SiteLimit
from brumel.store.queries import reference as queries

_MOST_DAYS = 3_650.0

Reach = tuple[float | None, float | None]


@dataclass(frozen=True)
class NewSite:
    """A site, as typed; also for changing one."""

    site_id: uuid.UUID
    code: str
    name: str
    water_kind: str
    visit_every_days: float | None
    expected: Mapping[str, Reach] = field(default_factory=dict)
    """Lower and upper end by quantity; both None where nothing is expected."""
    compensation: Mapping[str, Any] = field(default_factory=dict)
    """How its conductivity is compensated, as :class:`Compensation` has it."""
    altitude_m: float | None = None
    """How high it lies; station pressure leans on it where no barometer is at hand."""
    access: str = ""
    """How to get in safely."""
    version: int | None = None
    """The version that was looked at; None for a new one."""


@dataclass(frozen=True)
class NewLimit:
    """A limit for one site instead of its water kind's, with where it comes from."""

    limit_id: uuid.UUID
    site_id: uuid.UUID
    quantity: str
    low: float | None
    high: float | None
    reason: str


@dataclass(frozen=True)
class Sites:
    """Use cases around what sites there are."""

    database: Database
    clock: Clock

    @act(site="new.site_id")
    def limit(self, new: NewLimit, person: Person) -> None:
        """Set a limit for a site; only a supervisor may. What was judged before keeps its judgement.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_set_limits(person)
        wrong = _wrong_limit(new)
        if wrong:
            raise InvalidInput(wrong)
        with self.database.session() as session:
            if session.get(Site, new.site_id) is None:
                raise NotFound("There is no such site.")
            row = {
                "id": new.limit_id, "site_id": new.site_id, "person_id": person.id, "at": self.clock.now(),
                "quantity": new.quantity, "low": new.low, "high": new.high, "reason": new.reason.strip(),
            }  # fmt: skip
            add_once(session, SiteLimit, row, told=("site_id", "quantity", "low", "high", "reason"))

    @act(site="new.site_id")
    def save(self, new: NewSite, person: Person) -> uuid.UUID:
        """Enter a site, or change it.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            wrong = wrong_site(session, new)
            if wrong:
                raise InvalidInput(wrong)
            with edited(session, Site, new.site_id, new.version, _shown) as site:
                fill_site(site, new)
        return new.site_id


def _shown(site: Site) -> dict[str, object]:
    reaches = {quantity(r.quantity).name: f"{r.low:g} to {r.high:g}" for r in site.ranges}
    return {"name": site.name, "every, days": site.visit_every_days, **reaches}


def _wrong_limit(new: NewLimit) -> dict[str, str]:
    wrong: dict[str, str] = {}
    if new.quantity not in quantities():
        return {"quantity": "Choose the quantity."}
    about = quantity(new.quantity)
    for name, value in (("low", new.low), ("high", new.high)):
        if value is not None:
            check_value(wrong, name, value, about)
    if new.low is None and new.high is None:
        wrong["low"] = "Give at least one end."
    elif new.low is not None and new.high is not None and not new.low < new.high:
        wrong["high"] = "It must lie above the lower end."
    if not new.reason.strip():
        wrong["reason"] = "Say where this limit comes from."
    return wrong


def fill_site(site: Site, new: NewSite) -> None:
    """Put into a row what was typed of a site, of which nothing is wrong."""
    assert new.visit_every_days is not None
    site.code, site.name = new.code.strip().upper(), new.name.strip()
    site.water_kind, site.visit_every_days = new.water_kind.strip(), int(new.visit_every_days)
    site.access = new.access.strip()
    if new.version is None:  # later it is set from a moment on
        site.altitude_m, site.compensation = new.altitude_m, asdict(Compensation.of(new.compensation))
    known = {r.quantity: r for r in site.ranges}
    kept = []
    for key, (low, high) in new.expected.items():
        if low is None or high is None:
            continue
        row = known.get(key) or SiteRange(quantity=key)
        row.low, row.high = low, high
        kept.append(row)
    site.ranges = kept


def wrong_site(session: Session, new: NewSite) -> dict[str, str]:
    """Return what can't be taken of a site, by field."""
    wrong = {
        name: words
        for name, value, words in (
            ("code", new.code, "Give it a short code."),
            ("name", new.name, "Give its name."),
            ("water_kind", new.water_kind, "Say what kind of water it is."),
        )
        if not value.strip()
    }
    days = new.visit_every_days
    if days is None or not (1 <= days <= _MOST_DAYS and days == int(days)):
        wrong["visit_every_days"] = "Give the days between visits, a whole number from 1 to 3 650."
    if any(s.id != new.site_id and s.code == new.code.strip().upper() for s in queries.sites(session, retired=True)):
        wrong["code"] = "Another site has this code: choose one that differs."
    if new.altitude_m is not None:
        check_number(wrong, "altitude_m", new.altitude_m, ALTITUDE_M, "m", "altitude")
    wrong |= wrong_compensation(Compensation.of(new.compensation))
    known = {q.key: q for q in of_a_round()}
    for key, (low, high) in new.expected.items():
        if key not in known:
            wrong[key] = f"Known quantities are {', '.join(known)}."
        elif (low is None) != (high is None):
            wrong[key] = "Give both ends, or leave both empty."
        elif low is not None and high is not None:
            found = dict[str, str]()
            for end in (low, high):
                check_value(found, key, end, known[key])
            wrong |= found or ({} if low < high else {key: "The lower end must be below the upper."})
    return wrong


def wrong_compensation(water: Compensation) -> dict[str, str]:
    """Return what can't be of a compensation and its factor of solids, by field."""
    given = {"method": water.method, "coefficient": water.coefficient_percent_per_c, "reference_c": water.reference_c}
    wrong = wrong_with(given, METHODS)
    low, high = SOLIDS_FACTORS
    if water.solids_factor is not None and not low <= water.solids_factor <= high:
        wrong["solids_factor"] = f"It must be from {low:g} to {high:g}; 0.5 as NaCl, 0.7 for many waters."
    return wrong
