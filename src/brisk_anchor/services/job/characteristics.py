"""What a drawing asks of its features, read from words as they stand on it.

    7 ⌀38 H7                     size by its class; +0.025 0, ±0.05 and "2768 m" serve as well
    7 size H7 envelope           the worst of the two-point sizes judges
    8 position 0.05 datums seat, top        ⌀ zone about its place; "at maximum" adds the departure of its size
    9 x 80 ±0.1                  a coordinate; without a figure the drawing's own
    10 distance 60 ±0.05 to dowel along x
    11 angle 90 ±0.1 to front
    12 square 0.02 over 60 · 13 parallel 0.02 over 100 to front · 14 form 0.01

`target 38.01` says what is aimed at where that is not the middle; `row G55` what coordinates count from; `cut by T12
compensated` which tool made it and how a deviation is answered; `moves G54 x` that the row it was cut from is (`blank`:
that a blank is set by).
"""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

from brisk_anchor.core.errors import BriskAnchorError, InspectionError, NumberEntryError
from brisk_anchor.core.inspection.characteristic import Characteristic, What
from brisk_anchor.core.inspection.correction import CorrectionRule, Table, Way
from brisk_anchor.core.inspection.tolerances import deviations, general_angle, general_tolerance
from brisk_anchor.core.inspection.verdict import Limits
from brisk_anchor.core.numbers import parse_length, plain_figure
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
from brisk_anchor.core.quantities import Unit, bare, unit_named
from brisk_anchor.lazy_dataclass import dataclass

_WHAT = {
    "size": What.SIZE,
    "width": What.SIZE,
    "diameter": What.SIZE,
    "length": What.SIZE_Y,
    "x": What.X,
    "y": What.Y,
    "z": What.Z,
    "depth": What.Z,
    "height": What.Z,
    "position": What.POSITION,
    "distance": What.DISTANCE,
    "angle": What.ANGLE,
    "square": What.SQUARENESS,
    "parallel": What.PARALLELISM,
    "form": What.FORM,
}
_NUMBER = r"[+-]?[0-9]+(?:[.,][0-9]+)?"
_CLASS = re.compile(r"^[A-Za-z]{1,2}[0-9]{1,2}$")
_CUT = re.compile(
    r"(?i)\bcut by T([0-9]{1,2})( not compensated| compensated| boring head)?( by length)?"
    r"(?: share ([0-9](?:\.[0-9]+)?))?(?: dead ([0-9]+(?:\.[0-9]+)?))?(?: limit ([0-9]+(?:\.[0-9]+)?))?"
)
_MOVES = re.compile(r"(?i)\bmoves (G[0-9]+(?:\.[0-9])?(?:\s+P[0-9]+)?) ([xyz])\b( blank)?")
FORMS = (
    "7 ⌀38 H7 · 8 position 0.05 datums seat, top · 9 x 80 ±0.1 · 10 distance 60 ±0.05 to dowel along x · 14 form 0.01"
)
DEFAULT_RULE = CorrectionRule()
"""How a deviation is answered where nobody says: with less than its ± nothing is, in any case."""


@dataclass(frozen=True, slots=True)
class Asked:
    """A characteristic, with what cut it and how a deviation is answered; None where nothing was said of that."""

    characteristic: Characteristic
    way: Way | None = None
    rule: CorrectionRule = DEFAULT_RULE

    @property
    def balloon(self) -> str:
        """Its number on the drawing."""
        return self.characteristic.balloon


def by_of(way: Way | None) -> str:
    """What a way corrects, in words: "T12 radius wear", "G54 X"."""
    if way is None:
        return ""
    return f"{way.row} {way.axis.upper()}" if way.target == "row" else f"T{way.tool} {way.target}"


