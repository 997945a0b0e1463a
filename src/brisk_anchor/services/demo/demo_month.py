"""A made-up month of the demo's book: the sub-plate's offset, three parts that follow it, a stale row, a locked one."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.book.store import Book
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.rules import FromRow
from brisk_anchor.core.offsets.setup import Operation
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.services.demo.example import DEMO_SCENE
from brisk_anchor.services.offsets.book_words import derive
from brisk_anchor.services.offsets.offset_book import typed_chain
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.session.session import Session

DAYS = 30
_PLATE = (-520.0, -310.0, -558.0)
_LEVER = (-470.0, -286.0, -500.0)
_SPREAD = {"x": 0.004, "y": 0.004, "z": 0.003}
PROGRAM = "bc-27-plate.tap"


def open_month(folder: Path) -> Session:
    """The demo with its month of history, in a folder of its own; made the first time. Raises BriskAnchorError."""
    return Session.with_book(open_book(folder / "book.sqlite"), lambda book: _month(folder, book))


def _month(folder: Path, book: Book) -> Session:
    session = Session.open(DEMO_SCENE, book, machine_file=folder / "machine.json")
    derive(session, "G55", "grid 4, 1, 90mm, 0mm")
    operations = (
        Operation("op 10", "G54"),
        Operation("op 20", "G56"),
        Operation("op 21", "G57"),
        Operation("op 22", "G58"),
    )
    session.working.setup = replace(session.setup, card=replace(session.setup.card, operations=operations))
    if not session.rows.history("G55"):
        _fill(book, session)
        session.ledger.refresh()
        for row in ("G55", "G56", "G57", "G58"):
            if (valued := session.ledger.valued(row)) is not None:
                session.link.write_row(row, valued.values)
        session.link.settle()
        write_whole(folder / PROGRAM, _program().encode())
    return session


def _entry(session: Session, row: str, kind: EntryKind, at: datetime, chain: Chain | None, note: str) -> Entry:
    made = session.ledger.entry(kind, row, chain, note=note, figure=2.0 if kind is EntryKind.LIMIT else None)
    return replace(made, at=at, who="day shift" if at.hour < 14 else "late shift")


def _chain(row: str, values: tuple[float, float, float], why: str) -> Chain:
    held = dict(zip("xyz", values, strict=True))
    return typed_chain(row, held, _SPREAD, {}, why)


def _fill(book: Book, session: Session) -> None:
    """Entries over the month: the plate measured once a week, each part stored after it, the lever's bore daily."""
    random = np.random.default_rng(114)
    now = datetime.now(UTC).replace(minute=10, second=0, microsecond=0)
    entries: list[Entry] = []
    plate = _PLATE
    for day in range(DAYS, -1, -1):
        at = now - timedelta(days=day)
        if day % 7 == 2:
            x, y, z = (round(float(v + random.normal(0, 0.006)), 4) for v in _PLATE)
            plate = (x, y, z)
            chain = _chain("G55", plate, "bushing and pad touched")
            entries.append(_entry(session, "G55", EntryKind.STORED, at.replace(hour=6), chain, "set by O2255"))
            for row in ("G56", "G57", "G58"):
                rules = session.setup.row(row).rules
                shifts = [rule.shift if isinstance(rule, FromRow) else 0.0 for rule in (rules[a] for a in "xyz")]
                x, y, z = (round(p + s, 4) for p, s in zip(plate, shifts, strict=True))
                part = _chain(row, (x, y, z), "follows G55")
                entries.append(_entry(session, row, EntryKind.STORED, at.replace(hour=7), part, "follows G55"))
        if day % 3 == 0 and day:
            drift = 0.0004 * (DAYS - day)
            x, y, z = (round(float(v + drift + random.normal(0, 0.003)), 4) for v in _LEVER)
            chain = _chain("G54", (x, y, z), "bore and top touched")
            entries.append(_entry(session, "G54", EntryKind.STORED, at.replace(hour=15), chain, "set by O2254"))
    morning = now - timedelta(hours=3)
    entries.append(_entry(session, "G54", EntryKind.STALE, morning, None, "clamped again"))
    entries.append(_entry(session, "G55", EntryKind.LIMIT, morning, None, "limit 2 mm"))
    entries.append(_entry(session, "G58", EntryKind.LOCKED, morning, None, "first article is on the gauge"))
    named = _entry(session, "", EntryKind.SNAPSHOT, morning - timedelta(days=6), None, "good part 14")
    entries = sorted([*entries, replace(named, title="")], key=lambda entry: entry.at)
    counted: dict[str, int] = {}
    numbered = []
    for entry in entries:
        counted[entry.row] = counted.get(entry.row, 0) + 1
        numbered.append(replace(entry, number=counted[entry.row]))
    book.add(*numbered)


def _program() -> str:
    """A cutting program for BC-27 on the last part of the plate: its run-off on the right leaves the travel."""
    lines = [
        "%",
        "O3027 (BC-27 PLATE, FACE AND BORES)",
        "G21 G90 G17 G40 G49 G80",
        "T12 M6",
        "G58 G0 X-20. Y-12.",
        "G43 H12 Z25.",
        "S3200 M3",
        "G1 Z-1. F600",
    ]
    for y in range(0, 112, 8):
        lines += [f"G1 Y{y:.1f}", f"G1 X{400.0 if (y // 8) % 2 == 0 else -20.0:.1f} F900"]
    lines += [
        "G0 Z25.",
        "M5",
        "T5 M6",
        "G58 G0 X30. Y50.",
        "G43 H5 Z25.",
        "S2600 M3",
        "G81 Z-38. R2. F180",
        "X130.",
        "G80",
        "G0 Z50.",
        "M30",
        "%",
    ]
    return "\n".join(lines) + "\n"
