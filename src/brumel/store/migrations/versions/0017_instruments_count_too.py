"""An instrument that is deleted counts as a change: a page that named it is old then."""

from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    _count("INSERT OR UPDATE OR DELETE")


def downgrade() -> None:
    _count("INSERT OR UPDATE")


def _count(events: str) -> None:
    op.execute("DROP TRIGGER instrument_counted ON instrument")
    op.execute(
        f"CREATE CONSTRAINT TRIGGER instrument_counted AFTER {events} ON instrument DEFERRABLE INITIALLY DEFERRED "
        "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
    )
