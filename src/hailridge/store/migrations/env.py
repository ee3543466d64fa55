"""Alembic's entry: runs migrations on the connection that `store.database` hands over."""

from alembic import context

from hailridge.store.tables import Table

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Table.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
