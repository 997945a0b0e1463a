"""Report lines: what a program prints, and the way back from them to touches. The format stands in docs/formats.md."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import field

from brisk_anchor.core.errors import ReportError
from brisk_anchor.core.features.touches import Origin, Stylus, Touch
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass

KINDS = (
    "BEGIN",
    "TOOLCHECK",
    "TOOL",
    "TOUCH",
    "SOLVED",
    "STORED",
    "JUDGED",
    "CORRECTED",
    "ROW",
    "LENGTH",
    "WEAR",
    "ACTIVE",
    "END",
)
# Some controls print no blanks, some more of them, some in small letters.
LINE = re.compile(rf"^BRISK\s*1\s*({'|'.join(KINDS)})(.*)$", re.IGNORECASE)
_ROW = re.compile(r"^\s*(COMMON|G[0-9]+(?:\.[0-9])?)\s*(P[0-9]+)?\s*(.*)$")
_PAIR = re.compile(r"([A-Z])\s*(-?[0-9]{1,9}(?:\.[0-9]{0,12})?)(?![.0-9])")
PRINTED = 1e-4
"""The last digit of what a program prints, mm or degrees."""


@dataclass(slots=True)
class RunReport:
    """What one run reported: touches as (number, position, direction), solutions and stores as the control has them."""

    program: int
    identity: int
    tool: dict[str, float] = field(default_factory=dict)
    touches: list[tuple[int, Vector, Vector]] = field(default_factory=list)
    solved: dict[int, dict[str, float]] = field(default_factory=dict)
    stored: dict[str, dict[str, float]] = field(default_factory=dict)
    tools: dict[int, float] = field(default_factory=dict)
    """How much longer a tool is than its table says, mm, of those that were looked at."""
    judged: dict[int, tuple[float, int]] = field(default_factory=dict)
    """By number of the judgement what was measured, and what that came to."""
    corrected: list[tuple[int, float, float]] = field(default_factory=list)
    """In the order of the program: a tool, and a wear of it before and after, mm."""
    rows: dict[str, dict[str, float]] = field(default_factory=dict)
    """By row what the table holds, in a report of the table."""
    lengths: dict[int, float] = field(default_factory=dict)
    """By tool its length in the table, mm."""
    wear: dict[int, dict[str, float]] = field(default_factory=dict)
    """By tool its wear of length (L) and radius (R) in the table, mm."""
    active: float | None = None
    """What the control reads where its active row stands."""
    complete: bool = False


def _pairs(text: str, line: str) -> dict[str, float]:
    pairs = {letter: float(value) for letter, value in _PAIR.findall(text)}
    if not pairs or _PAIR.sub("", text).strip():
        raise ReportError(f"This report line is broken: “{line[:80]}”", "Its figures cannot be trusted", "Run it again")
    return pairs


def _row_pairs(rest: str, line: str) -> tuple[str, dict[str, float]]:
    """A row's name as one word, and its figures."""
    found = _ROW.match(rest)
    if found is None:
        raise ReportError(f"This report line names no row: “{line[:80]}”", "", "Run it again")
    name, extended, figures = found.groups()
    return name + (extended or ""), _pairs(figures, line)


def _ended(report: RunReport, told: Mapping[str, float]) -> None:
    """Compare what came with what the end says there was. Raises ReportError: something is lost."""
    counts = [("N", len(report.touches), "touches"), ("J", len(report.judged), "verdicts")]
    counts += [("R", len(report.rows), "rows"), ("L", len(report.lengths), "tool lengths")]
    counts += [("C", len(report.corrected), "corrections"), ("W", len(report.wear), "tools with their wear")]
    for letter, there, what in counts:
        made = int(told["N"] if letter == "N" else told.get(letter, 0))
        if made != there:
            raise ReportError(
                f"{there} {what} were reported, {made} were made", "The control dropped lines", "Run it again"
            )
    report.complete = True


