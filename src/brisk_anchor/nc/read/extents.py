"""How far a cutting program goes, per work offset: read from millions of blocks in flat memory.

Plain word-address text is read a few megabytes at a time with NumPy: every byte is checked first (a letter, then one
well-formed figure, nothing else), so what is parsed at once is what a scanner would have read one by one. Blocks that
need more than that (comments, incremental moves, other planes) go through the exact reader below; both give the same
figures, and a test holds them to it.
"""

from __future__ import annotations

import codecs
import math
import re
from collections.abc import Iterator
from dataclasses import field
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from brisk_anchor.core.errors import NcError
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import UNREAD, lines_of, no_code_in
from brisk_anchor.nc.profile.control_profile import in_mm
from brisk_anchor.nc.read.arcs import arc_centre, arc_sweep
from brisk_anchor.nc.read.expressions import ExpressionError
from brisk_anchor.nc.read.modal import PLANE_AXES

CHUNK = 1_000_000
_LONGEST_BLOCK = 10_000
_LETTERS = b"ABCDEFGHIJKLMNPQRSTUVWXYZ"
_TO_SPACES = bytes.maketrans(_LETTERS, b" " * len(_LETTERS))
_BLANK, _LETTER, _DIGIT, _POINT, _SIGN, _OTHER = range(6)
_CLASS = np.full(256, _OTHER, np.uint8)
for _kind, _members in (
    (_BLANK, b" \r\n"),
    (_LETTER, _LETTERS),
    (_DIGIT, b"0123456789"),
    (_POINT, b"."),
    (_SIGN, b"+-"),
):
    _CLASS[list(_members)] = _kind
_AFTER = {
    _BLANK: (_BLANK, _LETTER),
    _LETTER: (_DIGIT, _POINT, _SIGN),
    _DIGIT: (_BLANK, _LETTER, _DIGIT, _POINT),
    _POINT: (_BLANK, _LETTER, _DIGIT),
    _SIGN: (_DIGIT, _POINT),
}
"""What may follow what in plain word-address text."""
_GOOD_PAIRS = bytes(first * 8 + second for first, seconds in _AFTER.items() for second in seconds)
_KINDS = _CLASS.tobytes()
_MARKS = bytes(kind in (_BLANK, _LETTER, _POINT) for kind in _CLASS)
_LONGEST_RUN = 9
_TENS = 10.0 ** np.arange(_LONGEST_RUN + 1)
_WORD = re.compile(r"([A-Z])\s*([-+]?(?:[0-9]+\.?[0-9]*|\.[0-9]+))")
_CHANGE = re.compile(rb"[Mm]0*6(?![0-9.])")
_CYCLES = (73, 74, 76, 81, 82, 83, 84, 85, 86, 87, 88, 89)
_NOT_FOLLOWED = frozenset(
    (1097, 1098, 65, 66, 52, 92, 68, 51, 51.1, 68.2, 68.3, 43.4, 43.5, 16, 7.1, 107, 12.1, 112, 90.1)
)
"""Codes after which words are no places of their axes: calls, shifts, turns, scales, mirrors, polar and rolled-off
coordinates, tips that are followed, centres of arcs as places. M codes are 1000 higher.
"""
_LENGTH_LETTERS = "XYZIJKR"
_IS_LENGTH = np.isin(np.arange(256), [ord(letter) for letter in _LENGTH_LETTERS])
_OFFSETS = (54, 55, 56, 57, 58, 59)
_NOT_PLAIN = list(b"ABCDELOPQRUVW")
_PLAIN_G = np.array([0, 1, 2, 3, 17, 21, 40, 49, 64, 80, 90, 94, *_OFFSETS])
Bytes = NDArray[np.uint8]
Whole = NDArray[np.int64]


def _without_comments(line: str) -> str:
    """A line without what stands in brackets or behind a semicolon; each character is looked at once."""
    kept, at = [], 0
    while (begun := min((n for n in (line.find("(", at), line.find(";", at)) if n >= 0), default=-1)) >= 0:
        ended = line.find(")", begun) if line[begun] == "(" else len(line)
        if ended < 0:
            break
        kept += [line[at:begun], " "]
        at = ended + 1
    return "".join([*kept, line[at:]])


