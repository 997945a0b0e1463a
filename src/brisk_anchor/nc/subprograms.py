"""The two subprograms every measuring file carries: one touch, one guarded move.

Both work in machine positions read from the control, so it does not matter which work offset, common shift or tool
length is active. A skip position is given in the same frame as the `work` position; at standstill `machine − work`
turns it into a machine position, whatever that frame is.
"""

from __future__ import annotations

from dataclasses import dataclass

from brisk_anchor.core.errors import Finding, ProfileError
from brisk_anchor.core.numbers import fixed
from brisk_anchor.nc.profile import Profile
from brisk_anchor.nc.profile_sections import Alarm, Moves, Print, Probing, Subprograms, Tool, Triple
from brisk_anchor.nc.steps import AlarmNumber


@dataclass(frozen=True, slots=True)
class MacroWords:
    """The sections of a profile that the # macro language always has."""

    calls: Subprograms
    moves: Moves
    alarm: Alarm
    printer: Print
    probing: Probing
    tool: Tool
    machine: Triple
    work: Triple
    skip: Triple
    number: str

    @classmethod
    def of(cls, profile: Profile) -> MacroWords:
        """Those of a profile in that language. Raises ProfileError for one of another."""
        p, at = profile, profile.positions
        if not (p.subprograms and p.moves and p.alarm and p.print and p.probing and p.tool):
            raise ProfileError(p.name, (Finding("language", f"{p.language} has no macros to write with"),))
        if at is None or at.machine is None or at.work is None:
            raise ProfileError(p.name, (Finding("positions", "machine and work positions cannot be read"),))
        return cls(
            p.subprograms, p.moves, p.alarm, p.print, p.probing, p.tool, at.machine, at.work, at.skip, p.program.number
        )


Block = tuple[str, str]
_AT_END = 0.01
"""A search that ends this near (mm) to where it was sent has met nothing."""
_LOCAL_XYZ = (24, 25, 26)


def _figure(value: float) -> str:
    return fixed(value, 4).rstrip("0")


def _alarm(words: MacroWords, condition: str, number: int, text: str) -> str:
    return f"IF [{condition}] THEN #{words.alarm.variable}={number} ({text[: words.alarm.longest]})"


def _latched(words: MacroWords) -> list[str]:
    """Machine position of the last skip signal, axis by axis; the end of the move when there was none."""
    return [f"#{s}+#{m}-#{w}" for s, m, w in zip(words.skip, words.machine, words.work, strict=True)]


def _distance(variables: tuple[str, str, str], start: tuple[int, int, int]) -> str:
    return "SQRT[" + "+".join(f"[{a}-#{b}]*[{a}-#{b}]" for a, b in zip(variables, start, strict=True)) + "]"


