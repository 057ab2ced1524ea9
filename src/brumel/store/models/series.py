"""Samples as they are kept: blocks of a series, each belonging to exactly one thing."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from brumel.core.numbers.series import BLOCK_MOST
from brumel.store.models.base import Base, own_id

_OWNERS = ("point_id", "reading_id")


class SeriesBlock(Base):
    """Up to a thousand samples of a series: the trace of a point or of a reading.

    Times are s since the series began; the first and the last moment say when that was.
    """

    __tablename__ = "series_block"
    __table_args__ = (
        CheckConstraint(f"num_nonnulls({', '.join(_OWNERS)}) = 1", name="of_one"),
        CheckConstraint(f"cardinality(times_s) BETWEEN 1 AND {BLOCK_MOST}", name="times_s_size"),
        CheckConstraint("cardinality(samples) = cardinality(times_s)", name="samples_size"),
        CheckConstraint("cardinality(temperature_c) = cardinality(times_s)", name="temperature_c_size"),
        CheckConstraint("number >= 0", name="number_least"),
        CheckConstraint("last_at >= first_at", name="last_at_after"),
        *(UniqueConstraint(owner, "number") for owner in _OWNERS),
    )

    id: Mapped[uuid.UUID] = own_id()
    point_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("calibration_point.id"))
    reading_id: Mapped[uuid.UUID | None] = mapped_column(ForeignKey("reading.id"))
    number: Mapped[int]
    """Its place within the series, from 0."""
    first_at: Mapped[datetime]
    last_at: Mapped[datetime]
    unit: Mapped[str]
    """Of the samples."""
    times_s: Mapped[list[float]]
    samples: Mapped[list[float]]
    temperature_c: Mapped[list[float] | None]
    """With each sample, where it was measured."""
