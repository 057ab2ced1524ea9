"""Traces of points and of readings stand in one table, in blocks of at most 1 000 samples, as every series will."""

from collections.abc import Iterator
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

from brumel.store.series_blocks import former_rows

revision = "0025"
down_revision = "0024"

_NUMBERS = postgresql.ARRAY(sa.Double)
_OWNERS = {"point_id": "calibration_point", "reading_id": "reading"}
_FORMER = {"calibration_trace": "point_id", "reading_trace": "reading_id"}
_BATCH = 200
_PATH = "SECURITY DEFINER SET search_path = public, pg_temp"
_COUNTED = ("calibration_trace",)


def _of_one(owner: str, parent: str) -> str:
    return f"""NEW.{owner} IS NOT NULL AND EXISTS (
            SELECT FROM {parent} p WHERE p.id = NEW.{owner} AND (
                p.xmin = pg_current_xact_id()::xid
                OR p.recorded_at = now()
                    AND p.recorded_by = brumel_who(coalesce(current_setting('brumel.key', true), ''))
            ))"""


def _hangs(table: str, owners: dict[str, str]) -> str:
    return f"""
CREATE FUNCTION brumel_{table}_hangs() RETURNS trigger LANGUAGE plpgsql {_PATH} AS $$
BEGIN
    IF session_user <> current_user AND NOT ({" OR ".join(_of_one(*o) for o in owners.items())}) THEN
        RAISE EXCEPTION 'This belongs to a record that stands already, and nothing is added to that.'
            USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER {table}_hangs BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION brumel_{table}_hangs();
"""


def _guard(table: str, owners: dict[str, str], *, counted: bool) -> None:
    op.execute(
        f"CREATE TRIGGER {table}_kept BEFORE UPDATE OR DELETE ON {table} "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
    )
    op.execute(
        f"CREATE TRIGGER {table}_not_emptied BEFORE TRUNCATE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
    )
    op.execute(_hangs(table, owners))
    op.execute(f"REVOKE EXECUTE ON FUNCTION brumel_{table}_hangs() FROM PUBLIC")
    if counted:
        op.execute(
            f"CREATE CONSTRAINT TRIGGER {table}_counted AFTER INSERT ON {table} DEFERRABLE INITIALLY DEFERRED "
            "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
        )


def _finite(table: str, column: str) -> sa.CheckConstraint:
    beyond = " OR ".join(f"'{b}' = ANY ({column})" for b in ("NaN", "Infinity", "-Infinity"))
    return sa.CheckConstraint(f"NOT ({beyond})", name=op.f(f"ck_{table}_{column}_finite"))


def _check(name: str, words: str) -> sa.CheckConstraint:
    return sa.CheckConstraint(words, name=op.f(f"ck_series_block_{name}"))


def upgrade() -> None:
    op.create_table(
        "series_block",
        sa.Column("id", sa.Uuid, nullable=False),
        *(
            sa.Column(owner, sa.Uuid, sa.ForeignKey(f"{parent}.id", name=op.f(f"fk_series_block_{owner}")))
            for owner, parent in _OWNERS.items()
        ),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("first_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("last_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("unit", sa.Text, nullable=False),
        sa.Column("times_s", _NUMBERS, nullable=False),
        sa.Column("samples", _NUMBERS, nullable=False),
        sa.Column("temperature_c", _NUMBERS),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_series_block")),
        *(sa.UniqueConstraint(o, "number", name=op.f(f"uq_series_block_{o}_number")) for o in _OWNERS),
        _check("of_one", f"num_nonnulls({', '.join(_OWNERS)}) = 1"),
        _check("times_s_size", "cardinality(times_s) BETWEEN 1 AND 1000"),
        _check("samples_size", "cardinality(samples) = cardinality(times_s)"),
        _check("temperature_c_size", "cardinality(temperature_c) = cardinality(times_s)"),
        _check("number_least", "number >= 0"),
        _check("last_at_after", "last_at >= first_at"),
        _check("unit_length", "char_length(unit) <= 4000"),
        *(_finite("series_block", column) for column in ("times_s", "samples", "temperature_c")),
        *(
            _check(f"{m}_moment", f"{m} >= '1900-01-01 00:00+00' AND {m} < '2200-01-01 00:00+00'")
            for m in ("first_at", "last_at")
        ),
    )
    block = sa.table(
        "series_block",
        *(sa.column(c, _NUMBERS) for c in ("times_s", "samples", "temperature_c")),
        *(sa.column(c, sa.Uuid) for c in ("id", *_OWNERS)),
        *(sa.column(c, sa.DateTime(timezone=True)) for c in ("first_at", "last_at")),
        sa.column("number", sa.Integer),
        sa.column("unit", sa.Text),
    )
    for table, owner in _FORMER.items():
        for batch in _traces(table, owner, _OWNERS[owner]):
            made = (row for trace in batch for row in former_rows(table, trace, trace))
            rows = [{name: row[name] for name in block.columns.keys()} for row in made]  # noqa: SIM118
            if rows:
                op.get_bind().execute(sa.insert(block), rows)
    _guard("series_block", _OWNERS, counted=True)
    for table in _FORMER:
        op.drop_table(table)
        op.execute(f"DROP FUNCTION brumel_{table}_hangs()")


def _traces(table: str, owner: str, parent: str) -> Iterator[list[dict[str, Any]]]:
    found = op.get_bind().execute(sa.text(
        f"SELECT t.*, p.taken_at, p.signal_unit FROM {table} t JOIN {parent} p ON p.id = t.{owner} ORDER BY p.id"
    )).mappings()  # fmt: skip
    while batch := found.fetchmany(_BATCH):
        yield [dict(row) for row in batch]


def downgrade() -> None:
    for table, owner in _FORMER.items():
        op.create_table(
            table,
            sa.Column(
                owner, sa.Uuid,
                sa.ForeignKey(f"{_OWNERS[owner]}.id", name=op.f(f"fk_{table}_{owner}")), nullable=False,
            ),
            *(sa.Column(c, _NUMBERS, nullable=False) for c in ("times_s", "signal", "temperature_c")),
            sa.PrimaryKeyConstraint(owner, name=op.f(f"pk_{table}")),
            *(_finite(table, column) for column in ("times_s", "signal", "temperature_c")),
        )  # fmt: skip
        op.execute(
            f"INSERT INTO {table} SELECT {owner}, array_agg(t.s ORDER BY number, n), array_agg(t.v ORDER BY number, n), "
            f"array_agg(t.c ORDER BY number, n) FROM series_block, "
            f"unnest(times_s, samples, temperature_c) WITH ORDINALITY AS t(s, v, c, n) "
            f"WHERE {owner} IS NOT NULL AND temperature_c IS NOT NULL GROUP BY {owner}"
        )
        _guard(table, {owner: _OWNERS[owner]}, counted=table in _COUNTED)
    op.drop_table("series_block")
    op.execute("DROP FUNCTION brumel_series_block_hangs()")
