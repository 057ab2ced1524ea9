"""The one way to add a fact: by the key that came with its form, so that sending twice makes one record."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from brumel.store.database import StoreError
from brumel.store.models.base import Base


class OtherContent(StoreError):
    """A form that was saved already came again with other content."""


def add_once(session: Session, model: type[Base], values: dict[str, Any], told: Collection[str] = ()) -> bool:
    """Insert a row unless its primary key is there already; True where it was inserted.

    Parameters
    ----------
    told
        Columns that the form itself filled: a row that is there already must say the same of them.

    Raises
    ------
    OtherContent
        Where it does not; the sentence says what stands.
    """
    keys = [column.name for column in model.__table__.primary_key]
    done = session.execute(
        insert(model)
        .values(**values)
        .on_conflict_do_nothing(index_elements=keys)
        .returning(*(model.__table__.c[key] for key in keys))
    )
    if done.first() is not None:
        return True
    stands(session, model, {key: values[key] for key in keys}, {name: values[name] for name in told})
    return False


def stands(session: Session, model: type[Base], key: Mapping[str, Any], told: Mapping[str, Any]) -> bool:
    """Whether a row of this key is there, with what was told; refuses other content."""
    table = model.__table__
    names = [*told] or list(key)
    row = session.execute(
        select(*(table.c[name] for name in names)).where(*(table.c[name] == value for name, value in key.items()))
    ).first()
    if row is None:
        return False
    other = {n: v for n, v in zip(names, row, strict=True) if told and _plain(v) != _plain(told[n])}
    if other:
        known = "; ".join(f"{name.replace('_', ' ')} {_words(value)}" for name, value in other.items())
        raise OtherContent(
            f"This form was saved already, with other content, and that stands: {known}. "
            "To enter something else, open the form anew."
        )
    return True


def _plain(value: Any) -> Any:
    """Without the difference between an enumeration and its text."""
    return str(value) if isinstance(value, str) else value


def _words(value: Any) -> str:
    return "not given" if value in (None, "") else f"{value}"
