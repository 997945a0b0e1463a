"""The modal state of a cutting program round something that is put into it: kept before, brought back after.

Where programs can read their modal state, they keep it in variables when they run, so that a person may change a feed
or an offset later. Where they cannot, it is what the text says, and a program whose text does not tell is refused.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.steps import AlarmNumber
from brisk_anchor.nc.read.operations import CutOperation, ModalText, NextTool, OwnStart, modal_at, next_tool, own_start
from brisk_anchor.nc.read.variables import active_row
from brisk_anchor.services.session.session import Session

_KEPT = {
    "units": "MM OR INCH",
    "plane": "PLANE",
    "feed_mode": "FEED MODE",
    "offset": "OFFSET",
    "distance": "ABSOLUTE OR NOT",
    "feed": "FEED",
    "spindle_speed": "SPEED",
    "length_number": "TOOL LENGTH",
}
"""What is kept in variables, in their order, as a comment says it."""

_ELSEWHERE = "The probe would go elsewhere"
_EVERY_MOVE = "It would be called after every move of the probe"
_MUST_BE_OFF: tuple[tuple[str, tuple[float, ...], float, str, str], ...] = (
    ("compensation", (41, 42), 40, "Cutter compensation is on", "Nothing else may move with it"),
    ("rotation", (68, 68.2, 68.3, 68.4), 69, "Coordinates are turned", _ELSEWHERE),
    ("scaling", (51,), 50, "Coordinates are scaled", _ELSEWHERE),
    ("mirror", (51.1,), 50.1, "Coordinates are mirrored", _ELSEWHERE),
    ("polar", (16,), 15, "Positions are polar", _ELSEWHERE),
    ("polar contour", (12.1,), 13.1, "X and C go round a face together", _ELSEWHERE),
    ("modal call", (66, 66.1), 67, "A macro is called after every move", _EVERY_MOVE),
    ("length", (43.4, 43.5), 49, "The point of the tool is held while axes turn", _ELSEWHERE),
)
"""Groups, the codes of each under which the probe cannot be moved, the code that ends them, and why."""


class ModalStateError(BriskAnchorError):
    """The modal state of a program cannot be kept there."""


@dataclass(frozen=True, slots=True)
class KeptState:
    """Lines before and after what is put in."""

    keep: tuple[str, ...]
    bring_back: tuple[str, ...]


def state_of(
    session: Session,
    lines: Sequence[str],
    operations: Sequence[CutOperation],
    place: CutOperation,
    turns: Collection[str] = (),
) -> KeptState:
    """How the state is kept where an operation ends; `turns` are the rotary axes that what is put in turns.

    Raises:
        ModalStateError: a mode is on under which the probe cannot be moved, or the text does not tell what is modal.
    """
    profile = session.profile
    state = modal_at(lines, place.after, profile.codes_with_p)
    where = f"at the end of operation {place.number}"
    for group, on, off, what, why in _MUST_BE_OFF:
        if state.codes.get(group) in on:
            raise ModalStateError(f"{what} {where}", why, f"End it with G{off:g} there")
    if state.shifted:
        raise ModalStateError(
            f"A shift stands on top of the offset {where}",
            "What is put in works without one, and cannot bring it back",
            "End it there with G52 X0 Y0 Z0, or G92.1",
        )
    following = next((one for one in operations if one.first == place.after), None)
    goes_on = following is not None and not following.changes
    lacks = _lacks(state, None if goes_on or following is None else own_start(lines, following), place)
    # After the last one comes the first, when the program is run again.
    next_one = following or operations[0]
    counted = set(turns) if goes_on else set(turns) - own_start(lines, next_one).angles
    tables = _tables(profile, state, sorted(counted), where)
    readable = {str(name) for name in profile.modal_variables}
    if set(_KEPT) <= readable and profile.positions is not None and profile.positions.machine is not None:
        _known(state, "PT" if goes_on else "P", where)
        kept = _by_variables(session, state, place, lacks, goes_on=goes_on)
    else:
        _known(state, "PFG", where)
        kept = _by_text(profile, state, place, lacks, goes_on=goes_on)
    modes = _modes(profile, state, where)
    prepared = _prepared(profile, state, next_tool(lines, place.after), where)
    # Tables first: the spindle is still at home.
    return KeptState(kept.keep, (*tables, *kept.bring_back, *modes, *prepared))


_PASSED_OVER = {
    "path": "whether corners are cut exactly",
    "return": "how far cycles go up",
    "speed mode": "what S means",
}
"""Modal groups that no measurement depends on, but that a profile's safe state may set."""


