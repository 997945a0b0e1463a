"""The two subprograms every measuring file carries: one touch, one guarded move.

A move that has next to nothing left is no probing move: some controls refuse it, others then hold the signal of another
move. What a probing move leaves behind that meets nothing differs too (`skip.after_miss` in the profile); each way has
its own look whether something was met. Nothing backs off further than it came: what is behind was not searched.

Both work in machine positions read from the control, so it does not matter which work offset, common shift or tool
length is active. A skip position is a machine position, or given in the same frame as the `work` position; at
standstill `machine − work` turns that into a machine position, whatever the frame is.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from brisk_anchor.core.errors import Fault, PlanError, ProfileError
from brisk_anchor.core.quantities import fixed
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import (
    AfterMiss,
    AlarmVariables,
    Moves,
    Print,
    Probing,
    Subprograms,
    ToolVariable,
    Triple,
)
from brisk_anchor.nc.programs.steps import AlarmNumber


@dataclass(frozen=True, slots=True)
class MacroWords:
    """The sections of a profile that the # macro language always has."""

    calls: Subprograms
    moves: Moves
    alarm: AlarmVariables
    printer: Print
    feeds: Probing | None
    """None on a lathe that cannot probe: it touches nothing, and writes tables all the same."""
    tool: ToolVariable
    machine: Triple
    work: Triple | None
    """What skip positions are counted in; None where they are machine positions."""
    skip: Triple
    number: str
    after_miss: AfterMiss
    contact_flag: int | None
    shortest: float
    unit: float
    """Millimetres in one unit of the program."""

    @classmethod
    def of(cls, profile: Profile) -> MacroWords:
        """Those of a profile in that language. Raises ProfileError for one of another."""
        p, at = profile, profile.positions
        if not (p.subprograms and p.moves and p.alarm and p.print and p.tool):
            raise ProfileError(p.name, (Fault("language", f"{p.language} has no macros to write with"),))
        in_machine = p.skip.frame == "machine"
        if at is None or at.machine is None or (at.work is None and not in_machine):
            raise ProfileError(p.name, (Fault("positions", "machine and work positions cannot be read"),))
        if p.skip.after_miss is None and p.probing is not None:
            raise ProfileError(p.name, (Fault("skip.after_miss", "what a miss leaves is not known"),))
        return cls(
            calls=p.subprograms,
            moves=p.moves,
            alarm=p.alarm,
            printer=p.print,
            feeds=p.probing,
            tool=p.tool,
            machine=at.machine,
            work=None if in_machine else at.work,
            skip=at.skip,
            number=p.program.number,
            after_miss=p.skip.after_miss or "end position",
            contact_flag=p.skip.contact_flag,
            shortest=p.skip.shortest,
            unit=p.unit,
        )

    @property
    def probing(self) -> Probing:
        """Feeds and distances of a touch. Raises PlanError: the control cannot probe."""
        if self.feeds is None:
            raise PlanError("This control cannot probe", "Its profile has no section probing", "Measure by hand")
        return self.feeds


Block = tuple[str, str]
_AT_END = 0.01
"""A search that ends this near (mm) to where it was sent has met nothing."""
_CHANGED = 0.0005
"""Skip positions that differ by more than that, mm summed over the axes, are those of two signals."""
_LOCAL_XYZ = (24, 25, 26)


def _figure(words: MacroWords, length: float) -> str:
    """A length, mm, in the unit of the program."""
    return fixed(length / words.unit, 6).rstrip("0")


def _feed(words: MacroWords, feed: float) -> str:
    """A feed, mm/min, in that of the program; F words take fewer digits than places."""
    return fixed(feed / words.unit, 3).rstrip("0")


def alarm_where(
    words: MacroWords, condition: str, number: int, text: str, meaning: str, *, printing: bool
) -> list[Block]:
    """Stop with an alarm where a condition holds; a printer that is open then is closed first.

    A loop that is never gone round twice needs no sequence number, so it can stand in a program of somebody else's; DO3
    is the level that the fewest of those use.
    """
    alarm = f"#{words.alarm.variable}={number} ({text})"
    if not (printing and words.printer.close):
        return [(f"IF [{condition}] THEN {alarm}", meaning)]
    return [
        (f"WHILE [{condition}] DO3", meaning),
        (words.printer.close, "closes the printer first: nothing ends while it is open"),
        (alarm, f"alarm {number}"),
        ("END3", "goes on here where nothing is wrong"),
    ]


def _alarm(words: MacroWords, condition: str, number: int, text: str, meaning: str) -> list[Block]:
    """An alarm of a subprogram: whatever calls one has opened the printer."""
    return alarm_where(words, condition, number, text[: words.alarm.longest], meaning, printing=True)


def _latched(words: MacroWords) -> list[str]:
    """Machine position of the last skip signal, axis by axis."""
    if words.work is None:
        return [f"#{s}" for s in words.skip]
    return [f"#{s}+#{m}-#{w}" for s, m, w in zip(words.skip, words.machine, words.work, strict=True)]


