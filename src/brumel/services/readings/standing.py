"""The readings of a visit that stand, and what is known by them at each spot."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence

from sqlalchemy.orm import Session

from brumel.core.reading.together import Taken
from brumel.services.errors import NotFound
from brumel.services.readings.given_value import Spot
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.visit import Visit
from brumel.store.queries import visit as visit_queries


def standing(readings: Iterable[Reading]) -> list[Reading]:
    """Return readings that no other takes the place of."""
    found = list(readings)
    gone = {r.amends_id for r in found}
    return [r for r in found if r.id not in gone and not r.removed]


def standing_of(session: Session, visit: Visit) -> list[Reading]:
    """Return the readings of a visit that stand, without what hangs on them."""
    return standing(visit_queries.readings_of_visits(session, [visit.id]).get(visit.id, ()))


def visit_of(session: Session, visit_id: uuid.UUID) -> Visit:
    """Return a visit by its key."""
    visit = visit_queries.visit(session, visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    return visit


def spots_of(readings: Iterable[Reading]) -> list[Spot]:
    """Say where something was read, each place once."""
    return list(dict.fromkeys(Spot(r.depth_m, r.layer, r.replicate) for r in readings))


def seen_at(readings: Sequence[Reading], spot: Spot) -> dict[str, Taken]:
    """Return what is known at a spot, by quantity: read there, else on the same visit where nothing was said of a spot.

    What followed from a reading by itself (salinity from a conductivity) is known with it.
    """
    found: dict[str, Taken] = {}
    everywhere = Spot()
    for place in (everywhere, Spot(spot.depth_m, spot.layer), spot):
        here = [r for r in readings if Spot(r.depth_m, r.layer, r.replicate) == place]
        # What was read of a quantity goes before what followed from another.
        for each in (_beside, what_was_read):
            for r in here:
                found |= each(r)
    return found


def _beside(reading: Reading) -> dict[str, Taken]:
    """Return what follows from a reading by itself, or was sensed with it."""
    record = str(reading.id)
    found = {d["quantity"]: Taken(d["quantity"], d["value"], d["u"], "", record) for d in reading.derived}
    if reading.temperature_c is not None and reading.probe is not None and reading.source == Source.DEVICE:
        found.setdefault("temperature", Taken("temperature", reading.temperature_c, 0.1, "", record))
    return found


def what_was_read(reading: Reading) -> dict[str, Taken]:
    """Return what was read."""
    shares = (f"the calibration of {reading.probe.label}",) if reading.probe and reading.calibration_run_id else ()
    itself = Taken(reading.quantity, reading.value, reading.u, reading.qualifier, str(reading.id), shares)
    return {reading.quantity: itself}
