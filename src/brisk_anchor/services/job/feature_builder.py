"""Features drawn on the metal that is there, as tables of a part file: what each word of a drawing makes."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from string import ascii_lowercase
from typing import Any

from brisk_anchor.core.errors import DrawingFileError, NumberEntryError
from brisk_anchor.core.features.measuring import EDGE_MARGIN, propose_depth, propose_depth_check
from brisk_anchor.core.kinds import FURTHEST, FeatureKind, Walls
from brisk_anchor.core.numbers import parse_length, plain_figure
from brisk_anchor.core.quantities import bare, dim, num, signed_bare, signed_deg, signed_dim, titled
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.job.job_text import figure, quoted
from brisk_anchor.standin.solid_file import Place, SolidSection, extent_of

FLOOR_ROOM = 0.3
"""How near, mm, the ball's end goes to a floor at the least."""
_FACES = {"left": (0, 0, "RIGHT"), "right": (0, 1, "LEFT"), "front": (1, 0, "UP"), "back": (1, 1, "DOWN")}


@dataclass(frozen=True, slots=True)
class Form:
    """What a word takes: figures in order, the last of them may be left out where `optional` says how many."""

    word: str
    figures: tuple[str, ...]
    optional: int
    draw: Callable[[FeatureBuilder, list[str]], Drawn]
    """What draws it from what was typed; the count of figures was looked at before."""

    @property
    def hint(self) -> str:
        """How it is typed."""
        needed = len(self.figures) - self.optional
        shown = [name if n < needed else f"[{name}]" for n, name in enumerate(self.figures)]
        return f"{self.word} {', '.join(shown)}"


@dataclass(frozen=True, slots=True)
class Drawn:
    """A feature in words of the trade, and as a table of a part file; `whole` is a part file that replaces the old."""

    told: str
    table: str = ""
    whole: str = ""
    turn: float | None = None


def refuse(what: str, remedy: str) -> DrawingFileError:
    """Why a line draws nothing."""
    return DrawingFileError(what, "Nothing was drawn", remedy)


def length_of(text: str, name: str, low: float = -FURTHEST) -> float:
    """A typed length, mm, no less than `low`. Raises NumberEntryError."""
    try:
        return parse_length(text, present=None, low=low, high=FURTHEST)
    except NumberEntryError as error:
        raise NumberEntryError(f"{name}: {error.what}", error.meaning, error.remedy) from error


def plain(text: str, name: str, low: float, high: float) -> float:
    """A typed figure that is no length, within limits. Raises DrawingFileError."""
    try:
        value = plain_figure(text)
    except ValueError:
        raise refuse(f"“{text[:20]}” is no figure for the {name}", "Type a plain figure") from None
    if not low <= value <= high:
        raise refuse(f"The {name} must lie between {num(low)} and {num(high)}", "")
    return value


def _count(text: str, name: str, low: int, high: int) -> int:
    value = plain(text, name, low, high)
    if value != int(value):
        raise refuse(f"The {name} is a whole number", "")
    return int(value)


