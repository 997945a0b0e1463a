"""Offsets as report lines: what a program printed when it stored them. They are only read."""

from __future__ import annotations

from brisk_anchor.exchange.tables.rows import TableForm, TableRow
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.reports import parse_reports

_LOOKED_THROUGH = 1_000_000


def from_reports(data: bytes, name: str, profile: Profile) -> list[TableRow]:
    """The rows that reports say were stored. Raises ReportError: a line of a report is damaged."""
    stored = parse_reports(lines_of(data.decode("utf-8", "replace"))).stored
    names = {row.replace(" ", ""): row for row in profile.all_rows}
    return [
        TableRow(names.get(row, row), {axis.lower(): value for axis, value in held.items()}, {}, source=name)
        for row, held in stored.items()
    ]


FORM = TableForm(
    ".txt",
    "report lines",
    lambda data: b"BRISK 1 BEGIN" in data[:_LOOKED_THROUGH],
    lambda data, name, profile, _unit: from_reports(data, name, profile),
)
