"""An invitation, by which the first person is made, and what a house chooses for all its runs."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"

_TAKE = """
CREATE FUNCTION brumel_invited(hash text) RETURNS boolean LANGUAGE sql STABLE SECURITY DEFINER
    SET search_path FROM CURRENT AS $$
    SELECT EXISTS (SELECT FROM invitation WHERE key_hash = hash AND expires_at > now())
        AND NOT EXISTS (SELECT FROM person)
$$;

CREATE FUNCTION brumel_first_person(hash text, new_id uuid, new_login text, new_name text, new_password_hash text)
    RETURNS boolean LANGUAGE plpgsql SECURITY DEFINER SET search_path FROM CURRENT AS $$
BEGIN
    LOCK TABLE invitation IN SHARE ROW EXCLUSIVE MODE;
    IF NOT brumel_invited(hash) THEN
        RETURN false;
    END IF;
    INSERT INTO person (id, login, name, role, password_hash)
        VALUES (new_id, new_login, new_name, 'supervisor', new_password_hash);
    DELETE FROM invitation;
    RETURN true;
END $$;
"""
"""Who knows the key becomes the first person, once, within its time, and only where there is nobody yet."""


def upgrade() -> None:
    op.create_table(
        "invitation",
        sa.Column("key_hash", sa.Text, nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("key_hash", name=op.f("pk_invitation")),
        sa.CheckConstraint("char_length(key_hash) <= 4000", name=op.f("ck_invitation_key_hash_length")),
    )
    op.execute(_TAKE)
    op.create_table(
        "house_choice",
        sa.Column("key", sa.Text, nullable=False),
        sa.Column("value", sa.Text, nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_house_choice")),
        sa.CheckConstraint("char_length(key) <= 200", name=op.f("ck_house_choice_key_length")),
        sa.CheckConstraint("char_length(value) <= 4000", name=op.f("ck_house_choice_value_length")),
    )


def downgrade() -> None:
    op.drop_table("house_choice")
    op.execute("DROP FUNCTION brumel_first_person(text, uuid, text, text, text)")
    op.execute("DROP FUNCTION brumel_invited(text)")
    op.drop_table("invitation")
