"""One block of address words: checked whole, then carried out in the order a control does.

Order: feed and speed, tool, spindle and coolant, dwell, plane, units, tool length, offset, distance mode, then the one
thing the block does (table, shift, reference, skip or move), then program flow. Anything the block does not use is
refused before anything moves.
"""

from __future__ import annotations

import math
from typing import Literal

from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.nc.profile.code_groups import GROUP_OF, M_GROUP_OF, SKIP_CODES, STRAIGHT_PROBES
from brisk_anchor.nc.profile.control_profile import Profile, in_mm
from brisk_anchor.nc.profile.sections import TurningFigures
from brisk_anchor.nc.read.arcs import arc_centre, arc_points, arc_sweep
from brisk_anchor.nc.read.coordinates import Coordinates
from brisk_anchor.nc.read.expressions import ExpressionError, variable_number
from brisk_anchor.nc.read.modal import PLANE_AXES, Modal
from brisk_anchor.nc.read.port import MachinePort, SkipResult

_LENGTH_LETTERS = frozenset("XYZIJKRUVW")
_KNOWN = frozenset("XYZIJKRFSTHPLQU")
_INCREMENTS = {"U": "X", "V": "Y", "W": "Z"}
_LETTERS_OF = {4: "XPU", 10: "LPXYZR", 68: "XYR", 43.1: "Z", 92.1: "", 92.2: "", 92.3: "", 98: "PL"}
"""Letters a block may hold beside F, S, T and H, by its code; moves take X, Y, Z and arcs I, J, K, R besides."""
ANGLE_STEP = 0.001
"""Degrees in a whole figure without a point, where those count least increments."""
_DWELL: tuple[Literal["X", "P", "U"], ...] = ("X", "P", "U")
_NOT_A_MOVE = (4, 10, 28, 30, 31, 52, 68, 92, 92.1, 92.2, 92.3, 43.1)


def _signs(profile: Profile) -> dict[str, int]:
    """Letters whose words count the other way round on this lathe."""
    if profile.lathe is None:
        return {}
    words = profile.lathe.program
    return dict.fromkeys((*("XUI" if words.sign_x < 0 else ""), *("ZWK" if words.sign_z < 0 else "")), -1)


