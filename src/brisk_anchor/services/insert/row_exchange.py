"""A finished program that uses another row, with a shift written in so that no machine position changes.

The shift is G52, which lies on top of whatever row is active, so it is written wherever a row is selected, and taken
off at the end. Both programs are run on the stand-in and every end of a move is compared: unless all are the same the
program has to be posted again.
"""

from __future__ import annotations

import re

from brisk_anchor.core.errors import BriskAnchorError, PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.bounded import lines_of
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session

_NEAR = 5e-7
_OWN = re.compile(r"(?<![A-Z])G\s*((?:10|52|92(?:\.[0-9])?|68(?:\.[0-9])?|69|20)(?![0-9])|(?:54\.1\s*P\s*)?[#\[])")
_MILLIMETRES = re.compile(r"(?<![A-Z])G\s*21(?![0-9.])")
_END = re.compile(r"(?<![A-Z])M\s*0*(30|2)(?![0-9])")
_JUMP = re.compile(r"GOTO|M\s*99\s*P")
_LABEL = re.compile(r"^(\s*N\s*[0-9]+)\s*")
_COMMENT = re.compile(r"\([^()]*\)|;.*")


def _again(why: str) -> PlanError:
    return PlanError("This program must be posted again", why, "Post it from the other row")


def exchange_row(session: Session, text: str, old: str, new: str) -> tuple[str, Vector]:
    """The text with one row in the place of another, and the shift that keeps its positions, mm.

    Raises:
        PlanError: it must be posted again, and why. DatumError: the control has no such row.
    """
    link, profile = session.link, session.profile
    select = {row: words.select for row, words in profile.all_rows.items()}
    for row in (old, new):
        if row not in select or not any(link.offset(row)):
            raise _again(f"{row} holds nothing on this control")
        if link.turn_of(row):
            raise _again(f"{row} is turned: a shift cannot stand in for that")
    if "G52" in profile.input.refuses:
        raise _again("This control has no shift that a program can set (G52)")
    plain = _COMMENT.sub("", text.upper())
    if found := _OWN.search(plain):
        raise _again(f"It changes rows, shifts or units itself: {found[0]}")
    if not _MILLIMETRES.search(plain):
        raise _again("It does not say G21, and the shift would be read in the unit that happens to hold")
    jumps = _JUMP.search(plain) is not None
    here, there = link.offset(old), link.offset(new)
    x, y, z = (a - b for a, b in zip(here, there, strict=True))
    shift = (x, y, z)
    lines: list[str] = []
    for line in lines_of(text, ends=True):
        code = _COMMENT.sub("", line.upper())
        ending = line[len(line.rstrip("\r\n")) :] or "\n"
        selected = next((row for row, word in select.items() if word and _selects(code, word)), None)
        if selected == new:
            raise _again(f"It uses {new} as well")
        if selected is not None or _END.search(code):
            if code.lstrip().startswith("/"):
                raise _again(f"{code.strip()} may be skipped, and the shift before it would not be")
            if jumps and (label := _LABEL.match(line)):
                lines.append(label[1] + ending)  # a jump to the label must run the shift too
                line = line[label.end() :]
            lines.append(_shifted(profile.decimals, shift if selected == old else (0.0, 0.0, 0.0)) + ending)
        lines.append(_with_row(line, select[old], select[new]) if selected == old else line)
    if not any(_selects(_COMMENT.sub("", x.upper()), select[old]) for x in lines_of(text)):
        raise _again(f"Nowhere does it select {old}")
    changed = "".join(lines)
    _held_to_be_same(session, text, changed)
    return changed, shift


def _selects(code: str, word: str) -> bool:
    pattern = r"(?<![0-9.])" + r"\s*".join(map(re.escape, word.split())) + r"(?![0-9.])"
    if " " not in word:  # G54 is no G54.1
        pattern += r"(?!\s*P)"
    return re.search(pattern, code) is not None


def _with_row(line: str, old: str, new: str) -> str:
    """The line with the row's word replaced; a comment that names the row first keeps what it says."""
    pattern = r"(?<![0-9.])" + r"\s*".join(map(re.escape, old.split())) + r"(?![0-9.])"
    found = re.compile(rf"({_COMMENT.pattern})|{pattern}", re.IGNORECASE)
    for match in found.finditer(line):
        if match[1] is None:
            return line[: match.start()] + new + line[match.end() :]
    return line


def _shifted(decimals: int, shift: Vector) -> str:
    words = " ".join(
        f"{axis}{round(value, decimals) + 0.0:.{decimals}f}" for axis, value in zip("XYZ", shift, strict=True)
    )
    return f"G52 {words}"


def _held_to_be_same(session: Session, before: str, after: str) -> None:
    """Every end of a move, and every angle, on the stand-in. Raises PlanError where one differs or cannot be run."""
    old, new = (_ends(session, text) for text in (before, after))
    if len(old) != len(new):
        raise _again("It moves otherwise with the shift")
    for (place, angles), (other, turned) in zip(old, new, strict=True):
        if max(abs(a - b) for a, b in zip(place, other, strict=True)) > _NEAR or angles != turned:
            raise _again("With the shift a machine position is another, or the shift has more digits than the control")


def _ends(session: Session, text: str) -> list[tuple[Vector, tuple[tuple[str, float], ...]]]:
    scene = session.scene.as_described()
    machine = scene.stand_in(
        seed=None, position=session.machine.home, length_reference=session.profile.length_reference
    )
    machine.offsets = dict(session.machine.offsets)
    memory = Memory(dict(session.control.memory.common))
    text = text.encode("latin-1", "replace").decode("cp1252", "replace")  # bytes of a comment, as they were meant
    try:
        run = Run(text, session.profile, machine, Interpreter(text, session.profile, machine, memory))
        while not run.over:
            run.to_end()  # where it waits for a person, that person goes on
    except BriskAnchorError as error:
        raise _again(f"It cannot be tried: {error.one_line()}") from error
    if (failure := run.failure()) is not None:
        raise _again(f"It cannot be tried to its end: {failure.one_line()}")
    return [(motion.end, motion.angles) for motion in machine.motions]