@dataclass(frozen=True, slots=True)
class _Reader:
    """Reads figures in the unit of the drawing's file; a comma is a point."""

    unit: Unit

    def length(self, text: str) -> float:
        """A length, mm."""
        try:
            return parse_length(text.replace(",", "."), self.unit, low=-100_000, high=100_000)
        except NumberEntryError as error:
            raise InspectionError(f"“{text[:12]}” is no figure of a drawing", error.what, FORMS) from error

    def figure(self, what: What, text: str) -> float:
        """A figure of what is asked: degrees of an angle, in whatever unit the file has its lengths, else mm."""
        if not what.is_angle:
            return self.length(text)
        try:
            return plain_figure(text.replace(",", "."))
        except ValueError as error:
            raise InspectionError(f"“{text[:12]}” is no angle", "", FORMS) from error


def read_characteristic(words: str, drawn: DrawnFeature, setup: Setup) -> Asked:
    """A characteristic of a feature from the words of a drawing.

    Args:
        words: as `FORMS` has them, begun by the balloon number.
        drawn: the feature.
        setup: the job, for the names of other features, and its rows.

    Raises:
        InspectionError: the words mean nothing, or the limits make no sense.
    """
    read = _Reader(unit_named(drawn.asks_unit) or Unit.MM)
    said = " ".join(_MOVES.sub("", _CUT.sub("", words)).split())
    rest = words.strip().replace("⌀", " ⌀").replace("±", " ± ")
    way, rule, rest = _way(rest, read)
    rest, row = _taken(rest, r"(?i)\brow\s+(G[0-9]+(?:\.[0-9])?(?:\s+P[0-9]+)?)")
    rest, target = _taken(rest, rf"(?i)\btarget\s+({_NUMBER})")
    rest, over = _taken(rest, rf"(?i)\bover\s+({_NUMBER})")
    rest, along = _taken(rest, r"(?i)\balong\s+([xyz])\b")
    rest, envelope = _taken(rest, r"(?i)\b(envelope)\b")
    rest, datums = _taken(rest, r"(?i)\bdatums?\s+(.+)$")
    datums, of_datum = _taken(datums or "", r"(?i)\s+(at maximum(?: material)?)\b") if datums else (datums, None)
    rest, bonus = _taken(rest, r"(?i)\b(at maximum(?: material)?)\b")
    rest, other = _taken(rest, r"(?i)\bto\s+(.+)$")
    found = re.match(r"^\s*([\w.]{1,8})\s+(\S+)\s*(.*)$", rest.replace("  ", " "))
    if found is None:
        raise InspectionError(f"“{words[:30]}” is no characteristic", "It needs a number, what, and a tolerance", FORMS)
    balloon, word, rest = found[1], found[2], found[3]
    if word.startswith("⌀"):
        word, rest = "size", f"{word[1:]} {rest}".strip()
    if word.lower() not in _WHAT:
        raise InspectionError(f"“{word[:20]}” is nothing a drawing asks of a feature", "", FORMS)
    what = _WHAT[word.lower()]
    names = _names(other, setup, drawn)
    if what in (What.DISTANCE, What.PARALLELISM) and len(names) != 1:
        raise InspectionError(f"A {what.value} needs the feature it is to", "", "As distance 60 ±0.05 to dowel")
    nominal, limits = _limits(what, rest.split(), drawn, over, read)
    if target is not None:
        limits = replace(limits, target=read.figure(what, target))
    made = Characteristic(
        balloon=balloon,
        feature=drawn.name,
        what=what,
        nominal=nominal,
        limits=limits,
        other=names[0] if names else "",
        along=(along or "").lower(),
        place=drawn.drawing[:2],
        datums=tuple(_names(datums, setup, drawn)),
        bonus=bonus is not None,
        size=_size_limits(drawn) if bonus is not None else None,
        envelope=envelope is not None,
        over=read.length(over) if over is not None else 0.0,
        row=_row(row, drawn, setup),
        words=said,
        note="maximum material on a datum adds nothing here" if of_datum else "",
    )
    return Asked(made, way, rule)


def _taken(words: str, pattern: str) -> tuple[str, str | None]:
    """Words without what a pattern finds in them, and that."""
    found = re.search(pattern, words)
    return (words, None) if found is None else (f"{words[: found.start()]} {words[found.end() :]}".strip(), found[1])


