"""Alembic's entry: the connection comes from `fusilex.journal.engine`, in one transaction that spans every step."""

from alembic import context

from fusilex.journal.schema import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata, transactional_ddl=True)
with context.begin_transaction():
    context.run_migrations()
