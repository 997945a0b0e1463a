"""Macro expressions: text to closures, once a line. Null (an unset variable) is None, and counts as 0 in arithmetic.

A `Grammar` says what a language of a control has: its functions, its operators in order of binding, its conditions.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Callable
from typing import Protocol

from brisk_anchor.core.geometry.degrees import cosine, degrees, sine, tangent
from brisk_anchor.lazy_dataclass import dataclass

Value = float | None


class VariableStore(Protocol):
    """Where `#n` and `#<name>` are read and written; all may raise ValueError with a reason."""

    def read(self, number: int) -> Value:
        """Value of a variable, None when it is null."""

    def write(self, number: int, value: Value) -> None:
        """Set a variable."""

    def read_name(self, name: str) -> Value:
        """Value of a named parameter."""

    def write_name(self, name: str, value: Value) -> None:
        """Set a named parameter."""


Evaluator = Callable[[VariableStore], Value]

_MAX_DEPTH = 40
_EPSILON = 1e-12


class ExpressionError(ValueError):
    """The text is no expression, or cannot be worked out; the message is the reason."""


def _number(value: Value) -> float:
    return 0.0 if value is None else value


def _checked(result: float) -> float:
    if not math.isfinite(result):
        raise ExpressionError("the result is no finite number")
    return result


def _divide(left: float, right: float) -> float:
    if right == 0:
        raise ExpressionError("it divides by zero")
    return left / right


def _modulo(left: float, right: float) -> float:
    if right == 0:
        raise ExpressionError("MOD by zero")
    return math.fmod(left, right)


def _positive_modulo(left: float, right: float) -> float:
    rest = _modulo(left, right)
    return rest + abs(right) if rest < 0 else rest


def _root(value: float) -> float:
    if value < 0:
        if value > -_EPSILON:
            return 0.0
        raise ExpressionError("SQRT of a figure below zero")
    return math.sqrt(value)


def _arc(function: Callable[[float], float]) -> Callable[[float], float]:
    def inner(value: float) -> float:
        if not -1 <= value <= 1:
            raise ExpressionError("the argument lies outside -1 to 1")
        return degrees(function(value))

    return inner


def _tangent(value: float) -> float:
    try:
        return tangent(value)
    except ZeroDivisionError:
        raise ExpressionError(f"TAN of {value:g} degrees has no value") from None


def _logarithm(value: float) -> float:
    if value <= 0:
        raise ExpressionError("LN of zero or less")
    return math.log(value)


def _round(value: float) -> float:
    whole = math.floor(abs(value))
    return math.copysign(whole + (abs(value) - whole >= 0.5), value)


_COMMON_FUNCTIONS: dict[str, Callable[[float], float]] = {
    "SIN": sine,
    "COS": cosine,
    "TAN": _tangent,
    "ASIN": _arc(math.asin),
    "ACOS": _arc(math.acos),
    "SQRT": _root,
    "ABS": abs,
    "ROUND": _round,
    "LN": _logarithm,
    "EXP": math.exp,
}


def _bits(function: Callable[[int, int], int]) -> Callable[[float, float], float]:
    def inner(left: float, right: float) -> float:
        if left != int(left) or right != int(right) or not (0 <= left < 2**32 and 0 <= right < 2**32):
            raise ExpressionError("AND, OR and XOR take whole numbers of zero or more")
        return float(function(int(left), int(right)))

    return inner


def _power(base: float, exponent: float) -> float:
    try:
        result = base**exponent
    except (OverflowError, ZeroDivisionError):
        raise ExpressionError("the result of POW is too large") from None
    if isinstance(result, complex):
        raise ExpressionError("POW of a figure below zero with a broken exponent")
    return float(result)


def _truth(function: Callable[[bool, bool], bool]) -> Callable[[float, float], float]:
    return lambda left, right: float(function(left != 0, right != 0))


_Operator = Callable[[float, float], float]
_SUMS: dict[str, _Operator] = {"+": operator.add, "-": operator.sub}
_PRODUCTS: dict[str, _Operator] = {"*": operator.mul, "/": _divide, "MOD": _modulo}
_LOGIC: dict[str, _Operator] = {
    "AND": _truth(operator.and_),
    "OR": _truth(operator.or_),
    "XOR": _truth(operator.xor),
}
_COMPARISONS: dict[str, Callable[[float, float], bool]] = {
    "EQ": operator.eq,
    "NE": operator.ne,
    "GT": operator.gt,
    "GE": operator.ge,
    "LT": operator.lt,
    "LE": operator.le,
}


@dataclass(frozen=True, slots=True)
class Grammar:
    """What expressions of a language may hold. `levels` are operators from the loosest binding to the tightest."""

    functions: dict[str, Callable[[float], float]]
    levels: tuple[dict[str, _Operator], ...]
    sums_need_brackets: bool
    """A sum stands in brackets wherever it stands, and `#n=` takes a single value."""
    full_turn: bool
    """ATAN[a]/[b] lies in 0 to 360 degrees, else in −180 to 180."""
    names: bool = False
    """`#<name>` is a parameter."""


HASH_MACRO = Grammar(
    functions=_COMMON_FUNCTIONS
    | {"FIX": lambda v: float(math.trunc(v)), "FUP": lambda v: math.copysign(math.ceil(abs(v)), v)},
    levels=(
        _SUMS | {"OR": _bits(operator.or_), "XOR": _bits(operator.xor)},
        _PRODUCTS | {"AND": _bits(operator.and_)},
    ),
    sums_need_brackets=False,
    full_turn=True,
)
FIGURES = Grammar({}, (), sums_need_brackets=True, full_turn=True)
"""Figures and nothing else."""


def ngc_grammar(*, names: bool, comparisons: bool) -> Grammar:
    """RS-274/NGC (T. Kramer, F. Proctor, E. Messina, NISTIR 6556, section 3.3.2): FIX rounds down, FUP up, and what MOD
    leaves is never below zero.

    Its third group holds sums and logic alike. Where o-words bring comparisons, logic binds loosest of all, so that
    `[a LT b AND c LT d]` is what it looks like.
    """
    functions = _COMMON_FUNCTIONS | {"FIX": lambda v: float(math.floor(v)), "FUP": lambda v: float(math.ceil(v))}
    compared: dict[str, _Operator] = {
        name: lambda a, b, compare=compare: float(compare(a, b))  # type: ignore[misc]
        for name, compare in _COMPARISONS.items()
    }
    loose = (_LOGIC, compared, _SUMS) if comparisons else (_SUMS | _LOGIC,)
    levels = (*loose, _PRODUCTS | {"MOD": _positive_modulo}, {"**": _power})
    return Grammar(functions, levels, sums_need_brackets=True, full_turn=False, names=names)


class Cursor:
    """A place in one line of upper-case text without comments."""

    __slots__ = ("at", "depth", "grammar", "text")

    def __init__(self, text: str, grammar: Grammar = HASH_MACRO) -> None:
        self.text = text
        self.grammar = grammar
        self.at = 0
        self.depth = 0

    def skip(self) -> None:
        """Pass over blanks."""
        text, at = self.text, self.at
        while text.startswith(" ", at):
            at += 1
        self.at = at

    def peek(self) -> str:
        """The next character after blanks, "" at the end."""
        self.skip()
        return self.text[self.at : self.at + 1]

    def word(self) -> str:
        """The run of letters that starts here, not taken."""
        self.skip()
        end = self.at
        while end < len(self.text) and self.text[end].isalpha():
            end += 1
        return self.text[self.at : end]

    def accept(self, token: str) -> bool:
        """Take `token` if it stands here; a word must not run on into more letters."""
        self.skip()
        if not self.text.startswith(token, self.at):
            return False
        end = self.at + len(token)
        if token.isalpha() and end < len(self.text) and self.text[end].isalpha():
            return False
        self.at = end
        return True

    def expect(self, token: str) -> None:
        """Take `token`. Raises ExpressionError."""
        if not self.accept(token):
            found = self.text[self.at : self.at + 8] or "the end of the block"
            raise ExpressionError(f"“{token}” is missing before “{found}”")

    def literal(self) -> float:
        """A decimal figure without sign. Raises ExpressionError."""
        self.skip()
        start = self.at
        dots = 0
        while self.at < len(self.text) and (self.text[self.at] in "0123456789."):
            dots += self.text[self.at] == "."
            self.at += 1
        text = self.text[start : self.at]
        if dots > 1 or not any(c.isdigit() for c in text):
            raise ExpressionError(f"“{text or self.text[start : start + 8]}” is no figure")
        if len(text) > 24:
            raise ExpressionError("the figure has too many digits")
        return float(text)


def parse_value(cursor: Cursor) -> Evaluator:
    """A value after an address: a signed figure, a `#` variable or a bracket."""
    if cursor.accept("-"):
        inner = parse_value(cursor)
        return lambda store: None if (value := inner(store)) is None else -value
    cursor.accept("+")
    return _primary(cursor)


def _primary(cursor: Cursor) -> Evaluator:
    cursor.depth += 1
    if cursor.depth > _MAX_DEPTH:
        raise ExpressionError("it is nested too deeply")
    try:
        character = cursor.peek()
        if character and character in "#[" and cursor.grammar is FIGURES:
            raise ExpressionError("this control takes figures only, no variables and no expressions")
        if character == "#":
            return parse_variable(cursor)[1]
        if character == "[":
            cursor.expect("[")
            inner = parse_expression(cursor)
            cursor.expect("]")
            return inner
        name = cursor.word()
        if name:
            return _call(cursor, name)
        value = cursor.literal()
        return lambda store: value
    finally:
        cursor.depth -= 1


def _call(cursor: Cursor, name: str) -> Evaluator:
    grammar = cursor.grammar
    if (name == "ATAN" and grammar.functions) or (name == "POW" and not grammar.sums_need_brackets):
        return _two_arguments(cursor, name)
    function = grammar.functions.get(name)
    if function is None:
        raise ExpressionError(f"{name} is no function this control knows")
    cursor.expect(name)
    cursor.expect("[")
    inner = parse_expression(cursor)
    cursor.expect("]")

    def evaluate(store: VariableStore) -> Value:
        try:
            return _checked(function(_number(inner(store))))
        except OverflowError:
            raise ExpressionError(f"the result of {name} is too large") from None

    return evaluate


def _two_arguments(cursor: Cursor, name: str) -> Evaluator:
    """`ATAN[a]/[b]` or `ATAN[a,b]`, 0 to 360 degrees; `POW[a,b]`; `ATAN[a]` alone, −90 to 90 degrees."""
    cursor.expect(name)
    cursor.expect("[")
    first = parse_expression(cursor)
    if cursor.accept(","):
        second = parse_expression(cursor)
        cursor.expect("]")
    else:
        cursor.expect("]")
        if name == "POW":
            raise ExpressionError("POW wants two figures: POW[a,b]")
        if not (cursor.peek() == "/" and cursor.text[cursor.at + 1 :].lstrip(" ").startswith("[")):
            return lambda store: degrees(math.atan(_number(first(store))))
        cursor.expect("/")
        cursor.expect("[")
        second = parse_expression(cursor)
        cursor.expect("]")
    if name == "POW":
        return lambda store: _checked(_power(_number(first(store)), _number(second(store))))
    full = cursor.grammar.full_turn

    def evaluate(store: VariableStore) -> Value:
        angle = degrees(math.atan2(_number(first(store)), _number(second(store))))
        return angle % 360.0 if full else angle

    return evaluate


def _name(cursor: Cursor) -> str:
    """The name of `<name>`, without blanks, which mean nothing in it."""
    end = cursor.text.find(">", cursor.at)
    name = "".join(cursor.text[cursor.at + 1 : end].split()) if end >= 0 else ""
    if not cursor.grammar.names or not name or not all(c.isalnum() or c in "_-." for c in name):
        raise ExpressionError(f"“{cursor.text[cursor.at : cursor.at + 12]}” names no parameter of this control")
    cursor.at = end + 1
    return name


def parse_variable(cursor: Cursor) -> tuple[Evaluator | str, Evaluator]:
    """`#n`, `##n`, `#[...]` or `#<name>`: evaluator of the number (or the name), and of the value."""
    cursor.expect("#")
    character = cursor.peek()
    if character == "<":
        name = _name(cursor)
        return name, lambda store: store.read_name(name)
    if character == "#" or character == "[":
        number = _primary(cursor)
    else:
        literal = cursor.literal()
        number = lambda store: literal  # noqa: E731
        if literal == int(literal) and 0 <= literal < 100_000:
            known = int(literal)  # what most variables are: told once, not at every reading
            return number, lambda store: store.read(known)

    def read(store: VariableStore) -> Value:
        return store.read(variable_number(number(store)))

    return number, read


def variable_number(value: Value) -> int:
    """A variable's number as a whole number.

    Raises:
        ExpressionError: when it is none.
    """
    if value is None or value != int(value) or not 0 <= value < 100_000:
        raise ExpressionError(f"#{'null' if value is None else f'{value:g}'} is no variable")
    return int(value)


def parse_expression(cursor: Cursor, level: int = 0) -> Evaluator:
    """Sums of products of values, left to right."""
    levels = cursor.grammar.levels
    if level == len(levels):
        return parse_value(cursor)
    left = parse_expression(cursor, level + 1)
    while True:
        first = cursor.peek()
        for token, function in levels[level].items():
            if token[0] != first:
                continue
            if token == "*" and cursor.text.startswith("**", cursor.at):
                continue  # the power of a language that has none: refused below, not read as a product
            if cursor.accept(token):
                right = parse_expression(cursor, level + 1)
                left = _binary(left, function, right)
                break
        else:
            return left


def _binary(left: Evaluator, function: Callable[[float, float], float], right: Evaluator) -> Evaluator:
    def evaluate(store: VariableStore) -> Value:
        a, b = left(store), right(store)  # written out: it runs a hundred thousand times a second
        result = function(0.0 if a is None else a, 0.0 if b is None else b)
        if not isfinite(result):
            raise ExpressionError("the result is no finite number")
        return result

    isfinite = math.isfinite
    return evaluate


def parse_condition(cursor: Cursor) -> Callable[[VariableStore], bool]:
    """`[a EQ b]`. Null equals null and nothing else under EQ and NE; it counts as 0 in the others.

    Raises ExpressionError.
    """
    cursor.expect("[")
    left = parse_expression(cursor)
    name = cursor.word()
    comparison = _COMPARISONS.get(name)
    if comparison is None:
        raise ExpressionError("a condition needs EQ, NE, GT, GE, LT or LE")
    cursor.expect(name)
    right = parse_expression(cursor)
    cursor.expect("]")

    def evaluate(store: VariableStore) -> bool:
        a, b = left(store), right(store)
        if name in ("EQ", "NE") and (a is None or b is None):
            return (a is b) == (name == "EQ")
        return comparison(_number(a), _number(b))

    return evaluate
