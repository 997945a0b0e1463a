"""The set-up sheet: one page with the set-up to scale, the offset, its shift and chain, and what to have ready."""

from __future__ import annotations

from textwrap import shorten, wrap
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain, budget_words
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.core.offsets.rules import FromFeature
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import along, bare, expanded, shown_unit, signed_bare, um
from brisk_anchor.drawings.paper import (
    INK,
    LIVE,
    MARK,
    QUIET,
    Page,
    anchor,
    line,
    outlines,
    page_size,
    place,
    rendered,
    view,
)
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_LEFT = 126.0
"""Width of the left half, mm."""


@dataclass(frozen=True, slots=True)
class SheetContent:
    """Everything on the sheet. `stamp` is a date in words; `proof` None when not proved; values machine mm."""

    setup: Setup
    chain: Chain
    title: str
    stamp: str
    state: str
    proof: Proof | None
    lengths: str
    """How tool lengths go with the Z of this offset, in a sentence."""
    lists: tuple[tuple[str, tuple[str, ...]], ...] = ()
    """Headings with lines under them: offsets, what to have ready, clamping, what to check."""


def touch_places(chain: Chain) -> list[Vector]:
    """Where the ball met the metal, machine mm of the tip, for every touch of a chain."""
    places = []
    for feature in chain.features:
        for touch in feature.touches:
            radius = touch.stylus.effective_radius
            x, y, z = (c + d * radius for c, d in zip(touch.ball_centre, touch.direction, strict=True))
            places.append((x, y, z))
    return places


def sheet(content: SheetContent, paper: str = "a4") -> Page:
    """Draw the sheet; `paper` is one of PAPERS."""

    def draw(figure: Figure) -> None:
        _head(figure, content)
        _machine_views(figure, content)
        _detail(figure, content)
        _chain_text(figure, content)
        _lists(figure, content)

    return rendered(draw, paper)


def _head(figure: Figure, content: SheetContent) -> None:
    setup = content.setup
    wide, tall = page_size(figure)

    def text(x: float, y: float, words: str, **style: Any) -> None:
        figure.text(x / wide, y / tall, words, **style)

    text(10, tall - 11, f"Set-up sheet  {content.chain.row}", fontsize=17, fontweight="bold", va="center")
    text(10, tall - 18.5, f"{setup.part}  {setup.title}", fontsize=10, va="center")
    right = f"{setup.company}\n{setup.machine.name}  ·  fixture {setup.fixture}  ·  {content.stamp}"
    text(wide - 10, tall - 14, right, fontsize=8.5, ha="right", va="center", color=QUIET)
    figure.add_artist(line(figure, 10, tall - 23, wide - 10, tall - 23))
    text(10, 6, f"All figures in mm. {content.lengths}", fontsize=7, color=QUIET)
    text(wide - 10, 6, "Brisk Anchor", fontsize=7, color=QUIET, ha="right")


def _lists(figure: Figure, content: SheetContent) -> None:
    """Two columns of short lists under the views of the machine."""
    axes = place(figure, 10, 12, _LEFT, 43)
    axes.axis("off")
    axes.set_xlim(0, _LEFT)
    axes.set_ylim(-43, 0)
    halves = [
        [(heading, [part for line in words for part in wrap(line, 54)]) for heading, words in half]
        for half in (content.lists[:2], content.lists[2:])
    ]
    pitch = min(3.6, 43 / max(1, *(sum(len(words) + 2 for _, words in half) for half in halves)))
    for column, half in enumerate(halves):
        y = 0.0
        for heading, words in half:
            x = column * (_LEFT / 2 + 2)
            axes.text(x, y, heading, fontsize=7, color=QUIET, va="top")
            for told in words:
                y -= pitch
                axes.text(x, y, told, fontsize=min(6.3, 1.75 * pitch), va="top")
            y -= 1.7 * pitch


