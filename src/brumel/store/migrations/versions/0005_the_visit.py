"""Visits, what is said of them and of their readings, instruments without a probe, limits of a site, units of a person.

A reading may now come from an instrument, or from others of its visit: its probe, site and temperature may be missing.
Nothing that stands is rewritten: constraints are loosened, columns come with constant defaults.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"

_NAME, _TEXT = 120, 4000
_EMPTY = sa.text("''")
_FACTS = ("visit", "visit_entry", "reading_basis", "acknowledgement", "site_limit")
_COUNTED = ("visit", "visit_entry", "acknowledgement", "site_limit")
_LOOSENED = {"site_id": sa.Uuid, "probe_id": sa.Uuid, "temperature_c": sa.Double}
_SOURCES = "'device', 'typed-signal', 'typed-value'"


def _id(name: str = "id", to: str = "", *, empty: bool = False) -> Any:
    return sa.Column(name, sa.Uuid, *([sa.ForeignKey(f"{to}.id")] if to else []), nullable=empty)


def _at(name: str) -> Any:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False)


def _text(name: str, **more: Any) -> Any:
    return sa.Column(name, sa.Text, nullable=False, **more)


def _number(name: str) -> Any:
    return sa.Column(name, sa.Double, nullable=True)


def _ordinal() -> Any:
    return sa.Column("ordinal", sa.BigInteger, sa.Identity(), nullable=False)


def _check(table: str, name: str, rule: str) -> None:
    op.create_check_constraint(op.f(f"ck_{table}_{name}"), table, rule)


def _bound(table: str, names: str = "", texts: str = "", numbers: str = "") -> None:
    for most, columns in ((_NAME, names), (_TEXT, texts)):
        for column in columns.split():
            _check(table, f"{column}_length", f"char_length({column}) <= {most}")
    for column in numbers.split():
        _check(table, f"{column}_finite", f"{column} > '-Infinity' AND {column} < 'Infinity'")


def upgrade() -> None:
    op.create_table(
        "instrument", _id(), sa.Column("version", sa.Integer, server_default="1", nullable=False), _text("label"),
        _text("serial"), _text("kind"), _text("kit"), sa.Column("measures", postgresql.JSONB, nullable=False),
        sa.Column("retired_on", sa.Date), sa.PrimaryKeyConstraint("id"), sa.UniqueConstraint("label"),
    )  # fmt: skip
    kinds = "'test kit', 'photometer', 'titration', 'laboratory', 'thermometer', 'barometer'"
    _check("instrument", "kind", f"kind IN ({kinds})")
    _bound("instrument", "label serial kind kit")
    op.create_table(
        "visit", _id(), _id("site_id", "site", empty=True), _text("sample"), _id("person_id", "person"),
        _id("round_id", "planned_round", empty=True), _at("begun_at"), _at("recorded_at"),
        sa.PrimaryKeyConstraint("id"),
    )  # fmt: skip
    _check("visit", "site_or_sample", "(site_id IS NULL) = (sample <> '')")
    _bound("visit", "sample")
    op.create_index("ix_visit_site_id_begun_at", "visit", ["site_id", "begun_at"])
    op.create_index("ix_visit_begun_at", "visit", ["begun_at"])
    op.create_table(
        "visit_entry", _id(), _ordinal(), _id("visit_id", "visit"), _id("person_id", "person"), _at("at"),
        _text("kind"), _text("quantity"), _text("words"), sa.PrimaryKeyConstraint("id"),
    )  # fmt: skip
    _check("visit_entry", "kind", "kind IN ('note', 'weather', 'skipped', 'finished')")
    _check("visit_entry", "skipped_quantity", "(quantity <> '') = (kind = 'skipped')")
    _bound("visit_entry", "kind quantity", "words")
    op.create_index("ix_visit_entry_visit_id", "visit_entry", ["visit_id"])
    op.create_table(
        "site_limit", _id(), _ordinal(), _id("site_id", "site"), _id("person_id", "person"), _at("at"),
        _text("quantity"), _number("low"), _number("high"), _text("reason"), sa.PrimaryKeyConstraint("id"),
    )  # fmt: skip
    _check("site_limit", "low_below_high", "low < high")
    _check("site_limit", "has_reason", "reason <> ''")
    _bound("site_limit", "quantity", "reason", "low high")
    op.create_index("ix_site_limit_site_id", "site_limit", ["site_id"])
    _readings()
    op.create_table(
        "reading_basis", _id("reading_id", "reading"), _id("basis_id", "reading"),
        sa.PrimaryKeyConstraint("reading_id", "basis_id"),
    )  # fmt: skip
    op.create_index("ix_reading_basis_basis_id", "reading_basis", ["basis_id"])
    op.create_table(
        "acknowledgement", _id("reading_id", "reading"), _id("person_id", "person"), _at("at"), _text("words"),
        sa.PrimaryKeyConstraint("reading_id"),
    )  # fmt: skip
    _bound("acknowledgement", "", "words")
    op.add_column("reading", sa.Column("removed", sa.Boolean, server_default=sa.text("false"), nullable=False))
    op.add_column("site", _text("access", server_default=_EMPTY))
    _bound("site", "", "access")
    for table, column in (("meter", "does"), ("person", "units")):
        op.add_column(table, sa.Column(column, postgresql.JSONB, server_default=sa.text("'{}'"), nullable=False))
    _guard()


def _readings() -> None:
    for column, kind in _LOOSENED.items():
        op.alter_column("reading", column, existing_type=kind(), nullable=True)
    op.add_column("reading", _id("visit_id", "visit", empty=True))
    op.add_column("reading", _id("instrument_id", "instrument", empty=True))
    op.add_column("reading", _number("depth_m"))
    for column in ("qualifier", "replicate", "layer", "typed_as", "keeps"):
        op.add_column("reading", _text(column, server_default=_EMPTY))
    _bound("reading", "", "qualifier replicate layer typed_as keeps", "depth_m")
    op.add_column("reading", sa.Column("limits", postgresql.JSONB, server_default=sa.text("'[]'"), nullable=False))
    _check("reading", "somewhere", "site_id IS NOT NULL OR visit_id IS NOT NULL")
    _check("reading", "qualifier", "qualifier IN ('', '<', '>')")
    op.drop_constraint(op.f("ck_reading_source"), "reading")
    _check("reading", "source", f"source IN ({_SOURCES}, 'instrument', 'by-eye', 'derived')")
    op.create_index("ix_reading_visit_id", "reading", ["visit_id"])
    op.create_index("ix_reading_beyond", "reading", ["taken_at"], postgresql_where=sa.text("keeps = 'beyond'"))


def _guard() -> None:
    for table in _FACTS:
        op.execute(
            f"CREATE TRIGGER {table}_kept BEFORE UPDATE OR DELETE ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
        )
        op.execute(
            f"CREATE TRIGGER {table}_not_emptied BEFORE TRUNCATE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
        )
    for table in _COUNTED:
        op.execute(
            f"CREATE CONSTRAINT TRIGGER {table}_counted AFTER INSERT ON {table} DEFERRABLE INITIALLY DEFERRED "
            "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
        )
    op.execute(
        "CREATE CONSTRAINT TRIGGER instrument_counted AFTER INSERT OR UPDATE ON instrument DEFERRABLE INITIALLY "
        "DEFERRED FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
    )


def downgrade() -> None:
    """Only where no reading needs what came with it."""
    for table in ("acknowledgement", "reading_basis"):
        op.drop_table(table)
    for index in ("ix_reading_visit_id", "ix_reading_beyond"):
        op.drop_index(index, "reading")
    op.drop_constraint(op.f("ck_reading_somewhere"), "reading")
    op.drop_constraint(op.f("ck_reading_source"), "reading")
    _check("reading", "source", f"source IN ({_SOURCES})")
    for column in (
        "visit_id",
        "instrument_id",
        "depth_m",
        "qualifier",
        "replicate",
        "layer",
        "typed_as",
        "keeps",
        "limits",
        "removed",
    ):
        op.drop_column("reading", column)
    for column, kind in _LOOSENED.items():
        op.alter_column("reading", column, existing_type=kind(), nullable=False)
    for table in ("visit_entry", "site_limit", "visit", "instrument"):
        op.drop_table(table)
    op.drop_column("site", "access")
    op.drop_column("meter", "does")
    op.drop_column("person", "units")
