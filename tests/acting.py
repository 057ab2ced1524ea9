"""Who acts in tests of services: whoever a record is said to be of, by a stay that the owner gives them."""

from __future__ import annotations

import re
import threading
import uuid
from collections.abc import Mapping, Sequence
from typing import Any

import psycopg
from sqlalchemy import event

from brumel.store.database import Database, who_acts
from brumel.store.models.tables import STANDING

_ADDS = re.compile(rf"INSERT INTO ({'|'.join(m.__tablename__ for m in STANDING)}) ")


def minted(owner_url: str, person_id: uuid.UUID) -> str:
    """The key of a new stay of somebody, as only the owner gives it without a password."""
    with psycopg.connect(owner_url) as connection:
        row = connection.execute("SELECT brumel_mint(%s, '300 days', 'test')", [person_id]).fetchone()
    assert row is not None
    return str(row[0])


def hand_over(connection: psycopg.Connection[Any], key: str, said: str = "") -> None:
    """Tell the database who acts until this transaction ends, as the application does."""
    connection.execute("SELECT set_config('brumel.key', %s, true), set_config('brumel.said', %s, true)", [key, said])


def as_said(database: Database, owner_url: str) -> Database:
    """Let each fact be recorded by whom it is of, where nobody acts by a key: the services are given a person."""
    keys: dict[uuid.UUID, str] = {}
    lock = threading.Lock()

    def act(_connection: object, cursor: Any, statement: str, parameters: Any, _context: object, _many: object) -> None:
        if who_acts() is not None or not _ADDS.match(statement):
            return
        rows: Sequence[Mapping[str, Any]] = parameters if isinstance(parameters, list | tuple) else [parameters]
        people = {v for row in rows for name, v in row.items() if name.startswith("person_id") and v is not None}
        if not people:
            return
        who = sorted(people, key=str)[0]
        with lock:
            if who not in keys:
                keys[who] = minted(owner_url, who)
        hand_over(cursor.connection, keys[who], "elsewhere" if len(people) > 1 else "")

    event.listen(database.engine, "before_cursor_execute", act)
    return database
