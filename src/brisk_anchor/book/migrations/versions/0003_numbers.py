"""Numbers of entries in their rows, who made them, and a figure for limits."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns; older entries have no number, and come before all that have."""
    op.add_column("entry", sa.Column("number", sa.Integer(), nullable=True))
    op.add_column("entry", sa.Column("who", sa.String(60), nullable=False, server_default=""))
    op.add_column("entry", sa.Column("figure", sa.Float(), nullable=True))
    op.create_index("entry_number", "entry", ["machine", "row", "number"], unique=True)
