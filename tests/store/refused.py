"""By which SQLSTATE the database refuses a statement."""

from __future__ import annotations

import psycopg
from tests.acting import hand_over

CHECK = "23514"


PRIVILEGE, KEPT, FEATURE = "42501", "BR001", "0A000"
"""SQLSTATE: insufficient privilege; our trigger's own; a truncation that foreign keys forbid."""


def state_of(url: str, statement: str, key: str = "") -> str | None:
    """The SQLSTATE by which a statement is refused; None where it is carried out (and taken back)."""
    with psycopg.connect(url) as connection:
        hand_over(connection, key)
        try:
            connection.execute(statement)
        except psycopg.Error as error:
            return error.sqlstate
        finally:
            connection.rollback()
    return None
