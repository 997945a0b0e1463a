"""Words that describe a set-up to turn: one line each for the part, stock, holding, tools, gauges, targets, family.

The same words stand in the job's file and are typed on the screen. Clauses stand between commas, figures may be sums
and have units; bare figures are in the unit that is given.
"""

from __future__ import annotations

import re
from dataclasses import field
from typing import Literal, cast

from brisk_anchor.core.errors import NumberEntryError
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import Unit, dim, titled
from brisk_anchor.core.turning.part import Chamfer, Groove, Shoulder, TurnedPart, TurningStock, stock_for
from brisk_anchor.core.turning.setup import Holding, Member
from brisk_anchor.core.turning.sums import Edge, groove_places, parting_place
from brisk_anchor.core.turning.targets import Target
from brisk_anchor.core.turning.tools import Gauge, GaugeKind, ToolKind, TurningTool
from brisk_anchor.lazy_dataclass import dataclass

LONGEST = 400
"""Longer words are refused, characters."""
_FAR = 10_000.0
_TOOL_WORDS = {
    "outside": ToolKind.OUTSIDE,
    "boring": ToolKind.BORING,
    "groover": ToolKind.GROOVER,
    "parting": ToolKind.PARTING,
    "drill": ToolKind.DRILL,
}


@dataclass()
class _Clause:
    """The words of one clause, taken one after another."""

    words: list[str]
    unit: Unit
    hint: str
    taken: list[str] = field(default_factory=list)

    @property
    def left(self) -> bool:
        """Whether there are more."""
        return bool(self.words)

    def take(self, *wanted: str) -> str:
        """The next word where it is one of those wanted, else nothing."""
        if self.words and self.words[0].lower() in wanted:
            self.taken.append(self.words[0])
            return self.words.pop(0).lower()
        return ""

    def word(self) -> str:
        """The next word, whatever it is."""
        if not self.words:
            raise self.refused("something is missing")
        self.taken.append(self.words[0])
        return self.words.pop(0)

    def figure(self, *, low: float = 0.0, high: float = _FAR) -> float:
        """The next word as a length, mm; ⌀ and ± before it are only marks."""
        text = self.word().lstrip("⌀±dD")
        return parse_length(text, self.unit, low=low, high=high)

    def count(self) -> int:
        """The next word as a count."""
        text = self.word()
        if not re.fullmatch(r"[0-9]{1,3}", text):
            raise self.refused(f"“{text[:12]}” is no count")
        return int(text)

    def refused(self, why: str) -> NumberEntryError:
        """The error for these words."""
        said = " ".join([*self.taken, *self.words])[:60]
        return NumberEntryError(f"“{said}”: {why}", "", self.hint)

    def done(self) -> None:
        """Refuse what is left."""
        if self.words:
            raise self.refused(f"“{self.words[0][:16]}” means nothing here")


def _clauses(text: str, unit: Unit, hint: str) -> list[_Clause]:
    if len(text) > LONGEST:
        raise NumberEntryError(f"That is longer than {LONGEST} characters", "", hint)
    spread = text.replace("⌀ ", "⌀").replace("± ", "±")
    found = [_Clause(part.split(), unit, hint) for part in spread.split(",") if part.strip()]
    if not found:
        raise NumberEntryError("Nothing is said", "", hint)
    return found


PART = "⌀44 to 12, ⌀48 to 40, bore ⌀31.25, groove ⌀42 20 to 26, chamfer 1 front"
STOCK = "bar ⌀52 front 1 back 30, or: bar on 3 front 1 back 30 from 50 52 55"
HOLDING = "chuck, jaws 30 high ⌀160, 52 out; also collet, soft jaws, step 12, back stop, bar stop, tailstock ⌀60"
TOOL = "T3 groover width 3.02 edge chuck nose 0.2 sticks 18; also outside, boring, parting, drill; offset 13, size 20"
GAUGE = "micrometer ±0.004 from 25 to 50; also rule, caliper, depth gauge, bore gauge, feeler 0.10 ±0.003"
TARGET = "seat: ⌀48 z -40 depth 1.5 finish 0.3 spring 1; also r 24, inside"
FAMILY = "RS-09-55 G55 55"


