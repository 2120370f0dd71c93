"""Alembic's entry: migrates over the connection that the cellar hands in."""

from alembic import context

from vastcellar.store.tables import Base

connection = context.config.attributes["connection"]
# SQLite can't alter most things in place; batch mode copies the table instead.
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
