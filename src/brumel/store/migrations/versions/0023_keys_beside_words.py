"""Findings and contributions have keys beside the words that were read: whoever reads them words them.

Older ones get the keys that a frozen table knows of their words; what it doesn't know is listed and keeps its words.
"""

import json
import logging

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from brumel.store.frozen_words import frozen, of_contributions

revision = "0023"
down_revision = "0022"

_FINDINGS = ("calibration_finding", "reading_finding")
_SETTLED = ("calibration_point", "reading")


def upgrade() -> None:
    for table in _FINDINGS:
        op.add_column(table, sa.Column("said", JSONB))
        _untouched(table, _said(table))
    for derived in (True, False):
        known = json.dumps(of_contributions(derived=derived))
        rows = "source = 'derived'" if derived else "source <> 'derived'"
        _untouched(
            "reading",
            sa.text(f"""
            UPDATE reading SET budget = (
                SELECT jsonb_agg(c.value || coalesce(CAST(:known AS jsonb) -> (c.value ->> 'name'), '{{}}') ORDER BY c.n)
                FROM jsonb_array_elements(budget) WITH ORDINALITY AS c(value, n))
            WHERE {rows} AND jsonb_array_length(budget) > 0
        """).bindparams(known=known),
        )
    for table in _SETTLED:
        op.add_column(table, sa.Column("settling_said", JSONB))
        known = json.dumps({words: {"key": key} for words, key in frozen("settling").items()})
        settled = f"UPDATE {table} SET settling_said = CAST(:known AS jsonb) -> settling_words"
        known_ones = f"{settled} WHERE CAST(:known AS jsonb) ? settling_words"
        _untouched(table, sa.text(known_ones).bindparams(known=known))
    _list_unknown()


def downgrade() -> None:
    for table in _SETTLED:
        op.drop_column(table, "settling_said")
    for table in _FINDINGS:
        op.drop_column(table, "said")
    _untouched(
        "reading",
        sa.text("""
        UPDATE reading SET budget = (
            SELECT jsonb_agg(c.value - 'key' - 'of' ORDER BY c.n)
            FROM jsonb_array_elements(budget) WITH ORDINALITY AS c(value, n))
        WHERE jsonb_array_length(budget) > 0
    """),
    )


def _said(table: str) -> sa.TextClause:
    """The keys of those sentences, remedies and sources that the frozen table knows; the others keep their words."""
    return sa.text(f"""
        UPDATE {table} SET said = jsonb_build_object(
            'says', CASE WHEN CAST(:sentences AS jsonb) ? sentence
                THEN jsonb_build_object('key', CAST(:sentences AS jsonb) ->> sentence)
                ELSE jsonb_build_object('key', 'verbatim', 'values', jsonb_build_object('words', sentence)) END,
            'source', CASE WHEN CAST(:sources AS jsonb) ? source
                THEN jsonb_build_object('table', 'source', 'key', CAST(:sources AS jsonb) ->> source)
                ELSE to_jsonb(source) END)
          || CASE WHEN CAST(:sentences AS jsonb) ? remedy
                THEN jsonb_build_object('remedy', jsonb_build_object('key', CAST(:sentences AS jsonb) ->> remedy))
                ELSE '{{}}' END
        WHERE CAST(:sources AS jsonb) ? source OR CAST(:sentences AS jsonb) ?| ARRAY[sentence, remedy]
    """).bindparams(sentences=json.dumps(dict(frozen("sentences"))), sources=json.dumps(dict(frozen("sources"))))


def _untouched(table: str, statement: sa.TextClause) -> None:
    """Change rows of facts as the owner may, with the guards aside."""
    op.execute(f"ALTER TABLE {table} DISABLE TRIGGER USER")
    op.execute(statement)
    op.execute(f"ALTER TABLE {table} ENABLE TRIGGER USER")


def _list_unknown() -> None:
    names = op.get_bind().execute(sa.text(
        "SELECT DISTINCT c ->> 'name' FROM reading, jsonb_array_elements(budget) AS c WHERE NOT c ? 'key' ORDER BY 1"
    )).scalars().all()  # fmt: skip
    if names:
        listed = ", ".join(names)
        logging.getLogger("brumel.upgrade").warning("These contributions have no key and keep their words: %s", listed)