class FeatureBuilder:
    """Tables of features on the metal that is there."""

    def __init__(
        self,
        word: str,
        solids: Sequence[SolidSection],
        names: Sequence[str],
        ball: float,
        millimetres: float,
        there: Mapping[str, Mapping[str, Any]] | None = None,
        *,
        uncertainty: float,
        part: str = "",
    ) -> None:
        """`part` is the name of the part, for one that is drawn anew."""
        self.uncertainty, self.part = uncertainty, part
        self.word, self.solids, self.names, self.ball, self.unit = word, solids, names, ball, millimetres
        self.there = there or {}

    def _under(self, x: float, y: float) -> SolidSection:
        """The solid at a place that reaches highest."""
        from brisk_anchor.standin.scene import region_of

        there = [solid for solid in self.solids if region_of(solid).distance(x, y) < 0]
        if not there:
            raise refuse(f"There is no metal at X {signed_bare(x)} Y {signed_dim(y)}", "Choose a place on the part")
        return max(there, key=lambda solid: solid.top)

    def _free(self, base: str) -> str:
        return next(f"{base} {n}" for n in range(1, 10_000) if f"{base} {n}" not in self.names)

    def _touch_depth(self, height: float, what: str, *, floor: bool = False) -> float:
        """How deep the ball's end goes below an edge; off a `floor` it stays as far as the part may lie off, or nearly.

        Where that leaves too little, a depth check is made when it is measured.
        """
        if height <= self.ball / 2:
            raise refuse(
                f"{what} is {dim(height)} deep; the ball's widest part is {dim(self.ball / 2)} up", "Draw it deeper"
            )
        least = self.ball / 2 + propose_depth_check(self.ball)
        most = max(height - self.uncertainty, min(height - FLOOR_ROOM, least)) if floor else height
        return round(min(propose_depth(self.ball, self.uncertainty), max(most, self.ball / 2)), 4)

    def _mm(self, value: float) -> str:
        return figure(value / self.unit)

    def table(self, name: str, title: str, kind: str, solid: str, place: Place, more: dict[str, str]) -> str:
        """A [[feature]] of the part file."""
        head = {"name": f'"{name}"', "title": quoted(title), "kind": f'"{kind}"', "solid": quoted(solid)}
        head["place"] = f"[{', '.join(self._mm(value) for value in place)}]"
        return "\n".join(["[[feature]]", *(f"{key} = {value}" for key, value in (head | more).items())])

    def round_or_straight(self, typed: list[str]) -> Drawn:
        """A bore, boss, pocket, block, slot or web. Raises DrawingFileError."""
        kind, form = FeatureKind(self.word), FORMS[self.word]
        figures = [length_of(t, n) for t, n in zip(typed, form.figures, strict=False)]
        sizes = figures[:1] if kind.is_round else figures[:2]
        rest = figures[len(sizes) :]
        x, y = rest[:2]
        if min([*sizes, *rest[2:]]) <= 0:
            raise refuse("Sizes, depths and heights are above zero", form.hint)
        under = self._under(x, y)
        more, high = {}, under.top
        if kind.is_outside:
            high = under.top + rest[2]
            depth = self._touch_depth(rest[2], "It", floor=True)
            more["stands"], made = self._mm(rest[2]), f"{bare(rest[2])} high"
        elif len(rest) > 2:
            depth = self._touch_depth(rest[2], "It", floor=True)
            more["cut"], made = self._mm(rest[2]), f"{bare(rest[2])} deep"
        else:
            depth = self._touch_depth(under.top - under.bottom, "The part")
            more["cut"], made = '"through"', "through"
        size = sizes[0] if kind.is_round else min(sizes)
        if kind.is_one_pair:
            across_x = sizes[0] <= sizes[1]
            more |= {"walls": '["LEFT", "RIGHT"]' if across_x else '["DOWN", "UP"]', "size": self._mm(size)}
            more["length"] = self._mm(max(sizes))
        else:
            more["size"] = self._mm(sizes[0])
            if kind.has_two_sizes:
                more["size_y"] = self._mm(sizes[1])
        limit = max(0.2, 0.01 * size)
        more |= {"size_limit": self._mm(limit), "depth": self._mm(depth)}
        name = self._free(self.word)
        shown = f"{kind.size_sign}{'×'.join(f'{bare(value)}' for value in sizes)}"
        title = f"{self.word} {shown}"
        told = (
            f"{name}: {shown} at X {signed_bare(x)} Y {signed_dim(y)}, {made}; touched {dim(depth)} down, "
            f"its size believed ±{dim(limit)}"
        )
        return Drawn(told, self.table(name, title, kind.value, under.name, (x, y, high), more))

    def pattern(self, typed: list[str]) -> Drawn:
        """Bores on a circle or in a grid, through the part. Raises DrawingFileError."""
        if self.word == "circle":
            count = _count(typed[0], "count", 2, 100)
            diameter, circle, x, y = (
                length_of(t, n) for t, n in zip(typed[1:5], FORMS["circle"].figures[1:5], strict=True)
            )
            first = plain(typed[5], "first angle", -360, 360) if len(typed) > 5 else 0.0
            more = f"count = {count}, circle = {self._mm(circle)}, first_angle = {figure(first)}"
            there, words = (x + circle / 2, y), f"{count} bores ⌀{bare(diameter)} on a circle of {bare(circle)}"
            if circle <= 0:
                raise refuse("The circle is above zero", FORMS["circle"].hint)
        else:
            columns, rows = (_count(t, n, 1, 50) for t, n in zip(typed[:2], ("columns", "rows"), strict=True))
            diameter, x, y, dx, dy = (
                length_of(t, n) for t, n in zip(typed[2:], FORMS["grid"].figures[2:], strict=True)
            )
            more = f"columns = {columns}, rows = {rows}, pitch = [{self._mm(dx)}, {self._mm(dy)}]"
            there, words = (x, y), f"{columns} × {rows} bores ⌀{bare(diameter)}"
        if diameter <= 0:
            raise refuse("The diameter is above zero", FORMS[self.word].hint)
        under = self._under(*there)
        depth = self._touch_depth(under.top - under.bottom, "The part")
        limit = max(0.2, 0.01 * diameter)
        taken = {name.rpartition(" ")[0] for name in self.names}
        marks = ("".join(m) for n in itertools.count(1) for m in itertools.product(ascii_lowercase, repeat=n))
        name = next(word for mark in marks if (word := f"hole {mark}") not in taken)
        table = self.table(
            name,
            f"bore ⌀{titled(diameter)}",
            "bore",
            under.name,
            (x, y, under.top),
            {
                "cut": '"through"',
                "size": self._mm(diameter),
                "size_limit": self._mm(limit),
                "depth": self._mm(depth),
                "pattern": f"{{ {more} }}",
            },
        )
        return Drawn(
            f"{name}: {words} from X {signed_bare(x)} Y {signed_dim(y)}, through; touched {dim(depth)} down", table
        )

    def corner(self, where: str) -> Drawn:
        """An outer corner of the part, touched on both its walls. Raises DrawingFileError."""
        along, _, across = where.partition(" ")
        if along not in ("front", "back") or across not in ("left", "right"):
            raise refuse(f"There is no corner “{where[:20]}”", FORMS["corner"].hint)
        if not self.solids:
            raise refuse("There is no metal yet", FORMS["plate"].hint)
        low, high = extent_of(list(self.solids))
        x, y = (low[0], high[0])[across == "right"], (low[1], high[1])[along == "back"]
        inward = (1 if across == "left" else -1, 1 if along == "front" else -1)
        solid = self._under(x + inward[0] * 1e-3, y + inward[1] * 1e-3)
        depth = self._touch_depth(solid.top - solid.bottom, "The part")
        walls = ["LEFT" if across == "left" else "RIGHT", "DOWN" if along == "front" else "UP"]
        more = {"walls": f'["{walls[0]}", "{walls[1]}"]', "depth": self._mm(depth)}
        name = self._free("corner")
        told = f"{name}: the {where} corner at X {signed_bare(x)} Y {signed_dim(y)}, touched {dim(depth)} down"
        title = f"{where} corner"
        return Drawn(told, self.table(name, title, "outside corner", solid.name, (x, y, solid.top), more))

    def _level(self, wide: float = 0.0) -> tuple[Place, str]:
        """A place on the highest level face away from every opening, wide enough for the ball, and its solid."""
        from brisk_anchor.standin.scene import openings_of, region_of
        from brisk_anchor.standin.solids import clear_place

        if not self.solids:
            raise refuse("There is no metal yet", FORMS["plate"].hint)
        flat = [item for item in self.solids if item.shape not in ("ball", "cone")] or list(self.solids)
        solid = max(flat, key=lambda item: item.top)
        place = clear_place(
            region_of(solid), openings_of(solid), self.ball / 2 + self.uncertainty + EDGE_MARGIN + wide / 3**0.5
        )
        if place is None:
            raise refuse("The top has no place wide enough for that", "Draw it in the part file")
        return (*place, solid.top), solid.name

    def _top(self, name: str) -> Drawn:
        """The highest level face."""
        place, solid = self._level()
        more = {"walls": '["BELOW"]'}
        told = f"{name}: the top at Z {signed_dim(place[2])}, touched at {_at(place)}"
        return Drawn(told, self.table(name, "top face", "surface", solid, place, more))

    def face(self, side: str) -> Drawn:
        """An outer face of the part, or its top. Raises DrawingFileError."""
        from brisk_anchor.standin.scene import region_of

        if side != "top" and side not in _FACES:
            raise refuse(f"There is no face “{side[:20]}”", FORMS["face"].hint)
        if not self.solids:
            raise refuse("There is no metal yet", FORMS["plate"].hint)
        low, high = extent_of(list(self.solids))
        x, y = (low[0] + high[0]) / 2, (low[1] + high[1]) / 2
        name = side if side not in self.names else self._free(side)
        if side == "top":
            return self._top(name)
        axis, end, wall = _FACES[side]
        place = [x, y]
        place[axis] = (low, high)[end][axis]
        there = [solid for solid in self.solids if abs(region_of(solid).distance(place[0], place[1])) < 1e-6]
        if not there:
            raise refuse(f"The {side} end has no metal at its middle", "Draw it in the part file, at a place that has")
        solid = max(there, key=lambda item: item.top)
        depth = self._touch_depth(solid.top - solid.bottom, "The part")
        more = {"walls": f'["{wall}"]', "depth": self._mm(depth)}
        told = f"{name}: the {side} face at {'XY'[axis]} {signed_dim(place[axis])}, touched {dim(depth)} down"
        return Drawn(
            told, self.table(name, f"{side} face", "surface", solid.name, (place[0], place[1], solid.top), more)
        )

    def edge(self, side: str, apart: str) -> Drawn:
        """An outer face of the part touched at two places, which tells how it lies. Raises DrawingFileError."""
        if side not in _FACES:
            raise refuse(f"There is no edge “{side[:20]}”", FORMS["edge"].hint)
        if not self.solids:
            raise refuse("There is no metal yet", FORMS["plate"].hint)
        drawn = self.face(side)
        low, high = extent_of(list(self.solids))
        along = 1 - _FACES[side][0]
        long = high[along] - low[along]
        spread = length_of(apart, "apart", 1.0) if apart else round(0.6 * long, 1)
        if spread > long - self.ball:
            raise refuse(f"The {side} face is only {dim(long)} long", "Touch it nearer together")
        name = self._free("edge")
        table = drawn.table.replace('kind = "surface"', f'kind = "edge"\nspread = {self._mm(spread)}')
        lines = [f'name = "{name}"' if line.startswith("name =") else line for line in table.split("\n")]
        title = f"{side} edge"
        lines = [f"title = {quoted(title)}" if line.startswith("title =") else line for line in lines]
        return Drawn(f"{name}: the {side} edge, touched at two places {dim(spread)} apart", "\n".join(lines))

    def plane(self, typed: list[str]) -> Drawn:
        """The top touched at three places, which tells how it leans. Raises DrawingFileError."""
        spread = length_of(typed[0], "apart", 1.0)
        if len(typed) == 2:
            raise refuse("A plane has X and Y, or neither", FORMS["plane"].hint)
        if len(typed) == 3:
            x, y = (length_of(t, n) for t, n in zip(typed[1:], "xy", strict=True))
            solid = self._under(x, y)
            place, on = (x, y, solid.top), solid.name
        else:
            place, on = self._level(spread)
        name = self._free("plane")
        more = {"walls": '["BELOW"]', "spread": self._mm(spread)}
        told = f"{name}: the top at Z {signed_dim(place[2])}, touched at three places {dim(spread)} apart"
        return Drawn(told, self.table(name, "top plane", "plane", on, place, more))

    def ball_on_top(self, typed: list[str]) -> Drawn:
        """A ball of the part that stands on what is below it. Raises DrawingFileError."""
        size, x, y = (length_of(t, n) for t, n in zip(typed, FORMS["ball"].figures, strict=True))
        if size <= self.ball / 2:
            raise refuse(f"A ball of {dim(size)} is too small to touch", FORMS["ball"].hint)
        under, name = self._under(x, y), self._free("ball")
        solid = "\n".join(
            [
                "[[solid]]",
                f'name = "{name}"',
                'shape = "ball"',
                f"centre = [{self._mm(x)}, {self._mm(y)}]",
                f"bottom = {self._mm(under.top)}",
                f"top = {self._mm(under.top + size)}",
            ]
        )
        place = (x, y, under.top + size / 2)
        table = self.table(name, f"ball {titled(size)}", "ball", name, place, {"size": self._mm(size)})
        return Drawn(
            f"{name}: ⌀{bare(size)} standing at X {signed_bare(x)} Y {signed_dim(y)}, touched five times",
            f"{solid}\n\n{table}",
        )

    def built(self, first: str, second: str) -> Drawn:
        """A point between two features, or where two lines cross. Raises DrawingFileError."""
        for name in (first, second):
            if name not in self.there:
                raise refuse(f"There is no feature “{name[:24]}”", f"They are {', '.join(self.there)}")
        one, other = self.there[first], self.there[second]
        places = [one["place"], other["place"]]
        place: Place = tuple((a + b) / 2 for a, b in zip(*places, strict=True))
        if self.word == "crossing":
            along = {("x" if {"LEFT", "RIGHT"} & set(f["walls"]) else "y"): f["place"] for f in (one, other)}
            if set(along) != {"x", "y"} or "BELOW" in (*one["walls"], *other["walls"]):
                raise refuse("These two do not cross", "Take an edge or face along X, and one along Y")
            place = (along["x"][0], along["y"][1], max(p[2] for p in places))
        kind = "intersection" if self.word == "crossing" else "point between"
        name = self._free(self.word)
        title = f"{self.word} {first}, {second}"
        more = {"of": f'["{first}", "{second}"]'}
        told = f"{name}: {kind} of {first} and {second}, at X {signed_bare(place[0])} Y {signed_dim(place[1])}"
        return Drawn(told, self.table(name, title, kind, str(one["solid"]), place, more))

    def turn(self, typed: list[str]) -> Drawn:
        """The part turned in its fixture."""
        angle = plain(typed[0], "angle", -360, 360)
        return Drawn(f"the part turned to {signed_deg(angle)} in its fixture", turn=angle)

    def plate(self, typed: list[str]) -> Drawn:
        """A part file anew: a plate with its zero at the left front corner, on top, and the faces that give it."""
        wide, long, tall = (length_of(t, n, 0.5) for t, n in zip(typed, FORMS["plate"].figures, strict=True))
        plate = SolidSection(name="plate", shape="block", low=(0.0, 0.0), high=(wide, long), bottom=-tall, top=0.0)
        maker = FeatureBuilder("face", [plate], [], self.ball, self.unit, uncertainty=self.uncertainty)
        size = [self._mm(value) for value in (wide, long, -tall)]
        head = [
            "# Drawn with words and figures; change what you like.",
            "",
            'form = "brisk-anchor-part-1"',
            f'units = "{"mm" if self.unit == 1.0 else "inch"}"',
            "",
            f"name = {quoted(self.part)}",
            "",
            "[[solid]]",
            'name = "plate"',
            'shape = "block"',
            "low = [0.0, 0.0]",
            f"high = [{size[0]}, {size[1]}]",
            f"bottom = {size[2]}",
            "top = 0.0",
        ]
        tables = [maker.face(side).table for side in ("left", "front", "top")]
        shape = f"a plate of {bare(wide)} × {bare(long)} × {dim(tall)}"
        told = f"{shape}, zero at its left front corner on top, in place of the old part"
        return Drawn(told, whole="\n".join(head) + "\n\n" + "\n\n".join(tables) + "\n")


