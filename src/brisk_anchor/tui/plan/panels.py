"""The words of the plan's panels: the list, the figures of the chosen measurement, the whole plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.numbers import counted
from brisk_anchor.core.quantities import Dimension, bare, deg, dim, num, quantity, shown_unit, signed_deg, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ListRow
from brisk_anchor.tui.words import cut, folded

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.checks import Finding
    from brisk_anchor.services.plan.plan_builder import PlanBuilder
    from brisk_anchor.services.plan.planning import Step
    from brisk_anchor.services.plan.reasons import Figure
    from brisk_anchor.services.plan.timing import Times


def steps_by_name(builder: PlanBuilder) -> dict[str, tuple[int, Step]]:
    """The measurements that are ready, with the number they are run as."""
    ready = builder.ready
    return {step.name: (number, step) for number, step in enumerate(ready.steps, 1)} if ready else {}


def list_rows(builder: PlanBuilder, pointed: str, width: int) -> list[ListRow]:
    """Tools that are looked at first, then the measurements, then what could be added."""
    from brisk_anchor.services.plan.plan_words import sets_text

    plan, steps = builder.plan, steps_by_name(builder)
    rows: list[ListRow] = []
    for check in plan.tool_check:
        text = Text(no_wrap=True, overflow="ellipsis")
        sign, colour = ("●", theme.LIVE) if check.enabled else ("◌", theme.FAINT)
        text.append(f"      {sign} ", colour)
        text.append(f"T{check.tool} whole?", theme.TEXT)
        text.append(f"   on the setter, within {dim(check.tolerance)}, else {check.on_fail}", theme.QUIET)
        rows.append(ListRow(text, None))
    drawn = {feature.name: feature for feature in builder.session.setup.features}
    wide = max(16, min(34, width - 48))
    for index, section in enumerate(plan.measure):
        number, step = steps.get(section.known_as, (0, None))
        feature = drawn.get(section.feature or "")
        title = feature.title if feature is not None else (section.name or section.feature or "")
        text = Text("   ", no_wrap=True, overflow="ellipsis")
        text.append(f"{number or '':>2} ", theme.QUIET)
        sign, colour = _sign(builder, index, step)
        text.append(f"{sign} ", f"bold {colour}")
        style = theme.TEXT if section.enabled else theme.FAINT
        text.append(f"{cut(title, wide):<{wide}} ", style)
        if step is not None:
            text.append(
                f"{step.measurement.kind.value:<14}{counted(step.measurement.touch_count, 'touch  ', 'touches'):>10}  ",
                theme.QUIET,
            )
        else:
            reason = "left out" if not section.enabled else (builder.problems[index] or "")
            text.append(
                f"{cut(reason, max(10, width - wide - 12))}  ", theme.QUIET if not section.enabled else theme.CORAL
            )
        whole = _by_the_job(builder, section.known_as)
        table = "  ".join(f"{letter}{signed_deg(angle)}" for letter, angle in section.table.items())
        parts = (table, whole, sets_text(section.sets, section.kept))
        text.append("  ".join(part for part in parts if part), theme.SAND)
        rows.append(ListRow(text, index))
    if pointed:
        text = Text(no_wrap=True, overflow="ellipsis")
        text.append("    + ", theme.SAND)
        text.append(f"{pointed}", theme.SAND)
        text.append("   ⟨a⟩ adds it, ⟨r⟩ with the figures of the chosen one", theme.QUIET)
        rows.append(ListRow(text, None))
    if not rows:
        how = "⟨f⟩ points at a feature, ⟨a⟩ adds it." if drawn else "On the bench, ⟨L⟩ takes what is marked."
        rows.append(ListRow(Text(f" Nothing is planned yet. {how}", theme.QUIET), None))
    return rows


def _by_the_job(builder: PlanBuilder, name: str) -> str:
    """What the job's own rules take from a measurement: "G54 XY"."""
    from brisk_anchor.core.offsets.rules import features_in

    row = builder.plan.offset
    plan = next((plan for plan in builder.session.setup.rows if plan.row == row), None)
    if plan is None:
        return ""
    axes = "".join(axis.upper() for axis, rule in plan.rules.items() if name in features_in(rule))
    return f"{row} {axes}" if axes else ""


def _sign(builder: PlanBuilder, index: int, step: Step | None) -> tuple[str, str]:
    if not builder.plan.measure[index].enabled:
        return "◌", theme.FAINT
    if builder.problems[index] or (step is not None and any(look.stops for look in step.looks)):
        return "!", theme.CORAL
    if step is None:
        return "○", theme.QUIET
    return ("?", theme.SAND) if step.looks else ("●", theme.LIVE)


def figure_text(value: float, figure: Figure) -> str:
    """A figure as it is shown: places of the tip with their sign, counts and feeds whole."""
    if figure.unit != "mm":
        return num(value, 0)
    signed = figure.field in ("clear", "") and figure.name != "room"
    return quantity(value, Dimension.LENGTH, 3, signed=signed, bare=True)