def parse_reports(lines: Iterable[str]) -> RunReport:
    """Read the report lines of one run; lines of other programs are passed over.

    Raises:
        ReportError: no beginning, a broken line, lines missing, or the end missing.
    """
    report: RunReport | None = None
    for raw in lines:
        line = raw.strip().upper()
        found = LINE.match(line)
        if not found:
            continue
        kind, rest = found.groups()
        if kind == "BEGIN":
            pairs = _pairs(rest, line)
            report = RunReport(int(pairs.get("O", 0)), int(pairs.get("I", 0)))
            continue
        if report is None:
            raise ReportError("The report has no beginning", "Lines are missing before the first", "Run it again")
        if kind in ("STORED", "ROW"):
            row, pairs = _row_pairs(rest, line)
            (report.stored if kind == "STORED" else report.rows)[row] = pairs
            continue
        pairs = _pairs(rest, line)
        try:
            if kind == "TOOL":
                report.tool = pairs
            elif kind == "TOUCH":
                position = (pairs["X"], pairs["Y"], pairs["Z"])
                direction = (pairs["I"], pairs["J"], pairs["K"])
                report.touches.append((int(pairs["N"]), position, direction))
            elif kind == "TOOLCHECK":
                report.tools[int(pairs["T"])] = pairs["D"]
            elif kind == "JUDGED":
                report.judged[int(pairs["M"])] = (pairs["A"], int(pairs["V"]))
            elif kind == "CORRECTED":
                report.corrected.append((int(pairs["T"]), pairs["A"], pairs["B"]))
            elif kind == "LENGTH":
                report.lengths[int(pairs["T"])] = pairs["L"]
            elif kind == "WEAR":
                report.wear[int(pairs.pop("T"))] = pairs
            elif kind == "ACTIVE":
                report.active = pairs["A"]
            elif kind == "SOLVED":
                report.solved[int(pairs.pop("M"))] = pairs
            elif kind == "END":
                _ended(report, pairs)
        except KeyError as error:
            raise ReportError(f"This report line lacks {error}: “{line[:80]}”", "", "Run it again") from None
    if report is None:
        raise ReportError("There are no report lines", "Nothing was measured", "Run the program first")
    if not report.complete:
        raise ReportError("The report has no end", "The run was cut short", "Run it again")
    return report


def printed_share(stylus: Stylus) -> float:
    """Which share of a touch's standard uncertainty comes from the last printed digit."""
    step = PRINTED / math.sqrt(12)
    return step / math.hypot(stylus.u_repeatability, step)


def touches_of(report: RunReport, stylus: Stylus, labels: list[str], feed: float | None = None) -> list[Touch]:
    """The touches of a run as the chain wants them; `labels` in order, `feed` the touch feed where it is not the usual.

    The uncertainty of each holds the stylus's repeatability at that feed and the last printed digit.

    Raises:
        ReportError: another tool touched, or the count differs from the plan.
    """
    told = report.tool
    agrees = (
        int(told.get("T", -1)) == stylus.tool_number
        and abs(told.get("R", 0) - stylus.effective_radius) < PRINTED
        and abs(told.get("L", 0) - stylus.length) < PRINTED
        and all(abs(told.get(n, 0) - part) < PRINTED for n, part in zip("UV", stylus.offset, strict=True))
    )
    if not agrees:
        raise ReportError(
            "The report was made with another probe, or with another calibration of it",
            "Its touches would be compensated wrongly",
            "Write the program again and run it",
        )
    if len(labels) != len(report.touches) or [n for n, _, _ in report.touches] != list(range(1, len(labels) + 1)):
        raise ReportError(
            f"{len(report.touches)} touches were reported, the plan has {len(labels)}",
            "Lines are missing",
            "Run it again",
        )
    scatter = stylus.scatter_at(feed)
    u = math.hypot(scatter.u, PRINTED / math.sqrt(12))
    result = []
    for label, (_, position, direction) in zip(labels, report.touches, strict=True):
        norm = math.hypot(*direction)
        if not 0.99 < norm < 1.01:
            raise ReportError(f"Touch {label} reports no proper direction", "", "Run it again")
        unit = (direction[0] / norm, direction[1] / norm, direction[2] / norm)
        result.append(Touch(label, position, unit, stylus, u, Origin.RUN, scatter))
    return result
