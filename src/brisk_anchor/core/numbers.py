"""Number entry: sums, fractions and units as people type them.

Entry is exact: it is worked out in fractions and becomes a float once, at the end.
"""

from __future__ import annotations

import math
import re
from fractions import Fraction

from brisk_anchor.core.errors import NumberEntryError
from brisk_anchor.core.quantities import MINUS, Unit, quantity, shown_unit
from brisk_anchor.lazy_dataclass import dataclass

_MAX_LENGTH = 80
_MAX_DEPTH = 20
_TOKEN = re.compile(
    r"\s*(?:(?P<fraction>(?:[0-9]+\s+)?[0-9]+/[0-9]+(?=\s*(?:in\b|inch\b|mm\b|\"))|[0-9]+\s+[0-9]+/[0-9]+)"
    r"|(?P<number>[0-9]+\.?[0-9]*|\.[0-9]+)|(?P<unit>inch|in|mm|\")|(?P<operator>[-+*/()]))",
    re.IGNORECASE,
)


_FIGURE = re.compile(r"\s*[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)(E[+-]?[0-9]{1,3})?\s*", re.IGNORECASE | re.ASCII)


def plain_figure(text: str) -> float:
    """A figure as files and people write one; Python's own way takes 1_0 for ten, and words for what is no number.

    Raises:
        ValueError: it is none.
    """
    if not _FIGURE.fullmatch(text):
        raise ValueError(text[:30])
    return float(text)


def is_whole(text: str, digits: int = 9) -> bool:
    """Whether a text is up to so many digits and nothing else. Python's `isdigit` takes ², which its `int` refuses."""
    return text.isascii() and text.isdigit() and len(text) <= digits


@dataclass(frozen=True, slots=True)
class _Value:
    """A value while it is worked out: millimetres when `length`, else a bare number."""

    amount: Fraction
    length: bool


class _Entry:
    """Recursive descent over one entry; every refusal says why."""

    def __init__(self, text: str, unit: Unit) -> None:
        self.unit = unit
        self.tokens: list[tuple[str, str]] = []
        self.at = 0
        position = 0
        while position < len(text.rstrip()):
            found = _TOKEN.match(text, position)
            if not found or not found.lastgroup:
                rest = text[position:].strip()
                if rest.startswith(","):
                    raise _refused("a comma stands in it", "Write the decimal point as a point: 12.5")
                raise _refused(f"“{rest[:12]}” is no figure, unit or sign", "Sums, fractions, mm and in are understood")
            self.tokens.append((found.lastgroup, found.group(found.lastgroup)))
            position = found.end()

    def peek(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self) -> tuple[str, str]:
        token = self.peek()
        self.at += 1
        return token

    def as_length(self, value: _Value) -> Fraction:
        return value.amount if value.length else value.amount * self.unit.in_mm

    def total(self, depth: int = 0) -> _Value:
        if depth > _MAX_DEPTH:
            raise _refused("it has too many brackets", "Work part of it out first")
        left = self.product(depth)
        while self.peek()[1] in ("+", "-"):
            sign = 1 if self.take()[1] == "+" else -1
            right = self.product(depth)
            if left.length or right.length:
                left = _Value(self.as_length(left) + sign * self.as_length(right), length=True)
            else:
                left = _Value(left.amount + sign * right.amount, length=False)
        return left

    def product(self, depth: int) -> _Value:
        left = self.factor(depth)
        while self.peek()[1] in ("*", "/"):
            operator = self.take()[1]
            left = combine(left, operator, self.factor(depth))
        return left

    def factor(self, depth: int) -> _Value:
        kind, text = self.take()
        if text in ("+", "-"):
            if depth > _MAX_DEPTH:
                raise _refused("it has too many signs in a row", "Work part of it out first")
            inner = self.factor(depth + 1)
            return _Value(-inner.amount, inner.length) if text == "-" else inner
        if text == "(":
            inner = self.total(depth + 1)
            if self.take()[1] != ")":
                raise _refused("a bracket is not closed", "Close it with )")
            return self.with_unit(inner)
        if kind == "number":
            return self.with_unit(_Value(Fraction(text), length=False))
        if kind == "fraction":
            whole, _, part = text.rpartition(" ")
            above, below = part.split("/")
            if int(below) == 0:
                raise _refused("it divides by zero", "")
            return self.with_unit(_Value(Fraction(int(whole or 0)) + Fraction(int(above), int(below)), length=False))
        if kind == "end":
            raise _refused("it ends too early", "A figure is missing at the end")
        raise _refused(f"“{text}” stands where a figure should be", "")

    def with_unit(self, value: _Value) -> _Value:
        if self.peek()[0] != "unit":
            return value
        unit = Unit.MM if self.take()[1].lower() == "mm" else Unit.INCH
        if value.length:
            raise _refused("it carries a unit twice", "Give each length one unit")
        return _Value(value.amount * unit.in_mm, length=True)


