"""Readings that no page can show: of a quantity that is not known here, or of no time or level there is.

None is taken in (:mod:`brumel.store.validity`), but one may stand from before, or its quantity's folder may be gone.
They are out of every question's sight; the ledger alone asks for them too, and says in their place what is wrong.
"""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, cast

from sqlalchemy import Table, event, or_, select
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker, with_loader_criteria
from sqlalchemy.orm.interfaces import ORMOption

from brumel.core.findings import Level
from brumel.core.quantities.quantity import quantities
from brumel.core.record.shapes import EARLIEST
from brumel.store import validity
from brumel.store.models.reading import Reading

ALL_OF_THEM = "all_of_them"
"""The execution option of a question that wants those too."""
_ASKED = "showable readings"
_LATEST = datetime(2200, 1, 1, tzinfo=UTC)
_LOOKED_AT = ("quantity", "level", "taken_at", "recorded_at", "u", "derived", "limits", "surroundings")


def keep_out_of_sight(sessions: sessionmaker[Session]) -> None:
    """Leave what can't be shown out of all that these sessions ask of readings."""
    if _ASKED not in sessions.kw.setdefault("info", {}):
        sessions.kw["info"][_ASKED] = _Sight()
        event.listen(sessions, "do_orm_execute", _leave_out)


class _Sight:
    """Which readings can't be shown: looked for once, for none comes later, and most houses have none."""

    def __init__(self) -> None:
        self.option: ORMOption | None = None
        self.looked = False

    def look(self, session: Session) -> None:
        table = cast(Table, Reading.__table__)
        odd = select(table.c.id).where(
            or_(
                table.c.quantity.not_in(list(quantities())),
                table.c.level.not_in([str(level) for level in Level]),
                ~table.c.taken_at.between(EARLIEST, _LATEST),
                ~table.c.recorded_at.between(EARLIEST, _LATEST),
            )
        )
        if keys := list(session.execute(odd).scalars()):
            self.option = with_loader_criteria(Reading, Reading.id.not_in(keys), include_aliases=True)
        self.looked = True


def _leave_out(asked: ORMExecuteState) -> None:
    if not asked.is_select or asked.is_column_load or asked.is_relationship_load or not asked.is_orm_statement:
        return
    sight: _Sight = asked.session.info[_ASKED]
    if not sight.looked:
        sight.look(asked.session)
    if sight.option is not None and not asked.execution_options.get(ALL_OF_THEM):
        asked.statement = asked.statement.options(sight.option)


def why_not_shown(reading: Reading) -> str:
    """Return why a reading can't be shown, in words; empty where it can."""
    loaded: dict[str, Any] = {name: reading.__dict__[name] for name in _LOOKED_AT if name in reading.__dict__}
    return "; ".join(validity.of_columns(Reading, loaded))
