"""Whether all that the application leans on is there: for a monitor, and for who looks after it."""

from __future__ import annotations

import contextlib
import json
import os
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.orm import Session

from brumel.core.wording import counted
from brumel.services.cached.shared import Shared
from brumel.store.database import TRIED, Database, StoreError

_LEAST_FREE = 200_000_000
"""With less left on the disk, bytes, it is called full (rule of this product)."""
_DEADLINE_S, _STANDS_S = 2, 2.0
"""So long the server is waited for, and an answer of it stands (rule of this product)."""
_NOTED, _LATELY = 50, timedelta(hours=1)
"""So many restarts are kept, and shown for so long."""
_LINES = text(
    "SELECT url, EXISTS (SELECT 1 FROM pg_locks WHERE locktype = 'advisory' AND granted AND objsubid = 1"
    " AND database = (SELECT oid FROM pg_database WHERE datname = current_database())"
    " AND ((classid::bigint << 32) | objid::bigint) = hashtextextended(url, 1)) AS owned"
    " FROM (SELECT DISTINCT url FROM device) AS lines ORDER BY url"
)
"""Each line, and whether a link owns it."""


@dataclass(frozen=True)
class HealthCheck:
    """One thing that is needed, and what is wrong with it; empty where nothing is."""

    name: str
    wrong: str = ""


@dataclass(frozen=True)
class Restart:
    """A part that ended by itself and was started again: which, why, when."""

    what: str
    why: str
    at: datetime


def note_restart(notes: Path, what: str, why: str) -> None:
    """Note that a part is started again, for the pages; the log says it too, where the disk takes no note."""
    line = json.dumps({"what": what, "why": why, "at": datetime.now(UTC).isoformat()})
    with contextlib.suppress(OSError):
        notes.parent.mkdir(parents=True, exist_ok=True)
        known = notes.read_text(encoding="utf-8").splitlines() if notes.exists() else []
        new = notes.with_suffix(".new")
        new.write_text("\n".join([*known, line][-_NOTED:]) + "\n", encoding="utf-8")
        new.chmod(0o644)  # who serves may be another user than who starts
        new.replace(notes)


@dataclass(frozen=True)
class Health:
    """Looks at the database, its schema, the links and the disk."""

    database: Database
    data: Path | None = None
    """Where the data of this installation are; None where somebody else keeps them."""
    notes: Path | None = None
    """Where it is noted that a part was started again."""
    _asked: Shared[list[HealthCheck]] = field(default_factory=lambda: Shared(_STANDS_S, _DEADLINE_S), compare=False)

    def checks(self) -> list[HealthCheck]:
        """Return all checks; what can't be asked without a database is not."""
        late = [HealthCheck("database", f"The database does not answer within {_DEADLINE_S} s.")]
        return [HealthCheck("disk", self._disk()), *self._asked.get(self._of_database, late)]

    def _of_database(self) -> list[HealthCheck]:
        """Return what the server says of itself: whether it takes records, its schema, who reads the lines."""
        try:
            with self.database.alone(2 * _DEADLINE_S) as session:  # ends by itself, after nobody waits
                session.execute(TRIED)
                return [
                    HealthCheck("database"),
                    HealthCheck("schema", _schema(session)),
                    HealthCheck("links", _links(session)),
                ]
        except StoreError as away:
            return [HealthCheck("database", away.for_people)]

    @property
    def serves_apart(self) -> bool:
        """Whether who serves can't read the owner's secrets: where one user starts and serves, it can."""
        owners = self.data.glob("*/secrets") if self.data else ()
        return not any(os.access(folder, os.R_OK | os.X_OK) for folder in owners)

    def restarts(self) -> list[Restart]:
        """Return what was started again within the last hour, the newest of each part, the newest first."""
        try:
            lines = self.notes.read_text(encoding="utf-8").splitlines() if self.notes else []
        except OSError:
            lines = []
        since, newest = datetime.now(UTC) - _LATELY, dict[str, Restart]()
        for line in lines:
            told = json.loads(line)
            if (at := datetime.fromisoformat(told["at"])) >= since:
                newest[told["what"]] = Restart(told["what"], told["why"], at)
        return sorted(newest.values(), key=lambda r: r.at, reverse=True)

    def _disk(self) -> str:
        if self.data is None or not self.data.exists():
            return ""
        free = os.statvfs(self.data).f_bavail * os.statvfs(self.data).f_frsize
        return f"Only {free / 1e6:.0f} MB are free on the disk of the data." if free < _LEAST_FREE else ""


def _schema(session: Session) -> str:
    from brumel.store import schema  # imported late: no request needs it

    return schema.problem(session.connection()) or ""


def _links(session: Session) -> str:
    unread = [row for row in session.execute(_LINES) if not row.owned]
    return f"{counted(len(unread), 'line')} without a link that reads." if unread else ""
