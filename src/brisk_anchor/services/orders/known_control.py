"""What is known of a linked control, and how old that is, as rows of words. No widget."""

from __future__ import annotations

from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.quantities import shown_unit, signed_bare, signed_deg
from brisk_anchor.nc.read.port import LENGTH
from brisk_anchor.services.machine.machine_panel import Table
from brisk_anchor.services.orders.listening import LinkState
from brisk_anchor.services.orders.orders import Orders
from brisk_anchor.services.orders.orders_words import ago_words, link_words

LINKED_TABLES = ("offsets", "tools")


def known_facts(orders: Orders, state: LinkState) -> list[tuple[str, str, bool]]:
    """What of it is known: name, words, and whether that is older than its limit, or wrong."""
    settings, real = orders.session.link_settings, orders.real
    found = [("link", link_words(orders, state), bool(state.lost or state.busy))]
    if settings is not None:
        found.append(("programs", _out(orders), not real.outlet.exists))
        path = settings.report_file or settings.report_folder
        come = settings.shown(path) if path else settings.wire.port if settings.wire else ""
        found.append(("reports", come if settings.reports else "none come back: brisk-anchor take", False))
        if settings.wire is not None and settings.wire.is_socket:
            found.append(("", "a bare connection: its converter has speed, parity and flow", False))
    limit = settings.stale if settings is not None else 0.0
    at = max(real.told.rows.values(), default=None)
    old = at is None or real.is_old(next(r for r, t in real.told.rows.items() if t == at), limit)
    found.append(("table", f"as of {ago_words(at)}" if at is not None else "never read: ⟨machine:r⟩", old))
    active = real.active
    found.append(("active", active.words, not active.row))
    return found


def _out(orders: Orders) -> str:
    settings = orders.session.link_settings
    if settings is None or not orders.real.outlet.exists:
        return "no way is described"
    if settings.program_folder is not None:
        return settings.shown(settings.program_folder)
    return f"down {settings.wire.port}, {'fed' if settings.wire.fed else 'whole'}" if settings.wire is not None else ""


def known_table(orders: Orders, name: str) -> Table:
    """One of `LINKED_TABLES` as it was last told, each row with its age."""
    return _tools(orders) if name == "tools" else _offsets(orders)


def _offsets(orders: Orders) -> Table:
    session, real = orders.session, orders.real
    rows: list[tuple[str, ...]] = []
    marked = -1
    for row in session.profile.all_rows:
        if row not in session.profile.offsets and not real.knows(row):
            continue
        if row == real.active.row:
            marked = len(rows)
        held = real.table_values(row) if real.knows(row) else {}
        figures = [signed_bare(held[axis], 4) if axis in held else "?" for axis in AXES]
        angle = [signed_deg(held["r"], 3) if held.get("r") else ""]
        rows.append((row, *figures, *angle, real.age(row), session.ledger.title(row)))
    columns = ("row", *(axis.upper() for axis in AXES), "R", "told", "name")
    return Table(columns, tuple(rows), marked, f"lengths in {shown_unit().word}; ▸ active, as last told")


def _tools(orders: Orders) -> Table:
    session, real = orders.session, orders.real
    rows = []
    for number, tool in sorted(session.machine.tools.items()):
        if number not in (0, session.setup.stylus.tool_number):
            at = real.told.lengths.get(number)
            length = signed_bare(session.machine.tool_value(number, LENGTH), 4) if at is not None else "?"
            rows.append((f"T{number}", length, ago_words(at), tool.name))
    return Table(("tool", "length", "told", "name"), tuple(rows), -1, shown_unit().word)
