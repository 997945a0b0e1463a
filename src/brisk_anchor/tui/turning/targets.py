"""Cutting to targets: the list, and the way to go in large figures that count down to nothing."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.numbers import counted
from brisk_anchor.core.quantities import dim, shown_unit, signed_bare
from brisk_anchor.core.turning.targets import ApproachStage
from brisk_anchor.services.turning.half_section import half_section
from brisk_anchor.services.turning.target_work import ToGo
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import STAGE_SHAPES, reach_words, target_lines, target_step
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.entry import Question, Words
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.turning.bench import big_position
from brisk_anchor.tui.turning.hands import Hands
from brisk_anchor.tui.turning.section_drawing import SectionDrawing

_COLOURS = {"quiet": theme.TEXT, "sand": theme.SAND, "live": theme.LIVE, "coral": theme.CORAL}
_BAR = 30


class TargetsView(TurningPanel):
    """The targets."""

    def __init__(self, stage: TurningStage, hands: Hands, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.hands = hands

    @property
    def handlers(self) -> Handlers:
        """What the view does."""
        return {
            **self.hands.handlers,
            "move": self.move,
            "enter": self.enter,
            "next_target": self.move,
            "add_target": self.add,
            "from_drawing": self.from_drawing,
            "measured": self.measured,
            "passes": self.passes,
            "warnings": self.warnings,
            "remove": self.take_out,
        }

    def compose(self) -> ComposeResult:
        """The list and the half-section at the left; the way to go at the right."""
        with Vertical(id="targets-left"):
            yield Heading(id="targets-heading")
            yield ChoiceList(id="targets-list")
            yield SectionDrawing(id="targets-section")
        with Vertical(id="targets-side"):
            yield Heading(id="to-go-heading")
            yield LatePanel(id="to-go")
            yield Heading(id="passes-heading")
            yield LatePanel(id="passes")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do."""
        return target_step(session)

    def show(self) -> None:
        """Bring everything up to date; the bell rings on coming near."""
        session = self.stage.session
        if session is None:
            return
        lines = target_lines(session)
        work = session.targets
        done = sum(line[0] == "●" for line in lines)
        self.query_one("#targets-heading", Heading).tell("targets", f"{done} of {len(lines)} done")

        def make(width: int) -> list[ListRow]:
            rows = []
            for number, (mark, name, figures, passes) in enumerate(lines):
                text = Text("   ", no_wrap=True, overflow="ellipsis")
                text.append(f"{mark} ", f"bold {theme.LIVE if mark == '●' else theme.QUIET}")
                text.append(f"{name:<24}", f"bold {theme.TEXT}")
                text.append(f"{figures:<26}", theme.TEXT)
                text.append(passes if width > 70 else "", theme.QUIET)
                rows.append(ListRow(text, number))
            return rows

        self.query_one(ChoiceList).tell((tuple(lines), shown_unit()), make, work.number)
        self.query_one(SectionDrawing).show(half_section(session))
        self._show_way(session)
        if work.bell():
            self.app.bell()

    def _show_way(self, session: TurningSession) -> None:
        work = session.targets
        target, ways = work.target, work.to_go()
        self.query_one("#to-go-heading", Heading).tell(
            "to go" if target is None else f"to go to {target.name}",
            f"{shown_unit().word}, step {self.hands.step_words}",
        )
        text = Text(no_wrap=True, overflow="ellipsis")
        for way in ways:
            _way_lines(text, way, session.zero.setup.approach.near)
        if unknown := reach_words(session):
            text.append(f"\n ! {unknown}\n", theme.SAND)
        elif not ways:
            text.append("\n nothing to count: no target, no zero, or no position\n", theme.QUIET)
        self.query_one("#to-go", LatePanel).tell_text(text, max(4, text.plain.count("\n")))
        x, z, line = big_position(session, machine=False)
        progress = work.progress
        told = Text(no_wrap=True, overflow="ellipsis")
        told.append(f" ⌀ {x}   Z {z}\n", f"bold {theme.TEXT}")
        told.append(f" {line}\n\n", theme.QUIET)
        if progress is not None and target is not None:
            for number, stop in enumerate(progress.stops):
                here, cut = number == progress.done, number < progress.done
                mark = "▶" if here else "●" if cut else "○"
                style = f"bold {theme.SAND}" if here else theme.QUIET if cut else theme.TEXT
                told.append(f"  {mark} pass {number + 1:<3} to ⌀ {dim(stop, 3)}\n", style)
        self.query_one("#passes-heading", Heading).tell("passes", "X a diameter")
        self.query_one("#passes", LatePanel).tell_text(told)

    # -- the list ----------------------------------------------------------------------------------------------

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click takes a target in hand."""
        if (session := self.stage.session) is not None:
            session.targets.choose(message.choice)
            self.stage.show_all()

    def move(self, by: int) -> None:
        """The next target, or the one before."""
        session = self.stage.session
        if session is None:
            return

        def work() -> tuple[str, str]:
            target = session.targets.choose(session.targets.number + by)
            return f"{target.name} is in hand.", target_step(session)[0]

        self.stage.attempt(work)

    def enter(self) -> None:
        """A pass is cut, or a correction is taken."""
        session = self.stage.session
        if session is None:
            return

        def work() -> tuple[str, str]:
            targets = session.targets
            if targets.offer is not None:
                told, program = targets.take_offer()
                return f"{told}.", "" if program is None else f"{program.label} wrote it and read it back."
            before = targets.target
            if before is None:
                return target_step(session)
            progress = targets.pass_done()
            if progress is not None:
                return (
                    f"Next stop ⌀{dim(progress.stop or 0.0, 3)}.",
                    f"{counted(progress.passes_left, 'pass is', 'passes are')} left.",
                )
            if targets.finished:
                return f"{before.name} is done: every target is.", "⟨k⟩ clamps the next piece."
            following = targets.next()
            return f"{before.name} is done.", f"{following.name} is next."

        self.stage.attempt(work)

    def add(self) -> None:
        """Add a target in words."""
        session = self.stage.session
        if session is None:
            return

        def put(words: str) -> list[str]:
            return [*session.job.file.setup.targets, words]

        def weigh(words: str) -> str:
            target = session.changed("targets", put(words)).setup.targets[-1]
            sizes = [f"⌀{dim(target.x, 3)}" if target.x is not None else ""]
            sizes += [f"Z {signed_bare(target.z, 3)}" if target.z is not None else ""]
            return f"{target.name}: {' '.join(filter(None, sizes))}"

        def take(words: str) -> None:
            def work() -> tuple[str, str]:
                session.change("targets", put(words))
                session.targets.choose(len(session.targets.targets) - 1)
                return "The target is added.", ""

            self.stage.attempt(work)

        from brisk_anchor.services.turning.set_up_words import TARGET

        self.stage.ask(Words("target", f"as {TARGET}", weigh, take))

    def from_drawing(self) -> None:
        """All targets of the drawing."""
        session = self.stage.session
        if session is None:
            return

        def work() -> tuple[str, str]:
            count = session.targets_from_drawing()
            return f"{count} targets came from the drawing.", "Those that were there stay."

        self.stage.attempt(work)

    def take_out(self) -> None:
        """Take the target in hand out of the list."""
        session = self.stage.session
        if session is None or session.targets.target is None:
            return

        def work() -> tuple[str, str]:
            lines = list(session.job.file.setup.targets)
            del lines[session.targets.number]
            session.change("targets", lines)
            return "The target is taken out.", ""

        self.stage.attempt(work)

    def measured(self) -> None:
        """A size that was measured between passes."""
        session = self.stage.session
        if session is None:
            return

        def take(size: float) -> None:
            def work() -> tuple[str, str]:
                offer = session.targets.measured(size)
                return f"Enter: {offer.told}", "The passes that are left are planned from it."

            self.stage.attempt(work)

        self.stage.ask(Question("size measured", None, 0.0, 3000.0, take, note="the diameter, spindle standing"))

    def passes(self) -> None:
        """Plan the passes from the diameter as it is."""
        session = self.stage.session
        if session is None:
            return

        def take(present: float) -> None:
            def work() -> tuple[str, str]:
                progress = session.targets.plan_from(present)
                return f"{len(progress.stops)} passes to {progress.target.name}.", ""

            self.stage.attempt(work)

        self.stage.ask(Question("diameter as it is", None, 0.1, 3000.0, take))

    def warnings(self) -> None:
        """From how far away it warns."""
        session = self.stage.session
        if session is None:
            return
        now = session.job.setup.approach

        def near(far: float) -> None:
            def close(less: float) -> None:
                def work() -> tuple[str, str]:
                    session.change_approach(far, less)
                    return f"It warns {dim(far)} before the target, and again {dim(less)} before.", ""

                self.stage.attempt(work)

            self.stage.ask(Question("second warning at", now.close, 0.001, far, close, enter=now.close))

        self.stage.ask(Question("first warning at", now.near, 0.01, 100.0, near, enter=now.near))


def _way_lines(text: Text, way: ToGo, near: float) -> None:
    """The way along one axis: large figures, its stage in shape, word and colour, and a bar that runs out."""
    shape, colour_name = STAGE_SHAPES[way.stage]
    colour = _COLOURS[colour_name]
    letter = "⌀" if way.axis == "x" else "Z"
    figure = signed_bare(way.to_stop, 3)
    for mark, digits in zip(large(letter), large(figure.rjust(8)), strict=True):
        text.append(f" {mark.ljust(7)}", theme.QUIET)
        text.append(f"{digits}\n", f"bold {colour}")
    full = 0 if way.stage is ApproachStage.PAST else round(_BAR * min(1.0, max(0.0, way.to_stop) / (3 * near)))
    text.append(f" {shape} {way.stage.value:<16}", f"bold {colour}")
    text.append("█" * full, colour)
    text.append("─" * (_BAR - full), theme.FAINT)
    text.append("\n")
    if way.axis == "x" and abs(way.to_target - way.to_stop) > 1e-9:
        text.append(f"   stop ⌀{dim(way.stop, 3)}, {dim(way.to_target, 3)} to the target itself\n", theme.QUIET)
    text.append("\n")
