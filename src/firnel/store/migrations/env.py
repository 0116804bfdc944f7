"""Run by Alembic: migrates the connection that `firnel.store.opening` hands over."""

from alembic import context

from firnel.store.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
