"""Alembic environment: runs on the connection the book has open, within the transaction it has begun."""

from alembic import context

from brisk_anchor.book.table import METADATA

context.configure(connection=context.config.attributes["connection"], target_metadata=METADATA, transactional_ddl=True)
with context.begin_transaction():
    context.run_migrations()
