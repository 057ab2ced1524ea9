"""What a fact must keep beyond its type: moments of our centuries, known levels, uncertainties from nought up.

A row that stood before and keeps it not (an import had let it in) stays: the rule holds for all that come.
"""

from alembic import op

revision = "0016"
down_revision = "0015"

_MOMENTS = """
device.wanted_until invitation.expires_at login_attempt.at device_sample.stored_at lot_certificate.at lot_record.at
meter_record.at planned_round.planned_at planned_round.departure signed_in.begun_at site_limit.at
calibration_run.started_at care_record.at care_record.recorded_at inspection.at visit.begun_at visit.recorded_at
calibration_abandonment.at calibration_amendment.at calibration_signature.signed_at calibration_step.at
care_withdrawal.at reading.recorded_at reading.taken_at visit_entry.at visit_photo.at acknowledgement.at
calibration_point.taken_at calibration_entry.at
"""
_LEVELS = "calibration_finding calibration_signature reading reading_finding"
_NOT_NEGATIVE = """
calibration_coefficient.u reading.u reading.settling_s calibration_point.target_u calibration_point.settling_s
calibration_point.left_over
"""


def _rules() -> list[tuple[str, str, str]]:
    """Table, name of the rule, and the rule."""
    found = [
        (table, f"{column}_moment", f"{column} >= '1900-01-01 00:00+00' AND {column} < '2200-01-01 00:00+00'")
        for table, column in (one.split(".") for one in _MOMENTS.split())
    ]
    found += [(table, "level_known", "level IN ('sound', 'doubtful', 'unfit')") for table in _LEVELS.split()]
    found += [(t, f"{c}_least", f"{c} >= 0") for t, c in (one.split(".") for one in _NOT_NEGATIVE.split())]
    return [
        *found,
        ("reading", "keeps_known", "keeps IN ('', 'within', 'near', 'beyond')"),
        ("reading", "amends_another", "amends_id <> id"),
        ("reading_basis", "of_another", "basis_id <> reading_id"),
    ]


def upgrade() -> None:
    for table, name, rule in _rules():
        op.execute(f"ALTER TABLE {table} ADD CONSTRAINT ck_{table}_{name} CHECK ({rule}) NOT VALID")
        op.execute(
            f"DO $$ BEGIN ALTER TABLE {table} VALIDATE CONSTRAINT ck_{table}_{name}; "
            "EXCEPTION WHEN check_violation THEN NULL; END $$"
        )


def downgrade() -> None:
    for table, name, _ in _rules():
        op.execute(f"ALTER TABLE {table} DROP CONSTRAINT ck_{table}_{name}")
