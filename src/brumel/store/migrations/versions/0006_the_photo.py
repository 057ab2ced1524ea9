"""Photos of a visit."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "visit_photo",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("visit_id", sa.Uuid, sa.ForeignKey("visit.id"), nullable=False),
        sa.Column("person_id", sa.Uuid, sa.ForeignKey("person.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.Column("jpeg", sa.LargeBinary, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_check_constraint(op.f("ck_visit_photo_words_length"), "visit_photo", "char_length(words) <= 4000")
    op.create_index("ix_visit_photo_visit_id", "visit_photo", ["visit_id"])
    for when, each, name in (("UPDATE OR DELETE", "ROW", "kept"), ("TRUNCATE", "STATEMENT", "not_emptied")):
        op.execute(
            f"CREATE TRIGGER visit_photo_{name} BEFORE {when} ON visit_photo "
            f"FOR EACH {each} EXECUTE FUNCTION brumel_refuse_change()"
        )


def downgrade() -> None:
    op.drop_table("visit_photo")
