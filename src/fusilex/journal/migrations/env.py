"""Alembic's entry: the connection is handed over by `fusilex.journal.store`."""

from alembic import context

from fusilex.journal.schema import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
with context.begin_transaction():
    context.run_migrations()
