"""Which values of a program are lengths, so that sums in mm can be written in another unit.

Every value is a length to some power: 1 is a length, 2 the square of one, 0 an angle, a slope or a ratio. The power of
a plain number follows from where it stands. In a sum it is the power of the other terms. In a product it is what the
product still lacks: if a length is wanted, 2.994 times a root of ratios makes 2.994 a length. If neither decides, the
number is a ratio.
Derivation in docs/maths.md.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field, replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import (
    Binary,
    Expression,
    Function,
    LengthInTable,
    Name,
    Number,
    RowValue,
    Variable,
    WearInTable,
)
from brisk_anchor.lazy_dataclass import dataclass


def _mixed(what: str) -> PlanError:
    what = f"The program adds a length to something that is not a length ({what})"
    return PlanError(what, "It cannot be converted to inches", "Write it in millimetres")


@dataclass(slots=True)
class LengthPowers:
    """The power of length of every name, as far as it is known; `of_variable` is that of a variable of the control."""

    of_variable: Callable[[int], int | None]
    names: dict[str, int] = field(default_factory=dict)
    sums: dict[str, Expression] = field(default_factory=dict)
    """What each name is worked out as."""

    def power(self, value: Expression, *, shares: bool = False) -> int | None:
        """The power of length of a value; None where plain numbers leave it open. With `shares` they are ratios.

        Raises:
            PlanError: it adds a length to something that is not a length.
        """
        match value:
            case Number():
                return None
            case Name(name):
                return self.names.get(name)
            case Variable(number):
                return self.of_variable(number)
            case RowValue(_, axis):
                return 0 if axis == "r" else 1
            case LengthInTable() | WearInTable():
                return 1
            case Binary(left, operator, right):
                a, b = self.power(left, shares=shares), self.power(right, shares=shares)
                if operator in "+-":
                    if a is not None and b is not None and a != b:
                        raise _mixed(f"power {a} and {b}")
                    return b if a is None else a
                if operator == "/" and isinstance(right, Number):
                    return a  # nothing is divided by a length that is known beforehand
                if a is None or b is None:
                    return None if (a is None and b is None) or not shares else self._product(a or 0, operator, b or 0)
                return self._product(a, operator, b)
            case Function("SQRT", (inner,)):
                found = self.power(inner, shares=shares)
                if found is not None and found % 2:
                    raise _mixed(f"the root of power {found}")
                return None if found is None else found // 2
            case Function():
                return 0
        raise TypeError(value)

    def likely_power(self, value: Expression) -> int | None:
        """The power of a value, with plain numbers as ratios where they alone leave it open."""
        found = self.power(value)
        return self.power(value, shares=True) if found is None else found

    @staticmethod
    def _product(a: int, operator: str, b: int) -> int:
        return a + b if operator == "*" else a - b

    def take_for_share(self) -> bool:
        """Decide the first name still open by taking plain numbers as ratios; returns whether there was one."""
        for name, value in self.sums.items():
            if name not in self.names and (found := self.power(value, shares=True)) is not None:
                self._note(name, found)
                self.want(value, found)
                return True
        return False

    def define(self, name: str, value: Expression) -> None:
        """A name is worked out. Raises PlanError as `power` does."""
        self.sums[name] = value
        if (found := self.power(value)) is not None:
            self._note(name, found)

    def _note(self, name: str, power: int) -> None:
        if self.names.setdefault(name, power) != power:
            raise _mixed(f"{name} is of power {self.names[name]} and {power}")

    def want(self, value: Expression, power: int) -> None:
        """What is known of a value from where it is used, handed on to the names in it. Raises PlanError."""
        match value:
            case Name(name) if name not in self.names:
                self._note(name, power)
                if name in self.sums:
                    self.want(self.sums[name], power)
            case Binary(left, operator, right) if operator in "+-":
                self.want(left, power)
                self.want(right, power)
            case Binary(left, operator, right):
                a, b = self.power(left), self.power(right)
                sense = 1 if operator == "*" else -1
                if b is not None:  # the other side is open: if it is a plain number, it may be the length
                    self.want(left, power - sense * b)
                elif a is not None:
                    self.want(right, sense * (power - a))
            case Function("SQRT", (inner,)):
                self.want(inner, 2 * power)
            case Function("ATAN", values):
                known = [found for found in map(self.power, values) if found is not None]
                for part in values if known else ():
                    self.want(part, known[0])
            case Function(_, (inner,)):
                self.want(inner, 0)

    def scaled(self, value: Expression, power: int, factor: float) -> Expression:
        """A sum in a unit in which a mm is `factor`; `power` is that of the whole.

        Raises:
            PlanError: it is of another power than that.
        """
        match value:
            case Number(figure):
                return Number(figure * factor**power)
            case LengthInTable(_, known):
                return replace(value, known=known * factor)
            case Binary(left, operator, right) if operator in "+-":
                return Binary(self.scaled(left, power, factor), operator, self.scaled(right, power, factor))
            case Binary(left, operator, right):
                a, b, sense = self.power(left), self.power(right), 1 if operator == "*" else -1
                if a is None and b is None and (a := self.power(left, shares=True)) is None:
                    b = self.power(right, shares=True) or 0
                if a is None:
                    a = power - sense * (b or 0)
                if b is None:
                    b = sense * (power - a)
                if a + sense * b != power:
                    raise _mixed(f"power {a + sense * b}, not {power}")
                return Binary(self.scaled(left, a, factor), operator, self.scaled(right, b, factor))
            case Function("SQRT", (inner,)):
                return Function("SQRT", (self.scaled(inner, 2 * power, factor),))
            case Function("ATAN", values):
                own = next((found for found in map(self.power, values) if found is not None), 0)
                return Function("ATAN", tuple(self.scaled(part, own, factor) for part in values))
            case Function(name, (inner,)):
                return Function(name, (self.scaled(inner, 0, factor),))
        if (found := self.power(value)) not in (None, power):
            raise _mixed(f"power {found}, not {power}")
        return value
