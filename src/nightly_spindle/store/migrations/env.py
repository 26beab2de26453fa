"""Alembic's entry: runs the revisions on the connection that it is given."""

from alembic import context

context.configure(connection=context.config.attributes["connection"])
with context.begin_transaction():
    context.run_migrations()
