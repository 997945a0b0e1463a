"""The book's table. Entries are added and never changed; what a row is now follows from its entries."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Column, DateTime, Float, Index, Integer, MetaData, String, Table, Text, TypeDecorator

HEAD = "0005"
"""The newest revision this version knows; a test holds it to the migrations folder."""
METADATA = MetaData()


class _Utc(TypeDecorator[datetime]):
    """A point in time, kept in UTC and given back with its zone on every database."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Any) -> datetime | None:
        return value.astimezone(UTC).replace(tzinfo=None) if value else None

    def process_result_value(self, value: datetime | None, dialect: Any) -> datetime | None:
        return value.replace(tzinfo=UTC) if value else None


ENTRIES = Table(
    "entry",
    METADATA,
    Column("id", Integer, primary_key=True, autoincrement=True),
    Column("at", _Utc, nullable=False),
    Column("machine", String(60), nullable=False, index=True),
    Column("row", String(24), nullable=False, index=True),
    Column("kind", String(16), nullable=False),
    Column("job", String(60), nullable=False),
    Column("title", String(120), nullable=False),
    Column("x", Float),
    Column("y", Float),
    Column("z", Float),
    Column("u_x", Float),
    Column("u_y", Float),
    Column("u_z", Float),
    Column("r", Float),
    Column("u_r", Float),
    Column("chain", Text),
    Column("proof", Text),
    Column("note", Text, nullable=False),
    Column("number", Integer),  # of the entry in its row, from 1: two windows that add at once cannot both have it
    Column("who", String(60), nullable=False, server_default=""),
    Column("figure", Float),  # the limit of a jump, mm, in an entry that sets one
    Column("uid", String(32)),  # made with the entry, before it is added: the same entry added twice is one
    Column("form", Integer),  # of the bytes that the seal is of
    Column("result", Text),  # what was inspected of a part, JSON, in an entry of that kind
    Column("seal", String(64)),  # of this entry and all before it; see book/seals.py
    Index("entry_number", "machine", "row", "number", unique=True),
    Index("entry_uid", "uid", unique=True),
    Index("entry_kind", "machine", "kind", "job"),
)
"""Entries. Values are machine mm, `r` degrees, `u_*` standard uncertainties; `chain` and `proof` are JSON."""
