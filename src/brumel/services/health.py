"""Whether all that the application leans on is there: for a monitor, and for who looks after it."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from brumel.core.wording import counted
from brumel.store.database import Database, StoreError

_LEAST_FREE = 200_000_000
"""With less left on the disk, bytes, it is called full (rule of this product)."""
_LINES = text(
    "SELECT url, EXISTS (SELECT 1 FROM pg_locks WHERE locktype = 'advisory' AND granted AND objsubid = 1"
    " AND database = (SELECT oid FROM pg_database WHERE datname = current_database())"
    " AND ((classid::bigint << 32) | objid::bigint) = hashtextextended(url, 1)) AS owned"
    " FROM (SELECT DISTINCT url FROM device) AS lines ORDER BY url"
)
"""Each line, and whether a link owns it."""


@dataclass(frozen=True)
class Check:
    """One thing that is needed, and what is wrong with it; empty where nothing is."""

    name: str
    wrong: str = ""


@dataclass(frozen=True)
class Health:
    """Looks at the database, its schema, the links and the disk."""

    database: Database
    data: Path | None = None
    """Where the data of this installation are; None where somebody else keeps them."""

    def checks(self) -> list[Check]:
        """All checks; what can't be asked without a database is not."""
        found = [Check("disk", self._disk())]
        try:
            self.database.reachable()
        except StoreError as away:
            return [*found, Check("database", away.for_people)]
        return [*found, Check("database"), Check("schema", self._schema()), Check("links", self._links())]

    def _disk(self) -> str:
        if self.data is None or not self.data.exists():
            return ""
        free = os.statvfs(self.data).f_bavail * os.statvfs(self.data).f_frsize
        return f"Only {free / 1e6:.0f} MB are free on the disk of the data." if free < _LEAST_FREE else ""

    def _schema(self) -> str:
        from brumel.store import schema  # imported late: no request needs it

        with self.database.session() as session:
            return schema.problem(session.connection()) or ""

    def _links(self) -> str:
        with self.database.session() as session:
            unread = [row for row in session.execute(_LINES) if not row.owned]
        return f"{counted(len(unread), 'line')} without a link that reads." if unread else ""
