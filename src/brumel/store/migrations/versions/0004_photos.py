"""Photos of inspections."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "inspection_photo",
        sa.Column("inspection_id", sa.Uuid(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["inspection_id"], ["inspection.id"], name=op.f("fk_inspection_photo_inspection_id")),
        sa.PrimaryKeyConstraint("inspection_id", name=op.f("pk_inspection_photo")),
    )
    op.execute(
        "CREATE TRIGGER inspection_photo_kept BEFORE UPDATE OR DELETE ON inspection_photo "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
    )
    op.execute(
        "CREATE TRIGGER inspection_photo_not_emptied BEFORE TRUNCATE ON inspection_photo "
        "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
    )


def downgrade() -> None:
    op.drop_table("inspection_photo")