def _modes(profile: Profile, state: ModalText, where: str) -> list[str]:
    """Return the blocks that restore further modes which the profile's safe state changes.

    Raises:
        ModalStateError: the text does not tell what to bring back.
    """
    ours = modal_at(profile.state.safe, len(profile.state.safe))
    found = []
    for group, words in _PASSED_OVER.items():
        if group not in ours.codes:
            continue
        if state.unsure:
            raise ModalStateError(
                f"The text does not tell {words} {where}: {state.unsure}",
                f"The safe state of the profile {profile.name} sets G{ours.codes[group]:g}, and it could not be undone",
                "Take that code out of state.safe, or put the measuring in before that line",
            )
        told = state.path if group == "path" else f"G{state.codes[group]:g}" if group in state.codes else ""
        if told and told != (ours.path if group == "path" else f"G{ours.codes[group]:g}"):
            found.append(told)
    return found


def _tables(profile: Profile, state: ModalText, letters: Sequence[str], where: str) -> list[str]:
    """Return the blocks that move rotary axes back to the angles that the text states.

    Raises:
        ModalStateError: the text does not state an angle.
    """
    found: list[str] = []
    for letter in letters:
        at = state.angles.get(letter)
        if at is None:
            why = state.angles_open.get(letter) or state.angles_open.get("") or f"no {letter} stands before it"
            raise ModalStateError(
                f"The text does not tell where table {letter} stands {where}: {why}",
                "The measuring turns it, and what is cut next would be cut on another face",
                f"Give {letter} in figures with G90 there, or before the next operation moves",
            )
        clamps = [words for name, words in profile.table_clamp.items() if name == letter]
        rapid = profile.moves.rapid_machine if profile.moves and at.in_machine else "G90 G0"
        found += [words.unclamp for words in clamps]
        found += [at.row] if at.row and not at.in_machine else []
        found.append(f"{rapid} {letter}{at.angle} {_note(profile, f'TABLE {letter} AS IT STOOD')}")
        found += [words.clamp for words in clamps]
    return found


def _prepared(profile: Profile, state: ModalText, coming: NextTool, where: str) -> list[str]:
    """Return the block that prepares the same tool as before: loading the probe has changed it.

    Raises:
        ModalStateError: the next M6 loads it, or a called program may, and the text does not state it.
    """
    if coming is NextTool.NAMED or (coming is not NextTool.CHANGED and not state.preselected):
        return []
    why = state.worked_out.get("T") or state.prepared_open or ("" if state.prepared else "no T stands before it")
    if why and coming is NextTool.NONE:
        return []
    if why:
        raise ModalStateError(
            f"The text does not tell which tool is prepared {where}: {why}",
            "The next M6 names none: after the measuring it would bring another, or leave the probe in the spindle",
            "Name the tool in the block of that M6",
        )
    word = re.sub(r"\s*M0*6(?![0-9])\s*", "", _call(profile, state.prepared))
    if not re.fullmatch(rf"T0*{state.prepared}", word):
        raise ModalStateError(
            f"T{state.prepared} is prepared {where}, and the profile {profile.name} calls none without changing it",
            "How it is prepared again after the measuring is not known",
            "Name the tool in the block of the next M6",
        )
    return [f"{word} {_note(profile, 'PREPARED AS BEFORE')}"]


@dataclass(frozen=True, slots=True)
class _Lacks:
    """What the next operation takes over from the one before, though it changes its tool."""

    position: bool = False
    coolant: tuple[str, ...] = ()
    motion: tuple[str, ...] = ()
    distance: bool = False
    """Whether G90 or G91 is active is unknown: neither the operation nor the text before it states one."""


def _lacks(state: ModalText, own: OwnStart | None, place: CutOperation) -> _Lacks:
    if own is None:
        return _Lacks()
    if state.spindle != 5 and not own.spindle:
        raise ModalStateError(
            f"The spindle runs at the end of operation {place.number}, and the next one does not start it",
            "The measuring stops it: the next tool would cut without turning",
            "Start it there with M3",
        )
    if state.codes.get("length") in (43, 44) and not own.length:
        raise ModalStateError(
            f"The operation after operation {place.number} goes on with the length code of the one before",
            "The measuring ends it: the next tool would go down by its whole length",
            "Give it there with G43 H before it goes anywhere in Z",
        )
    if not own.height:
        raise ModalStateError(
            f"The operation after operation {place.number} begins in Z by a distance from where the one before ended",
            "After the measuring the spindle stands elsewhere in Z",
            "Give its first height there with G90",
        )
    motion = state.codes.get("motion")
    return _Lacks(
        not own.position,
        tuple(f"M{code}" for code in sorted(state.coolant - own.coolant)),
        (f"G{motion:g}",) if motion in (0, 1) else (),
        bool(state.unsure) and not own.distance,
    )