def _distance(variables: tuple[str, str, str], start: tuple[int, int, int]) -> str:
    return "SQRT[" + "+".join(f"[{a}-#{b}]*[{a}-#{b}]" for a, b in zip(variables, start, strict=True)) + "]"


def _apart(places: Sequence[str], others: Sequence[int]) -> str:
    return "+".join(f"ABS[{place}-#{n}]" for place, n in zip(places, others, strict=True))


def _missed(words: MacroWords, search: str, start: tuple[int, int, int], text: str) -> list[Block]:
    """Alarm when a search has met nothing: #11 is how far it went by the skip position, `search` how far it was to."""
    meaning = "missed contact: the search met nothing"
    if words.after_miss == "contact flag":
        condition = f"#{words.contact_flag} NE 1"
    elif words.after_miss == "old position":
        # The skip position may be that of another move: whether it was met shows by where the axes stand.
        x, y, z = (f"#{m}" for m in words.machine)
        condition = f"{_distance((x, y, z), start)} GT {search}-{_figure(words, _AT_END)}"
    else:
        condition = f"#11 GT {search}-{_figure(words, _AT_END)}"
    return _alarm(words, condition, AlarmNumber.MISSED, text, meaning)


def touch_subprogram(
    words: MacroWords, aside: tuple[float, float] = (0.0, 0.0), *, own_feeds: bool = False
) -> list[Block]:
    """Fast search, back off, slow touch, keep and print the machine position, back to where it began.

    `aside` is where the ball stands beside the spindle's axis, mm: what is kept and printed is moved by it. With
    `own_feeds` a call may state those of search (R) and touch (S).
    """
    p, moves, probing, machine = words.calls, words.moves, words.probing, words.machine
    length = partial(_figure, words)
    guard = p.call.format(number=p.guard_number)
    latched = _latched(words)
    back = length(probing.back_off)
    form = words.printer
    digits = f"[{form.whole}{form.decimals}]"
    search_feed, touch_feed = _feed(words, probing.search_feed), _feed(words, probing.touch_feed)
    feeds = [("#18", search_feed, "search"), ("#19", touch_feed, "touch")] if own_feeds else []
    printed = form.space.join(
        ["BRISK", "1", "TOUCH", "N#1[20]"]
        + [f"{letter}#{number}{digits}" for letter, number in zip("XYZIJK", (8, 9, 10, 27, 28, 29), strict=True)]
    )
    shortest, unit = max(4 * _AT_END, words.shortest), f"{words.unit:g}"
    return [
        (words.number.format(number=p.touch_number) + " (TOUCH)", "the touch subprogram"),
        ("(X Y Z SEARCH FROM HERE, A NUMBER OF THE TOUCH, Q FIRST VARIABLE OF THE RESULT)", "what it is given"),
        *[(f"IF [#{n} EQ #0] THEN #{n}=0", "an axis not given does not move") for n in _LOCAL_XYZ],
        *[(f"IF [{n} EQ #0] THEN {n}={feed}", f"the {what} feed where none is given") for n, feed, what in feeds],
        *[(f"#{n}=#{m}", "remember where the search begins") for n, m in zip((4, 5, 6), machine, strict=True)],
        ("#7=SQRT[#24*#24+#25*#25+#26*#26] (SEARCH LENGTH)", "length of the search"),
        *_alarm(words, f"#7 LT {length(shortest)}", AlarmNumber.MISSED, "SEARCH TOO SHORT", "nothing to search"),
        *[(f"#{n}=#{v}/#7", "direction") for n, v in zip((27, 28, 29), _LOCAL_XYZ, strict=True)],
        ("(FAST SEARCH)", "find the wall"),
        (f"{moves.skip} X#24 Y#25 Z#26 F{'#18' if own_feeds else search_feed}", "fast search: stops at contact"),
        *[(f"#{n}={text}", "where it touched, machine") for n, text in zip((8, 9, 10), latched, strict=True)],
        (f"#11={_distance(('#8', '#9', '#10'), (4, 5, 6))}", "how far it went"),
        *_missed(words, "#7", (4, 5, 6), "MISSED CONTACT"),
        *_alarm(
            words,
            f"#11 LT {length(_AT_END)}",
            AlarmNumber.TOUCHING,
            "TOUCHING AT THE START",
            "contact at once: the ball stood on metal, or the probe is not at rest",
        ),
        ("(BACK OFF AND TOUCH SLOWLY)", "the touch that counts"),
        (f"#30={back}", "how far to back off"),
        ("IF [#30 GT #11] THEN #30=#11", "no further than it came: what is behind was not searched"),
        (_back_off(words), "off the wall"),
        *[(f"#{n}=#{m}", "where the slow touch begins") for n, m in zip((12, 13, 14), machine, strict=True)],
        (f"#31=#30+{back}", "as far beyond the wall"),
        (f"{moves.skip} X[#27*#31] Y[#28*#31] Z[#29*#31] F{'#19' if own_feeds else touch_feed}", "slow touch"),
        *[(f"#{n}={text}", "where it touched, machine") for n, text in zip((8, 9, 10), latched, strict=True)],
        (f"#11={_distance(('#8', '#9', '#10'), (12, 13, 14))}", "how far it went"),
        *_missed(words, "#31", (12, 13, 14), "MISSED SLOW CONTACT"),
        *_alarm(
            words,
            f"#11 LT {length(_AT_END)}",
            AlarmNumber.TOUCHING,
            "TOUCHING AFTER BACK OFF",
            "the probe did not come free",
        ),
        *[
            (
                f"#{n}=#{n}+{length(part)}" if part > 0 else f"#{n}=#{n}-{length(-part)}",
                "the ball stands aside",
            )
            for n, part in zip((8, 9), aside, strict=True)
            if part
        ],
        ("#[#17]=#8", "keep X"),
        ("#[#17+1]=#9", "keep Y"),
        ("#[#17+2]=#10", "keep Z"),
        *[(f"#{n}=#{n}*{unit}", "reports are in mm") for n in (8, 9, 10) if words.unit != 1],
        (form.line.format(text=printed), "prints the touch for the application"),
        *[(f"#{n}=#{n}/{unit}", "in inches again") for n in (8, 9, 10) if words.unit != 1],
        *[
            (
                f"#{n}=#{n}-{length(part)}" if part > 0 else f"#{n}=#{n}+{length(-part)}",
                "where the spindle stood",
            )
            for n, part in zip((8, 9), aside, strict=True)
            if part
        ],
        (_back_off(words), "off the wall"),
        (f"{guard} X#4 Y#5 Z#6", "guarded, back to where the search began"),
        (p.return_word, "back to the list"),
    ]


