"""The angle a row is turned by."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns."""
    op.add_column("entry", sa.Column("r", sa.Float(), nullable=True))
    op.add_column("entry", sa.Column("u_r", sa.Float(), nullable=True))