_LETTERS = {
    "P": "which offset is active",
    "T": "which tool is in the spindle",
    "F": "the feed",
    "G": "which codes hold",
}


def _known(state: ModalText, letters: str, where: str) -> None:
    """Raises ModalStateError where the text leaves open what is to be brought back, for one of these letters."""
    for letter in letters:
        if letter in state.worked_out:
            raise ModalStateError(
                f"The text does not tell {_LETTERS[letter]} {where}: {state.worked_out[letter]}",
                "It could not be brought back after the measuring, and the cutting would go on with something else",
                "Give it in figures, or put the measuring in before that line",
            )


def _note(profile: Profile, text: str) -> str:
    return f"{profile.comment.open}{text}{profile.comment.close}"


def _stop_all(state: ModalText) -> list[str]:
    return (["G80"] if state.cycle else []) + ["M5"] + (["M9"] if state.coolant else [])


def _by_variables(
    session: Session, state: ModalText, place: CutOperation, lacks: _Lacks, *, goes_on: bool
) -> KeptState:
    profile = session.profile
    high = profile.variables.free[1] if profile.variables else 0
    first = high - len(_KEPT) - 3
    at = {name: first + n for n, name in enumerate(_KEPT)}
    x, y, z = first + len(_KEPT), first + len(_KEPT) + 1, first + len(_KEPT) + 2
    machine = profile.positions.machine if profile.positions else (0, 0, 0)
    held = {str(name): number for name, number in profile.modal_variables.items()}
    keep = [f"#{at[name]}=#{held[name]} {_note(profile, f'KEEP {words}')}" for name, words in _KEPT.items()]
    rapid = profile.moves.rapid_machine if profile.moves else "G90 G53 G0"
    back = [f"G#{at['units']} G#{at['plane']} G#{at['feed_mode']} {_note(profile, 'ALL BACK AS IT WAS')}"]
    check, select = _row(profile, state, at["offset"], place)
    keep += check
    back.append(select)
    if state.feed or state.unsure or "F" in state.worked_out:  # else there is none yet, and F0 is no feed
        if not state.feed:  # what was called may have set none either, and F0 is no feed
            back.append(f"IF [#{at['feed']} LE 0] THEN #{at['feed']}=1. {_note(profile, 'THERE WAS NO FEED YET')}")
        back.append(f"F#{at['feed']}")
    if lacks.distance and profile.alarm is not None:
        wrong = f"#{profile.alarm.variable}={AlarmNumber.BY_DISTANCES}"
        keep.append(f"IF [#{at['distance']} EQ 91] THEN {wrong} {_note(profile, 'G91 HOLDS')}")
    over = f"{rapid} X#{x} Y#{y} {_note(profile, 'BACK OVER THE PLACE')}"
    if goes_on or lacks.position:
        keep += [f"#{n}=#{m}" for n, m in zip((x, y, z), machine or (0, 0, 0), strict=True)]
    if lacks.position:
        back.append(over)
    if goes_on:
        keep += _clear_of_work(session, profile, state, place, z, at["units"])
        back = [_call(profile, state.tool), *back, over]
        back += [f"G43 H#{at['length_number']}"] if state.length else []
        back += [f"S#{at['spindle_speed']} M{state.spindle}"] if state.spindle != 5 else []
        back.append(f"{rapid} Z#{z}")
        back += [f"M{code}" for code in sorted(state.coolant)]
    back.append(f"G#{at['distance']}")
    motion = state.codes.get("motion")
    if goes_on and motion is not None:
        back.append(f"G{motion:g}")
    back += [*lacks.motion, *lacks.coolant]
    return KeptState((*keep, *_stop_all(state)), tuple(back))


