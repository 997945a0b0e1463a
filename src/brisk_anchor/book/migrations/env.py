"""Alembic environment: runs on the connection the book has open, within the transaction it has begun."""

from alembic import context

from brisk_anchor.book.models import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, transactional_ddl=True
)
with context.begin_transaction():
    context.run_migrations()