@dataclass(slots=True)
class Extent:
    """Lowest and highest program position of each axis, mm; infinite the wrong way round while nothing was seen.

    `low_line` and `high_line` say where in the program, counted from 1; 0 while nothing was seen.
    """

    low: list[float] = field(default_factory=lambda: [math.inf] * 3)
    high: list[float] = field(default_factory=lambda: [-math.inf] * 3)
    low_line: list[int] = field(default_factory=lambda: [0] * 3)
    high_line: list[int] = field(default_factory=lambda: [0] * 3)

    def take(self, axis: int, low: float, high: float, low_line: int, high_line: int) -> None:
        """Widen one axis."""
        if low < self.low[axis]:
            self.low[axis], self.low_line[axis] = low, low_line
        if high > self.high[axis]:
            self.high[axis], self.high_line[axis] = high, high_line

    def take_all(self, axis: int, values: Array, lines: Whole) -> None:
        """Widen one axis by many positions and the lines they stand in."""
        least, most = int(values.argmin()), int(values.argmax())
        self.take(axis, float(values[least]), float(values[most]), int(lines[least]), int(lines[most]))

    def merge(self, other: Extent) -> None:
        """Widen every axis by another's."""
        for axis in range(3):
            self.take(axis, other.low[axis], other.high[axis], other.low_line[axis], other.high_line[axis])


@dataclass(slots=True)
class _State:
    """Where a program stands between chunks; an axis is None until the program names it."""

    place: list[float | None] = field(default_factory=lambda: [None, None, None])
    motion: int = 0
    plane: int = 17
    absolute: bool = True
    scale: float = 1.0
    offset: str = "G54"
    tool: int = 0
    wanted: int = 0
    cycle: bool = False
    bottom: float | None = None
    retract: float | None = None


