"""That an aerator was switched on is said of a visit: what the evening foretold says nothing from then on."""

from alembic import op

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    _kinds("kind IN ('note', 'weather', 'skipped', 'finished', 'aerated')")


def downgrade() -> None:
    _kinds("kind IN ('note', 'weather', 'skipped', 'finished')")


def _kinds(rule: str) -> None:
    op.drop_constraint(op.f("ck_visit_entry_kind"), "visit_entry")
    op.create_check_constraint(op.f("ck_visit_entry_kind"), "visit_entry", rule)
