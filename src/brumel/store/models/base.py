"""What all models share: the base with named constraints, and columns that stand in several tables."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime
from enum import StrEnum
from typing import Any, ClassVar

from sqlalchemy import (
    ARRAY,
    DateTime,
    Double,
    FetchedValue,
    MetaData,
    Text,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all models, with named constraints."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        str: Text,
        float: Double,
        datetime: DateTime(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        list[float]: ARRAY(Double),
        list[str]: ARRAY(Text),
    }


class Source(StrEnum):
    """How a value came in."""

    DEVICE = "device"
    TYPED_SIGNAL = "typed-signal"
    TYPED_VALUE = "typed-value"
    """As the meter shows it."""
    INSTRUMENT = "instrument"
    """By a test kit, photometer, titration or laboratory."""
    BY_EYE = "by-eye"
    """Typed, and nothing was said of what it was read with."""
    DERIVED = "derived"
    """Worked out from other readings of the visit."""


def one_of(column: str, values: Iterable[str]) -> str:
    return f"{column} IN ({', '.join(repr(str(v)) for v in values)})"


def own_id() -> Mapped[uuid.UUID]:
    return mapped_column(primary_key=True)


def own_version() -> Mapped[int]:
    """Counts the changes of a row that may change: who edits an older one is told."""
    return mapped_column(server_default=text("1"))


class Recorded:
    """Who recorded a fact that stands by itself, and when: put by the owner's trigger, from the key handed over.

    Whom and when a fact is *of*, ``person_id`` and its moment, is what was said; nobody else's name is taken for it
    but from a file.
    """

    recorded_by: Mapped[uuid.UUID] = mapped_column(server_default=FetchedValue())
    recorded_at: Mapped[datetime] = mapped_column(server_default=FetchedValue())


class FindingColumns:
    """A finding as it was when its record was made; the record's own key comes beside it."""

    ordinal: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str]
    level: Mapped[str]
    sentence: Mapped[str]
    remedy: Mapped[str]
    minutes: Mapped[int | None]
    source: Mapped[str]
    said: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    """What it says, what is to be done and where its limit comes from, by their keys; the other columns are the words
    that were read. None of an older record."""
