"""Add a unique id and a seal (hash chain) to every entry. Existing entries are sealed unchanged."""

import hashlib

import sqlalchemy as sa
from alembic import op

from brisk_anchor.book.seals import FIRST, FORM, seal

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_COLUMNS = (
    *("id", "at", "machine", "row", "kind", "job", "title", "x", "y", "z", "u_x", "u_y", "u_z", "r", "u_r"),
    *("chain", "proof", "note", "number", "who", "figure", "uid", "form"),
)
_BATCH = 500


def upgrade() -> None:
    """Add the columns, and seal what is there in the order it was added."""
    op.add_column("entry", sa.Column("uid", sa.String(32), nullable=True))
    op.add_column("entry", sa.Column("form", sa.Integer(), nullable=True))
    op.add_column("entry", sa.Column("seal", sa.String(64), nullable=True))
    connection = op.get_bind()
    entry = sa.Table("entry", sa.MetaData(), autoload_with=connection)
    columns = [entry.c[name] for name in _COLUMNS]
    _close_gaps(connection, entry)
    last, before = 0, FIRST
    while (
        rows := connection.execute(sa.select(*columns).where(entry.c.id > last).order_by(entry.c.id).limit(_BATCH))
        .mappings()
        .all()
    ):
        sealed = []
        for row in rows:
            uid = hashlib.sha256(f"{row['id']} {row['at']} {row['machine']} {row['row']}".encode()).hexdigest()[:32]
            before = seal(before, {**row, "uid": uid, "form": FORM})
            sealed.append({"of": row["id"], "uid": uid, "form": FORM, "seal": before})
            last = row["id"]
        change = sa.update(entry).where(entry.c.id == sa.bindparam("of"))
        connection.execute(
            change.values(uid=sa.bindparam("uid"), form=sa.bindparam("form"), seal=sa.bindparam("seal")), sealed
        )
    op.create_index("entry_uid", "entry", ["uid"], unique=True)


def _close_gaps(connection: sa.Connection, entry: sa.Table) -> None:
    """Number the entries without gaps, in their order: a store that failed may have left one on a server."""
    ids = [number for (number,) in connection.execute(sa.select(entry.c.id).order_by(entry.c.id))]
    for new, old in enumerate(ids, 1):
        if new != old:
            connection.execute(sa.update(entry).where(entry.c.id == old).values(id=new))
