"""How a value was accepted (by the rule, before it, by eye), what was left of its approach, and the rinse as it was."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"

SHARES = {"distilled-once": 0.0, "tap-several": 0.0, "deionised-and-buffer": 0.5, "shake-and-discard": 0.25}
"""Share of a cup that each regime's rinse took up to this revision."""
_TABLES = ("calibration_point", "reading")


def _as_owner(table: str, statement: str) -> None:
    """Records gain what they had left to the tables of the day: the one change that they suffer, by their owner."""
    op.execute(f"ALTER TABLE {table} DISABLE TRIGGER {table}_kept")
    op.execute(statement)
    op.execute(f"ALTER TABLE {table} ENABLE TRIGGER {table}_kept")


def upgrade() -> None:
    for table in _TABLES:
        op.add_column(table, sa.Column("acceptance", sa.Text(), server_default=sa.text("'settled'"), nullable=False))
        _as_owner(
            table,
            f"UPDATE {table} SET acceptance = CASE WHEN source <> 'device' THEN 'by-eye' "
            "WHEN settled THEN 'settled' ELSE 'unsettled' END",
        )
        op.alter_column(table, "acceptance", server_default=None)
        op.create_check_constraint(
            op.f(f"ck_{table}_acceptance"), table, "acceptance IN ('settled', 'unsettled', 'by-eye')"
        )
        op.drop_column(table, "settled")
    op.add_column("calibration_point", sa.Column("left_over_mv", sa.Double(), nullable=True))
    op.add_column("calibration_signature", sa.Column("temperature_c", sa.Double(), nullable=True))
    cases = " ".join(f"WHEN '{key}' THEN {share}" for key, share in SHARES.items())
    _as_owner(
        "calibration_run",
        "UPDATE calibration_run SET method = jsonb_set(method || jsonb_build_object('rinse', jsonb_build_object("
        f"'key', rinse, 'name', rinse, 'words', rinse, 'standard_share', CASE rinse {cases} ELSE 0 END)), "
        "'{limits,holds_days}', jsonb_build_array(method #> '{limits,holds_sound_days}', "
        "method #> '{limits,holds_doubtful_days}')) "
        "#- '{limits,holds_sound_days}' #- '{limits,holds_doubtful_days}'",
    )
    op.execute("UPDATE meter SET accuracy = '{}'")  # words of data sheets became numbers, which are typed anew


def downgrade() -> None:
    _as_owner(
        "calibration_run",
        "UPDATE calibration_run SET method = jsonb_set(jsonb_set(method - 'rinse', '{limits,holds_sound_days}', "
        "method #> '{limits,holds_days,0}'), '{limits,holds_doubtful_days}', method #> '{limits,holds_days,1}') "
        "#- '{limits,holds_days}'",
    )
    op.drop_column("calibration_signature", "temperature_c")
    op.drop_column("calibration_point", "left_over_mv")
    op.add_column("reading", sa.Column("settled", sa.Boolean(), nullable=True))
    op.add_column(
        "calibration_point", sa.Column("settled", sa.Boolean(), server_default=sa.text("true"), nullable=False)
    )
    op.alter_column("calibration_point", "settled", server_default=None)
    for table in _TABLES:
        op.drop_constraint(f"ck_{table}_acceptance", table)
        op.drop_column(table, "acceptance")
