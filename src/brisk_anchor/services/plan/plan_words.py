"""Words typed in the plan: what a measurement sets and keeps, how it is touched, and what holds for the whole plan."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.numbers import is_whole, parse_length
from brisk_anchor.core.quantities import deg, dim, signed_num
from brisk_anchor.services.offsets.book_words import read_change
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile, SetsSection, ToolCheckSection

MEASURE_FORMS = {
    "sets": "sets G54 x 0 y 20, or sets nothing",
    "allowance": "allowance z -1.5",
    "keep": "keep D #610, or keep nothing",
    "check": "check 0.5: how near to where the row of its place has it",
    "3 at": "3 at 10 130 250: degrees from +X",
    "all round": "all round",
    "over": "over: over the top between touches",
    "round": "round: without going over the top",
    "usual": "usual: as the kind is measured",
    "alarm": "alarm where its size is wrong",
    "stop": "stop where its size is wrong",
    "go on": "go on where its size is wrong, and store nothing",
    "at": "at X, Y, Z: the tip, machine",
    "table": "table B 90, or table none",
    "comment": "comment …",
}
PLAN_FORMS = {
    "name": "name …",
    "number": "number 2150",
    "no number": "no number: as the job counts",
    "offset": "offset G54, or offset none",
    "tool": "tool 12 0.05: how far its length may be off",
    "no tool": "no tool 12",
    "probe": "probe each, or probe kept on",
    "half turn": "half turn",
    "no half turn": "no half turn",
    "call probe": "call probe: the program puts it in",
    "no call": "no call",
}
_ROW = re.compile(r"(?i)^(G5[4-9](?:\.[1-3])?(?:\s+P\s*[0-9]{1,3})?)\s*(.*)$")
_HEADINGS = re.compile(r"^([0-9])\s+at\s+(.+)$")
_KEEP = re.compile(r"(?i)([XYZDERABIJK])\s*#\s*([0-9]{1,4})")
_ANGLE = re.compile(r"(?i)([ABC])\s*([+-]?[0-9]+(?:\.[0-9]+)?)")
Changes = Mapping[str, Any]


def hint(forms: Mapping[str, str], typed: str) -> str:
    """The forms of what begins as is typed; the first words of everything while nothing is."""
    begun = [form for words, form in forms.items() if typed and f"{typed.lower()} ".startswith(f"{words} ")]
    begun = begun or [form for words, form in forms.items() if typed and words.startswith(typed.lower())]
    return "   ".join(begun) or " · ".join(forms)


def read_measure_words(section: MeasureSection, words: str) -> tuple[Changes, str]:
    """What words change of a measurement, as fields of its section, and that in a sentence.

    Raises:
        PlanError: they are none that are known. NumberEntryError: a figure is none.
    """
    first, _, rest = words.strip().partition(" ")
    rest = rest.strip()
    match first.lower():
        case "sets" | "set":
            return _sets(section, rest)
        case "allowance":
            return _allowance(section, rest)
        case "keep":
            return _keep(rest)
        case "check":
            return _check(rest)
        case "at":
            return _place(section, rest)
        case "table":
            return _table(rest)
        case "over" | "round" | "down" | "usual":
            over = {"over": True, "round": False, "down": False, "usual": None}[first.lower()]
            told = {True: "over the top between touches", False: "without going over the top", None: "as is usual"}[
                over
            ]
            return {"over_the_top": over}, told
        case "alarm" | "stop":
            return {"on_fail": first.lower()}, f"a wrong size: {first.lower()}"
        case "go":
            return {"on_fail": "go on"}, "a wrong size is noted, the rest is measured, nothing is stored"
        case "comment":
            return {"comment": rest[:120]}, "comment changed"
        case "all":
            return {"headings": None}, "touched all round"
    if found := _HEADINGS.match(words.strip()):
        headings = [float(part) for part in re.findall(r"-?[0-9]+(?:\.[0-9]+)?", found[2])]
        if len(headings) != int(found[1]) or len(headings) not in (2, 3):
            raise PlanError(
                f"{found[1]} directions were announced, {len(headings)} stand there", "", "As 3 at 10 130 250"
            )
        return {"headings": headings}, f"touched at {', '.join(f'{deg(heading)}' for heading in headings)}"
    raise PlanError(f"“{first[:20]}” is nothing that can be said of a measurement", "", " · ".join(MEASURE_FORMS))


def _sets(section: MeasureSection, words: str) -> tuple[Changes, str]:
    if words.lower() in ("", "nothing", "none"):
        return {"sets": None}, "sets no offset"
    if (found := _ROW.match(words)) is None:
        raise PlanError(f"“{words[:20]}” names no offset", "", "As sets G54 x 0 y 20")
    row = re.sub(r"\s*[Pp]\s*", " P", found[1].upper()).strip()
    figures, _ = read_change(found[2], {}) if found[2].strip() else ({}, "")
    if not figures:
        raise PlanError(f"Say where the feature lies in {row}", "", f"As sets {row} x 0 y 20")
    before = section.sets.allowance if section.sets is not None else {}
    kept = {axis: value for axis, value in before.items() if axis in figures}
    return {"sets": {"row": row, **figures, "allowance": kept}}, f"sets {row} {_axes(figures)}"


def _allowance(section: MeasureSection, words: str) -> tuple[Changes, str]:
    if section.sets is None:
        raise PlanError(
            "It sets no offset that an allowance could belong to", "", "Say first what it sets: sets G54 z 0"
        )
    figures, _ = read_change(words, {})
    kept = {str(axis): value for axis, value in section.sets.allowance.items()} | figures
    kept = {axis: value for axis, value in kept.items() if value}
    return {"sets": section.sets.model_dump() | {"allowance": kept}}, f"allowance {_axes(figures)}"


def _axes(figures: Mapping[str, float]) -> str:
    return "  ".join(f"{axis.upper()} {signed_num(value)}" for axis, value in figures.items())


_NAMED_ROWS = 3
"""So many rows that a plan sets are named; of more the first, and how many there are besides."""


def sets_words(plan: PlanFile) -> str:
    """The rows a plan sets, in words for a heading: "G54, G55" or "G54.1 P1 and 11 more"."""
    named = [section.sets.row for section in plan.measure if section.sets]
    rows = list(dict.fromkeys([*([plan.offset] if plan.offset else []), *plan.also, *named]))
    if len(rows) > _NAMED_ROWS:
        return f"{rows[0]} and {len(rows) - 1} more"
    return ", ".join(rows) or "nothing"


def _check(words: str) -> tuple[Changes, str]:
    if words.lower() in ("nothing", "none"):
        return {"check": None}, "its place is not looked at"
    limit = parse_length(words, low=0.001, high=50.0)
    return {"check": limit}, f"must lie within {dim(limit)} of where the row of its place has it"


def _keep(words: str) -> tuple[Changes, str]:
    if words.lower() in ("", "nothing", "none"):
        return {"keep": []}, "keeps nothing"
    found = _KEEP.findall(words)
    if not found or _KEEP.sub("", words).strip(" ,;"):
        raise PlanError("That is no result and variable", "", "As keep X #610, D #611")
    kept = [f"{letter.upper()} #{number}" for letter, number in found]
    return {"keep": kept}, f"keeps {', '.join(kept)}"


def _table(words: str) -> tuple[Changes, str]:
    if words.lower() in ("", "none"):
        return {"table": {}}, "the table is turned nowhere"
    found = _ANGLE.findall(words)
    if not found or _ANGLE.sub("", words).strip(" ,;"):
        raise PlanError("That is no axis and angle", "", "As table B 90")
    angles = {letter.upper(): float(angle) for letter, angle in found}
    return {"table": angles}, f"measured with {' '.join(f'{axis} at {deg(angle)}' for axis, angle in angles.items())}"


def _place(section: MeasureSection, words: str) -> tuple[Changes, str]:
    if section.name is None:
        raise PlanError("Its place is that of the drawing", "", "Change the drawing, or mark it on the bench")
    parts = [part for part in words.split(",") if part.strip()]
    if len(parts) != 3:
        raise PlanError("The tip's place takes three figures: X, Y, Z", "", "As at -400, -250, -515")
    place = [parse_length(part, low=-FURTHEST, high=FURTHEST) for part in parts]
    return {"at": place}, "the tip starts at " + _axes(dict(zip("xyz", place, strict=True)))


def read_plan_words(plan: PlanFile, words: str) -> tuple[Changes, str]:
    """What words change of a plan, as its fields, and that in a sentence.

    Raises:
        PlanError: they are none that are known. NumberEntryError: a figure is none.
    """
    first, _, rest = words.strip().partition(" ")
    rest = rest.strip()
    match first.lower():
        case "name":
            return {"name": rest[:60]}, f"called {rest[:60]}"
        case "number":
            if not is_whole(rest):
                raise PlanError(f"“{rest[:10]}” is no number of a program", "", "As number 2150")
            return {"number": int(rest)}, f"program O{int(rest):04d}"
        case "offset":
            none = rest.lower() in ("", "none", "nothing")
            return {
                "offset": None if none else rest.upper()
            }, "sets no row by the job's rules" if none else f"sets {rest}"
        case "tool":
            return _tool(plan, rest)
        case "no":
            return _without(plan, rest)
        case "probe":
            each = rest.lower() == "each"
            if not each and rest.lower() != "kept on":
                raise PlanError("The probe is switched on for each, or kept on", "", "probe each; probe kept on")
            return {
                "probe": "each" if each else "kept on"
            }, f"the probe is {'switched on for each' if each else 'kept on'}"
        case "half":
            return {"half_turn": True}, "everything is touched twice, the spindle half round between"
        case "call":
            return {"call_probe": True}, "the program puts the probe in itself"
    raise PlanError(f"“{first[:20]}” is nothing that can be said of a plan", "", " · ".join(PLAN_FORMS))


def _tool(plan: PlanFile, words: str) -> tuple[Changes, str]:
    found = re.match(r"^[Tt]?([0-9]{1,2})\s+(\S+)(?:\s+(alarm|stop|go on))?$", words)
    if found is None:
        raise PlanError("A tool check takes the tool's number and how far its length may be off", "", "As tool 12 0.05")
    number, tolerance = int(found[1]), parse_length(found[2], low=0.001, high=5.0)
    search = max(5.0, 2 * tolerance)
    check = ToolCheckSection.model_validate(
        {"tool": number, "tolerance": tolerance, "search": search, "on_fail": found[3] or "alarm"}
    )
    others = [section for section in plan.tool_check if section.tool != number]
    return {"tool_check": [*others, check]}, f"T{number} must be within {dim(tolerance)} of its length"


def _without(plan: PlanFile, words: str) -> tuple[Changes, str]:
    if found := re.match(r"^tool\s+[Tt]?([0-9]{1,2})$", words):
        number = int(found[1])
        if all(section.tool != number for section in plan.tool_check):
            raise PlanError(f"T{number} is not looked at", "", "")
        return {"tool_check": [s for s in plan.tool_check if s.tool != number]}, f"T{number} is not looked at"
    if words.startswith("half"):
        return {"half_turn": False}, "touched once, as the probe was calibrated"
    if words.startswith("call"):
        return {"call_probe": False}, "the probe is in the spindle when it starts"
    if words.startswith("number"):
        return {"number": None}, "numbered by the job"
    raise PlanError(f"“{words[:20]}” cannot be left out", "", hint(PLAN_FORMS, "no"))


def sets_text(sets: SetsSection | None, kept: tuple[tuple[str, int], ...]) -> str:
    """What a measurement sets and keeps, short: "G54 XY", "D #610"."""
    told = []
    if sets is not None:
        told.append(f"{sets.row} {''.join(a.upper() for a in 'xyzr' if getattr(sets, a) is not None)}")
    told += [f"{letter.upper()} #{number}" for letter, number in kept]
    return "  ".join(told)
