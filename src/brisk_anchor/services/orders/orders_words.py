"""How a link and its orders stand, in words for a person at the machine."""

from __future__ import annotations

from datetime import UTC, datetime

from brisk_anchor.core.quantities import age_words
from brisk_anchor.services.orders.listening import LinkState
from brisk_anchor.services.orders.order import Order, OrderState
from brisk_anchor.services.orders.orders import Orders


def ago_words(at: datetime | None) -> str:
    """How long ago something was: "2 min ago", "now", or "never"."""
    if at is None:
        return "never"
    words = age_words((datetime.now(UTC) - at).total_seconds())
    return words if words == "now" else f"{words} ago"


def link_words(orders: Orders, state: LinkState) -> str:
    """The link in the top line: "linked, heard 2 min ago"."""
    if state.lost:
        return "link lost"
    if state.busy:
        return "linked, another window listens"
    if state.heard is not None:
        return "running"
    heard = orders.real.told.heard
    return f"linked, heard {ago_words(heard)}" if heard is not None else "linked, nothing heard yet"


def progress_of(orders: Orders, state: LinkState) -> tuple[Order, int] | None:
    """The order whose program runs now, and how many touches it has made; None where none of ours does."""
    heard = state.heard
    if heard is None:
        return None
    own = [o for o in orders.folder.all() if (o.program, o.identity) == (heard.program, heard.identity)]
    return (own[-1], heard.touches) if own else None


def waiting_words(orders: Orders, state: LinkState) -> tuple[str, str] | None:
    """What is waited for: which program lies where and what to press, or how far it is."""
    running = progress_of(orders, state)
    if running is not None:
        order, touches = running
        share = f"touch {touches} of {order.touches}" if order.touches else "it runs"
        return f"{order.label}, {order.title}: {share}.", "The control reports as it goes. Esc: wait no more."
    waiting = orders.waiting
    if not waiting:
        return None
    order = waiting[-1]
    more = f" {len(waiting) - 1} more wait." if len(waiting) > 1 else ""
    where = order.where or f"{order.label} is being handed over"
    settings = orders.session.link_settings
    back = "" if settings is not None and settings.reports else " Then: brisk-anchor take FILE, for none comes back."
    tool = tool_words(order)
    return f"{where}: load it, {tool}press cycle start.", f"Waiting for {order.title}.{more}{back} Esc: wait no more."


def large_words(orders: Orders, state: LinkState) -> tuple[str, str, str, bool]:
    """What a control is at for two metres: large figures, what they are, a line below, and whether it runs now."""
    running = progress_of(orders, state)
    if running is not None:
        order, touches = running
        big = f"{touches}/{order.touches}" if order.touches else order.label
        return big, "touches reported" if order.touches else "the program", f"{order.label} runs: {order.title}", True
    waiting = orders.waiting
    if waiting:
        return waiting[-1].label, "waits for cycle start at the control", waiting[-1].title, False
    return "", "no program is waited for", "this link tells no position", False


def tool_words(order: Order) -> str:
    """What has to be in the spindle: "look that T20 is in the spindle, "."""
    if order.measurement is None:
        return ""
    return f"look that T{order.measurement.stylus.tool_number} is in the spindle, "


def order_lines(orders: Orders) -> list[tuple[str, str, str, str, str]]:
    """The newest orders as rows: program, what for, state, when, what came of it; newest first."""
    found = []
    for order in reversed(orders.folder.all()[-40:]):
        at = order.taken_at or order.at
        old = order.state is OrderState.WAITING and order.clamped != orders.session.working.clamped
        state = "out of date" if old else order.state.value
        found.append((order.label, order.title, state, ago_words(at), order.told))
    return found
