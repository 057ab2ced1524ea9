"""Rows that may change: who edits an older state than the one that stands is told what stands."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from typing import Protocol, TypeVar

from sqlalchemy.orm import Session

from brumel.services.errors import InvalidInput


class Versioned(Protocol):
    """A row that counts its changes."""

    id: uuid.UUID
    version: int

    def __init__(self, *, id: uuid.UUID, version: int) -> None: ...  # noqa: A002


Row = TypeVar("Row", bound=Versioned)


def refuse_older(row: Versioned, seen: int | None, stands: Mapping[str, object]) -> None:
    """Refuse to change a row that somebody else changed since it was seen, saying what stands."""
    if seen is not None and seen != row.version:
        said = _said(stands)
        raise InvalidInput(
            {"version": f"Somebody changed it meanwhile; what stands now: {said}. Look at both, then save again."}
        )


def _said(stands: Mapping[str, object]) -> str:
    return ", ".join(f"{name} “{value}”" for name, value in stands.items())


@contextmanager
def edited(
    session: Session, model: type[Row], key: uuid.UUID, seen: int | None, shown: Callable[[Row], Mapping[str, object]]
) -> Iterator[Row]:
    """A row to fill within the block: a new one, or the one that stands, whose change is counted.

    Parameters
    ----------
    seen
        The version at which it was seen; None where its form was one for a new row.
    shown
        What stands, by the words for it.

    Raises
    ------
    InvalidInput
        Where somebody changed it meanwhile, or a form for a new row comes again with other content: the form comes
        back with what was typed, and may be saved again.
    """
    row = session.get(model, key)
    if row is None:
        row = model(id=key, version=1)
        session.add(row)
        yield row
        return
    stands = shown(row)
    refuse_older(row, seen, stands)
    with session.no_autoflush:
        yield row
        changed = bool(session.new or session.deleted) or any(session.is_modified(each) for each in session.dirty)
    if changed and seen is None:
        raise InvalidInput(
            {"version": f"It was saved already; what stands: {_said(stands)}. Look at both, then save again."}
        )
    row.version += changed
