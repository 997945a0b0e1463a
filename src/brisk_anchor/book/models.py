"""The book's table. Entries are added and never changed; what a row is now follows from its entries."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import DateTime, Float, Index, Integer, String, Text, TypeDecorator, event
from sqlalchemy.orm import DeclarativeBase, Mapped, Mapper, mapped_column

from brisk_anchor.core.errors import BookWriteError

HEAD = "0005"
"""The newest revision this version knows; a test holds it to the migrations folder."""


class _Utc(TypeDecorator[datetime]):
    """A point in time, kept in UTC and given back with its zone on every database."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Any) -> datetime | None:
        return value.astimezone(UTC).replace(tzinfo=None) if value else None

    def process_result_value(self, value: datetime | None, dialect: Any) -> datetime | None:
        return value.replace(tzinfo=UTC) if value else None


class Base(DeclarativeBase):
    """Declarative base of the book."""


class EntryRow(Base):
    """One entry. Values are machine mm, `r` degrees, `u_*` standard uncertainties; `chain` and `proof` are JSON."""

    __tablename__ = "entry"

    id: Mapped[int] = mapped_column(Integer, primary_key=True, autoincrement=True)
    at: Mapped[datetime] = mapped_column(_Utc)
    machine: Mapped[str] = mapped_column(String(60), index=True)
    row: Mapped[str] = mapped_column(String(24), index=True)
    kind: Mapped[str] = mapped_column(String(16))
    job: Mapped[str] = mapped_column(String(60))
    title: Mapped[str] = mapped_column(String(120))
    x: Mapped[float | None] = mapped_column(Float)
    y: Mapped[float | None] = mapped_column(Float)
    z: Mapped[float | None] = mapped_column(Float)
    u_x: Mapped[float | None] = mapped_column(Float)
    u_y: Mapped[float | None] = mapped_column(Float)
    u_z: Mapped[float | None] = mapped_column(Float)
    r: Mapped[float | None] = mapped_column(Float)
    u_r: Mapped[float | None] = mapped_column(Float)
    chain: Mapped[str | None] = mapped_column(Text)
    proof: Mapped[str | None] = mapped_column(Text)
    note: Mapped[str] = mapped_column(Text)
    number: Mapped[int | None] = mapped_column(Integer)
    """Of the entry in its row, from 1: two windows that add at once cannot both have the same."""
    who: Mapped[str] = mapped_column(String(60), server_default="")
    figure: Mapped[float | None] = mapped_column(Float)
    """The limit of a jump, mm, in an entry that sets one."""
    uid: Mapped[str | None] = mapped_column(String(32))
    """Made with the entry, before it is added: the same entry added twice is one."""
    form: Mapped[int | None] = mapped_column(Integer)
    """The form of the bytes that the seal is of."""
    result: Mapped[str | None] = mapped_column(Text)
    """What was inspected of a part, JSON, in an entry of that kind."""
    seal: Mapped[str | None] = mapped_column(String(64))
    """Of this entry and all before it; see book/seals.py."""

    __table_args__ = (
        Index("entry_number", "machine", "row", "number", unique=True),
        Index("entry_uid", "uid", unique=True),
        Index("entry_kind", "machine", "kind", "job"),
    )


def _refuse(mapper: Mapper[Any], connection: Any, target: Any) -> None:
    raise BookWriteError(
        "An entry of the book was to be changed or removed", "The book only grows", "Add a new entry instead"
    )


event.listen(EntryRow, "before_update", _refuse)
event.listen(EntryRow, "before_delete", _refuse)
