"""The questions that services ask of the store: counts, people, probes, sites, rounds."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session, joinedload

from brumel.store.models.reference import ChangeCount, Person, PlannedRound, Probe, Site


def change_counts(session: Session) -> Mapping[str, int]:
    """Say how many transactions have recorded or changed something, by table; none where a table has none."""
    counts: Mapping[str, int] = session.execute(select(ChangeCount.counts)).scalar_one()
    return counts


def person_by_login(session: Session, login: str) -> Person | None:
    """Return the person who signs in with this name."""
    return session.scalar(select(Person).where(Person.login == login))


def probes(session: Session, some: Collection[uuid.UUID] | None = None, *, retired: bool = False) -> Sequence[Probe]:
    """Return all probes that are used, or some, by label; ``retired`` has the others too."""
    query = select(Probe).order_by(Probe.label)
    if some is not None:
        query = query.where(Probe.id.in_(some))
    elif not retired:
        query = query.where(Probe.retired_on.is_(None))
    return session.scalars(query).all()


def planned_rounds(session: Session, since: datetime) -> Sequence[PlannedRound]:
    """Rounds that leave after a moment and have not been dropped, the next first."""
    query = select(PlannedRound).where(PlannedRound.departure > since, ~PlannedRound.dropped)
    return session.scalars(query.order_by(PlannedRound.departure)).all()


def sites(session: Session, *, retired: bool = False) -> Sequence[Site]:
    """Return all sites that are read, by code; ``retired`` has the others too."""
    query = select(Site).order_by(Site.code).options(joinedload(Site.ranges))
    return session.scalars(query if retired else query.where(Site.retired_on.is_(None))).unique().all()


def some_sites(session: Session, ids: Collection[uuid.UUID]) -> Sequence[Site]:
    """Return sites by their keys."""
    return session.scalars(select(Site).where(Site.id.in_(ids)).order_by(Site.code)).all() if ids else []


@dataclass(frozen=True)
class Criteria:
    """Which records to find; None lets all pass. ``until`` is excluded."""

    probe_id: uuid.UUID | None = None
    site_id: uuid.UUID | None = None
    quantity: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    level: str | None = None
    with_amended: bool = False


def between(column: Any, wanted: Criteria) -> list[ColumnElement[bool]]:
    """That a moment lies within the span that is asked for."""
    found: list[ColumnElement[bool]] = []
    if wanted.since is not None:
        found.append(column >= wanted.since)
    if wanted.until is not None:
        found.append(column < wanted.until)
    return found
