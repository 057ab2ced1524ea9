"""Questions about readings."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import Select, Text, cast, func, select, true
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Session, aliased, defer, selectinload
from sqlalchemy.orm.interfaces import ORMOption

from brumel.core.quantities.quantity import quantities
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Site
from brumel.store.queries.reference import Criteria, between
from brumel.store.queries.visit import by_name, stands, with_site
from brumel.store.showable import ALL_OF_THEM


def _without_working(reading: type[Reading]) -> tuple[ORMOption, ...]:
    """Long lists need neither working nor budget, and both are read from JSON."""
    long = (reading.working, reading.working_said, reading.budget)
    return tuple(defer(column, raiseload=True) for column in long)


def all_readings(wanted: Criteria, *, findings: bool = True, working: bool = False) -> Select[Reading]:
    """Readings that fit, even if no page can show them, newest first; those that were amended only where asked for."""
    conditions = between(Reading.taken_at, wanted)
    if wanted.probe_id is not None:
        conditions.append(Reading.probe_id == wanted.probe_id)
    if wanted.site_id is not None:
        conditions.append(Reading.site_id == wanted.site_id)
    if wanted.quantity is not None:
        conditions.append(Reading.quantity == wanted.quantity)
    if wanted.level is not None:
        conditions.append(Reading.level == wanted.level)
    if not wanted.with_amended:
        conditions.append(stands())
    query = select(Reading).where(*conditions).order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
    query = query.options(*by_name(), *(() if working else _without_working(Reading)))
    query = query.execution_options(**{ALL_OF_THEM: True})
    return query.options(selectinload(Reading.findings)) if findings else query


def readings(
    session: Session, wanted: Criteria, *, limit: int | None = None, offset: int = 0, findings: bool = True,
    working: bool = True,
) -> Sequence[Reading]:  # fmt: skip
    """Return some of :func:`all_readings`."""
    query = all_readings(wanted, findings=findings, working=working)
    return session.scalars(query.limit(limit).offset(offset)).all()


def sites_read_with(session: Session, probe_id: uuid.UUID, since: datetime) -> set[uuid.UUID]:
    """Return the sites that a probe has read since a moment."""
    return set(
        session.scalars(
            select(Reading.site_id).where(Reading.probe_id == probe_id, Reading.taken_at >= since, stands()).distinct()
        )
    )


def reading_in_full(session: Session, reading_id: uuid.UUID) -> Reading | None:
    """Return a reading with its findings, also one that can't be shown."""
    whole = selectinload(Reading.findings), *with_site()
    query = select(Reading).where(Reading.id == reading_id).options(*whole)
    return session.scalar(query.execution_options(**{ALL_OF_THEM: True}))


def amendment_of(session: Session, reading_id: uuid.UUID) -> Reading | None:
    """Return the reading that amends this one, if there is one."""
    return session.scalar(select(Reading).where(Reading.amends_id == reading_id))


def last_readings_of_sites(session: Session) -> dict[uuid.UUID, list[Reading]]:
    """The newest reading of every site and quantity that no amendment has replaced, the newest first; without working.

    One look at the index for each site and quantity, so that it costs the same after ten years.
    """
    keys = select(func.unnest(cast([*quantities()], ARRAY(Text))).label("key")).subquery()
    newest = (
        select(Reading)
        .where(Reading.site_id == Site.id, Reading.quantity == keys.c.key, stands())
        .order_by(Reading.taken_at.desc(), Reading.ordinal.desc())
        .limit(1)
        .lateral()
    )
    found = aliased(Reading, newest)
    query = select(found).select_from(Site).join(keys, true()).join(newest, true())
    query = query.options(*_without_working(found), *by_name(found))
    by_site: dict[uuid.UUID, list[Reading]] = {}
    for reading in sorted(session.scalars(query), key=lambda r: (r.taken_at, r.ordinal), reverse=True):
        assert reading.site_id is not None
        by_site.setdefault(reading.site_id, []).append(reading)
    return by_site
