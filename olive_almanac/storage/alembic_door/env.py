"""Alembic's door: runs the migrations on the connection that the library hands over."""

from alembic import context

from olive_almanac.storage.tables import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
with context.begin_transaction():
    context.run_migrations()
