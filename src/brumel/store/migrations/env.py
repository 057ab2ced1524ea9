"""Alembic's entry: runs on the connection that ``brumel.store.schema`` hands over."""

from alembic import context

from brumel.store.models.base import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
