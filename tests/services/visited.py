"""Visits as people make them: opened, typed, saved, read."""

from __future__ import annotations

import uuid
from collections.abc import Mapping

from brumel.services.application import Services
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visit_view import VisitView
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person


def site_id(services: Services, code: str) -> uuid.UUID:
    return next(s.id for s in services.states.sites() if s.code == code)


def probe(services: Services, label: str) -> str:
    return f"probe:{next(s.probe.id for s in services.states.probe_states() if s.probe.label == label)}"


def opened(services: Services, person: Person, code: str = "", sample: str = "") -> uuid.UUID:
    new = NewVisit(uuid.uuid4(), site_id(services, code) if code else None, sample)
    return services.visits.open(new, person)


def entries(values: Mapping[str, tuple[str, str]], despite: str = "") -> list[TypedIn]:
    return [TypedIn(uuid.uuid4(), key, text, "", read_with, despite) for key, (text, read_with) in values.items()]


def save(
    services: Services, person: Person, visit: uuid.UUID, values: Mapping[str, tuple[str, str]], **more: object
) -> VisitView:
    services.visits.save(visit, Sheet(entries(values, "as it is"), **more), person)
    return services.visits.view(visit)


def read(view: VisitView, key: str) -> list[Reading]:
    return [r for r in view.readings if r.quantity == key]
