"""Changing a job's files: single values and whole sections, everything else as the person wrote it.

A file is cut into its sections, and tomlkit changes the one that is meant. It is not given the whole file: where
[[solid]] and [[feature]] take turns it gathers them by name, and comments then stand over the wrong one.
"""

from __future__ import annotations

import tomllib
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import Fault, JobError
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, FromFit, FromHeading, FromRow, FromTable, Rule
from brisk_anchor.exchange.toml_files import MILLIMETRES, parse
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import lines_of

if TYPE_CHECKING:
    from tomlkit import TOMLDocument
    from tomlkit.items import Item

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
            place = rule.shift["xyz".index(axis)] / scale
            more = f", shift = {place:.6f}" if place else ""
            return f'{{ parent = "{rule.row}", table = "{rule.letter}", angle = {rule.angle:g}{more} }}'
        case Fixed(value, _, letter):
            return f'{{ centre = "{letter}" }}' if letter else f"{{ fixed = {value / scale:.6f} }}"
        case FromFit(names, places):
            if axis == "r":
                return "{ fit = true }"
            rest = ", ".join(f'"{name}"' for name in names[1:])
            drawing = places[0]["xy".index(axis)] / scale
            return f'{{ feature = "{names[0]}", fit = [{rest}], drawing = {drawing:.6f} }}'
    return "{ keep = true }"


@dataclass(frozen=True, slots=True)
class Section:
    """One section of a file: the comments right above it, its header ("" for the head), and what stands in it."""

    above: str
    header: str
    body: str

    @property
    def text(self) -> str:
        """The text of the section in the file."""
        return self.above + self.header + self.body

    @property
    def name(self) -> tuple[str, ...]:
        """The words of its header; nothing for the head."""
        data = tomllib.loads(self.header)
        words: list[str] = []
        while data:
            ((word, inner),) = data.items()
            words.append(word)
            data = inner[0] if isinstance(inner, list) else inner
        return tuple(words)


def sections(text: str) -> list[Section]:
    """A sound TOML file cut into its sections; joined, their texts are the file."""
    lines = lines_of(text, ends=True)
    starts = [0]
    for number, line in enumerate(lines):
        if line.lstrip().startswith("[") and number and _whole("".join(lines[starts[-1] : number])):
            starts.append(number)
    found: list[Section] = []
    above: list[str] = []
    for first, end in zip(starts, [*starts[1:], len(lines)], strict=True):
        has_header = lines[first].lstrip().startswith("[") if lines else False
        header, body = (lines[first], lines[first + 1 : end]) if has_header else ("", lines[first:end])
        rest = len(body)
        while end < len(lines) and rest and body[rest - 1].lstrip().startswith("#"):
            rest -= 1
        found.append(Section("".join(above), header, "".join(body[:rest])))
        above = body[rest:]
    return found


def _whole(text: str) -> bool:
    """Whether text ends between two values, not within one."""
    try:
        tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        return False
    return True


def _place(found: list[Section], table: tuple[str | int, ...]) -> int | None:
    """Which section a place names: the head, a table, or one of several of a name; None where none is written so."""
    if not table:
        return 0
    name, number = (table[:-1], table[-1]) if isinstance(table[-1], int) else (table, 0)
    same = [at for at, section in enumerate(found) if section.header and section.name == name]
    return same[number] if number < len(same) else None


def _value(text: str) -> Item:
    import tomlkit

    return tomlkit.value(text)


def _parsed(body: str) -> TOMLDocument:
    import tomlkit

    return tomlkit.parse(body)


def _with(section: Section, key: str, value: str | None, after: str = "") -> Section | None:
    """A section with a value changed, taken out (None), or put behind another; None where that is not there."""
    import tomlkit

    document = _parsed(section.body)
    if value is None:
        document.pop(key, None)
    elif key in document:
        document[key] = _value(value)
    elif after in document:
        longer = tomlkit.document()
        for known, item in document.body:
            longer.append(known, item)
            if known is not None and known.key == after:
                longer.append(key, _value(value))
        document = longer
    else:
        return None
    return Section(section.above, section.header, tomlkit.dumps(document))


def _joined(found: list[Section]) -> str:
    return "".join(section.text for section in found)


def _offset(data: dict[str, object], row: str) -> int | None:
    listed = data.get("offset")
    tables = listed if isinstance(listed, list) else []
    return next((n for n, table in enumerate(tables) if table.get("row") == row), None)


def with_rule(text: str, row: str, axis: str, rule: Rule | None) -> str:
    """job.toml with one value changed: where an axis of an offset comes from; None takes the angle out.

    An angle has the heading of the description, so that it follows when the part is turned there.

    Raises:
        JobError: the file has no separate section for the offset.
    """
    data = parse(text, JOB_NAME)
    number, found = _offset(data, row), sections(text)
    at = _place(found, ("offset", number)) if number is not None else None
    words = None if rule is None else rule_words(axis, rule, MILLIMETRES[data["units"]])
    changed = _with(found[at], axis, words, "z" if axis == "r" else "") if at is not None else None
    if at is None or changed is None:
        reason = f"{row} has no line “{axis} = {{ … }}” that could be changed"
        raise JobError(JOB_NAME, (Fault(JOB_NAME, reason),), "Change it by hand")
    found[at] = changed
    return _joined(found)


def with_turner(text: str, row: str, letter: str) -> str:
    """job.toml with the angle of an offset used by a table of that letter, or by the row itself ("").

    Raises:
        JobError: the file has no value for the angle.
    """
    import tomlkit
    from tomlkit.items import InlineTable

    number, found = _offset(parse(text, JOB_NAME), row), sections(text)
    at = _place(found, ("offset", number)) if number is not None else None
    document = _parsed(found[at].body) if at is not None else tomlkit.document()
    rule = document.get("r")
    if at is None or not isinstance(rule, InlineTable):
        raise JobError(JOB_NAME, (Fault(JOB_NAME, f"{row} has no line “r = {{ … }}”"),), "Give it an angle first")
    rule.pop("table", None)
    if letter:
        rule["table"] = letter
    found[at] = Section(found[at].above, found[at].header, tomlkit.dumps(document))
    return _joined(found)


def with_key(
    text: str, name: str, key: str, value: str | None, after: str, *, table: tuple[str | int, ...] = ()
) -> str:
    """A file with a value of its head, or of a section, set where it stands, or else behind `after`; None takes it out.

    Raises:
        JobError: neither stands there.
    """
    parse(text, name)
    found = sections(text)
    at = _place(found, table)
    changed = _with(found[at], key, value, after) if at is not None else None
    if at is None or changed is None:
        where = ".".join(map(str, table)) or "its head"
        raise JobError(name, (Fault(name, f"there is no line “{after} = …” in {where}"),), "Change it by hand")
    found[at] = changed
    return _joined(found)


def with_table(text: str, table: str) -> str:
    """A file with a section more at its end."""
    return f"{text.rstrip()}\n\n{table.strip()}\n"


def without_table(text: str, name: str, kind: str, wanted: str) -> str:
    """A file without the [[feature]] or [[solid]] of a name, and without the comments right above it.

    Raises:
        JobError: there is none, or it has no separate section.
    """
    data = parse(text, name)
    number = next((n for n, table in enumerate(data.get(kind, [])) if table.get("name") == wanted), None)
    found = sections(text)
    at = _place(found, (kind, number)) if number is not None else None
    if at is None:
        raise JobError(name, (Fault(name, f"there is no table [[{kind}]] “{wanted}”"),), "Change it by hand")
    return f"{_joined([*found[:at], *found[at + 1 :]]).rstrip()}\n"
