"""A bottle and the lots in it, and what was taken from them: a combined solution is two lots in one bottle."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Mapping, Sequence

from sqlalchemy.orm import Session

from brumel.core.calibrating.procedure import ml_per_point
from brumel.core.kit.shelf import Pack, standards
from brumel.services.errors import NotFound
from brumel.store.database import hold
from brumel.store.models.reference import Lot
from brumel.store.queries import shelf as shelf_queries


def lot_of(session: Session, lot_id: uuid.UUID) -> Lot:
    """Return the lot of this key.

    Raises
    ------
    NotFound
        Where there is none.
    """
    lot = session.get(Lot, lot_id)
    if lot is None:
        raise NotFound("There is no such lot.")
    return lot


def label_of(lot: Lot) -> str:
    """Return what stands on a bottle: its kind and value."""
    standard = standards()[lot.standard]
    if lot.nominal is None:
        return standard.name
    return f"{standard.name} {standard.value_words(lot.nominal)}"


def taken_of(session: Session) -> list[tuple[Lot, float]]:
    """Return all lots, each with what was taken from its bottle."""
    lots = shelf_queries.lots(session)
    used = used_of_each({lot.id: lot for lot in lots}, shelf_queries.taken_from_lots(session))
    of_bottle: dict[uuid.UUID, float] = defaultdict(float)
    for lot in lots:
        of_bottle[lot.bottle] += used[lot.id]
    return [(lot, of_bottle[lot.bottle]) for lot in lots]


def in_bottle(session: Session, lot_id: uuid.UUID) -> list[Lot]:
    """A lot, and what else stands in its bottle; nobody else takes from that bottle until the transaction ends."""
    lot = lot_of(session, lot_id)
    hold(session, lot.bottle)
    session.expire_all()
    return [lot, *(x for x in shelf_queries.lots(session) if x.id != lot.id and x.bottle == lot.bottle)]


def used_of_each(
    lots: Mapping[uuid.UUID, Lot], taken: Sequence[tuple[uuid.UUID, float | None, float]]
) -> dict[uuid.UUID, float]:
    """Return what calibration points and hands took from each lot, in the unit of its pack."""
    used = dict.fromkeys(lots, 0.0)
    for lot_id, share, count in taken:
        in_a_bottle = share is not None and lots[lot_id].pack == Pack.BOTTLE
        used[lot_id] += count * (ml_per_point(share or 0.0) if in_a_bottle else 1.0)
    return used
