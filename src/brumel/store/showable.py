"""Readings that no page can show: of a quantity that is not known here, or of no time or level there is.

None is taken in (:mod:`brumel.store.validity`), but one may stand from before, or its quantity's folder may be gone.
They are out of every question's sight; the ledger alone asks for them too, and says in their place what is wrong.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import ColumnElement, and_, event
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker, with_loader_criteria
from sqlalchemy.orm.interfaces import ORMOption

from brumel.core.findings import Level
from brumel.core.quantities.quantity import quantities
from brumel.core.record.shapes import EARLIEST
from brumel.core.tables import kept
from brumel.store import validity
from brumel.store.models.reading import Reading

ALL_OF_THEM = "all_of_them"
"""The execution option of a question that wants those too."""
_LATEST = datetime(2200, 1, 1, tzinfo=UTC)
_LOOKED_AT = ("quantity", "level", "taken_at", "recorded_at", "u", "derived", "limits", "surroundings")


@kept
def _showable() -> ColumnElement[bool]:
    return and_(
        Reading.quantity.in_(list(quantities())),
        Reading.level.in_([str(level) for level in Level]),
        Reading.taken_at.between(EARLIEST, _LATEST),
        Reading.recorded_at.between(EARLIEST, _LATEST),
    )


@kept
def _option() -> ORMOption:
    return with_loader_criteria(Reading, _showable(), include_aliases=True)


def keep_out_of_sight(sessions: sessionmaker[Session]) -> None:
    """Leave what can't be shown out of all that these sessions ask of readings."""
    if not event.contains(sessions, "do_orm_execute", _leave_out):
        event.listen(sessions, "do_orm_execute", _leave_out)


def _leave_out(asked: ORMExecuteState) -> None:
    first = asked.is_select and not asked.is_column_load and not asked.is_relationship_load
    if first and not asked.execution_options.get(ALL_OF_THEM):
        asked.statement = asked.statement.options(_option())


def why_not_shown(reading: Reading) -> str:
    """Return why a reading can't be shown, in words; empty where it can."""
    loaded: dict[str, Any] = {name: reading.__dict__[name] for name in _LOOKED_AT if name in reading.__dict__}
    return "; ".join(validity.of_columns(Reading, loaded))
