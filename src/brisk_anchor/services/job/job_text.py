"""Changing a job's files as text: single lines and whole tables, so that a person's comments stay where they are."""

from __future__ import annotations

import re

from brisk_anchor.core.errors import Fault, JobError
from brisk_anchor.core.offsets.rules import FromFeature, FromFit, FromHeading, FromRow, FromTable, Rule
from brisk_anchor.exchange.toml_files import MILLIMETRES, line_of, parse

JOB_NAME = "job.toml"


def figure(value: float, *, inches: bool = False) -> str:
    """A TOML float to a tenth of a micrometre or finer: a figure always stands behind its point.

    `value` is mm; it is written in inches where the file is in `inches`.
    """
    text = (f"{value / 25.4:.6f}" if inches else f"{value:.4f}").rstrip("0")
    return f"{text}0" if text.endswith(".") else text


def quoted(text: str, longest: int = 58) -> str:
    """A TOML string of any text: what cannot be printed is left out, quotes and backslashes are changed."""
    plain = "".join(c for c in text if c.isprintable()).replace("\\", "/").replace('"', "'")
    return f'"{plain[:longest]}"'


def rule_words(axis: str, rule: Rule, scale: float) -> str:
    """A rule as the value of its line; lengths in a unit of `scale` mm."""
    match rule:
        case FromFeature():
            middle = f', other = "{rule.other}"' if rule.other else ""
            more = f", allowance = {rule.allowance / scale:.6g}" if rule.allowance else ""
            return f'{{ feature = "{rule.feature}"{middle}, drawing = {rule.drawing / scale:.6f}{more} }}'
        case FromHeading():
            line = f', other = "{rule.other}"' if rule.other else ""
            return f'{{ feature = "{rule.feature}"{line} }}'
        case FromRow(parent, shift):
            away = f", shift = {shift / scale:.6f}" if axis != "r" and shift else ""
            return f'{{ parent = "{parent}"{away} }}'
        case FromTable():
            return f'{{ parent = "{rule.row}", table = "{rule.letter}", angle = {rule.angle:g} }}'
        case FromFit(names, places):
            if axis == "r":
                return "{ fit = true }"
            rest = ", ".join(f'"{name}"' for name in names[1:])
            drawing = places[0]["xy".index(axis)] / scale
            return f'{{ feature = "{names[0]}", fit = [{rest}], drawing = {drawing:.6f} }}'
    return "{ keep = true }"


def with_rule(text: str, row: str, axis: str, rule: Rule | None) -> str:
    """job.toml with one line changed: where an axis of an offset comes from; None takes the line of the angle out.

    An angle has the heading of the description, so that it follows when the part is turned there.

    Raises:
        JobError: the file does not hold the rule on a line of its own.
    """
    data = parse(text, JOB_NAME)
    number = next((n for n, table in enumerate(data.get("offset", [])) if table.get("row") == row), None)
    line = line_of(text, ("offset", number if number is not None else 0, axis))
    lines = text.split("\n")
    here = _line(text, ("offset", number, axis)) if number is not None else None
    if axis == "r" and number is not None and here is None:
        if rule is None:
            return text
        line = _line(text, ("offset", number, "z"))
        lines.insert(line or 0, "r = {}")
        line = line + 1 if line is not None else None
    if number is None or line is None or not re.match(rf"\s*{axis}\s*=\s*\{{.*\}}\s*(#.*)?$", lines[line - 1]):
        reason = f"{row} has no line “{axis} = {{ … }}” that could be changed"
        raise JobError(JOB_NAME, (Fault(JOB_NAME, reason),), "Change it by hand")
    if rule is None:
        del lines[line - 1]
    else:
        lines[line - 1] = f"{axis} = {rule_words(axis, rule, MILLIMETRES[data['units']])}"
    return "\n".join(lines)


def with_turner(text: str, row: str, letter: str) -> str:
    """job.toml with the angle of an offset used by a table of that letter, or by the row itself ("").

    Raises:
        JobError: the file has no line for the angle.
    """
    data = parse(text, JOB_NAME)
    number = next((n for n, table in enumerate(data.get("offset", [])) if table.get("row") == row), 0)
    line = _line(text, ("offset", number, "r"))
    lines = text.split("\n")
    if line is None or "}" not in lines[line - 1]:
        raise JobError(JOB_NAME, (Fault(JOB_NAME, f"{row} has no line “r = {{ … }}”"),), "Give it an angle first")
    plain = re.sub(r',\s*table\s*=\s*"."', "", lines[line - 1])
    words = f', table = "{letter}" }}' if letter else " }"
    lines[line - 1] = re.sub(r"\s*\}", words, plain, count=1)
    return "\n".join(lines)


def with_key(text: str, name: str, key: str, value: str, after: str, *, table: tuple[str | int, ...] = ()) -> str:
    """A file with a key of its head, or of a table, set: on the line it stands on, or on a new one behind `after`.

    Raises:
        JobError: neither stands on a line of its own.
    """
    lines = text.split("\n")
    if (line := _line(text, (*table, key))) is not None:
        comment = re.search(r"\s+#.*$", lines[line - 1])
        lines[line - 1] = f"{key} = {value}{comment[0] if comment else ''}"
    elif (line := _line(text, (*table, after))) is not None:
        lines.insert(line, f"{key} = {value}")
    else:
        raise JobError(name, (Fault(name, f"there is no line “{after} = …” in its head"),), "Change it by hand")
    return "\n".join(lines)


def _line(text: str, place: tuple[str | int, ...]) -> int | None:
    """The line of a key itself: `line_of` is content with the table around it."""
    line = line_of(text, place)
    if line is None or not re.match(rf"\s*{place[-1]}\s*=", text.split("\n")[line - 1]):
        return None
    return line


def with_table(text: str, table: str) -> str:
    """A file with a table more at its end."""
    return f"{text.rstrip()}\n\n{table.strip()}\n"


def without_table(text: str, name: str, kind: str, wanted: str) -> str:
    """A file without the [[feature]] or [[solid]] of a name, and without the comments right above it.

    Raises:
        JobError: there is none, or it does not stand in a table of its own.
    """
    data = parse(text, name)
    number = next((n for n, table in enumerate(data.get(kind, [])) if table.get("name") == wanted), None)
    line = line_of(text, (kind, number)) if number is not None else None
    lines = text.split("\n")
    if line is None or not lines[line - 1].lstrip().startswith("[["):
        raise JobError(name, (Fault(name, f"there is no table [[{kind}]] “{wanted}”"),), "Change it by hand")
    first = line - 1
    end = next((n for n in range(line, len(lines)) if _is_header(lines[n])), len(lines))
    while end > line and (lines[end - 1].lstrip().startswith("#") or not lines[end - 1].strip()):
        end -= 1
    while first and lines[first - 1].lstrip().startswith("#"):
        first -= 1
    return "\n".join([*lines[:first], *lines[end:]]).rstrip() + "\n"


def _is_header(line: str) -> bool:
    """Whether a line opens a table, and is no value of several lines that begins with a bracket."""
    return re.match(r"\s*\[\[?\s*[A-Za-z_]", line) is not None
