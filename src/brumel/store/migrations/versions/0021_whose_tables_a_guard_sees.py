"""Every function of ours looks into our schema first and into temporary tables last: none of them shadows a guard.

A role that may make temporary tables could make one called ``person`` in which everybody is a supervisor; guards that
run as whoever asks took that for ours.
"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"

_OURS = """
SELECT p.oid::regprocedure::text FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE n.nspname = 'public' AND p.proname LIKE 'brumel\\_%'
"""


def upgrade() -> None:
    _set("SET search_path = public, pg_temp")


def downgrade() -> None:
    """Leave the definers their path, as they had one."""
    definers = f"{_OURS} AND NOT p.prosecdef"
    for (function,) in op.get_bind().execute(sa.text(definers)).fetchall():
        op.execute(f"ALTER FUNCTION {function} RESET search_path")


def _set(what: str) -> None:
    for (function,) in op.get_bind().execute(sa.text(_OURS)).fetchall():
        op.execute(f"ALTER FUNCTION {function} {what}")