def _back_off(words: MacroWords) -> str:
    axes = [
        f"{letter}[#{latched}-#{unit}*#30-#{now}]"
        for letter, latched, unit, now in zip("XYZ", (8, 9, 10), (27, 28, 29), words.machine, strict=True)
    ]
    return f"{words.moves.feed} {' '.join(axes)} F{_feed(words, words.probing.search_feed)}"


def guard_subprogram(words: MacroWords) -> list[Block]:
    """Move to a machine position with the probe watching; any contact on the way is an alarm."""
    p, machine, moves = words.calls, words.machine, words.moves
    axes = " ".join(f"{letter}[#{n}-#{m}]" for letter, n, m in zip("XYZ", _LOCAL_XYZ, machine, strict=True))
    x, y, z = (f"#{m}" for m in machine)
    feed = _feed(words, words.probing.guarded_feed)
    remember: list[Block] = []
    if words.after_miss == "contact flag":
        met = [f"#{words.contact_flag} EQ 1"]
    elif words.after_miss == "old position":
        remember = [
            (f"#{n}={text}", "the skip position of the move before")
            for n, text in zip((8, 9, 10), _latched(words), strict=True)
        ]
        stopped = f"{_apart((x, y, z), _LOCAL_XYZ)} GT {_figure(words, 2 * _AT_END)}"
        met = [stopped, f"{_apart(_latched(words), (8, 9, 10))} GT {_figure(words, _CHANGED)}"]
    else:
        met = [f"{_apart(_latched(words), _LOCAL_XYZ)} GT {_figure(words, 2 * _AT_END)}"]
    return [
        (words.number.format(number=p.guard_number) + " (GUARDED MOVE)", "the guarded move"),
        ("(X Y Z MACHINE POSITION OF THE SPINDLE; CONTACT ON THE WAY STOPS)", "what it is given"),
        *[
            (f"IF [#{n} EQ #0] THEN #{n}=#{m}", "an axis not given stays")
            for n, m in zip(_LOCAL_XYZ, machine, strict=True)
        ],
        (f"#7={_distance((x, y, z), _LOCAL_XYZ)}", "how far it is"),
        (f"IF [#7 LT {_figure(words, max(2 * _AT_END, words.shortest))}] GOTO 1", "too little for a probing move"),
        *remember,
        (f"{moves.skip} {axes} F{feed}", "move with the probe watching"),
        *[
            block
            for condition in met
            for block in _alarm(
                words,
                condition,
                AlarmNumber.UNEXPECTED,
                "UNEXPECTED CONTACT",
                "the signal came before the end: something was in the way, even if it stopped on time",
            )
        ],
        ("GOTO 2", "it is there"),
        (f"N1 {moves.feed} {axes} F{feed} (NEXT TO NOTHING IS LEFT)", "the last bit, where the probe just was"),
        (f"N2 {moves.absolute}", "absolute positions again"),
        (p.return_word, "back to the caller"),
    ]