def read_part(name: str, text: str, unit: Unit = Unit.MM) -> TurnedPart:
    """A part from words.

    Raises:
        NumberEntryError: words that mean nothing. DatumError: figures that contradict each other.
    """
    outside, bore, back = list[Shoulder](), list[Shoulder](), list[Shoulder]()
    grooves, chamfers = list[tuple[float, float, float, bool]](), list[tuple[float, str, float, bool]]()
    through: list[float] = []
    for clause in _clauses(text, unit, f"As {PART}"):
        if clause.take("bore"):
            diameter = clause.figure()
            if clause.take("to"):
                bore.append(Shoulder(diameter, clause.figure()))
            else:
                through.append(diameter)
        elif clause.take("back"):
            if not clause.take("bore"):
                raise clause.refused("back what?")
            diameter = clause.figure()
            if not clause.take("to"):
                raise clause.refused("how deep it goes is missing")
            back.append(Shoulder(diameter, clause.figure()))
        elif clause.take("groove"):
            diameter, first = clause.figure(), clause.figure()
            if not clause.take("to"):
                raise clause.refused("its second wall is missing")
            second = clause.figure()
            grooves.append((diameter, first, second, bool(clause.take("inside"))))
        elif clause.take("chamfer"):
            size = clause.figure()
            where = clause.take("front", "back", "at")
            at = clause.figure() if where == "at" else 0.0
            chamfers.append((size, where or "front", at, bool(clause.take("inside"))))
        else:
            diameter = clause.figure()
            if not clause.take("to"):
                raise clause.refused("how far it goes is missing")
            outside.append(Shoulder(diameter, clause.figure()))
        clause.done()
    if not outside:
        raise NumberEntryError("No outside diameter is said", "", f"As {PART}")
    length = outside[-1].to
    bore += [Shoulder(diameter, length - (back[-1].to if back else 0.0)) for diameter in through]
    places = {"front": 0.0, "back": -length}
    return TurnedPart(
        name,
        tuple(outside),
        tuple(bore),
        tuple(back),
        tuple(Groove(-max(a, b), -min(a, b), d, inside) for d, a, b, inside in grooves),
        tuple(Chamfer(places.get(where, -at), size, inside) for size, where, at, inside in chamfers),
    )


def read_stock(text: str, part: TurnedPart, unit: Unit = Unit.MM) -> TurningStock:
    """The stock from words; `on` is an allowance on the diameter, rounded up to a size `from` the shelf.

    Raises:
        NumberEntryError: words that mean nothing. DatumError: nothing on the shelf is large enough.
    """
    (clause,) = _one(text, unit, f"As {STOCK}")
    kind = clause.take("bar", "blank")
    if not kind:
        raise clause.refused("bar or blank?")
    diameter, on, front, back, tube = 0.0, -1.0, 0.0, 0.0, 0.0
    sizes: list[float] = []
    while clause.left:
        match clause.take("on", "front", "back", "tube", "from"):
            case "on":
                on = clause.figure()
            case "front":
                front = clause.figure()
            case "back":
                back = clause.figure()
            case "tube":
                tube = clause.figure()
            case "from":
                while clause.left:
                    sizes.append(clause.figure())
            case _:
                diameter = clause.figure()
    if sizes:
        diameter = stock_for(part, max(on, 0.0), sizes).diameter
    elif not diameter and on >= 0:
        diameter = part.largest + on
    if not diameter:
        raise clause.refused("its diameter is missing")
    return TurningStock(cast(Literal["bar", "blank"], kind), diameter, front, back, tube)


def _one(text: str, unit: Unit, hint: str) -> list[_Clause]:
    """The only clause of a text."""
    found = _clauses(text, unit, hint)
    if len(found) > 1:
        raise NumberEntryError("A comma has no meaning here", "", hint)
    return found