def _of_kind(kind: FeatureKind) -> Form:
    """The word of a kind with sizes and walls all round or on two sides; its figures follow from its traits."""
    sizes = ("diameter",) if kind.is_round else ("size in X", "size in Y")
    last, optional = ("height", 0) if kind.is_outside else ("depth", 1)
    return Form(kind.value, (*sizes, "x", "y", last), optional, FeatureBuilder.round_or_straight)


_PLAIN_KINDS = [k for k in FeatureKind if k.traits.walls in (Walls.ALL, Walls.PAIR) and not k.has_levels]
_SIDES = "left, right, front or back"
FORMS = {
    form.word: form
    for form in (
        *map(_of_kind, _PLAIN_KINDS),
        Form("face", ("left, right, front, back or top",), 0, lambda maker, typed: maker.face(typed[0].lower())),
        Form(
            "corner",
            ("front left, front right, back left or back right",),
            0,
            lambda maker, typed: maker.corner(typed[0].lower()),
        ),
        Form("edge", (_SIDES, "apart"), 1, lambda maker, typed: maker.edge(typed[0].lower(), "".join(typed[1:]))),
        Form("plane", ("apart", "x", "y"), 2, FeatureBuilder.plane),
        Form("ball", ("diameter", "x", "y"), 0, FeatureBuilder.ball_on_top),
        Form("between", ("feature", "feature"), 0, lambda maker, typed: maker.built(typed[0], typed[1])),
        Form("crossing", ("edge or face", "edge or face"), 0, lambda maker, typed: maker.built(typed[0], typed[1])),
        Form("circle", ("count", "diameter", "circle", "x", "y", "first angle"), 1, FeatureBuilder.pattern),
        Form("grid", ("columns", "rows", "diameter", "x", "y", "pitch in X", "pitch in Y"), 0, FeatureBuilder.pattern),
        Form("plate", ("size in X", "size in Y", "height"), 0, FeatureBuilder.plate),
        Form("turn", ("angle",), 0, FeatureBuilder.turn),
    )
}
"""Every word that draws something. A kind of the common sort has its word by its traits."""


def _at(place: tuple[float, float, float]) -> str:
    """A place on the drawing as a person reads it."""
    return f"X {signed_bare(place[0])} Y {signed_dim(place[1])}"
