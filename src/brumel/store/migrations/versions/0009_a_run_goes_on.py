"""What befalls a run while it is open: a point is dropped, another person takes over. A dropped point stands no more."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

_STANDING = """
        (SELECT id FROM (
            SELECT DISTINCT ON (step) id FROM calibration_point WHERE run_id = NEW.run_id ORDER BY step, ordinal DESC
        ) AS newest WHERE id NOT IN (SELECT point_id FROM calibration_entry WHERE point_id IS NOT NULL))
"""
_POINTS = f"""
CREATE OR REPLACE FUNCTION brumel_refuse_other_points() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS ({_STANDING} EXCEPT (SELECT unnest(NEW.point_ids)))
    OR EXISTS ((SELECT unnest(NEW.point_ids)) EXCEPT {_STANDING}) THEN
        RAISE EXCEPTION 'Another point was taken meanwhile: look at it, then sign.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
"""


def upgrade() -> None:
    op.create_table(
        "calibration_entry",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("ordinal", sa.BigInteger, sa.Identity(), nullable=False),
        sa.Column("run_id", sa.Uuid, sa.ForeignKey("calibration_run.id"), nullable=False),
        sa.Column("person_id", sa.Uuid, sa.ForeignKey("person.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("point_id", sa.Uuid, sa.ForeignKey("calibration_point.id")),
        sa.Column("reason", sa.Text, nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("point_id", name=op.f("uq_calibration_entry_point_id")),
    )
    for name, rule in (
        ("kind", "kind IN ('dropped', 'taken-over')"),
        ("point", "(kind = 'dropped') = (point_id IS NOT NULL)"),
        ("kind_length", "char_length(kind) <= 120"),
        ("reason_length", "char_length(reason) <= 4000"),
    ):
        op.create_check_constraint(op.f(f"ck_calibration_entry_{name}"), "calibration_entry", rule)
    op.create_index("ix_calibration_entry_run_id", "calibration_entry", ["run_id"])
    for when, each, name in (("UPDATE OR DELETE", "ROW", "kept"), ("TRUNCATE", "STATEMENT", "not_emptied")):
        op.execute(
            f"CREATE TRIGGER calibration_entry_{name} BEFORE {when} ON calibration_entry "
            f"FOR EACH {each} EXECUTE FUNCTION brumel_refuse_change()"
        )
    op.execute(
        "CREATE TRIGGER calibration_entry_open_run BEFORE INSERT ON calibration_entry "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_closed_run()"
    )
    op.execute(_POINTS)


def downgrade() -> None:
    op.execute(
        _POINTS.replace("WHERE id NOT IN (SELECT point_id FROM calibration_entry WHERE point_id IS NOT NULL)", "")
    )
    op.drop_table("calibration_entry")
