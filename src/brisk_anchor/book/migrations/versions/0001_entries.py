"""The first form of the book: one table of entries."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the table of entries."""
    numbers = [sa.Column(name, sa.Float) for name in ("x", "y", "z", "u_x", "u_y", "u_z")]
    op.create_table(
        "entry",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("machine", sa.String(60), nullable=False),
        sa.Column("row", sa.String(24), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("job", sa.String(60), nullable=False),
        sa.Column("title", sa.String(120), nullable=False),
        *numbers,
        sa.Column("chain", sa.Text),
        sa.Column("proof", sa.Text),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_index("ix_entry_machine", "entry", ["machine"])
    op.create_index("ix_entry_row", "entry", ["row"])


def downgrade() -> None:
    """Raise NotImplementedError: the first form has nothing before it."""
    raise NotImplementedError("the book only grows")
