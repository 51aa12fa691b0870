"""Alembic's environment: the store hands in its connection."""

from alembic import context

from briskcell.store.tables import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