def read_holding(text: str, unit: Unit = Unit.MM) -> Holding:
    """How the part is held, from words.

    Raises:
        NumberEntryError: words that mean nothing. DatumError: figures that make no sense.
    """
    kind, jaws, outside, out, step, stop, quill, u_stop = "", 0.0, 0.0, 0.0, 0.0, "none", 0.0, 0.0
    hint = f"As {HOLDING}"
    for clause in _clauses(text, unit, hint):
        first = clause.take("chuck", "collet", "soft", "jaws", "step", "bar", "back", "tailstock")
        match first:
            case "chuck" | "collet":
                kind = first
            case "soft":
                if not clause.take("jaws"):
                    raise clause.refused("soft jaws?")
                kind = "soft jaws"
            case "jaws":
                jaws = clause.figure()
                if not clause.take("high"):
                    raise clause.refused("how high the jaws stand out")
                outside = clause.figure()
            case "step":
                step = clause.figure()
            case "bar" | "back":
                if not clause.take("stop"):
                    raise clause.refused("a stop?")
                stop = f"{first} stop"
                u_stop = clause.figure() / 2 if clause.left else 0.0
            case "tailstock":
                quill = clause.figure()
            case _:
                out = clause.figure()
                if not clause.take("out"):
                    raise clause.refused("“out” is missing")
        clause.done()
    if not kind or not outside or not out:
        raise NumberEntryError("The holding is not complete", "Jaws would be taken for air", hint)
    return Holding(
        cast(Literal["chuck", "collet", "soft jaws"], kind),
        jaws,
        outside,
        out,
        step,
        cast(Literal["none", "bar stop", "back stop"], stop),
        quill,
        u_stop,
    )


def read_tool(text: str, unit: Unit = Unit.MM) -> TurningTool:
    """A turning tool from words; its offset number is that of its station unless one is said.

    Raises:
        NumberEntryError: words that mean nothing. DatumError: a blade without its edge, say.
    """
    (clause,) = _one(text, unit, f"As {TOOL}")
    station = re.fullmatch(r"[Tt]([0-9]{1,2})", clause.word())
    if station is None:
        raise clause.refused("a tool begins with its station, as T3")
    number = int(station[1])
    offset, kind, nose, width, edge, size, sticks = number, None, 0.0, 0.0, "", 0.0, 0.0
    refers: Literal["sharp corner", "nose centre"] = "sharp corner"
    while clause.left:
        word = clause.word().lower()
        match word:
            case "offset":
                offset = clause.count()
            case "nose":
                nose = clause.figure()
            case "width":
                width = clause.figure()
            case "edge":
                edge = clause.take("chuck", "front")
                if not edge:
                    raise clause.refused("which edge: chuck or front?")
            case "size":
                size = clause.figure()
            case "sticks":
                sticks = clause.figure()
            case "centre":
                refers = "nose centre"
            case "bar" | "blade" | "tool" | "turning":
                pass
            case _ if word in _TOOL_WORDS:
                kind = _TOOL_WORDS[word]
            case _:
                raise clause.refused(f"“{word[:16]}” means nothing here")
    if kind is None:
        raise clause.refused("what kind of tool is missing")
    return TurningTool(
        number, offset, kind.value, kind, sticks, nose, width, cast(Edge, edge) if edge else None, size, refers
    )


def read_gauge(text: str, unit: Unit = Unit.MM) -> Gauge:
    """A gauge from words. Raises NumberEntryError, DatumError: it has no ±."""
    (clause,) = _one(text, unit, f"As {GAUGE}")
    known = {kind.value.split()[0]: kind for kind in GaugeKind}
    first = clause.word().lower()
    if first not in known:
        raise clause.refused("what is it: rule, caliper, micrometer, depth gauge, bore gauge, feeler?")
    kind = known[first]
    clause.take("gauge")
    spread, low, high, thickness = 0.0, 0.0, 1000.0, 0.0
    while clause.left:
        if clause.words[0].startswith("±"):
            spread = clause.figure()
        elif clause.take("from"):
            low = clause.figure()
        elif clause.take("to"):
            high = clause.figure()
        else:
            thickness = clause.figure()
    name = f"{kind.value} {dim(thickness)}" if thickness else f"{kind.value}{f' to {dim(high)}' if high < 1000 else ''}"
    return Gauge(name, kind, spread, low, high, thickness)