class ExtentReader:
    """Feeds on chunks of whole lines. Positions are those of the program, tool length left out.

    `by_tool` has them by offset and by the tool in the spindle, 0 before the first change. `wholes` counts lengths
    without a point, other than 0: controls differ in what they are.
    """

    def __init__(self, steps: float | None = None) -> None:
        """`steps` is `Profile.steps_of_whole` of the control; None: lengths without a point are as written."""
        self._steps = steps
        self.wholes = 0
        self.by_tool: dict[tuple[str, int], Extent] = {}
        self.blocks = 0
        self.quick_blocks = 0
        self._state = _State()

    @property
    def extents(self) -> dict[str, Extent]:
        """The same by offset alone."""
        found: dict[str, Extent] = {}
        for (offset, _), extent in self.by_tool.items():
            found.setdefault(offset, Extent()).merge(extent)
        return found

    def _extent(self, offset: str) -> Extent:
        return self.by_tool.setdefault((offset, self._state.tool), Extent())

    def feed(self, chunk: bytes) -> None:
        """Read some whole lines.

        Raises:
            NcError: a word that cannot be read, with its line.
        """
        # A change of tool is read exactly, what lies between two of them at once.
        at = 0
        for found in _CHANGE.finditer(chunk):
            start = chunk.rfind(b"\n", 0, found.start()) + 1
            end = chunk.find(b"\n", found.end()) + 1 or len(chunk)
            if start >= at:
                self._feed_between(chunk[at:start])
                self._exact(chunk[start:end])
                at = end
        self._feed_between(chunk[at:])

    def _feed_between(self, chunk: bytes) -> None:
        if chunk and not self._quick(chunk):
            self._exact(chunk)

    # -- quick -------------------------------------------------------------------------------------------------

    def _quick(self, chunk: bytes) -> bool:
        """Read a plain chunk at once; False, with nothing changed, when it is not plain enough."""
        state = self._state
        if (
            not state.absolute
            or state.plane != 17
            or state.scale != 1.0
            or state.cycle
            or not state.offset[1:].isdigit()
        ):
            return False
        found = _words(chunk)
        if found is None:
            return False
        letters, values, lines, count, pointed = found
        wholes = int((_IS_LENGTH[letters] & ~pointed & (values != 0)).sum())
        if wholes and self._steps is not None:
            return False
        counts = np.bincount(letters, minlength=128)
        if counts[_NOT_PLAIN].any():
            return False
        codes = letters == ord("G")
        g_values, g_lines = values[codes], lines[codes]
        if len(g_values) and not np.isin(g_values, _PLAIN_G).all():
            return False
        axes: list[tuple[Array, Whole]] = []
        for letter in b"XYZIJ":
            mask = letters == letter
            axes.append((values[mask], lines[mask]))
            if len(axes[-1][1]) and (np.diff(axes[-1][1]) == 0).any():
                return False  # a word twice in one block: the exact reader says where
        motions = g_values[np.isin(g_values, (0, 1, 2, 3))]
        arcs = state.motion >= 2 or bool(len(motions) and (motions >= 2).any())
        if arcs or np.isin(g_values, _OFFSETS).any():
            if not self._quick_mixed(g_values, g_lines, axes, count):
                return False
        else:
            for axis, (taken, _) in enumerate(axes[:3]):
                if len(taken):
                    self._extent(state.offset).take_all(axis, taken, axes[axis][1] + self.blocks + 1)
                    state.place[axis] = float(taken[-1])
            if len(motions):
                state.motion = int(motions[-1])
        self.blocks += count
        self.quick_blocks += count
        self.wholes += wholes
        return True

    def _quick_mixed(self, g_values: Array, g_lines: Whole, axes: list[tuple[Array, Whole]], count: int) -> bool:
        """A plain chunk with arcs, or with more than one offset: state line by line, still all lines at once."""
        state = self._state
        motion = _modal(g_values, g_lines, (0, 1, 2, 3), state.motion, count)
        offset = _modal(g_values, g_lines, _OFFSETS, int(state.offset[1:]), count)
        columns = []
        for taken, at in axes:
            column = np.full(count, np.nan)
            column[at] = taken
            columns.append(column)
        named = [np.isfinite(column) for column in columns]
        starts, ends = [], []
        for axis in range(3):
            before = state.place[axis]
            first = math.nan if before is None else before
            ends.append(_filled(columns[axis], first))
            starts.append(np.concatenate([[first], ends[axis][:-1]]))
        arcs = (motion >= 2) & (named[0] | named[1] | named[3] | named[4])
        reach = _arc_reach(starts, ends, columns, arcs, motion) if arcs.any() else []
        if reach is None:
            return False
        for code in np.unique(offset[named[0] | named[1] | named[2] | arcs]):
            here = offset == code
            extent = self._extent(f"G{int(code)}")
            for axis in range(3):
                moved = here & named[axis]
                if moved.any():
                    extent.take_all(axis, ends[axis][moved], np.flatnonzero(moved) + self.blocks + 1)
                if reach and axis < 2 and (here & arcs).any():
                    at = np.flatnonzero(here & arcs) + self.blocks + 1
                    for values in reach[axis]:
                        extent.take_all(axis, values[here[arcs]], at)
        for axis in range(3):
            last = float(ends[axis][-1])
            state.place[axis] = None if math.isnan(last) else last
        state.motion, state.offset = int(motion[-1]), f"G{int(offset[-1])}"
        return True

    # -- exact -------------------------------------------------------------------------------------------------

    def _exact(self, chunk: bytes) -> None:
        for number, raw in enumerate(lines_of(chunk.decode("utf-8", errors="replace")), self.blocks + 1):
            text = _without_comments(raw).strip().lstrip("/ ")
            if odd := no_code_in(text):
                raise NcError(number, raw, f"“{odd}” is no character of NC code")
            if text and text != "%":
                self._exact_block(number, raw, text.upper())
            self.blocks += 1

    def _exact_block(self, number: int, raw: str, text: str) -> None:
        if "#" in text or "[" in text:
            raise NcError(number, raw, "macros are not followed here: run the program on the stand-in instead")
        rest = _WORD.sub("", text).strip()
        if rest and not rest.startswith("O"):
            raise NcError(number, raw, f"“{rest[:12]}” cannot be read")
        state = self._state
        words: dict[str, float] = {}
        codes: set[float] = set()
        for letter, figure in _WORD.findall(text):
            value = float(figure)
            if letter == "G":
                codes.add(value)
                self._exact_code(value)
            elif letter == "M":
                codes.add(value + 1000)
            elif letter in words and letter in _LENGTH_LETTERS:
                raise NcError(number, raw, f"{letter} stands twice in the block")
            else:
                words[letter] = value
                if letter in _LENGTH_LETTERS:
                    whole = "." not in figure
                    self.wholes += whole and value != 0
                    words[letter] = in_mm(value, self._steps, whole=whole, inches=state.scale != 1.0)
        if 54.1 in codes:
            state.offset = f"G54.1 P{words.pop('P', 0):g}"
        state.wanted = int(words.get("T", state.wanted))
        if 1006 in codes:
            state.tool = state.wanted
        if codes & _NOT_FOLLOWED:
            what = "subprograms, shifts, turns, scales and other coordinates are not followed here: run the program"
            raise NcError(number, raw, f"{what} on the stand-in instead")
        if codes & {53, 28, 30}:
            for axis, letter in enumerate("XYZ"):
                if letter in words:
                    state.place[axis] = None  # a machine position: the program stands where no offset says
            return
        moves = any(letter in words for letter in "XYZIJKR")
        if not moves or codes & {4, 10} or ("P" in words and not state.cycle) or ("L" in words and not state.cycle):
            return
        if state.cycle:
            self._exact_cycle(number, words)
            return
        start = list(state.place)
        for axis, letter in enumerate("XYZ"):
            if letter in words:
                before = start[axis] or 0.0
                state.place[axis] = words[letter] if state.absolute else before + words[letter]
                there = state.place[axis] or 0.0
                self._extent(state.offset).take(axis, there, there, number, number)
        if state.motion >= 2:
            self._exact_arc(number, raw, start, words)

    def _exact_code(self, code: float) -> None:
        state = self._state
        if code in (0, 1, 2, 3, 80):
            state.motion, state.cycle = int(code) if code != 80 else state.motion, False
        elif code in _CYCLES:
            if not state.cycle:
                state.bottom = state.retract = None
            state.cycle = True
        elif code in (17, 18, 19):
            state.plane = int(code)
        elif code in (20, 21):
            state.scale = 25.4 if code == 20 else 1.0
        elif code in (90, 91):
            state.absolute = code == 90
        elif code in (*_OFFSETS, 59.1, 59.2, 59.3):
            state.offset = f"G{code:g}"

    def _exact_arc(self, number: int, raw: str, start: list[float | None], words: dict[str, float]) -> None:
        state = self._state
        axes = a, b, _ = PLANE_AXES[state.plane]
        first = (start[0] or 0.0, start[1] or 0.0, start[2] or 0.0)
        last = (state.place[0] or 0.0, state.place[1] or 0.0, state.place[2] or 0.0)
        clockwise = state.motion == 2
        try:
            centre = arc_centre(first, last, axes, words, clockwise=clockwise)
        except ExpressionError as error:
            raise NcError(number, raw, str(error)) from None
        sweep = arc_sweep(first, last, centre, axes, clockwise=clockwise)
        radius = math.hypot(first[a] - centre[0], first[b] - centre[1])
        begin = math.atan2(first[b] - centre[1], first[a] - centre[0])
        extent = self._extent(state.offset)
        for quarter in range(4):
            turn = (quarter * math.pi / 2 - begin) % (2 * math.pi)
            if clockwise:
                turn -= 2 * math.pi
            if abs(turn) <= abs(sweep):
                axis, sign = ((a, 1), (b, 1), (a, -1), (b, -1))[quarter]
                value = centre[0 if axis == a else 1] + sign * radius
                extent.take(axis, value, value, number, number)

    def _exact_cycle(self, number: int, words: dict[str, float]) -> None:
        """A canned drilling cycle: over to X and Y, down from R to Z, as often as K or L says when incremental."""
        state = self._state
        level = state.place[2] or 0.0
        if "R" in words:
            state.retract = words["R"] if state.absolute else level + words["R"]
        if "Z" in words:
            state.bottom = (
                words["Z"] if state.absolute else (level if state.retract is None else state.retract) + words["Z"]
            )
        extent = self._extent(state.offset)
        times = max(1, int(words.get("L", words.get("K", 1)))) if not state.absolute else 1
        for axis, letter in enumerate("XY"):
            if letter in words:
                before = state.place[axis] or 0.0
                first = words[letter] if state.absolute else before + words[letter]
                last = words[letter] if state.absolute else before + times * words[letter]
                extent.take(axis, min(first, last), max(first, last), number, number)
                state.place[axis] = last
        for depth in (state.retract, state.bottom):
            if depth is not None:
                extent.take(2, depth, depth, number, number)


