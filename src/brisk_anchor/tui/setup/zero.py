"""Where each axis of an offset's zero comes from, in words and figures."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, FromRow, FromTable
from brisk_anchor.core.quantities import signed_bare, signed_deg
from brisk_anchor.tui import theme

if TYPE_CHECKING:
    from brisk_anchor.services.session.session import Session


def zero_text(session: Session, row: str) -> Text:
    """One line an axis: where it lies by the description, machine mm, and what it is taken from."""
    expected = session.rows.expected(row)
    titles = {drawn.name: drawn.title for drawn in session.setup.features}
    text = Text(no_wrap=True, overflow="ellipsis")
    for axis, rule in session.setup.row(row).rules.items():
        text.append(f" {axis.upper()} ", f"bold {theme.SAND}")
        text.append(f"{signed_bare(expected[axis], 3):>10}", f"bold {theme.TEXT}")
        if isinstance(rule, FromFit):
            text.append("   the best fit of ", theme.QUIET)
            text.append(f"{', '.join(titles[name] for name in rule.names)}\n", theme.TEXT)
            continue
        if isinstance(rule, FromHeading):
            way = f" to {titles[rule.other]}" if rule.other else ""
            text.append(" °  turned with ", theme.QUIET)
            turner = session.setup.row(row).turner
            table = f", turned out by table {turner.letter}" if turner else ""
            text.append(f"{titles[rule.feature]}{way}{table}\n", theme.TEXT)
            continue
        if isinstance(rule, FromTable):
            text.append(f"   where {rule.letter} {signed_deg(rule.angle)} carries ", theme.QUIET)
            text.append(f"{rule.row}\n", theme.TEXT)
            continue
        if isinstance(rule, FromRow):
            text.append(f"   {signed_bare(rule.shift)} along its axis from " if rule.shift else "   on ", theme.QUIET)
            text.append(f"{rule.row}\n", theme.TEXT)
            continue
        if not isinstance(rule, FromFeature):
            text.append("   kept or given by hand\n", theme.QUIET)
            continue
        away = rule.allowance - rule.drawing
        # The figure first: what a small window cuts off is the end of a name, never of a figure.
        shift = f"{signed_bare(away, 3)} from" if away else "on"
        text.append(f"   {shift} ", theme.QUIET)
        between = titles[rule.feature]
        if rule.other:
            between = f"the middle of {between} and {titles[rule.other]}"
        text.append(f"{between}\n", theme.TEXT)
    text.append(" machine mm, by the description\n", theme.QUIET)
    return text