def _row(profile: Profile, state: ModalText, at: int, place: CutOperation) -> tuple[list[str], str]:
    """An alarm where the row that is read (variable `at`) is not one that the block after it selects; and that block.

    What is read tells the rows from G54 to G59 apart, and by code those without a P. Any other is selected as the text
    says it, if nothing before that place may have selected another.
    """
    by_code = profile.input.active_row_reads == "code"
    names = {words.select: row for row, words in profile.all_rows.items() if words.select}
    rows = list(names)
    told = [select for n, select in enumerate(rows) if select == f"G{54 + n}" or (by_code and " " not in select)]
    if not state.offset or state.offset in told:
        others = sorted({select.split()[0].removeprefix("G") for select in rows if select not in told})
        if by_code:
            wrong = [f"ABS[#{at}-{code}] LT .05" for code in others]
        else:
            wrong = [f"#{at} GT {len(told)}"] if others else []
        select = f"G#{at}" if by_code else f"G[53+#{at}]"
    elif state.offset not in rows:
        what = f"The control has no offset {state.offset}, which is active at the end of operation {place.number}"
        raise ModalStateError(what, "It could not be brought back", "Check the program, or the profile")
    elif state.offset_open:
        raise ModalStateError(
            f"Whether {state.offset} is active at the end of operation {place.number} is not known: "
            f"{state.offset_open}",
            "A program cannot read which of these offsets it is, so it could not be brought back",
            f"Select {state.offset} again after that line, or put the measuring in before it",
        )
    else:
        code = state.offset.split()[0].removeprefix("G")
        wrong = [f"ABS[#{at}-{code}] GT .05" if by_code else f"#{at} NE {active_row(profile, names[state.offset]):g}"]
        select = state.offset
    alarm = profile.alarm
    if wrong and alarm is None:
        what = f"The profile {profile.name} does not say how an alarm is raised"
        raise ModalStateError(what, "A wrong offset could not be told", "State alarm in it")
    note = _note(profile, "ANOTHER OFFSET IS ACTIVE")
    return [f"IF [{w}] THEN #{alarm.variable}={AlarmNumber.OTHER_ROW} {note}" for w in wrong if alarm], select


def _clear_of_work(
    session: Session, profile: Profile, state: ModalText, place: CutOperation, z: int, units: int
) -> list[str]:
    """An alarm while the tool is still in the work: it would be brought back straight down into it.

    What is read there has the unit of the cutting program, whose code stands in the variable `units`: 20 or 21.
    """
    alarm, table = profile.alarm, profile.tool_table
    if alarm is None or table is None or table.length is None or not state.length:
        raise ModalStateError(
            f"The same tool goes on after operation {place.number}, and how long it is cannot be read there",
            "Whether it is clear of the work when the probe comes is not known",
            "Put it in before a tool change, or call its length with G43 H first",
        )
    clear = f"{session.setup.clear_height:.4f}".rstrip("0")
    length = f"#[{table.length}+#{profile.modal_variables['length_number']}]"
    text = _note(profile, "TOOL STILL IN THE WORK")
    in_mm = f"[#{z}-{length}]*[1.+[21.-#{units}]*24.4]"
    return [f"IF [{in_mm} LT {clear}] THEN #{alarm.variable}={AlarmNumber.IN_WORK} {text}"]


def _by_text(profile: Profile, state: ModalText, place: CutOperation, lacks: _Lacks, *, goes_on: bool) -> KeptState:
    if state.unsure:
        raise ModalStateError(
            f"What is modal at the end of operation {place.number} is not known: {state.unsure}",
            f"Programs on a control with the profile {profile.name} cannot read it themselves",
            "Put it in before that line",
        )
    if goes_on:
        raise ModalStateError(
            f"The same tool goes on after operation {place.number}",
            "Whether it is clear of the work when the probe comes cannot be told on this control",
            "Put it in before a tool change",
        )
    if "units" not in state.codes:
        raise ModalStateError(
            f"The program does not say before the end of operation {place.number} whether it is in mm or inches",
            "The measuring sets its own unit, and the cutting after it would run in that unit",
            "Put G21 or G20 at its beginning",
        )
    if not state.offset:
        raise ModalStateError(
            f"The program does not say before the end of operation {place.number} which offset it works in",
            "The measuring selects one of its own, and this control cannot read which was active",
            "Select it at its beginning, as G54",
        )
    if lacks.position:
        raise ModalStateError(
            f"The operation after operation {place.number} does not say in X and Y where it begins",
            "It would begin where the measuring ended, and this control cannot keep the place",
            "Give X and Y there before it goes down",
        )
    codes = [f"G{state.codes[group]:g}" for group in ("units", "plane", "feed mode") if group in state.codes]
    back = [" ".join(codes)] if codes else []
    back += [state.offset] if state.offset else []
    back += [f"F{state.feed}"] if state.feed else []
    back += [f"G{state.codes['distance']:g}"] if "distance" in state.codes else []
    return KeptState(tuple(_stop_all(state)), (*back, *lacks.motion, *lacks.coolant))


def _call(profile: Profile, tool: int) -> str:
    if profile.call is None:
        raise ModalStateError(
            f"The profile {profile.name} does not say how a tool is called", "", "State call.tool in it"
        )
    return profile.call.tool.format(number=tool)
