"""Bringing a database to the newest schema, and what the application's role may do in it."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from importlib.resources import files

import psycopg
from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, create_engine, delete, insert, select, text

from brumel.core.quantities.quantity import quantities
from brumel.store.database import StoreError
from brumel.store.models.reference import QuantityBound
from brumel.store.models.tables import (
    ADDED_BY_THE_OWNER,
    FACTS,
    ONLY_READ,
    OPERATIONAL,
    REFERENCE,
    addable,
    changeable,
)

CALLED = (
    "brumel_first_person", "brumel_how", "brumel_invited", "brumel_sign_in", "brumel_sign_out", "brumel_who",
)  # fmt: skip
"""The owner's functions that the application may call."""


def configuration(connection: Connection | None = None) -> Config:
    """Alembic's configuration for the migrations that ship with the application."""
    config = Config()
    config.set_main_option("script_location", str(files("brumel.store").joinpath("migrations")))
    config.attributes["connection"] = connection
    return config


def upgrade(owner_url: str, application_role: str, revision: str = "head") -> None:
    """Migrate as the owner and set what the application's role may do.

    Raises
    ------
    StoreError
        Where the application would own the tables it must not be able to change.
    """
    engine = create_engine(owner_url)
    try:
        with engine.begin() as connection:
            if connection.execute(text("SELECT current_user")).scalar_one() == application_role:
                raise StoreError(
                    f"The role {application_role!r} would own the tables, and records must not be changeable: "
                    "migrate with another role (BRUMEL_DATABASE_OWNER_URL)."
                )
            command.upgrade(configuration(connection), revision)
            if revision == "head":
                _grant(connection, application_role)
                _bound(connection)
    finally:
        engine.dispose()


def downgrade(owner_url: str, revision: str = "base") -> None:
    """Take the schema back; for tests and for operators who know why."""
    engine = create_engine(owner_url)
    try:
        with engine.begin() as connection:
            command.downgrade(configuration(connection), revision)
    finally:
        engine.dispose()


@cache
def _newest() -> str | None:
    """Return the revision that this version needs; its scripts are read once."""
    return ScriptDirectory.from_config(configuration()).get_current_head()


def problem(connection: Connection) -> str | None:
    """Return what is wrong with the schema or with the role that asks, in one line; None where all is well."""
    wanted = _newest()
    found = MigrationContext.configure(connection).get_current_revision()
    if found != wanted:
        return f"The database's schema is {found or 'empty'}, this version needs {wanted}: run ./brumel db upgrade."
    owned = connection.execute(
        text(
            "SELECT count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace "
            "WHERE n.nspname = 'public' AND c.relkind = 'r' AND pg_has_role(current_user, c.relowner, 'USAGE')"
        )
    ).scalar_one()
    if owned:
        return (
            "The application's database role owns tables and could change records: give BRUMEL_DATABASE_URL a role "
            "that owns none, and BRUMEL_DATABASE_OWNER_URL the owner."
        )
    known = set(connection.execute(select(QuantityBound.quantity)).scalars())
    if unknown := [key for key in quantities() if key not in known]:
        return f"The database doesn't know what can be recorded of {', '.join(unknown)}: run ./brumel db upgrade."
    return None


def _grant(connection: Connection, role: str) -> None:
    name = psycopg.sql.Identifier(role).as_string(None)

    def tables(*classes: Iterable[type]) -> str:
        return ", ".join(model.__tablename__ for group in classes for model in group)  # type: ignore[attr-defined]

    here = psycopg.sql.Identifier(connection.execute(text("SELECT current_database()")).scalar_one()).as_string(None)
    for statement in (
        f"REVOKE TEMPORARY, CREATE ON DATABASE {here} FROM PUBLIC, {name}",
        "REVOKE CREATE ON SCHEMA public FROM PUBLIC",
        f"REVOKE ALL ON ALL TABLES IN SCHEMA public FROM {name}",
        f"REVOKE CREATE ON SCHEMA public FROM {name}",
        f"GRANT USAGE ON SCHEMA public TO {name}",
        f"GRANT SELECT ON alembic_version, {tables(ONLY_READ)} TO {name}",
        f"GRANT SELECT ON {tables(FACTS)} TO {name}",
        *(f"GRANT INSERT ({', '.join(addable(m))}) ON {tables([m])} TO {name}" for m in FACTS),
        f"GRANT SELECT ON {tables(REFERENCE)} TO {name}",
        f"GRANT INSERT ON {tables([m for m in REFERENCE if m not in ADDED_BY_THE_OWNER])} TO {name}",
        *(f"GRANT UPDATE ({', '.join(changeable(m))}) ON {tables([m])} TO {name}" for m in REFERENCE),
        f"GRANT SELECT, INSERT, UPDATE, DELETE ON {tables(OPERATIONAL)} TO {name}",
        f"REVOKE EXECUTE ON ALL FUNCTIONS IN SCHEMA public FROM PUBLIC, {name}",
        *(f"GRANT EXECUTE ON FUNCTION {function} TO {name}" for function in CALLED),
    ):
        connection.exec_driver_sql(statement)


def _bound(connection: Connection) -> None:
    """Tell the schema what can be recorded of each quantity that ships."""
    connection.execute(delete(QuantityBound))
    connection.execute(
        insert(QuantityBound),
        [{"quantity": key, "unit": q.unit, "low": q.typed[0], "high": q.typed[1]} for key, q in quantities().items()],
    )