def _machine_views(figure: Figure, content: SheetContent) -> None:
    setup, values = content.setup, content.chain.values
    travel = setup.machine.travel
    for front, box in ((False, (10.0, 112.0, _LEFT, 66.0)), (True, (10.0, 61.0, _LEFT, 44.0))):
        second = 2 if front else 1
        bottom = setup.machine.table[4] - 60 if front else min(travel.low[1], setup.machine.table[1])
        low = (min(travel.low[0], setup.machine.table[0]), bottom)
        high = (max(travel.high[0], setup.machine.table[2]), travel.high[second])
        axes, scale = view(figure, box, low, high, "From the front, XZ" if front else "From above, XY")
        outlines(axes, setup.outlines, front=front)
        across = (travel.low[0], travel.high[0], travel.high[0], travel.low[0], travel.low[0])
        up = [travel.low[second]] * 2 + [travel.high[second]] * 2 + [travel.low[second]]
        axes.plot(across, up, color=QUIET, linewidth=0.6, linestyle=(0, (6, 4)))
        axes.annotate(
            "travels of the spindle" if front else "travels",
            (across[0], up[2]),
            (2, -9),
            textcoords="offset points",
            fontsize=6.5,
            color=QUIET,
        )
        zero = (0.0, 0.0)
        axes.plot(*zero, marker="s", markersize=5, color=INK)
        axes.annotate("machine zero", zero, (0, 6), textcoords="offset points", fontsize=7, ha="center")
        place = (values["x"], values["z"] if front else values["y"])
        axes.annotate("", place, zero, arrowprops={"arrowstyle": "-|>", "color": LIVE, "linewidth": 1.2, "shrinkB": 4})
        anchor(axes, *place, scale, LIVE)
        for x, y, z in touch_places(content.chain):
            axes.plot((x,), (z if front else y,), marker="x", markersize=2.5, color=MARK, markeredgewidth=0.7)
        # The shift from machine zero, one dimension an axis.
        label: dict[str, Any] = {"fontsize": 7, "color": LIVE, "backgroundcolor": "white"}
        axes.plot((place[0], 0), (place[1], place[1]), color=LIVE, linewidth=0.4)
        axes.plot((0, 0), (place[1], 0), color=LIVE, linewidth=0.4)
        if not front:
            axes.text(place[0] * 0.22, place[1], f"X {_figure(place[0])}", ha="center", va="center", **label)
        letter = "Z" if front else "Y"
        axes.text(0, place[1] * 0.6, f"{letter} {_figure(place[1])}", ha="center", va="center", rotation=90, **label)


def _figure(value: float) -> str:
    return signed_bare(value, 4)