def figures_text(step: Step | None, chosen: int, problem: str, comment: str, width: int) -> Text:
    """Every figure with its unit and why it is that; what the second look found."""
    text = Text(no_wrap=True, overflow="ellipsis")
    if step is None:
        text.append(f" {problem or 'left out: ⟨Space⟩ takes it in'}\n", theme.CORAL if problem else theme.QUIET)
        return text
    for number, figure in enumerate(step.figures):
        here = number == chosen
        text.append(" › " if here else "   ", f"bold {theme.SAND}")
        style = f"bold {theme.SAND}" if here else (theme.TEXT if figure.field else theme.QUIET)
        text.append(f"{figure.name:<13}", style)
        strong = "bold " if figure.stated else ""
        text.append(f"{figure_text(figure.value, figure):>10} ", f"{strong}{theme.TEXT}")
        unit = shown_unit().value if figure.unit == "mm" else figure.unit
        text.append(f"{unit:<7}", theme.QUIET)
        room = max(8, width - 36)
        text.append(f"{cut(figure.why, room)}\n", theme.LIVE if figure.stated else theme.QUIET)
        if here and len(figure.why) > room:
            text.append(f"   {cut(figure.why, width - 4):>{width - 4}}\n", theme.QUIET)
    if step.section.headings:
        shown = ", ".join(f"{deg(heading)}" for heading in step.section.headings)
        text.append(f"   touched at   {shown}\n", theme.TEXT)
    if step.section.over_the_top is not None:
        text.append(
            f"   goes         {'over the top' if step.section.over_the_top else 'round, or stays down'}\n", theme.TEXT
        )
    text.append(f"   wrong size   {step.section.on_fail}\n", theme.QUIET)
    if comment:
        text.append(f"   {cut(comment, width - 4)}\n", theme.QUIET)
    for look in sorted(step.looks, key=lambda look: not look.stops):  # the window may end before the last
        append_look(text, look, width)
    return text


def append_legend(text: Text) -> None:
    """How the kinds of move are drawn."""
    for sign, words, colour in (
        ("╌╌", "rapid", theme.QUIET),
        ("──", "guarded", theme.LIVE),
        ("┈┈", "touching", theme.SAND),
        ("×", "touch", theme.SAND),
    ):
        text.append(f" {sign} ", colour)
        text.append(f"{words}  ", theme.QUIET)
    text.append("\n")


def append_look(text: Text, look: Finding, width: int) -> None:
    """A finding of the second look, and what to do, each on a line or two."""
    text.append(f" {'!' if look.stops else '?'} ", f"bold {theme.CORAL if look.stops else theme.SAND}")
    found = "\n   ".join(folded(look.found, width - 4))
    text.append(f"{found}\n", theme.CORAL if look.stops else theme.TEXT)
    do = "\n   ".join(folded(look.do, width - 4))
    text.append(f"   {do}\n", theme.QUIET)


def whole_text(builder: PlanBuilder, digest: str, times: Times | None, ended: str, running: str, width: int) -> Text:
    """Touches, time, what the second look found of the whole, and the proof."""
    text = Text(no_wrap=True, overflow="ellipsis")
    ready = builder.ready
    append_legend(text)
    if ready is None:
        if builder.problem is not None:
            what, remedy = (folded(words, width - 4) for words in (builder.problem.what, builder.problem.remedy))
            text.append(" ! " + "\n   ".join(what) + "\n", theme.CORAL)
            text.append("   " + "\n   ".join(remedy) + "\n", theme.QUIET)
        return text
    text.append(f" {len(ready.steps)} measured, {counted(ready.touch_count, 'touch', 'touches')}", theme.TEXT)
    if times is not None:
        text.append(f", {bare(times.total, 0)} s", f"bold {theme.TEXT}")
        text.append(f"   at the least {bare(times.least, 0)} s for these touches\n", theme.QUIET)
        parts = [(words.split(" ")[0].rstrip(","), seconds) for words, seconds in times.shares() if seconds]
        shares = "  ".join(f"{words} {num(seconds, 1)}" for words, seconds in parts)
        text.append(f" {cut(shares, width - 4)} s\n", theme.QUIET)
    else:
        text.append("\n " + "\n ".join(folded(ended, width - 2)) + "\n", theme.CORAL if ended else theme.QUIET)
    for look in ready.looks[:3]:
        append_look(text, look, width)
    proof = builder.proof
    if running:
        text.append(f" {running}\n", f"bold {theme.SAND}")
    elif proof is None:
        text.append(" ○ not proved: ⟨p⟩ runs it on 200 parts within what is stated\n", theme.QUIET)
    else:
        good, words = builder.is_proved(digest), proof.words(builder.basis(digest))
        text.append(f" {'●' if good else '○'} {cut(words, width - 4)}\n", theme.LIVE if good else theme.SAND)
        if good:
            text.append(f"   worst {um(proof.worst)}, longest search used {proof.longest_search:.0%}\n", theme.TEXT)
            for part, (near, solid) in proof.closest.items():
                text.append(f"   {part} stays {dim(near, 2)} from {solid}\n", theme.TEXT)
        for reason, count in list(proof.stopped.items())[:3]:
            text.append(f"   {count} stopped: {cut(reason, width - 16)}\n", theme.SAND)
        for words in [*proof.wrong, *proof.crashed][:2]:
            text.append(f"   ! {cut(words, width - 6)}\n", theme.CORAL)
    return text
