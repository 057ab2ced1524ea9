"""Questions about the shelf: lots, their log, what was taken from them."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, null, select, union_all
from sqlalchemy.orm import Session

from brumel.core.calibrating.procedure import SHARED_CUP
from brumel.core.said import Named, as_plain
from brumel.core.sensing.principle import OTHERWISE
from brumel.store.models.calibration import CalibrationPoint, CalibrationRun
from brumel.store.models.reference import Lot
from brumel.store.models.shelf import LotRecord


def lots(session: Session, usable_standard: str | None = None) -> Sequence[Lot]:
    """Return all lots, by value, the freshest first; or those of one standard that have not been discarded."""
    query = select(Lot).order_by(Lot.standard, Lot.nominal, Lot.expires_on.desc(), Lot.lot_number)
    if usable_standard is not None:
        query = query.where(Lot.standard == usable_standard, Lot.discarded_on.is_(None))
    return session.scalars(query).all()


def lot_records(session: Session, lot_id: uuid.UUID | None = None) -> Sequence[LotRecord]:
    """Return the shelf's log, the oldest first; of one lot or of all."""
    query = select(LotRecord).order_by(LotRecord.at, LotRecord.ordinal)
    return session.scalars(query if lot_id is None else query.where(LotRecord.lot_id == lot_id)).all()


def taken_from_lots(session: Session, since: datetime | None = None) -> list[tuple[uuid.UUID, float | None, float]]:
    """Of a lot a share of a cup that the rinse took, how many points were taken so; without a share, how much by hand.

    All, or since a moment; of lots that were not discarded.
    """
    standing = select(Lot.id).where(Lot.discarded_on.is_(None))
    share = CalibrationRun.method["rinse"]["standard_share"].as_float()
    query = (
        select(CalibrationPoint.lot_id, share, func.count())
        .join(CalibrationRun, CalibrationRun.id == CalibrationPoint.run_id)
        .where(
            CalibrationPoint.lot_id.in_(standing),
            ~CalibrationPoint.deviations_said.contains([as_plain(Named(OTHERWISE, SHARED_CUP))]),
        )
        .group_by(CalibrationPoint.lot_id, share)
    )
    by_hand = select(LotRecord.lot_id, null(), func.sum(LotRecord.amount))
    by_hand = by_hand.where(LotRecord.lot_id.in_(standing), LotRecord.amount.is_not(None))
    by_hand = by_hand.group_by(LotRecord.lot_id)
    if since is not None:
        query, by_hand = query.where(CalibrationPoint.taken_at >= since), by_hand.where(LotRecord.at >= since)
    return [(row[0], row[1], float(row[2])) for row in session.execute(union_all(query, by_hand))]
