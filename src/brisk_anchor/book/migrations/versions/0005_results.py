"""Add what was inspected of a part. Seals stay as they are: a column that holds nothing is in none."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column, and the index that finds what was inspected among everything else."""
    op.add_column("entry", sa.Column("result", sa.Text(), nullable=True))
    op.create_index("entry_kind", "entry", ["machine", "kind", "job"])