class BlockRunner(Coordinates):
    """Carries out blocks of words on a machine, under a modal state."""

    def __init__(self, profile: Profile, machine: MachinePort, modal: Modal) -> None:
        super().__init__(profile, machine, modal)
        self.line = 0
        self._rotary = tuple(machine.angles)
        self._clamps = {
            (word[0], float(word[1:])): (str(letter), held)
            for letter, clamp in profile.table_clamp.items()
            for word, held in ((clamp.clamp, True), (clamp.unclamp, False))
        }
        self._row_figures = profile.lathe.work_offset if profile.lathe is not None else None
        self._held = {str(letter): True for letter in profile.table_clamp}
        self._signs = _signs(profile)
        self._steps = profile.steps_of_whole
        self._known = _KNOWN | set(self._rotary) | (set("UVW") if profile.input.increments_uvw else set())
        self._refused = {float(word[1:]) for word in profile.input.refuses if word.startswith("G")}
        self._refused_functions = {float(word[1:]) for word in profile.input.refuses if word.startswith("M")}
        self._skips: dict[float, set[frozenset[tuple[str, float]]]] = {}
        """Codes that move until the probe signals, each with the words it may have beside it."""
        for word in profile.skip.words:
            code, *beside = word.split()
            self._skips.setdefault(float(code[1:]), set()).add(frozenset((w[0], float(w[1:])) for w in beside))
        self._groups = dict.fromkeys(self._skips, "one block") | GROUP_OF
        self._own = {
            (letter, value)
            for letter, value in profile.own_codes
            if value not in (self._groups if letter == "G" else M_GROUP_OF)
        }
        """Codes that the profile names and that mean something to its control alone."""
        rows = profile.all_rows.items()
        self._by_select = {row.select: name for name, row in rows if row.select}
        self._by_write = {row.write: name for name, row in rows if row.write is not None}
        self._numbered = {float(select.split()[0][1:]) for select in self._by_select if " P" in select}
        self._sound: set[tuple[tuple[float, ...], tuple[float, ...]]] = set()
        """G and M codes that were found to go together in a block."""
        self._allowed: dict[tuple[float | None, tuple[float, ...], tuple[float, ...]], frozenset[str]] = {}
        """Letters that mean something beside an action, G and M codes."""

    # -- a block -----------------------------------------------------------------------------------------------

    def run(self, words: list[tuple[str, float, bool]], line: int) -> SkipResult | None:
        """Carry out a block; `words` are letter, value, and whether it was written without a decimal point.

        Returns what a skip move met, None when there was none.

        Raises:
            ExpressionError: the block means nothing here. MachineError: the machine stopped.
        """
        self.line = line
        self._tables(words)
        words = self._without_own(words)
        codes = [value for letter, value, _ in words if letter == "G"]
        functions = [value for letter, value, _ in words if letter == "M"]
        told = (tuple(codes), tuple(functions))
        if told not in self._sound:  # the same few combinations, thousands of times
            self._check(codes, functions)
            self._sound.add(told)
        plain = "XU" if 4 in codes else "R" if 68 in codes or 19 in functions or self._turns_row(words, codes) else ""
        letters = self._letters(words, plain=plain)
        action = self._action(codes, letters)
        self._stray(action, codes, letters, functions)
        self._prepare(codes, functions, letters)
        result = self._act(action, codes, letters)
        return result

    @staticmethod
    def _turns_row(words: list[tuple[str, float, bool]], codes: list[float]) -> bool:
        """Whether R is the angle of a row; in the tool table (L10 and on) it is a radius."""
        return 10 in codes and any(letter == "L" and value in (2, 20) for letter, value, _ in words)

    def _tables(self, words: list[tuple[str, float, bool]]) -> None:
        """Note which rotary tables a block lets go of, or holds again."""
        for letter, value, _ in words if self._clamps else ():
            if (known := self._clamps.get((letter, value))) is not None:
                self._held |= {known[0]: known[1]}

    def _without_own(self, words: list[tuple[str, float, bool]]) -> list[tuple[str, float, bool]]:
        """The words less those the profile names and only its control knows, and what such a block says beside them."""
        own = self._own
        if not own or not any((letter, value) in own for letter, value, _ in words):
            return words
        left = [word for word in words if (word[0], word[1]) not in own]
        codes = [word for word in left if word[0] in "GM"]
        return left if codes else []

    def _check(self, codes: list[float], functions: list[float]) -> None:
        for letter, values, groups, refused in (
            ("G", codes, self._groups, self._refused),
            ("M", functions, M_GROUP_OF, self._refused_functions),
        ):
            seen: dict[str, float] = {}
            for code in values:
                group = groups.get(code)
                if group is None or code in refused:
                    raise ExpressionError(f"{letter}{code:g} is not known to this control")
                if group in seen:
                    raise ExpressionError(f"{letter}{seen[group]:g} and {letter}{code:g} contradict each other")
                seen[group] = code
        for code in codes:
            word = f"G{code:g}"
            if code in SKIP_CODES and code not in self._skips:
                raise ExpressionError(f"{word} is no skip move of this control")
            if code in (20,) and not self.profile.input.inches:
                raise ExpressionError("the program is in inches (G20), this control is set to millimetres (G21)")

    def _letters(self, words: list[tuple[str, float, bool]], *, plain: str) -> dict[str, float]:
        """Letters with their values, lengths in mm; those in `plain` are no lengths in this block."""
        letters: dict[str, float] = {}
        inches = any(letter == "G" and value == 20 for letter, value, _ in words) or (
            self.modal.inches and not any(letter == "G" and value == 21 for letter, value, _ in words)
        )
        for letter, value, whole in words:
            if letter in "GM":
                continue
            if letter in letters:
                raise ExpressionError(f"{letter} stands twice in the block")
            if letter not in self._known:
                if letter in "ABC":
                    raise ExpressionError(f"this machine has no axis {letter}")
                raise ExpressionError(f"the word {letter}{value:g} is not known to this control")
            if letter in self._rotary:
                if whole and self._steps is not None:
                    value *= ANGLE_STEP
            elif letter in _LENGTH_LETTERS and letter not in plain:
                value = in_mm(value, self._steps, whole=whole, inches=inches)
                if letter in "XU" and self.profile.input.diameter_x:
                    value /= 2
                value *= self._signs.get(letter, 1)
            letters[letter] = value
        return letters

    def _action(self, codes: list[float], letters: dict[str, float]) -> float | None:
        """The one thing the block does: a code of its own, or the motion in force when axes are named."""
        for code in codes:
            if code in _NOT_A_MOVE or (code in self._skips and code not in STRAIGHT_PROBES):
                return code
        motion = next((code for code in codes if self._groups[code] == "motion"), self.modal.motion)
        named = self._names_axis(letters)
        arc = motion in (2, 3) and any(letter in letters for letter in "IJKR")
        if not named and not arc:
            if 53 in codes:
                raise ExpressionError("G53 names no axis")
            return None
        if motion is None or motion == 80:
            raise ExpressionError("neither G0, G1, G2 nor G3 is in force, so how to move is not known")
        return motion

    def _names_axis(self, letters: dict[str, float]) -> bool:
        return any(letter in "XYZUVW" or letter in self._rotary for letter in letters)

    def _meant(self, action: float | None, codes: list[float], functions: list[float]) -> frozenset[str]:
        moves = action is None or action not in _LETTERS_OF
        allowed = set("PL") if 98 in functions else set("XYZ" if moves else _LETTERS_OF[action or 0])
        allowed |= set("FST") | ({"H"} if 43 in codes else set()) | ({"R"} if 19 in functions and not codes else set())
        if (moves and action not in self._skips) or action == 10:
            allowed |= set(self._rotary)
        allowed |= {letter for beside in self._skips.get(action or 0.0, ()) for letter, _ in beside}
        if moves and self.profile.input.increments_uvw and action not in (52, 92) and 53 not in codes:
            allowed |= set("UVW")
        if action in (2, 3):
            allowed |= set("IJKR")
            allowed -= set(self._rotary)
        if 64 in codes or any(code in self._numbered for code in codes):
            allowed |= {"P"}
        return frozenset(allowed)

    def _stray(
        self, action: float | None, codes: list[float], letters: dict[str, float], functions: list[float]
    ) -> None:
        key = (action, tuple(codes), tuple(functions))
        if (allowed := self._allowed.get(key)) is None:
            allowed = self._allowed[key] = self._meant(action, codes, functions)
        if stray := letters.keys() - allowed:
            raise ExpressionError(f"{', '.join(sorted(stray))} has no meaning in this block")
        if both := [increment for increment, axis in _INCREMENTS.items() if increment in letters and axis in letters]:
            raise ExpressionError(f"{both[0]} and {_INCREMENTS[both[0]]} move the same axis")

    # -- modal state -------------------------------------------------------------------------------------------

    def _prepare(self, codes: list[float], functions: list[float], letters: dict[str, float]) -> None:
        modal = self.modal
        for code in codes:
            if code in (20, 21):
                modal.inches = code == 20
            elif code in (93, 94, 95) and code != modal.feed_mode:
                modal.feed_mode = int(code)
                modal.feed = 0.0
        if "F" in letters:
            self._feed_word(letters.pop("F"))
        if "S" in letters:
            modal.spindle_speed = letters.pop("S")
            if not 0 <= modal.spindle_speed <= 100_000:
                raise ExpressionError(f"S{modal.spindle_speed:g} makes no sense")
        if "T" in letters:
            modal.prepared_tool = variable_number(letters.pop("T"))
            self._turn_turret(modal.prepared_tool)
        for code in functions:
            self._function(int(code), letters)
        for code in codes:
            self._modal_code(code, letters, table=10 in codes)

    def _turn_turret(self, called: int) -> None:
        """On a lathe the T word turns the turret: a station, and the row of its offset."""
        if self.profile.lathe is None:
            return
        if self._turret is None:
            raise ExpressionError("this machine has no turret")
        station, offset = divmod(called, 10**self.profile.lathe.offset_digits)
        if offset > self.profile.lathe.offsets:
            raise ExpressionError(f"there is no offset {offset}")
        self._turret.index(station, offset, self.line)

    def _feed_word(self, feed: float) -> None:
        scale = 1.0 if self.modal.feed_mode == 93 else self.modal.unit
        if not 0 < feed * scale <= 60_000:
            raise ExpressionError(f"a feed of {feed:g} makes no sense")
        self.modal.feed = feed * scale

    def _function(self, code: int, letters: dict[str, float]) -> None:
        if code == 6:
            self.machine.change_tool(self.modal.prepared_tool, self.line)
        elif code in (3, 4, 5, 19):
            self.machine.turn_spindle(code, self.modal.spindle_speed, self.line)
            self.modal.spindle = code
            if code == 19:
                self.machine.orient(letters.pop("R", 0.0), self.line)
        elif code in (7, 8):
            self.modal.coolant |= {code}
        elif code == 9:
            self.modal.coolant = frozenset()

    def _modal_code(self, code: float, letters: dict[str, float], *, table: bool) -> None:
        modal = self.modal
        match self._groups[code]:
            case "motion" if code not in STRAIGHT_PROBES:
                modal.motion = None if code == 80 else code
            case "plane":
                modal.plane = int(code)
            case "distance":
                modal.absolute = code == 90
            case "path":
                modal.path = int(code)
                letters.pop("P", None)
            case "tool length" if code == 43:
                number = variable_number(letters.pop("H", None))
                self.length(number)
                modal.length, modal.length_shift = number, 0.0
            case "tool length" if code == 49:
                modal.length, modal.length_shift = 0, 0.0
            case "offset":
                numbered = code in self._numbered and "P" in letters and not table  # there P is that of G10
                word = f"G{code:g}" + (f" P{letters.pop('P'):g}" if numbered else "")
                if word not in self._by_select:
                    raise ExpressionError(f"{word} is no row of this control's offset table")
                modal.offset = self._by_select[word]
            case "rotation" if code == 69:
                modal.rotation = 0.0

    # -- doing it ----------------------------------------------------------------------------------------------

    def _act(self, action: float | None, codes: list[float], letters: dict[str, float]) -> SkipResult | None:
        match action:
            case None:
                return None
            case 4:
                self._dwell(letters)
            case 10:
                self._table(letters)
            case 28 | 30:
                self._reference(action, letters)
            case 43.1:
                self.modal.length, self.modal.length_shift = 0, letters["Z"]
            case 68:
                self._rotate(letters)
            case 52 | 92 | 92.1 | 92.2 | 92.3:
                self._shift_words(action, letters)
            case _ if action in self._skips:
                return self._skip(action, letters)
            case _:
                self._move(action, codes, letters)
        return None

    def _target(self, letters: dict[str, float], *, machine: bool = False) -> Vector:
        """Target in machine coordinates; an axis not named stays exactly where it is."""
        now = self.machine.position
        aims = {i: letters[letter] for i, letter in enumerate("XYZ") if letter in letters}
        if machine:
            x, y, z = (aims.get(i, now[i]) for i in range(3))
            return self._on_machine((x, y, z))
        steps = {i: letters[letter] for i, letter in enumerate("UVW") if letter in letters}
        if not self.modal.absolute:
            steps, aims = steps | aims, {}
        if not aims:
            dx, dy = turned(steps.get(0, 0.0), steps.get(1, 0.0), self.modal.rotation + self.row_angle())
            return self._on_machine((now[0] + dx, now[1] + dy, now[2] + steps.get(2, 0.0)))
        program = self.to_program(now)
        aims |= {i: program[i] + step for i, step in steps.items()}
        x, y, z = (aims.get(i, program[i]) for i in range(3))
        placed = self.to_machine((x, y, z))
        still = not self.modal.rotation and not self.row_angle()
        x, y, z = (placed[i] if i in aims or not (still or i == 2) else now[i] for i in range(3))
        return self._on_machine((x, y, z))

    @staticmethod
    def _on_machine(target: Vector) -> Vector:
        if not all(math.isfinite(value) and abs(value) < 1e5 for value in target):
            raise ExpressionError("the target lies nowhere on this machine")
        return target

    def _angles(self, letters: dict[str, float], *, machine: bool = False) -> dict[str, float] | None:
        """Machine angles the block sends rotary axes to, None when it names none."""
        named = [letter for letter in self._rotary if letter in letters]
        if not named:
            return None
        angles = {}
        for letter in named:
            value = letters[letter]
            if machine:
                angles[letter] = value
            elif self.modal.absolute:
                angles[letter] = value + self.angle_shift(letter)
            else:
                angles[letter] = self.machine.angles[letter] + value
            if self._held.get(letter) and abs(angles[letter] - self.machine.angles[letter]) > 1e-9:
                raise ExpressionError(f"{letter} is clamped, and is to turn")
            if not abs(angles[letter]) < 1e6:
                raise ExpressionError(f"{letter} cannot turn that far")
        return angles

    def _way(self, target: Vector, angles: dict[str, float] | None) -> float:
        """Length of a move that the feed counts on: mm, or degrees where only angles change."""
        length = math.dist(self.machine.position, target)
        if angles and length == 0:
            return math.hypot(*(angle - self.machine.angles[letter] for letter, angle in angles.items()))
        return length

    def _feed_for(self, length: float) -> float:
        modal = self.modal
        if modal.feed <= 0:
            raise ExpressionError("no feed has been given")
        if modal.feed_mode == 93:
            return min(60_000.0, max(1e-3, modal.feed * length))
        if modal.feed_mode == 95:
            if modal.spindle_speed <= 0 or modal.spindle not in (3, 4):
                raise ExpressionError("the feed is per turn (G95) and the spindle does not turn")
            return modal.feed * modal.spindle_speed
        return modal.feed

    def _move(self, motion: float, codes: list[float], letters: dict[str, float]) -> None:
        machine = 53 in codes
        if machine and not self.modal.absolute:
            raise ExpressionError("G53 takes absolute positions: G90 must be in force")
        if machine and motion not in (0, 1):
            raise ExpressionError("G53 goes with G0 or G1")
        target = self._target(letters, machine=machine)
        angles = self._angles(letters, machine=machine)
        if motion == 0:
            self.machine.rapid(target, self.line, angles)
        elif motion == 1:
            self.machine.feed(target, self._feed_for(self._way(target, angles)), self.line, angles)
        else:
            self._arc(target, letters, clockwise=motion == 2)

    def _arc(self, target: Vector, letters: dict[str, float], *, clockwise: bool) -> None:
        axes = PLANE_AXES[self.modal.plane]
        start, end = self.to_program(self.machine.position), self.to_program(target)
        centre = arc_centre(start, end, axes, letters, clockwise=clockwise)
        sweep = arc_sweep(start, end, centre, axes, clockwise=clockwise)
        radius = math.hypot(start[axes[0]] - centre[0], start[axes[1]] - centre[1])
        feed = self._feed_for(math.hypot(radius * sweep, end[axes[2]] - start[axes[2]]))
        *chords, _ = arc_points(start, end, centre, axes, sweep)
        for point in chords:
            self.machine.feed(self.to_machine(point), feed, self.line)
        self.machine.feed(target, feed, self.line)

    def _skip(self, code: float, letters: dict[str, float]) -> SkipResult:
        beside = frozenset((letter, letters[letter]) for letter in "PQ" if letter in letters)
        if beside not in self._skips[code]:
            words = " ".join([f"G{code:g}", *(f"{letter}{value:g}" for letter, value in sorted(beside))])
            raise ExpressionError(f"{words} is no skip move of this control")
        target = self._target(letters)
        if not self._names_axis(letters):
            raise ExpressionError("a skip move names no axis")
        length = math.dist(self.machine.position, target)
        feed = self._feed_for(length)
        if length < self.profile.skip.shortest - 1e-6:
            raise ExpressionError(f"G{code:g} over {length:.3f} mm is too short for a probing move of this control")
        if code in STRAIGHT_PROBES and self.machine.probe_signals == (code in (38.2, 38.3)):
            state = "signals already" if code in (38.2, 38.3) else "signals no contact to come free of"
            raise ExpressionError(f"G{code:g}: the probe {state}")
        result = self.machine.skip(target, feed, self.line, away=code in (38.4, 38.5))
        if not result.contact and code in (38.2, 38.4):
            raise ExpressionError(f"G{code:g} ended without {'contact' if code == 38.2 else 'coming free'}")
        return result

    def _dwell(self, letters: dict[str, float]) -> None:
        given = [(letter, letters[letter]) for letter in _DWELL if letter in letters]
        scales = self.profile.dwell
        if len(given) != 1 or given[0][0] not in scales:
            raise ExpressionError(f"G4 wants one of {', '.join(scales)} with the time to wait")
        letter, value = given[0]
        seconds = value * scales[letter]
        if not 0 <= seconds <= 600:
            raise ExpressionError("G4 waits 0 to 600 seconds")
        self.machine.dwell(seconds, self.line)

    def _reference(self, code: float, letters: dict[str, float]) -> None:
        """G28 and G30: by way of the point that is named, the named axes go to their reference position."""
        named = [i for i, pair in enumerate(("XU", "YV", "ZW")) if any(letter in letters for letter in pair)]
        angles = self._angles(letters)
        if not named and not angles:
            raise ExpressionError(f"G{code:g} names no axis")
        self.machine.rapid(self._target(letters), self.line, angles)
        home = self.machine.home if code == 28 else self.profile.second_reference
        now = self.machine.position
        x, y, z = (home[i] if i in named else now[i] for i in range(3))
        self.machine.rapid((x, y, z), self.line, dict.fromkeys(angles, 0.0) if angles else None)

    def _rotate(self, letters: dict[str, float]) -> None:
        if "R" not in letters:
            raise ExpressionError("G68 wants R with the angle")
        if self.modal.plane != 17:
            raise ExpressionError("G68 turns in the XY plane only: G17 must be in force")
        place = self.to_program(self.machine.position)
        if self.modal.rotation:
            raise ExpressionError("a rotation is in force already: G69 ends it first")
        self.modal.rotation_centre = (letters.get("X", place[0]), letters.get("Y", place[1]))
        self.modal.rotation = letters["R"]

    def _shift_words(self, code: float, letters: dict[str, float]) -> None:
        modal = self.modal
        if self.modal.rotation:
            raise ExpressionError(f"G{code:g} while coordinates are turned: G69 first")
        given = {i: letters[letter] for i, letter in enumerate("XYZ") if letter in letters}
        if code == 52:
            for i, value in given.items():
                modal.local_shift[i] = value
        elif code == 92:
            place = self.to_program(self.machine.position)
            for i, value in given.items():
                modal.set_shift[i] += place[i] - value
        elif code in (92.1, 92.2):
            modal.kept_set_shift = [0.0] * 3 if code == 92.1 else list(modal.set_shift)
            modal.set_shift = [0.0] * 3
        else:
            modal.set_shift = list(modal.kept_set_shift)

    def _in_table(self, figures: TurningFigures, axis: str, value: float) -> float:
        """What a word of G10 puts into a table, mm, X a radius: the table may hold diameters where words are radii."""
        lathe, step = self.profile.lathe, self.profile.resolution
        if lathe is None or axis == "y":
            return value
        written = value * lathe.program.of_radius(axis)  # the number written in the block
        return round(round(written / step) * step, 9) / figures.of_radius(axis)

    def _turning_table(self, block: str, kind: float, number: float, letters: dict[str, float]) -> bool:
        """Write a row of a lathe's geometry or wear; whether the block does."""
        lathe = self.profile.lathe
        for name in ("geometry", "wear") if lathe is not None else ():
            table = lathe.table(name) if lathe is not None else None
            if table is None or lathe is None or table.write != f"G10 L{kind:g} P{{n}}":
                continue
            row = variable_number(number)
            if not 1 <= row <= lathe.offsets or not letters or set(letters) - set("XZ") or self._turret is None:
                raise ExpressionError(f"{block} wants X or Z of a row from 1 to {lathe.offsets}")
            for letter, value in letters.items():
                self._turret.write_turning(row, name, letter.lower(), self._in_table(table, letter.lower(), value))
            return True
        return False

    def _table(self, letters: dict[str, float]) -> None:
        kind, number = letters.pop("L", 0.0), letters.pop("P", -1.0)
        block = f"G10 L{kind:g} P{number:g}"
        set_here = kind == 20 and self.profile.l20_sets_position
        name = self._by_write.get(f"G10 L2 P{number:g}" if set_here else block)
        if self._turning_table(block, kind, number, letters):
            return
        if 10 <= kind <= 13:
            if "R" not in letters or set(letters) - {"R"}:
                raise ExpressionError(f"{block} wants R and nothing else")
            self.machine.write_tool(variable_number(number), int(kind), letters["R"])
            return
        if name is None:
            raise ExpressionError(f"{block} writes no row that this control has")
        if not self.modal.absolute:
            raise ExpressionError("G10 under G91 means different things on different controls: put G90 before it")
        if "R" in letters and self.profile.all_rows[name].rotation is None:
            raise ExpressionError("this control keeps no rotation in its offset table")
        values, step = list(self.machine.offset(name)), self.profile.resolution
        here = self.to_program(self.machine.position)
        # What is read now belongs to the active row and the common shift; so does what another row would have to hold.
        ours = name in (self.modal.offset, self.profile.common_shift)
        active = values if ours else self.machine.offset(self.modal.offset)
        for i, axis in enumerate(AXES):
            if axis.upper() in letters:
                value = letters[axis.upper()]
                if set_here:
                    value = active[i] + here[i] - value
                elif self._row_figures is not None:
                    value = self._in_table(self._row_figures, axis, value)
                values[i] = round(round(value / step) * step, 9) if self._row_figures is None else value
        angles = self.machine.angle_offset(name if ours else self.modal.offset)
        turned = {
            letter: angles.get(letter, 0.0) + self.machine.angles[letter] - self.angle_shift(letter) - letters[letter]
            if set_here
            else letters[letter]
            for letter in self._rotary
            if letter in letters
        }
        self.machine.write_offset(name, (values[0], values[1], values[2]))
        if "R" in letters:
            turned["R"] = letters["R"]
        for letter, value in turned.items():
            self.machine.write_angle_offset(name, letter, round(value, 9))
