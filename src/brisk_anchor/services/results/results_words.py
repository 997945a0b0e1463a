"""Characteristics, verdicts and corrections in words: what the screen, the command line and the sheet say."""

from __future__ import annotations

import math

from brisk_anchor.core.inspection.correction import Correction, Due
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.quantities import bare, deg, dim, num, signed_deg, signed_dim
from brisk_anchor.services.job.characteristics import Asked, by_of
from brisk_anchor.services.results.inspected import CharacteristicLine, InspectedPart
from brisk_anchor.services.results.inspection import Inspection

MARKS = {Fate.GOOD: "✓", Fate.AGAIN: "↻", Fate.SCRAP: "✗", Fate.CANNOT_TELL: "?", Fate.OPEN: "·"}
"""A shape for each outcome, so that colour is never needed to tell them apart."""


def asked_words(asked: Asked) -> str:
    """A characteristic as the drawing has it, and what cuts it."""
    made = asked.characteristic
    by = by_of(asked.way)
    return f"{made.balloon:<6}{made.feature:<18}{made.words.partition(' ')[2]:<44}{by}".rstrip()


def plain_words(line: CharacteristicLine) -> str:
    """What is asked, without the number: "⌀62 H7 of seat"."""
    return f"{line.words.partition(' ')[2] or line.what} of {line.feature}"


def about_words(line: CharacteristicLine) -> list[tuple[str, str]]:
    """What there is to say of one characteristic, label by label."""
    found = [("limits", limits_words(line))]
    if line.value is not None and line.deviation is not None:
        off = signed_deg(line.deviation, 4) if line.is_angle else signed_dim(line.deviation, 4)
        found.append(("off target", off + (f", {100 * line.share:+.0f} % of the way to a limit" if line.share else "")))
    if line.probability is not None:
        counted = f", counted {line.to}" if line.to.startswith("to") else f", from {line.to}" if line.to else ""
        found.append(("surely in", f"{100 * line.probability:.1f} %{counted}"))
    band = line.limits.band if line.low is not None else line.high
    if band and line.expanded:
        found.append(("band", f"{num(band / (2 * line.expanded), 1)} times the ± each way"))
    if line.beside:
        figures = "  ".join(f"{name} {figure(line, value)}" for name, value in line.beside[:4])
        found.append(("beside it", figures))
    if line.by:
        wear = f" {signed_dim(line.wear, 4)}" if line.wear is not None else ""
        found.append(("cut by", f"{line.by}{wear}"))
    if words := advice(line):
        found.append(("what to do", words))
    found += [("", note) for note in line.notes]
    return found


def next_step(known: Inspection, part: InspectedPart, line: CharacteristicLine | None) -> tuple[str, str]:
    """The next thing to do about a part, in two sentences."""
    if not known.asked:
        return "The drawing asks nothing.", 'Give features of part.toml words: asks = ["7 ⌀38 H7 cut by T12"]'
    clean = "Clean it, let it dry and cool: what is measured warm is wrong cold."
    if all(one.value is None for one in part.lines):
        return "Nothing of this part was measured yet. Enter measures all that is asked.", clean
    if not part.serial:
        return "⟨s⟩ enters this part under its number.", clean
    bad = [one for one in part.lines if one.state not in (Fate.GOOD, Fate.OPEN)]
    if not bad:
        return (
            f"Part {part.serial} is good. Clamp the next, then Enter inspects it.",
            "⟨c⟩ says whether anything drifts.",
        )
    chosen = line if line in bad else bad[0]
    return f"{chosen.balloon} {plain_words(chosen)}: {advice(chosen)}.", "⟨c⟩ says what to correct for the next part."


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
    spread = f"±{deg(line.expanded or 0.0, 4) if line.is_angle else bare(line.expanded or 0.0, 4)}"
    sure = f"{100 * (line.probability or 0.0):5.1f} %"
    kind = ", process only" if line.process_only else ""
    return (
        f"{head}{figure(line, line.value):>11} {spread:>9}  {off:>14}  {sure}  {line.verdict}{kind}  {line.to}".rstrip()
    )


def correction_words(asked: Asked, correction: Correction | None, following: Due | None = None) -> list[str]:
    """The sum of a correction, or why there is none, and when a drift will ask for one."""
    if correction is None:
        return [f"Nothing says what cuts {asked.balloon}: add “cut by T12” to its words"]
    told = [f"{by_of(correction.way)} {signed_dim(correction.old, 4)}", *correction.steps]
    if correction.card:
        told.append(correction.card)
    if correction.why:
        told.append(correction.why)
    if following is not None and not correction.change:
        told.append(due_words(by_of(correction.way), following))
    return told


def due_words(by: str, following: Due) -> str:
    """When a drift asks for a correction: in "about 12 parts (9 to 17): T12 radius wear -0.0012 mm then"."""
    leaves = following.leaves
    late = "never" if leaves.latest is None else f"{math.ceil(leaves.latest)}"
    span = f"{math.floor(leaves.earliest)} to {late}"
    return f"at this drift in about {round(leaves.parts)} parts ({span}): {by} {signed_dim(following.change, 4)} then"


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