def _detail(figure: Figure, content: SheetContent) -> None:
    setup, chain = content.setup, content.chain
    used = {feature.name for feature in chain.features}
    bodies = {drawn.body for drawn in setup.features if drawn.name in used}
    shown = [outline for outline in setup.outlines if outline.body in bodies]
    ox, oy = chain.values["x"], chain.values["y"]
    points = [point for outline in shown for ring in outline.plan for point in ring] + [(ox, oy)]
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    left = _LEFT + 18
    box = (left, 104.0, page_size(figure)[0] - 10 - left, 74.0)
    margin = 0.12 * max(max(xs) - min(xs), max(ys) - min(ys))
    low, high = (min(xs) - margin, min(ys) - margin), (max(xs) + margin, max(ys) + margin)
    axes, scale = view(figure, box, low, high, "Part as drawn, touches and zero as measured, XY")
    outlines(axes, setup.outlines, front=False)
    anchor(axes, ox, oy, scale, LIVE)
    axes.annotate(chain.row, (ox, oy), (-7, -9), textcoords="offset points", color=LIVE, fontweight="bold", ha="right")
    for x, y, _ in touch_places(chain):
        axes.plot((x,), (y,), marker="x", markersize=5, color=MARK, markeredgewidth=1.2)
    drawn = {feature.name: feature for feature in setup.features}
    rules = setup.row(chain.row).rules
    for feature in chain.features:
        if not {"x", "y"} <= set(feature.axes):
            continue
        x, y = feature.coordinate("x"), feature.coordinate("y")
        sizes = " × ".join(bare(size, 4) for size in feature.sizes.values())
        axes.plot((x,), (y,), marker="+", markersize=9, color=MARK)
        words = f"{drawn[feature.name].title}\n{feature.kind.size_sign} {sizes}".replace("\n ", "\n")
        leader = {"arrowstyle": "-", "color": MARK, "linewidth": 0.5}
        corner = (min(high[0], max(xs)), max(ys) + margin * 0.4)
        axes.annotate(words, (x, y), corner, fontsize=7.5, color=MARK, ha="right", va="center", arrowprops=leader)
        line: dict[str, Any] = {"color": QUIET, "linewidth": 0.6}
        rule_x, rule_y = rules["x"], rules["y"]
        if isinstance(rule_x, FromFeature) and rule_x.drawing:
            axes.annotate("", (x, oy), (ox, oy), arrowprops={"arrowstyle": "<|-|>", **line})
            axes.text((x + ox) / 2, oy - 2.2 * scale, bare(rule_x.drawing), ha="center", va="top", color=QUIET)
            axes.plot((x, x), (oy, y), **line, linestyle=":")
        if isinstance(rule_y, FromFeature) and rule_y.drawing:
            axes.annotate("", (ox, y), (ox, oy), arrowprops={"arrowstyle": "<|-|>", **line})
            axes.text(ox - 1.5 * scale, (y + oy) / 2, bare(rule_y.drawing), ha="right", va="center", color=QUIET)
            axes.plot((ox, x), (y, y), **line, linestyle=":")


def _chain_text(figure: Figure, content: SheetContent) -> None:
    left = _LEFT + 18
    axes = place(figure, left, 14, page_size(figure)[0] - 10 - left, 80)
    axes.axis("off")
    rows: list[tuple[str, str, str, str, bool]] = []
    for chain in content.chain.axes:
        rows.append((chain.axis.upper(), "", "", "", True))
        for term in chain.terms:
            spread = "" if term.u is None else f"{expanded(term.u, k=term.k, axis=chain.axis)}"
            last = term is chain.terms[-1]
            rows.append((term.sign, term.label, along(chain.axis, term.value, signed=last, bare=True), spread, last))
        if chain.stated and chain.budget:
            rows.append(("", shorten(budget_words(chain), 66, placeholder=" …"), "", "", False))
    words = _below(content)
    room = 0.97 - 0.045 * len(words) - 0.03
    pitch = min(0.062, room / max(1, len(rows)))
    size = min(7.5, 7.5 * pitch / 0.04)
    axes.text(
        0,
        1.02,
        f"The chain of {content.chain.row}   ± is at 95 %, lengths in {shown_unit().word}",
        transform=axes.transAxes,
        color=QUIET,
    )
    y = 0.97
    for sign, label, value, spread, strong in rows:
        weight = "bold" if strong else "normal"
        colour = LIVE if strong and value else INK if value or strong else QUIET
        for x, text, side in (
            (0.0, sign, "left"),
            (0.05, label, "left"),
            (0.72, value, "right"),
            (0.9, spread, "right"),
        ):
            axes.text(
                x, y, text, ha=side, va="top", fontweight=weight, color=colour, family="DejaVu Sans Mono", fontsize=size
            )
        y -= pitch
    axes.text(0, 0.0, "\n".join(words), va="bottom", fontsize=7.5)


def _below(content: SheetContent) -> list[str]:
    """What stands under the chain: what its ± does not hold, its state, its proof."""
    without = "; ".join(dict.fromkeys(content.chain.without))
    words = wrap(f"Not in the ±: {without}", 104, max_lines=3, placeholder=" …") if without else []
    words += [*content.chain.notes, f"State: {content.state}"]
    if content.proof:
        proof = content.proof
        words.append(
            f"Proof: O{proof.program:04d} ended {um(proof.worst, 1)} from the stored value "
            f"({um(proof.allowed, 1)} allowed), program {proof.digest[:12]}"
        )
    return words