def touch_subprogram(
    words: MacroWords, aside: tuple[float, float] = (0.0, 0.0), own_feeds: bool = False
) -> list[Block]:
    """Fast search, back off, slow touch, keep and print the machine position, back to where it began.

    `aside` is where the ball stands beside the spindle's axis, mm: what is kept and printed is moved by it. With
    `own_feeds` a call may state those of search (R) and touch (S).
    """
    p, moves, probing, machine = words.calls, words.moves, words.probing, words.machine
    guard = p.call.format(number=p.guard_number)
    latched = _latched(words)
    back = _figure(probing.back_off)
    form = words.printer
    digits = f"[{form.whole}{form.decimals}]"
    search_feed, touch_feed = _figure(probing.search_feed), _figure(probing.touch_feed)
    feeds = [("#18", search_feed, "search"), ("#19", touch_feed, "touch")] if own_feeds else []
    printed = form.space.join(
        ["BRISK", "1", "TOUCH", "N#1[20]"]
        + [f"{letter}#{number}{digits}" for letter, number in zip("XYZIJK", (8, 9, 10, 27, 28, 29), strict=True)]
    )
    return [
        (words.number.format(number=p.touch_number) + " (TOUCH)", "the touch subprogram"),
        ("(X Y Z SEARCH FROM HERE, A NUMBER OF THE TOUCH, Q FIRST VARIABLE OF THE RESULT)", "what it is given"),
        *[(f"IF [#{n} EQ #0] THEN #{n}=0", "an axis not given does not move") for n in _LOCAL_XYZ],
        *[(f"IF [{n} EQ #0] THEN {n}={feed}", f"the {what} feed where none is given") for n, feed, what in feeds],
        *[(f"#{n}=#{m}", "remember where the search begins") for n, m in zip((4, 5, 6), machine, strict=True)],
        ("#7=SQRT[#24*#24+#25*#25+#26*#26] (SEARCH LENGTH)", "length of the search"),
        (_alarm(words, f"#7 LT {_figure(4 * _AT_END)}", AlarmNumber.MISSED, "SEARCH TOO SHORT"), "nothing to search"),
        *[(f"#{n}=#{v}/#7", "direction") for n, v in zip((27, 28, 29), _LOCAL_XYZ, strict=True)],
        ("(FAST SEARCH)", "find the wall"),
        (f"{moves.skip} X#24 Y#25 Z#26 F{'#18' if own_feeds else search_feed}", "fast search: stops at contact"),
        *[(f"#{n}={text}", "where it touched, machine") for n, text in zip((8, 9, 10), latched, strict=True)],
        (f"#11={_distance(('#8', '#9', '#10'), (4, 5, 6))}", "how far it went"),
        (
            _alarm(words, f"#11 GT #7-{_figure(_AT_END)}", AlarmNumber.MISSED, "MISSED CONTACT"),
            "missed contact: the search met nothing",
        ),
        (
            _alarm(words, f"#11 LT {_figure(_AT_END)}", AlarmNumber.TOUCHING, "TOUCHING AT THE START"),
            "contact at once: the ball stood on metal, or the probe is not at rest",
        ),
        ("(BACK OFF AND TOUCH SLOWLY)", "the touch that counts"),
        (_back_off(words, back), "off the wall"),
        *[(f"#{n}=#{m}", "where the slow touch begins") for n, m in zip((12, 13, 14), machine, strict=True)],
        (
            f"{moves.skip} X[#27*2*{back}] Y[#28*2*{back}] Z[#29*2*{back}] F{'#19' if own_feeds else touch_feed}",
            "slow touch",
        ),
        *[(f"#{n}={text}", "where it touched, machine") for n, text in zip((8, 9, 10), latched, strict=True)],
        (f"#11={_distance(('#8', '#9', '#10'), (12, 13, 14))}", "how far it went"),
        (
            _alarm(words, f"#11 GT 2*{back}-{_figure(_AT_END)}", AlarmNumber.MISSED, "MISSED SLOW CONTACT"),
            "missed contact",
        ),
        (
            _alarm(words, f"#11 LT {_figure(_AT_END)}", AlarmNumber.TOUCHING, "TOUCHING AFTER BACK OFF"),
            "the probe did not come free",
        ),
        *[
            (f"#{n}=#{n}+{_figure(part)}" if part > 0 else f"#{n}=#{n}-{_figure(-part)}", "the ball stands aside")
            for n, part in zip((8, 9), aside, strict=True)
            if part
        ],
        ("#[#17]=#8", "keep X"),
        ("#[#17+1]=#9", "keep Y"),
        ("#[#17+2]=#10", "keep Z"),
        (form.line.format(text=printed), "prints the touch for the application"),
        (_back_off(words, back), "off the wall"),
        (f"{guard} X#4 Y#5 Z#6", "guarded, back to where the search began"),
        (p.return_word, "back to the list"),
    ]


def _back_off(words: MacroWords, back: str) -> str:
    axes = [
        f"{letter}[#{latched}-#{unit}*{back}-#{now}]"
        for letter, latched, unit, now in zip("XYZ", (8, 9, 10), (27, 28, 29), words.machine, strict=True)
    ]
    return f"{words.moves.feed} {' '.join(axes)} F{_figure(words.probing.search_feed)}"


def guard_subprogram(words: MacroWords) -> list[Block]:
    """Move to a machine position with the probe watching; any contact on the way is an alarm."""
    p, machine = words.calls, words.machine
    axes = " ".join(f"{letter}[#{n}-#{m}]" for letter, n, m in zip("XYZ", _LOCAL_XYZ, machine, strict=True))
    short = "+".join(f"ABS[{place}-#{n}]" for place, n in zip(_latched(words), _LOCAL_XYZ, strict=True))
    return [
        (words.number.format(number=p.guard_number) + " (GUARDED MOVE)", "the guarded move"),
        ("(X Y Z MACHINE POSITION OF THE SPINDLE; CONTACT ON THE WAY STOPS)", "what it is given"),
        *[
            (f"IF [#{n} EQ #0] THEN #{n}=#{m}", "an axis not given stays")
            for n, m in zip(_LOCAL_XYZ, machine, strict=True)
        ],
        (f"{words.moves.skip} {axes} F{_figure(words.probing.guarded_feed)}", "move with the probe watching"),
        (
            _alarm(words, f"{short} GT {_figure(2 * _AT_END)}", AlarmNumber.UNEXPECTED, "UNEXPECTED CONTACT"),
            "the signal came before the end: something was in the way, even if it stopped on time",
        ),
        (words.moves.absolute, "absolute positions again"),
        (p.return_word, "back to the caller"),
    ]