def combine(left: _Value, operator: str, right: _Value) -> _Value:
    """One multiplication or division; lengths are never multiplied by, or divided by, lengths.

    Raises NumberEntryError.
    """
    if operator == "*":
        if left.length and right.length:
            raise _refused("a length times a length is no length", "Leave the unit off one of them")
        return _Value(left.amount * right.amount, left.length or right.length)
    if right.length:
        raise _refused("it divides by a length", "Leave the unit off the divisor")
    if right.amount == 0:
        raise _refused("it divides by zero", "")
    return _Value(left.amount / right.amount, left.length)


def _refused(reason: str, remedy: str) -> NumberEntryError:
    return NumberEntryError(f"This entry cannot be used: {reason}", "", remedy)


def parse_length(
    text: str,
    unit: Unit | None = None,
    *,
    present: float | None = None,
    low: float | None = None,
    high: float | None = None,
) -> float:
    """Read a typed length and return it in mm.

    Bare figures are in `unit`; `mm`, `in` and `"` may follow any figure, fraction or bracket. An entry that
    begins with `=` and a sign works on the present value: `=-0.2` takes 0.2 off, `=/2` halves.

    >>> parse_length("1 3/8in")
    34.925
    >>> parse_length("25.4/2"), parse_length("=-0.2", present=5.0)
    (12.7, 4.8)

    Args:
        text: what was typed.
        unit: the unit of bare figures; None is the one that is shown.
        present: the value in the field now, mm; needed for `=`.
        low, high: the limits of what makes sense, mm, both included.

    Raises:
        NumberEntryError: with the reason, when the entry cannot be read or lies out of range.
    """
    unit = unit or shown_unit()
    text = text.strip().replace(MINUS, "-").replace("”", '"')
    if not text:
        raise NumberEntryError("Nothing was typed", "", "Type a figure, or press Escape to leave the value as it is")
    if len(text) > _MAX_LENGTH:
        raise _refused(f"it is longer than {_MAX_LENGTH} characters", "")
    if text.startswith("="):
        rest = text[1:].strip()
        if present is None:
            raise _refused("there is no present value for = to work on", "Type the whole value")
        if not rest or rest[0] not in "+-*/":
            raise _refused("after = a sign must follow", "Write =-0.2 to take off, =+0.2 to add, =/2 to halve")
        entry = _Entry(rest[1:] if rest[0] in "*/" else rest, unit)
        value = entry.total()
        start = Fraction(present).limit_denominator(10**9)
        if rest[0] in "*/":
            result = combine(_Value(start, length=True), rest[0], value).amount
        else:
            result = start + entry.as_length(value)
    else:
        entry = _Entry(text, unit)
        result = entry.as_length(entry.total())
    kind, left_over = entry.peek()
    if kind != "end":
        raise _refused(f"“{left_over}” follows with no sign before it", "Put +, -, * or / between figures")
    number = float(result) if abs(result) < 10**12 else math.inf
    if not math.isfinite(number):
        raise _refused("it is far too large", "")
    for limit, beyond, word in (
        (low, low is not None and number < low, "below"),
        (high, high is not None and number > high, "above"),
    ):
        if beyond and limit is not None:
            raise NumberEntryError(
                f"{quantity(number, decimals=unit.decimals, unit=unit, bare=True)} is {word} the limit of "
                f"{quantity(limit, decimals=unit.decimals, unit=unit)}",
                "No sensible value lies there",
                "Check the unit and the decimal point",
            )
    return number


_UNITS = re.compile(r"mm|in|\"", re.IGNORECASE)


def parse_number(
    text: str, *, present: float | None = None, low: float | None = None, high: float | None = None
) -> float:
    """Read a typed figure that is no length: a count, degrees, a share. Sums and `=` work as in `parse_length`.

    Raises:
        NumberEntryError: with the reason; a unit of length is one.
    """
    if _UNITS.search(text):
        raise _refused("a unit of length stands behind a figure that is none", "Type the figure alone")
    return parse_length(text.removesuffix("°"), Unit.MM, present=present, low=low, high=high)


def counted(number: int, one: str, many: str) -> str:
    """A count with its word: "1 touch", "4 touches"."""
    return f"{number} {one if number == 1 else many}"
