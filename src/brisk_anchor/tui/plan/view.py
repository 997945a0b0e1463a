"""The plan: a list of measurements built with the drawing or the rose, with reasons, path, time, second look, proof."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.quantities import dim, num
from brisk_anchor.nc.bounded import is_file, typed_path
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.entry import LENGTH, Question, Words, search
from brisk_anchor.tui.looking import DrawnView
from brisk_anchor.tui.panels import Heading, LatePanel, Same
from brisk_anchor.tui.plan.panels import figures_text, list_rows, steps_by_name, whole_text
from brisk_anchor.tui.plan.runs import PlanRuns
from brisk_anchor.tui.view_state import ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.kinds import Vector
    from brisk_anchor.core.offsets.setup import DrawnFeature
    from brisk_anchor.services.plan.plan_builder import PlanBuilder
    from brisk_anchor.services.plan.planning import Step
    from brisk_anchor.services.plan.reasons import Figure

_COUNT_IN = 690
"""The variable a jump back counts in."""


def _none_left(builder: PlanBuilder) -> tuple[str, str]:
    """What is said where no feature is left that could be added."""
    drawn = builder.session.setup.features
    told = "Everything that is drawn is in the plan." if drawn else "Nothing is drawn here."
    return told, "On the bench, ⟨L⟩ takes what is marked."


class PlanView(DrawnView):
    """List and figures on the left; path, time and proof on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.runs = PlanRuns(stage, self)
        self.chosen = 0
        self.figure_chosen = 0
        self.pointed: DrawnFeature | None = None
        """A feature of the drawing that would be added."""

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.MAGNIFY: self.magnify,
            Do.PAN: self.pan,
            Do.MOVE: self.move,
            Do.POINT: self.point,
            Do.FIND: self.find,
            Do.ADD: self.add,
            Do.NEXT_FIGURE: self.next_figure,
            Do.EDIT: self.edit,
            Do.PROPOSE: self.propose,
            Do.SAY: self.say,
            Do.SAY_OF_PLAN: self.say_of_plan,
            Do.TOGGLE: self.toggle,
            Do.SHIFT: self.shift,
            Do.ORDER: self.order,
            Do.TAKE_OUT: self.take_out,
            Do.UNDO: self.undo,
            Do.CODE: self.runs.code,
            Do.PROVE_PLAN: self.runs.prove_plan,
            Do.WRITE: self.write,
            Do.WEAVE: self.weave,
            Do.HAND_OVER: self.hand_over,
            Do.STOP: self.stop,
        }

    def compose(self) -> ComposeResult:
        """List, figures; drawing, the whole."""
        with Vertical(id="plan-left"):
            yield Heading(id="plan-heading")
            yield ChoiceList(id="plan-list")
            yield Heading(id="figures-heading")
            yield LatePanel(id="plan-figures")
        with Vertical(id="plan-side"):
            yield Drawing(id="plan-drawing")
            yield Heading(id="whole-heading")
            yield LatePanel(id="plan-whole")

    # -- what is there -----------------------------------------------------------------------------------------

    @property
    def builder(self) -> PlanBuilder | None:
        """The plan; opened when it is first wanted."""
        view_state = self.view_state
        if view_state is None:
            return None
        try:
            return view_state.open_plan(self.stage.folder)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return None

    @property
    def step(self) -> Step | None:
        """The chosen measurement, where it is ready."""
        builder = self.builder
        if builder is None or not builder.plan.measure:
            return None
        return steps_by_name(builder).get(builder.plan.measure[self.chosen].known_as, (0, None))[1]

    def write_sheet(self) -> bool:
        """Draw path and sheet of the plan."""
        self.runs.write_sheet()
        return True

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """What can be done next."""
        self.runs.spoken = False
        builder = self.builder
        if builder is None:
            return "The plan's file has faults.", "Correct it, or put it aside; brisk-anchor plan check lists them."
        return builder.next_step(self.pointed.title if self.pointed else "", self.runs.digest)

    def show(self) -> None:
        """Bring everything up to date."""
        view_state, builder = self.view_state, self.builder
        if view_state is None or builder is None:
            return
        builder.keep_up()
        plan = builder.plan
        self.chosen = max(0, min(self.chosen, len(plan.measure) - 1))
        self.runs.rehearse()
        from brisk_anchor.services.plan.plan_words import sets_words

        note = f"sets {sets_words(plan)}, {plan.order}" + (", half turn" if plan.half_turn else "")
        changed = " · changed" if builder.changed else ""
        self.query_one("#plan-heading", Heading).tell(f"{builder.path.name}{changed}   {plan.name}", note)
        pointed = self.pointed.title if self.pointed else ""
        key = (*map(Same, (plan, builder.problems, builder.ready)), pointed)
        self.query_one("#plan-list", ChoiceList).tell(
            key, lambda width: list_rows(builder, pointed, width), self.chosen
        )
        self._show_figures(builder)
        self.show_whole(builder)
        self.show_motion()

    def _show_figures(self, builder: PlanBuilder) -> None:
        plan, step = builder.plan, self.step
        if not plan.measure:
            self.query_one("#figures-heading", Heading).tell("nothing is chosen")
            self.query_one("#plan-figures", LatePanel).tell_late((), lambda _w, _h: Text())
            return
        section = plan.measure[self.chosen]
        figures = step.figures if step is not None else ()
        self.figure_chosen = max(0, min(self.figure_chosen, len(figures) - 1))
        title = step.measurement.title if step is not None else section.known_as
        note = "bold figures are stated, the others proposed" if step is not None else ""
        self.query_one("#figures-heading", Heading).tell(title, note)
        problem = builder.problems[self.chosen] or (builder.problem.what if builder.problem and section.enabled else "")
        self.query_one("#plan-figures", LatePanel).tell_late(
            (Same(step), self.figure_chosen, problem, section.comment),
            lambda width, _height: figures_text(step, self.figure_chosen, problem, section.comment, width),
        )

    def show_whole(self, builder: PlanBuilder) -> None:
        """Time, second look and proof."""
        proof = builder.proof
        good = builder.is_proved(self.runs.digest)
        note, colour = ("● proved", theme.LIVE) if good else ("○ not proved", theme.QUIET)
        self.query_one("#whole-heading", Heading).tell("time, second look, proof", note, colour)
        key = (Same(builder.ready), Same(proof), self.runs.digest, self.runs.times, self.runs.ended, self.runs.running)
        self.query_one("#plan-whole", LatePanel).tell_late(
            key,
            lambda width, _h: whole_text(
                builder, self.runs.digest, self.runs.times, self.runs.ended, self.runs.running, width
            ),
        )

    def show_motion(self) -> None:
        """The drawing: the set-up, the path, and the number of every measurement."""
        from brisk_anchor.standin.motion import motions_at
        from brisk_anchor.tui.picture import Picture

        view_state, builder = self.view_state, self.builder
        if view_state is None or builder is None:
            return
        ready, length = builder.ready, view_state.session.setup.stylus.length
        step = self.step
        chosen = step.measurement.start if step is not None else None
        centre: Vector | None = (chosen[0], chosen[1], chosen[2] - length) if chosen else None
        if self.pointed is not None:
            centre = self.pointed.machine
        table, motions = step.measurement.options.table if step is not None else (), self.runs.motions
        if table:  # what is seen is how it stands for the chosen one
            motions = motions_at(motions, view_state.session.link.angles, dict(table))
        setup, turned = view_state.standing(dict(table))
        labels: list[tuple[str, Vector]] = []
        for number, one in enumerate(ready.steps if ready else (), 1):
            if table and one.measurement.options.table != table:
                continue
            x, y, z = one.measurement.start
            labels.append((str(number), (x, y, z - length)))
        from brisk_anchor.standin.motion import touches_in

        touches = [m.contact for m in touches_in(motions) if m.contact is not None]
        picture = Picture(
            setup=setup,
            zoom=view_state.zoom,
            centre=centre,
            target=centre,
            touches=touches,
            motions=motions,
            length=length,
            magnify=view_state.magnify,
            pan=view_state.pan,
            labels=labels,
            table=turned,
        )
        self.query_one(Drawing).show(picture)

    # -- choosing ----------------------------------------------------------------------------------------------

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on a measurement."""
        self.move(message.choice - self.chosen)

    def move(self, step: int) -> None:
        """Choose a measurement."""
        self.pointed = None
        builder = self.builder
        if builder is not None and builder.plan.measure:
            self.chosen = max(0, min(len(builder.plan.measure) - 1, self.chosen + step))
            self.show()

    def next_figure(self, step: int) -> None:
        """Choose a figure of it."""
        self.figure_chosen += step
        if (builder := self.builder) is not None:
            self._show_figures(builder)

    def point(self, step: int) -> None:
        """Point at the next feature of the drawing that is not in the plan."""
        if free := self._free():
            at = self._at(free)
            self._point_at(free[(at + step if at >= 0 else min(0, step)) % len(free)])

    def find(self) -> None:
        """Point at a feature that is not in the plan by words of its title, or its number."""
        if free := self._free():
            texts = [drawn.numbered_title for drawn in free]
            self.stage.ask(search(texts, self._at(free), lambda at: self._point_at(free[at])))

    def _free(self) -> list[DrawnFeature]:
        """What is drawn and not in the plan; nothing, and said, where all of it is."""
        free = [] if self.builder is None else list(self.builder.unmeasured())
        if self.builder is not None and not free:
            self.stage.tell(*_none_left(self.builder), "ask")
        return free

    def _at(self, free: list[DrawnFeature]) -> int:
        """Which of them is pointed at; -1 is none."""
        names = [drawn.name for drawn in free]
        return names.index(self.pointed.name) if self.pointed and self.pointed.name in names else -1

    def _point_at(self, drawn: DrawnFeature) -> None:
        self.pointed = drawn
        self.show()
        self.runs.tell_next()

    def on_drawing_pointed(self, message: Drawing.Pointed) -> None:
        """A click on the plan: the drawn feature nearest to it is chosen, or pointed at."""
        from brisk_anchor.services.measure.measurement_request import nearest

        builder = self.builder
        if builder is None:
            return
        drawn = nearest(builder.session.setup, message.x, message.y)
        if drawn is None:
            return
        names = [section.feature for section in builder.plan.measure]
        if drawn.name in names:
            self.pointed, self.chosen = None, names.index(drawn.name)
        else:
            self.pointed = drawn
        self.show()
        self.runs.tell_next()

    # -- changing ----------------------------------------------------------------------------------------------

    def _do(self, work: Callable[[PlanBuilder], tuple[str, str]]) -> None:
        builder = self.builder
        if builder is not None and not self.runs.running:
            self.runs.spoken = True
            self.stage.attempt(lambda: work(builder))

    def _do_to_chosen(self, work: Callable[[PlanBuilder], tuple[str, str]]) -> None:
        """What is done with the chosen measurement, where there is one: a plan may be empty, or look at tools alone."""
        if (builder := self.builder) is not None and not builder.plan.measure:
            self.stage.tell("No measurement is planned yet.", "⟨f⟩ points at a feature, ⟨a⟩ adds it.", "ask")
            return
        self._do(work)

    def add(self, like: int) -> None:
        """Add the feature that is pointed at; with `like` the figures of the chosen one are stated for it too."""

        def work(builder: PlanBuilder) -> tuple[str, str]:
            drawn = self.pointed or next(iter(builder.unmeasured()), None)
            if drawn is None:
                return _none_left(builder)
            self.chosen = builder.add(drawn.name, self.chosen, like=bool(like))
            self.pointed = None
            return (
                f"{drawn.title} is in the plan.",
                "Its figures are proposed; Enter states one, ⟨e⟩ says what it sets.",
            )

        self._do(work)

    def take_out(self) -> None:
        """Take the chosen measurement out of the list."""
        self._do_to_chosen(lambda builder: (f"{builder.remove(self.chosen)} is out of the plan.", "⟨u⟩ takes it back."))

    def undo(self) -> None:
        """Take the last change back."""
        told = ("Nothing was changed.", "")
        self._do(lambda builder: ("The last change is taken back.", "") if builder.undo() else told)

    def shift(self, step: int) -> None:
        """Move the chosen measurement in the list."""

        def work(builder: PlanBuilder) -> tuple[str, str]:
            self.chosen = builder.move(self.chosen, step)
            return f"It is number {self.chosen + 1} of the list now.", "The order is the listed one."

        self._do_to_chosen(work)

    def order(self) -> None:
        """Order the list for the shortest safe way."""
        self._do(lambda builder: (builder.order(), "Those at one table angle and clear height stay together."))

    def toggle(self) -> None:
        """Leave the chosen measurement out, or take it in again."""
        self._do_to_chosen(
            lambda builder: ("It is in the plan." if builder.toggle(self.chosen) else "It is left out.", "")
        )

    def edit(self) -> None:
        """Type the chosen figure."""
        builder, step = self.builder, self.step
        if builder is None or step is None or not step.figures:
            return
        figure = step.figures[self.figure_chosen]
        if not figure.field:
            self.stage.tell(f"{figure.name} follows from the others.", figure.why, "ask")
            return
        index = self.chosen

        def answer(value: float) -> None:
            self._do(lambda b: (_stated(b, index, figure, value), "⟨⌫⟩ proposes it again, ⟨u⟩ takes it back."))

        unit = LENGTH if figure.unit == "mm" else f" {figure.unit}" if figure.unit else ""
        self.stage.ask(Question(figure.name, figure.value, -FURTHEST, FURTHEST, answer, unit=unit))

    def propose(self) -> None:
        """Leave the chosen figure to be proposed again."""
        step = self.step
        if step is None or not step.figures or not step.figures[self.figure_chosen].stated:
            self.stage.tell("That figure is proposed already.", "", "ask")
            return
        figure, index = step.figures[self.figure_chosen], self.chosen

        def work(builder: PlanBuilder) -> tuple[str, str]:
            builder.state(index, figure.field, None)
            return f"{figure.name} is proposed again.", "⟨u⟩ takes it back."

        self._do(work)

    def say(self) -> None:
        """Change the chosen measurement by words."""
        from brisk_anchor.services.plan.plan_words import MEASURE_FORMS, hint, read_measure_words

        builder = self.builder
        if builder is None or not builder.plan.measure:
            return
        index = self.chosen
        section = builder.plan.measure[index]
        self.stage.ask(
            Words(
                section.known_as,
                partial(hint, MEASURE_FORMS),
                lambda words: read_measure_words(section, words)[1],
                lambda words: self._do(lambda b: (f"{section.known_as}: {b.say(index, words)}.", "⟨u⟩ takes it back.")),
            )
        )

    def say_of_plan(self) -> None:
        """Change what holds for the whole plan by words."""
        from brisk_anchor.services.plan.plan_words import PLAN_FORMS, hint, read_plan_words

        builder = self.builder
        if builder is None:
            return
        plan = builder.plan
        self.stage.ask(
            Words(
                "plan",
                partial(hint, PLAN_FORMS),
                lambda words: read_plan_words(plan, words)[1],
                lambda words: self._do(lambda b: (f"The plan: {b.say_of_plan(words)}.", "⟨u⟩ takes it back.")),
            )
        )

    # -- files -------------------------------------------------------------------------------------------------

    def stop(self) -> None:
        """End a proof, or leave what is pointed at."""
        if self.runs.halt():
            return
        self.pointed = None
        self.show()
        self.runs.tell_next()

    def weave(self) -> None:
        """Open a cutting program and put measuring into it."""
        from pathlib import Path

        from brisk_anchor.services.insert.weave_editor import WeaveEditor
        from brisk_anchor.tui.plan.weave_sheet import WeaveSheet

        builder = self.builder
        if builder is None:
            return
        folder = self.stage.folder
        there = [path.name for path in sorted(folder.glob("*.nc")) if not path.name.startswith("o")][:6]

        def found(name: str) -> Path:
            path = typed_path(name)
            return path if path.is_absolute() else folder / path

        def answer(name: str) -> None:
            section = builder.plan.measure[self.chosen] if builder.plan.measure else None
            self.stage.beside(
                f"Taking {found(name).name} apart.",
                lambda: WeaveEditor(builder.session, found(name)),
                lambda editor: self.stage.open_sheet(WeaveSheet(editor, section, _COUNT_IN, self.stage)),
            )

        def weigh(name: str) -> str:
            return "Enter opens it" if is_file(found(name)) else "no such file yet"

        hint = f"a cutting program; here are {', '.join(there)}" if there else "a cutting program"
        self.stage.ask(Words("cutting program", hint, weigh, answer))

    def hand_over(self) -> None:
        """Hand the plan's program over to the linked control."""
        view_state = self.stage.free()
        if view_state is None or view_state.desk is None:
            return
        try:
            plan = view_state.open_plan(self.stage.folder).plan
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        view_state.desk.hand_over(f"the plan {plan.name}", lambda orders, told: orders.plan(plan, told))

    def write(self) -> None:
        """Write the plan and its program into the folder."""

        def work(builder: PlanBuilder) -> tuple[str, str]:
            paths = builder.write()
            return f"Written: {' and '.join(path.name for path in paths)}.", f"In {paths[0].parent}"

        self._do(work)


def _stated(builder: PlanBuilder, index: int, figure: Figure, value: float) -> str:
    builder.state(index, figure.field, value)
    shown = dim(value) if figure.unit == "mm" else f"{num(value)} {figure.unit}".rstrip()
    return f"{figure.name} is {shown} now."