def _way(words: str, read: _Reader) -> tuple[Way | None, CorrectionRule, str]:
    if (moved := _MOVES.search(words)) is not None:
        row = re.sub(r"\s+", " ", moved[1].upper())
        way = Way("row", row=row, axis=moved[2].lower(), blank=bool(moved[3]))
        return way, DEFAULT_RULE, f"{words[: moved.start()]} {words[moved.end() :]}".strip()
    found = _CUT.search(words)
    if found is None:
        return None, DEFAULT_RULE, words
    how, by_length = (found[2] or "").strip().lower(), bool(found[3])
    way = Way(
        "length wear" if by_length else "radius wear",
        tool=int(found[1]),
        compensated=how != "not compensated",
        head=how == "boring head",
    )
    figures: dict[str, Any] = {"share": float(found[4])} if found[4] is not None else {}
    for name, text in (("dead_band", found[5]), ("limit", found[6])):
        if text is not None:
            figures[name] = read.length(text)
    return way, replace(DEFAULT_RULE, **figures), f"{words[: found.start()]} {words[found.end() :]}".strip()


def _names(words: str | None, setup: Setup, drawn: DrawnFeature) -> list[str]:
    """Names of other features, with commas between; on a fixture of many parts those at the same place."""
    if words is None:
        return []
    known = {feature.name.lower(): feature.name for feature in setup.features}
    place = setup.place_of(drawn.name)
    found = []
    for part in words.split(","):
        wanted = part.strip().lower()
        name = known.get(f"{wanted} {place.name}" if place is not None else wanted, known.get(wanted))
        if name is None or name == drawn.name:
            raise InspectionError(f"“{part.strip()[:24]}” is no other feature of the job", "", "Name one that is drawn")
        found.append(name)
    return found


def _row(row: str | None, drawn: DrawnFeature, setup: Setup) -> str:
    """The row that coordinates are in: the one named, else the first of the part that stands as the feature does."""
    rows = [plan.row for plan in setup.rows]
    if row is not None:
        wanted = re.sub(r"\s+", " ", row.upper())
        if wanted not in rows:
            raise InspectionError(f"The job has no {wanted}", "", f"It has {', '.join(rows)}")
        return wanted
    place = setup.place_of(drawn.name)
    own = [name for name in rows if place is not None and name in place.rows]
    of_part = {feature.name for feature in setup.features if feature.body in (*setup.parts, setup.part)}
    named = [name for name in rows if of_part & set(setup.touched(setup.row(name).features))]
    return next(iter(own or named or rows), "")


def _size_limits(drawn: DrawnFeature) -> Limits | None:
    if drawn.size is None or drawn.tolerance is None:
        return None
    low, high = drawn.tolerance
    return Limits(drawn.size + low, drawn.size + high, drawn.size + (low + high) / 2)


def _nominal(what: What, drawn: DrawnFeature) -> float | None:
    """The figure a drawing shows of it, where the words give none."""
    if what is What.SIZE:
        return drawn.size
    if what is What.SIZE_Y:
        return drawn.size_y
    if what in (What.X, What.Y, What.Z):
        return drawn.drawing["xyz".index(what.value)]
    return None


def _limits(what: What, words: list[str], drawn: DrawnFeature, over: str | None, read: _Reader) -> tuple[float, Limits]:
    """Nominal and limits from "[nominal] class", "[nominal] ± d", "[nominal] upper lower" or "[nominal] 2768 m"."""
    if what.is_zone:
        if len(words) != 1:
            raise InspectionError(f"A {what.value} takes the width of its zone", "", "As position 0.05")
        zone = read.length(words[0])
        if zone <= 0:
            raise InspectionError("A zone has a width above nothing", "", "As position 0.05")
        return 0.0, Limits(None, zone, 0.0)
    nominal = _nominal(what, drawn)
    tolerance = list(words)
    if tolerance and re.match(rf"^{_NUMBER}$", tolerance[0]) and _takes_nominal(tolerance):
        nominal = read.figure(what, tolerance.pop(0))
    if nominal is None:
        raise InspectionError(f"The drawing shows no {what.value} of {drawn.title}", "", "Give it: distance 60 ±0.05")
    low, high = _deviations(what, nominal, tolerance, over, read)
    widest = 0.5 * abs(nominal) if what in (What.SIZE, What.SIZE_Y) else 50.0
    if not what.is_angle and high - low > max(widest, 0.1):
        told = f"A band of {bare(high - low)} mm at {bare(nominal)} makes no sense"
        raise InspectionError(told, "Perhaps the unit is another", "Look at the drawing again")
    return nominal, Limits(nominal + low, nominal + high, nominal + (low + high) / 2)


