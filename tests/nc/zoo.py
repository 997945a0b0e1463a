"""Awkward programs: a grammar to draw from, and real programs to spoil. Shared by tests and benchmarks."""

from __future__ import annotations

import random

from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text

_NGC = shipped_text("probe-params")
LANGUAGES = (
    shipped_profile("skip-macro"),
    parse_profile(_NGC.replace("o_words = false", "o_words = true").replace("eters = false", "eters = true"), "flow"),
    shipped_profile("probe-params"),
    shipped_profile("table-only"),
)
"""Every language a profile can choose."""

WORDS = (
    "G0 G1 G2 G3 G4 G10 G17 G18 G20 G21 G28 G31 G43 G49 G52 G53 G54 G54.1 G55 G64 G65 G68 G69 G80 G90 G91 G92 G93 G94 "
    "L2 L20 P1 P2 P7301 P99999 X1. X-2 Y.5 Z#101 Z[1+2] I5. J0 K1 R3. R-3. F100 F#102 S500 H20 A1. Q101. M0 M3 M5 M6 "
    "M30 M98 M99 T20 N7 N7 O5 O7 #101=1 #102=#101+1 #[100+5]=2. ##101=3 #3000=1 #3006=1 IF [#101EQ1] THEN GOTO 7 GOTO "
    "WHILE [#101LT9] DO1 END1 DO2 END2 [ ] ( ) (note) / % ; = + - * # . .. 1e9 SQRT[-1] ATAN[1]/[2] POW[2,9] "
    "DPRNT[X#101[44]] POPEN PCLOS #5021 #5061 #5221 #4001 #0 ü \t G38.2 G38.3 G10 L10 R1. B90. U1. M1 #3001 #11001=1 "
    "#<a>=1 #<_b> o1 o2 o<s> if[#101] else elseif[1] endif sub endsub call return [2**3] while[#31LT3] endwhile do "
    "repeat[3] endrepeat break continue #31=[#31+1] [1AND2]"
).split(" ")


def drawn(source: random.Random) -> str:
    """A program drawn word by word."""
    lines = [" ".join(source.choices(WORDS, k=source.randint(0, 6))) for _ in range(source.randint(1, 14))]
    return "\n".join(lines)


def spoiled(text: str, source: random.Random) -> str:
    """A real program with a few characters, words or lines changed, dropped, doubled or exchanged."""
    lines = text.split("\n")
    for _ in range(source.randint(1, 4)):
        at = source.randrange(len(lines))
        line = lines[at]
        match source.randrange(6):
            case 0 if line:
                i = source.randrange(len(line))
                lines[at] = line[:i] + source.choice("0123456789.-#[]()XYZGM ") + line[i + 1 :]
            case 1 if line:
                i = source.randrange(len(line))
                lines[at] = line[:i] + line[i + 1 :]
            case 2:
                lines.insert(at, lines[source.randrange(len(lines))])
            case 3 if len(lines) > 1:
                del lines[at]
            case 4:
                lines[at] = line + " " + source.choice(WORDS)
            case _:
                other = source.randrange(len(lines))
                lines[at], lines[other] = lines[other], lines[at]
    return "\n".join(lines)
