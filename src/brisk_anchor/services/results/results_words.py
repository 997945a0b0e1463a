"""Characteristics, verdicts and corrections in words: what the screen, the command line and the sheet say."""

from __future__ import annotations

from brisk_anchor.core.inspection.correction import Correction
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.quantities import bare, deg, dim, num, signed_deg, signed_dim
from brisk_anchor.services.results.characteristics import Asked
from brisk_anchor.services.results.inspected import CharacteristicLine
from brisk_anchor.services.results.inspection import by_of

MARKS = {Fate.GOOD: "✓", Fate.AGAIN: "↻", Fate.SCRAP: "✗", Fate.CANNOT_TELL: "?", Fate.OPEN: "·"}
"""A shape for each outcome, so that colour is never needed to tell them apart."""


def asked_words(asked: Asked) -> str:
    """A characteristic as the drawing has it, and what cuts it."""
    made = asked.characteristic
    by = by_of(asked.way)
    return f"{made.balloon:<6}{made.feature:<18}{made.words.partition(' ')[2]:<44}{by}".rstrip()


def figure(line: CharacteristicLine, value: float | None) -> str:
    """A figure of a characteristic without its unit; a dash where there is none."""
    if value is None:
        return "–"
    return num(value, 4) if line.is_angle else bare(value, 4)


def limits_words(line: CharacteristicLine) -> str:
    """What is allowed: "38.0000 … 38.0250", or "≤ 0.0500" of a zone."""
    if line.low is None:
        return f"≤ {figure(line, line.high)}"
    if line.high is None:
        return f"≥ {figure(line, line.low)}"
    return f"{figure(line, line.low)} … {figure(line, line.high)}"


def line_words(line: CharacteristicLine) -> str:
    """One characteristic in a line of the command line."""
    head = f"{MARKS[line.state]} {line.balloon:<5}{line.words.partition(' ')[2][:30]:<31}{limits_words(line):>23}"
    if line.value is None:
        return f"{head}  not measured: {line.notes[0] if line.notes else 'no touches'}"
    off = signed_deg(line.deviation or 0.0, 4) if line.is_angle else signed_dim(line.deviation or 0.0, 4)
    spread = deg(line.expanded or 0.0, 4) if line.is_angle else f"±{bare(line.expanded or 0.0, 4)}"
    sure = f"{100 * (line.probability or 0.0):5.1f} %"
    kind = ", process only" if line.process_only else ""
    return (
        f"{head}{figure(line, line.value):>11} {spread:>9}  {off:>14}  {sure}  {line.verdict}{kind}  {line.to}".rstrip()
    )


def correction_words(asked: Asked, correction: Correction | None) -> list[str]:
    """The sum of a correction, or why there is none."""
    if correction is None:
        return [f"Nothing says what cuts {asked.balloon}: add “cut by T12” to its words"]
    told = [f"{by_of(correction.way)} {signed_dim(correction.old, 4)}", *correction.steps]
    if correction.card:
        told.append(correction.card)
    if correction.why:
        told.append(correction.why)
    return told


def advice(line: CharacteristicLine) -> str:
    """What can be done about one characteristic that is not good."""
    match line.state:
        case Fate.AGAIN:
            return f"{dim(abs(line.metal or 0.0), 4)} a side are left: it can be cut again"
        case Fate.SCRAP:
            return "too much is cut off, or it lies wrong: no cut makes it good"
        case Fate.CANNOT_TELL:
            ratio = line.limits.band
            if ratio and line.expanded:
                return f"too near to a limit for its ±: the band is {num(ratio / (2 * line.expanded), 1)} times the ±"
            return "touches cannot tell: gauge it by hand"
    return ""
