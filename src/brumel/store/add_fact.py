"""The one way to add a fact: by the key that came with its form, so that sending twice makes one record."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import cache
from typing import Any, cast

from sqlalchemy import Table, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session
from sqlalchemy.sql.dml import ReturningInsert

from brumel.store import validity
from brumel.store.database import StoreError, hand_over
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
    Unfit
        Where the row can't be a record.
    OtherContent
        Where what is there says something else; the sentence says what stands.
    """
    validity.check(model, values)
    hand_over(session)
    statement, keys = _insertion(model)
    if session.execute(statement, values).first() is not None:
        return True
    stands(session, model, {key: values[key] for key in keys}, {name: values[name] for name in told})
    return False


def add_new(session: Session, model: type[Base], rows: Sequence[dict[str, Any]]) -> None:
    """Insert rows that belong to a record which was just made.

    Raises
    ------
    Unfit
        Where one can't be a record.
    """
    for row in rows:
        validity.check(model, row)
    if rows:
        hand_over(session)
        session.execute(insert(model), list(rows))


@cache
def _insertion(model: type[Base]) -> tuple[ReturningInsert[Any], list[str]]:
    """Return the statement that adds a row unless its key is there, and the names of its key."""
    table = cast(Table, model.__table__)
    keys = [column.name for column in table.primary_key]
    return insert(table).on_conflict_do_nothing(index_elements=keys).returning(*(table.c[key] for key in keys)), keys


def stands(session: Session, model: type[Base], key: Mapping[str, Any], told: Mapping[str, Any]) -> bool:
    """Say whether a row of this key is there, with what was told; refuses other content."""
    table = model.__table__
    names = [*told] or list(key)
    row = session.execute(
        select(*(table.c[name] for name in names)).where(*(table.c[name] == value for name, value in key.items()))
    ).first()
    if row is None:
        return False
    if told:
        refuse_other(dict(zip(names, row, strict=True)), told)
    return True


def refuse_other(known: Mapping[str, Any], told: Mapping[str, Any]) -> None:
    """Refuse a form that was saved already and came again with other content.

    Raises
    ------
    OtherContent
        Where what is known differs from what is told; the sentence says what stands.
    """
    other = {n: v for n, v in known.items() if _plain(v) != _plain(told[n])}
    if other:
        words = "; ".join(f"{name.replace('_', ' ')} {_words(value)}" for name, value in other.items())
        raise OtherContent(
            f"This form was saved already, with other content, and that stands: {words}. "
            "To enter something else, open the form anew."
        )


def _plain(value: Any) -> Any:
    """Without the difference between an enumeration and its text."""
    return str(value) if isinstance(value, str) else value


def _words(value: Any) -> str:
    return "not given" if value in (None, "") else f"{value}"
