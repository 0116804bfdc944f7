"""Run by Alembic: migrates the connection that `firnel.store.opening` hands over, inside that caller's transaction."""

from alembic import context

from firnel.store.tables import metadata

connection = context.config.attributes["connection"]
# SQLite's tables change inside a transaction too, where the driver does not interfere (see store/writing.py).
context.configure(connection=connection, target_metadata=metadata, render_as_batch=True, transactional_ddl=True)
with context.begin_transaction():
    context.run_migrations()