def _takes_nominal(words: list[str]) -> bool:
    """Whether the first figure is the nominal one: what follows it is a tolerance on its own."""
    rest = words[1:]
    if not rest:
        return False
    return len(rest) == 2 or _CLASS.match(rest[0]) is not None or rest[0] in ("±", "2768")


def _deviations(what: What, nominal: float, words: list[str], over: str | None, read: _Reader) -> tuple[float, float]:
    match words:
        case ["±", limit]:
            each = abs(read.figure(what, limit))
            return -each, each
        case ["2768", letter] if letter.lower() in ("f", "m", "c", "v"):
            of: Any = letter.lower()
            leg = read.length(over or "10")
            each = general_angle(leg, of) if what.is_angle else general_tolerance(nominal, of)
            return -each, each
        case [code] if _CLASS.match(code):
            return deviations(nominal, code)
        case [one, other]:
            first, second = read.figure(what, one), read.figure(what, other)
            if first == second:
                raise InspectionError("Both deviations are the same", "Nothing lies between them", "As +0.025 0")
            return min(first, second), max(first, second)
    shown = " ".join(words)[:24]
    raise InspectionError(
        f"“{shown}” is no tolerance" if shown else "There is no tolerance", "", "As H7, ±0.05, +0.025 0 or 2768 m"
    )


def asked_of(setup: Setup, tool_radius: Table | None) -> list[Asked]:
    """Everything the drawing asks, by balloon number: what is written at features, and their sizes with a tolerance.

    Args:
        setup: the job.
        tool_radius: as what the control's tool table holds a radius; None: its profile does not say.

    Raises:
        InspectionError: words that mean nothing, a number that stands there twice, or a radius wear in a table of
            which nobody says what it holds.
    """
    found: list[Asked] = []
    for drawn in setup.features:
        try:
            found += [_in_table(read_characteristic(words, drawn, setup), tool_radius) for words in drawn.asks]
        except BriskAnchorError as error:
            raise InspectionError(f"{drawn.name}: {error.what}", error.meaning, error.remedy) from error
        said = any(
            asked.characteristic.what is What.SIZE for asked in found if asked.characteristic.feature == drawn.name
        )
        if drawn.tolerance is not None and drawn.size is not None and drawn.balloon is not None and not said:
            limits = _size_limits(drawn)
            if limits is not None:
                words = f"{drawn.balloon} size"
                made = Characteristic(str(drawn.balloon), drawn.name, What.SIZE, drawn.size, limits, words=words)
                found.append(Asked(made))
    return sorted(found, key=lambda asked: _order(asked.balloon))


def _in_table(asked: Asked, tool_radius: Table | None) -> Asked:
    if asked.way is None or asked.way.target != "radius wear":
        return asked
    if tool_radius is None:
        raise InspectionError(
            f"{asked.balloon} is answered by the {by_of(asked.way)}, and nobody says what the tool table holds",
            "A radius written where a diameter belongs would be half or twice too much",
            'Give the control profile tool_radius = "radius", or "diameter"',
        )
    return replace(asked, way=replace(asked.way, table=tool_radius))


def _order(balloon: str) -> tuple[int, str]:
    digits = re.match(r"[0-9]+", balloon)
    return (int(digits[0]) if digits else 10**6, balloon)
