"""Alembic environment: runs on the connection the book has open."""

from alembic import context

from brisk_anchor.book.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
