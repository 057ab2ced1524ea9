"""Readings corrected anew with what is known better now: what a meter did, how warm, salt or heavy it was there."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import DESPITE, PRODUCT, Finding, Level
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import Limit
from brumel.core.said import says
from brumel.core.words.kept_findings import working_plain
from brumel.services.calibrating import run_responses
from brumel.services.clock import Clock
from brumel.services.live.display import meter_words
from brumel.services.readings.correct import Corrected, Measured, ShownBy, correct, water_of
from brumel.services.readings.draft import as_measured, shown_by
from brumel.services.readings.history import kept_limits, limits_at
from brumel.services.readings.row import in_place_of
from brumel.services.said import budget_rows, finding_rows, stored_findings
from brumel.store.add_fact import add_new
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Person
from brumel.store.models.visit import ReadingBasis, Visit
from brumel.store.queries import run as run_queries
from brumel.store.queries import visit as visit_queries

_WHY = "what it was corrected with was amended"


@dataclass(frozen=True)
class Anew:
    """A standing reading, and as it is with what is known now."""

    reading: Reading
    after: Corrected
    bases: tuple[uuid.UUID, ...] = ()
    """The readings that temperature, pressure, salinity or conductivity were taken from."""

    @property
    def words(self) -> str:
        """What its meter was said to have done, and did."""
        did = self.after.measured.meter_did
        return f"{meter_words(self.reading.meter_did) or 'nothing'} → {meter_words(did) or 'nothing'}"


@dataclass
class Again:
    """Corrects standing readings anew; what is known of a meter and of a site is asked once."""

    session: Session
    clock: Clock
    water: Compensation | None = None
    """How the water is compensated instead of as its site says; for what is looked at before it is said."""
    _meters: dict[uuid.UUID, ShownBy] = field(default_factory=dict)
    _checked: set[uuid.UUID] = field(default_factory=set)
    """Probes whose meters were calibrated or checked: what is known of them hangs on the moment."""
    _limits: dict[uuid.UUID | None, Mapping[str, Limit]] = field(default_factory=dict)

    def correct(self, old: Reading, measured: Measured) -> Corrected:
        """As it was corrected when it was recorded; that a probe was used in spite of something stays said."""
        assert old.probe is not None
        meter = basis = None
        if measured.signal is None:
            meter = self._meters.get(old.probe.id) or shown_by(self.session, old.probe, old.taken_at, self.clock)
            if meter.accuracy.states_accuracy and old.probe.id not in self._checked:
                if run_queries.newest_kept(self.session, old.probe.id, self.clock.now()) is None:
                    self._meters[old.probe.id] = meter  # at any moment
                else:
                    self._checked.add(old.probe.id)
        else:
            _, basis = run_responses.basis_of(self.session, old.probe.id, old.taken_at)
        water = self.water or water_of(old.site, old.taken_at)
        found = correct(measured, old.probe, basis, old.site, water, meter)
        return found.with_findings([f for f in stored_findings(old.findings) if f.code == DESPITE])

    def record(self, changes: Sequence[Anew], reason: str, person: Person) -> None:
        """Let each take the place of its reading, which stays."""
        rows: list[dict[str, Any]] = []
        findings: list[dict[str, Any]] = []
        bases: list[dict[str, Any]] = []
        for change in changes:
            old, after, key = change.reading, change.after, uuid.uuid4()
            if old.site_id not in self._limits:
                self._limits[old.site_id] = limits_at(self.session, old.site)
            rows.append(
                in_place_of(old, key, reason, person) | {
                    "value": after.value, "u": after.budget.u, "quantity": after.quantity.key,
                    "unit": after.quantity.unit, "meter_did": dict(after.measured.meter_did),
                    "derived": after.derived, "level": str(after.level), **working_plain(after.working),
                    "budget": budget_rows(after.budget),
                    "temperature_c": after.measured.temperature_c, "surroundings": after.measured.place.plain,
                    **kept_limits(self._limits[old.site_id], after),
                }
            )  # fmt: skip
            findings += [{"reading_id": key, **f} for f in finding_rows(after.findings)]
            bases += [{"reading_id": key, "basis_id": one} for one in change.bases]
        for model, added in ((Reading, rows), (ReadingFinding, findings), (ReadingBasis, bases)):
            add_new(self.session, model, added)
        self.session.flush()


def lean(session: Session, clock: Clock, amended: Collection[uuid.UUID], person: Person) -> dict[uuid.UUID, Visit]:
    """Amend what took its temperature, pressure or salts from these readings, which were amended themselves.

    A conductivity leans on a temperature, and oxygen on both: each is amended once, after all that it leans on.

    Returns
    -------
    The visits whose readings were amended so, by key.
    """
    again, touched, pending = Again(session, clock), dict[uuid.UUID, Visit](), set(amended)
    while leaning := visit_queries.leaning_on(session, pending):
        waiting = {r.id for r, _ in leaning}
        ready = [(r, bases) for r, bases in leaning if not waiting & bases]
        now = visit_queries.standing_for(session, {b for _, bases in ready for b in bases})
        again.record([_leaning(again, r, {b: now[b] for b in bases}) for r, bases in ready], _WHY, person)
        touched |= {r.visit.id: r.visit for r, _ in ready if r.visit}
        pending |= {r.id for r, _ in ready}
    return touched


def _leaning(again: Again, old: Reading, now: Mapping[uuid.UUID, Reading]) -> Anew:
    """Return a reading with what it was corrected with, by key, as that stands now."""
    measured = as_measured(old)
    place = measured.place
    standing = {key: basis for key, basis in now.items() if not basis.removed}
    for key, basis in standing.items():
        if str(key) == place.pressure_by:
            pressure = Surroundings.of(basis.surroundings).pressure
            place = replace(place, pressure=pressure or place.pressure, pressure_by=str(basis.id))
        elif str(key) == place.salinity_by:
            place = _as_salt(place, basis, "salinity", "salinity")
        elif str(key) == place.conductivity_by:
            place = _as_salt(place, basis, "conductivity", "specific-conductance")
        else:
            measured = replace(measured, temperature_c=basis.value, u_temperature_c=basis.u)
    measured = replace(measured, place=place)
    removed = [_gone(basis) for basis in now.values() if basis.removed]
    return Anew(old, again.correct(old, measured).with_findings(removed), tuple(b.id for b in standing.values()))


def _as_salt(place: Surroundings, basis: Reading, name: str, key: str) -> Surroundings:
    """Return a place with its salinity or conductivity as a reading, or what was derived beside it, says."""
    value, u = next(((d["value"], d["u"]) for d in basis.derived if d["quantity"] == key), (basis.value, basis.u))
    changes: dict[str, Any] = {name: value, f"u_{name}": u, f"{name}_by": str(basis.id)}
    return replace(place, **changes)


def _gone(removed: Reading) -> Finding:
    name = quantity(removed.quantity).name
    return Finding(
        "basis-removed", Level.DOUBTFUL,
        says("basis-removed", name=name), says("basis-removed.then", name=name), 5, PRODUCT,
    )  # fmt: skip