def _words(chunk: bytes) -> tuple[Bytes, Array, Whole, int, NDArray[np.bool_]] | None:
    """Letters, values and line numbers of a plain chunk, how many lines it has, and which values have a point.

    None when it is not plain.

    Figures are read as whole numbers without their points and divided by a power of ten: below 2⁵³ and 10²² that is
    rounded once, so it is the float that Python reads.
    """
    data = np.frombuffer(chunk, np.uint8)
    kinds = np.frombuffer(chunk.translate(_KINDS), np.uint8)
    if not len(data) or kinds[0] > _LETTER or kinds[-1] in (_LETTER, _SIGN):
        return None
    pairs = ((kinds[:-1] << 3) | kinds[1:]).astype(np.uint8)
    if pairs.tobytes().translate(None, _GOOD_PAIRS):
        return None
    marks = np.flatnonzero(np.frombuffer(chunk.translate(_MARKS), bool))
    mark_kinds = kinds[marks]
    ends = np.append(marks[1:], len(data))
    if int((ends - marks).max()) > _LONGEST_RUN + 1:
        return None
    points = mark_kinds == _POINT
    if (points[1:] & points[:-1]).any():
        return None
    letters_so_far = np.cumsum(mark_kinds == _LETTER)
    where = marks[points]
    before = kinds[where - 1] == _DIGIT
    decimals = ends[points] - where - 1
    if not (before | (decimals > 0)).all():
        return None
    at = marks[mark_kinds == _LETTER]
    whole = np.fromstring(chunk.translate(_TO_SPACES, b"."), dtype=np.int64, sep=" ")
    if len(whole) != len(at) or (len(whole) and int(np.abs(whole).max()) >= 2**53):
        return None
    values = whole.astype(np.float64)
    owners = letters_so_far[points] - 1
    values[owners] /= _TENS[decimals]
    pointed = np.zeros(len(at), bool)
    pointed[owners] = True
    line_ends = data[marks] == 10
    lines = np.cumsum(line_ends)[mark_kinds == _LETTER]
    count = int(line_ends.sum()) + (not chunk.endswith(b"\n"))
    return data[at], values, lines.astype(np.int64), count, pointed