def read_target(text: str, unit: Unit = Unit.MM) -> Target:
    """A target from words: a diameter or radius, a Z, passes; before a colon its name.

    Raises:
        NumberEntryError: words that mean nothing. DatumError: neither a diameter nor a Z.
    """
    name, colon, rest = text.rpartition(":")
    (clause,) = _one(rest if colon else text, unit, f"As {TARGET}")
    x: float | None = None
    z: float | None = None
    inside, depth, finish, spring = False, 0.0, 0.0, 0
    while clause.left:
        match clause.take("z", "r", "inside", "bore", "depth", "finish", "spring"):
            case "z":
                z = clause.figure(low=-_FAR)
            case "r":
                x = 2 * clause.figure()
            case "inside" | "bore":
                inside = True
            case "depth":
                depth = clause.figure()
            case "finish":
                finish = clause.figure()
            case "spring":
                spring = clause.count()
            case _:
                if not clause.words[0].startswith("⌀") and not clause.words[0].lower().startswith("d"):
                    raise clause.refused("⌀ before a diameter, r before a radius, z before a length")
                x = clause.figure()
    words = f"⌀{dim(x, 3)}" if x is not None else f"Z {dim(z or 0.0, 3)}"
    return Target(name.strip()[:40] or words, x, z, inside, depth, finish, spring)


def read_member(text: str, unit: Unit = Unit.MM) -> Member:
    """One of a family from words: its name, row and length. Raises NumberEntryError."""
    (clause,) = _one(text, unit, f"As {FAMILY}")
    name, row = clause.word(), clause.word().upper()
    if clause.words and re.fullmatch(r"[Pp][0-9]+", clause.words[0]):
        row += f" {clause.word().upper()}"
    length = clause.figure()
    clause.done()
    return Member(name, row, length)


def targets_of(part: TurnedPart, tools: tuple[TurningTool, ...], *, depth: float, finish: float) -> list[Target]:
    """The targets of a drawing, in the order they are usually cut: face, outside from the smallest, bores, grooves.

    A groove gives both places of the blade in the turret, by the edge its offset belongs to; the end a parting place.
    """
    found = [Target("face", None, 0.0)]
    for shoulder in sorted(part.outside, key=lambda s: -s.diameter):
        name = f"⌀{titled(shoulder.diameter)} to {titled(shoulder.to)}"
        found.append(Target(name, shoulder.diameter, -shoulder.to, depth=depth, finish=finish))
    for shoulder in part.bore:
        name = f"bore ⌀{titled(shoulder.diameter)}"
        found.append(Target(name, shoulder.diameter, -shoulder.to, inside=True, depth=depth, finish=finish))
    groover = next((tool for tool in tools if tool.kind is ToolKind.GROOVER and tool.edge), None)
    for groove in part.grooves if groover is not None else ():
        if groove.inside or groover is None or groover.edge is None:
            continue
        places = groove_places(groove.chuck_wall, groove.front_wall, groover.width, groover.edge)
        for wall, z in zip(("chuck-side wall", "front wall"), places, strict=True):
            found.append(Target(f"groove {wall}", groove.diameter, z))
    blade = next((tool for tool in tools if tool.kind is ToolKind.PARTING and tool.edge), None)
    if blade is not None and blade.edge is not None:
        found.append(
            Target(
                "part off",
                part.bore[-1].diameter if part.bored_through else 0.0,
                parting_place(part.length, 0.3, blade.width, blade.edge),
            )
        )
    return found