def _modal(values: Array, lines: Whole, codes: tuple[int, ...], before: int, count: int) -> Whole:
    """The code of a group that is in force in each line."""
    mask = np.isin(values, codes)
    column = np.full(count, np.nan)
    column[lines[mask]] = values[mask]
    return _filled(column, float(before)).astype(np.int64)


def _filled(column: Array, before: float) -> Array:
    """Gaps take the last value above them, the first ones `before`."""
    where = np.where(np.isfinite(column), np.arange(len(column)), -1)
    np.maximum.accumulate(where, out=where)
    return np.where(where >= 0, column[np.maximum(where, 0)], before)


def _arc_reach(
    starts: list[Array], ends: list[Array], columns: list[Array], arcs: NDArray[np.bool_], motion: Whole
) -> list[tuple[Array, Array]] | None:
    """Lowest and highest X and Y of each arc; None when one of them needs the exact reader's judgement."""
    x0, y0, x1, y1 = starts[0][arcs], starts[1][arcs], ends[0][arcs], ends[1][arcs]
    i, j = columns[3][arcs], columns[4][arcs]
    if not np.isfinite(np.concatenate([x0, y0, x1, y1])).all() or (np.isnan(i) & np.isnan(j)).any():
        return None
    cx, cy = x0 + np.nan_to_num(i), y0 + np.nan_to_num(j)
    radius, last = np.hypot(x0 - cx, y0 - cy), np.hypot(x1 - cx, y1 - cy)
    if (radius < 1e-6).any() or (np.abs(radius - last) > np.maximum(0.01, 0.001 * radius)).any():
        return None
    clockwise = motion[arcs] == 2
    begin = np.arctan2(y0 - cy, x0 - cx)
    turn = 2 * math.pi
    sweep = (np.arctan2(y1 - cy, x1 - cx) - begin) % turn
    whole = (np.hypot(x1 - x0, y1 - y0) < 1e-9) | (sweep < 1e-12)
    length = np.where(whole, turn, np.where(clockwise, turn - sweep, sweep))
    reach = []
    for centre, a, b, quarters in ((cx, x0, x1, (0, 2)), (cy, y0, y1, (1, 3))):
        low, high = np.minimum(a, b), np.maximum(a, b)
        for quarter, sign in zip(quarters, (1, -1), strict=True):
            ahead = (quarter * math.pi / 2 - begin) % turn
            ahead = np.where(clockwise, turn - ahead, ahead)
            value = centre + sign * radius
            met = ahead <= length
            high = np.where(met & (sign > 0), np.maximum(high, value), high)
            low = np.where(met & (sign < 0), np.minimum(low, value), low)
        reach.append((low, high))
    return reach


def chunks_of(stream: BinaryIO, size: int = CHUNK) -> Iterator[bytes]:
    """A file in pieces of whole lines.

    Raises:
        NcError: a line of absurd length.
    """
    held, first = b"", True
    while piece := stream.read(size):
        held += (piece.removeprefix(codecs.BOM_UTF8) if first else piece).translate(None, UNREAD)
        first = False
        cut = held.rfind(b"\n") + 1 or held.rfind(b"\r") + 1
        if cut:
            yield held[:cut]
            held = held[cut:]
        elif len(held) > size + _LONGEST_BLOCK:
            raise NcError(1, "", "a line has no end: this is no NC program")
    if held:
        yield held


def read_extents(stream: BinaryIO, steps: float | None = None) -> ExtentReader:
    """Read a whole program from a binary stream, `steps` as of `ExtentReader`. Raises NcError."""
    reader = ExtentReader(steps)
    for chunk in chunks_of(stream):
        reader.feed(chunk)
    return reader
