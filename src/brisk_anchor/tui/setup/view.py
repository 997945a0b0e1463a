"""The set-up: what is drawn, what the probe can reach, where each offset's zero comes from and where it is put."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date
from functools import partial
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.offsets.rules import FromFit
from brisk_anchor.core.quantities import along, bare, deg, dim, expanded, shown_unit, signed_bare, signed_deg
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.entry import Words, search
from brisk_anchor.tui.looking import DrawnView
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.setup.lists import (
    NOTES,
    PAGES,
    Item,
    feature_items,
    item_text,
    list_rows,
    operation_items,
    point_items,
    word_items,
)
from brisk_anchor.tui.setup.zero import zero_text
from brisk_anchor.tui.view_state import ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
    from brisk_anchor.services.job.job_editor import Change, JobEditor
    from brisk_anchor.services.measure.reach import Reach
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.standin.scene import Scene


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."


def _mm(value: float) -> str:
    return signed_bare(value, 1)


class SetupView(DrawnView):
    """Lists on the left; the drawing and the zero of the chosen offset on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.chosen = 0
        self.listed = PAGES[0]
        self._items: list[Item] = []
        self._reaches: list[Reach] = []
        self._cautions: list[str] = []
        self.looking = False
        self._of: object = None
        self._from: DrawnFeature | None = None
        """Where a distance is counted from."""

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.ZOOM: self.zoom,
            Do.MAGNIFY: self.magnify,
            Do.PAN: self.pan,
            Do.DIMENSIONS: self.dimensions,
            Do.MOVE: self.move,
            Do.FIND: self.find,
            Do.TAKE: self.take,
            Do.BETWEEN: self.between,
            Do.ANGLE: self.angle,
            Do.TABLE_ANGLE: self.table_angle,
            Do.FIT: self.fit,
            Do.DERIVE: self.derive,
            Do.DISTANCE: self.distance,
            Do.HERE: self.here,
            Do.BESIDE: self.beside,
            Do.PAGE: self.page,
            Do.TURN: self.turn,
            Do.TAKE_OFF: self.take_off,
            Do.UNDO: self.undo,
            Do.STOP: self.stop,
        }

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do."""
        return (
            "Choose a feature; ⟨x⟩, ⟨y⟩ or ⟨z⟩ takes that axis of the zero from it.",
            "⟨X⟩, ⟨Y⟩ or ⟨Z⟩ moves the zero onto it. ⟨n⟩ draws, ⟨l⟩ lists points to put the zero on, "
            "Tab goes to the offset.",
        )

    def compose(self) -> ComposeResult:
        """Features; drawing and zero."""
        with Vertical(id="setup-left"):
            yield Heading(id="features-heading")
            yield ChoiceList(id="features")
            yield Heading(id="feature-heading")
            yield LatePanel(id="feature")
            yield Heading(id="facts-heading")
            yield LatePanel(id="facts")
        with Vertical(id="setup-side"):
            yield Drawing(id="setup-drawing")
            yield Heading(id="zero-heading")
            yield LatePanel(id="zero")

    @property
    def item(self) -> Item | None:
        """The chosen line of the list."""
        return self._items[self.chosen] if self._items else None

    def show(self) -> None:
        """Bring everything up to date."""
        view_state = self.view_state
        if view_state is None:
            return
        setup = view_state.session.setup
        if self._of is not setup.features:
            from brisk_anchor.services.measure.reach import Reach

            self._of, self._reaches, self._cautions = setup.features, [Reach(drawn) for drawn in setup.features], []
            self.looking = True
            work = partial(self._look, view_state.session.scene, setup)
            self.stage.in_background(work, "reach")
        measured = frozenset(view_state.session.measured)
        make: dict[str, Callable[[], list[Item]]] = {
            "features": lambda: feature_items(setup, self._reaches, measured),
            "points": lambda: point_items(setup),
            "operations": lambda: operation_items(setup),
            "words": lambda: word_items(setup),
        }
        self._items = items = make[self.listed]()
        self.chosen = chosen = min(self.chosen, max(0, len(items) - 1))
        page = self.listed
        others = "  ".join(f"{name}" if name != page else name.upper() for name in PAGES)
        self.query_one("#features-heading", Heading).tell(others, NOTES[page])
        self.query_one("#features", ChoiceList).tell(
            (page, tuple(items)), lambda width: list_rows(items, page, width), chosen
        )
        self._show_item(view_state)
        self._show_zero(view_state)
        self._show_facts(view_state)
        self.show_motion()

    def _look(self, scene: Scene, setup: Setup) -> None:
        """Rehearse every feature; 15 ms each, so it is done behind the screen."""
        from brisk_anchor.services.measure.cautions import cautions
        from brisk_anchor.services.measure.reach import contradictions, reaches

        found = reaches(scene)
        odd = contradictions(found) + cautions(scene, date.today())
        self.stage.from_background(partial(self._looked, setup, found, odd))

    def _looked(self, setup: Setup, found: list[Reach], odd: list[str]) -> None:
        if self._of is setup.features:
            self._reaches, self._cautions, self.looking = found, odd, False
            self.show()

    def show_motion(self, setup: Setup | None = None) -> None:
        """The drawing alone; with another set-up, as it would be."""
        if (view_state := self.view_state) is None:
            return
        item = self.item
        picture = replace(view_state.picture(), zero=view_state.zero(), chosen=item.machine if item else None)
        picture.target = None
        if item is not None and item.machine is not None:
            picture.centre = item.machine
        picture.dimensions = view_state.dimensions
        if setup is not None:
            picture.setup, picture.chosen = setup, None
        self.query_one(Drawing).show(picture)

    def _show_item(self, view_state: ViewState) -> None:
        item = self.item
        if item is None:
            self.query_one("#feature-heading", Heading).tell("nothing is listed")
            self.query_one("#feature", LatePanel).tell_text(Text())
            return
        note, colour = "", theme.QUIET
        if item.drawn is not None:
            note = "cannot be measured as drawn" if item.reason else "the probe can reach it"
            colour = theme.CORAL if item.reason else theme.LIVE
            if self.looking:
                note, colour = "looking what can be reached …", theme.QUIET
        self.query_one("#feature-heading", Heading).tell(item.title, note, colour)
        self.query_one("#feature", LatePanel).tell_text(item_text(item, view_state.zero()))

    def _show_facts(self, view_state: ViewState) -> None:
        """The machine and what is on it, as they are described."""
        session = view_state.session
        setup, machine = session.setup, session.setup.machine
        rotary = ", ".join(axis.letter for axis in machine.rotary)
        lengths = session.profile.tool_lengths.convention
        travels = zip("XYZ", machine.travel.low, machine.travel.high, strict=True)
        stylus = setup.stylus
        turned = f", turned {signed_deg(setup.turn)}" if setup.turn else ""
        operations = (
            ", ".join(f"{o.name} {session.ledger.named(o.offset)}" for o in setup.card.operations) or "none named"
        )
        comment = f", {setup.card.comment}" if setup.card.comment else ""
        facts = [
            ("machine", f"{machine.name}, {machine.kind}" + (f", rotary {rotary}" if rotary else "")),
            *((f"travel {axis}", f"{_mm(low)} to {_mm(high)}") for axis, low, high in travels),
            ("control", f"{session.profile.name}, tool lengths from the {lengths}"),
            ("probe", f"T{stylus.tool_number}, ball ⌀{bare(stylus.ball_diameter)}, length {bare(stylus.length)}"),
            ("fixture", setup.fixture),
            (
                "part",
                f"{setup.part}{turned}, may lie {dim(setup.start_uncertainty)} and {deg(setup.turn_uncertainty)} off",
            ),
            ("operations", operations),
            ("programs", f"O{session.heads.first_number:04d} and on, in {session.profile.program.units}{comment}"),
            *(("note", note) for note in setup.card.notes),
        ]
        text = Text(no_wrap=True, overflow="ellipsis")
        for words in self._cautions:
            text.append(f" ! {words}\n", theme.CORAL)
        for label, words in facts:
            text.append(f" {label:<12}", theme.QUIET)
            text.append(f"{words}\n", theme.TEXT)
        self.query_one("#facts-heading", Heading).tell("as described", shown_unit().word)
        self.query_one("#facts", LatePanel).tell_text(text)

    def _show_zero(self, view_state: ViewState) -> None:
        self.query_one("#zero-heading", Heading).tell(f"zero of {view_state.session.ledger.named(view_state.row)}")
        self.query_one("#zero", LatePanel).tell_text(zero_text(view_state.session, view_state.row))

    # -- choosing ----------------------------------------------------------------------------------------------

    def on_drawing_pointed(self, message: Drawing.Pointed) -> None:
        """A click on the plan: the line of the list that lies nearest to it is chosen."""
        from brisk_anchor.services.measure.measurement_request import nearest_of

        found = nearest_of([item.machine for item in self._items], message.x, message.y)
        if found is not None:
            self.chosen = found
            self.show()

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on a line."""
        self.chosen = message.choice
        self.show()

    def move(self, step: int) -> None:
        """Choose a line."""
        if self._items:
            self.chosen = max(0, min(len(self._items) - 1, self.chosen + step))
            self.show()

    def find(self) -> None:
        """Go to the next of the list with some words."""
        if self._items:
            titles = [item.title for item in self._items]
            self.stage.ask(search(titles, self.chosen, lambda at: self.move(at - self.chosen)))

    def page(self) -> None:
        """The next list."""
        self.listed, self.chosen = PAGES[(PAGES.index(self.listed) + 1) % len(PAGES)], 0
        self.show()

    # -- the zero ----------------------------------------------------------------------------------------------

    def take(self, axis: str, onto: int) -> None:
        """Take an axis of the offset's zero from the chosen feature, or put it on the chosen point."""
        view_state, item = self.stage.free(), self.item
        if view_state is None or item is None:
            return
        if item.drawn is None:
            if onto:
                self._put(view_state, item, axis, (0.0, 0.0, 0.0))
            else:
                self.stage.tell("A point is not measured.", f"{axis.upper()} puts the zero on it.", "ask")
            return
        name, title = item.drawn.name, item.drawn.title

        def change() -> bool:
            return view_state.session.datums.take_datum(view_state.row, axis, name, onto=bool(onto))

        where = "The zero lies on it now" if onto else "The zero stays where it is"

        def work() -> None:
            self._do(view_state, change, f"{view_state.row} {axis.upper()} comes from {title}.", where)

        if onto and item.machine is not None:
            i = "xyz".index(axis)
            self._confirm_move(view_state, {axis: item.machine[i]}, f"onto {title}", work)
        else:
            work()

    def between(self) -> None:
        """Take the middle between the chosen feature and the one the axis comes from."""
        view_state, item = self.stage.free(), self.item
        if view_state is None or item is None or item.drawn is None:
            return
        name, axes = item.drawn.name, item.axes

        def change() -> bool:
            kept = False
            for axis in axes:
                kept = view_state.session.datums.take_middle(view_state.row, axis, name)
            return kept

        told = f"{view_state.row} {axes.upper()} comes from the middle with {item.drawn.title}."
        self._do(view_state, change, told, "The zero stays where it is; ⟨e⟩ and Enter move it")

    def angle(self, taken: int) -> None:
        """Take the angle of the offset from the chosen feature, or leave it out."""
        view_state, item = self.stage.free(), self.item
        if view_state is None or (taken and (item is None or item.drawn is None)):
            return
        name = item.drawn.name if taken and item is not None and item.drawn is not None else None
        title = item.title if item is not None and name else ""
        told = f"{view_state.row} turns with {title}." if name else f"{view_state.row} is not turned."
        behind = "Every place on the drawing turns with it" if name else "Its axes are the machine's"
        self._do(view_state, lambda: view_state.session.datums.take_turn(view_state.row, name), told, behind)

    def table_angle(self) -> None:
        """Let the table turn the part straight, or keep the angle in the row again."""
        view_state = self.stage.free()
        if view_state is None:
            return
        row = view_state.row

        def change() -> bool:
            view_state.session.datums.take_table(row)
            return view_state.session.editor.files is not None

        letter = "the row" if view_state.session.setup.row(row).turner else "the table"
        self._do(view_state, change, f"The angle of {row} is turned out by {letter}.", "Measure and store it again")

    def derive(self) -> None:
        """Derive the offset from another one, its zero staying where it is."""
        view_state = self.stage.free()
        if view_state is None:
            return
        others = [plan.row for plan in view_state.session.setup.rows if plan.row != view_state.row]

        def weigh(words: str) -> str:
            return view_state.session.datums.derivation(view_state.row, words.strip().upper())

        def answer(words: str) -> None:
            parent = words.strip().upper()
            told = f"{view_state.row} follows {parent}."
            self._do(
                view_state,
                lambda: view_state.session.datums.take_parent(view_state.row, parent),
                told,
                "It moves and turns with it",
            )

        self.stage.ask(Words(f"{view_state.row} follows", lambda _: f"one of {', '.join(others)}", weigh, answer))

    def fit(self) -> None:
        """Take the chosen feature into the best fit, or out of it."""
        view_state, item = self.stage.free(), self.item
        if view_state is None or item is None or item.drawn is None:
            return
        name = item.drawn.name
        before = view_state.session.setup.row(view_state.row).rules.get("x")
        out = isinstance(before, FromFit) and name in before.names
        told = f"{item.title} is {'out of' if out else 'in'} the best fit of {view_state.row}."
        self._do(
            view_state,
            lambda: view_state.session.datums.take_fit(view_state.row, name),
            told,
            "X, Y and the angle come from it",
        )

    def distance(self) -> None:
        """Remember the chosen feature; with another chosen, tell how far that lies from it."""
        item = self.item
        view_state = self.stage.free()
        if view_state is None or item is None or item.drawn is None:
            return
        drawn, start = item.drawn, self._from
        if start is None or start.name == drawn.name or start not in view_state.session.setup.features:
            self._from = drawn
            self.stage.tell(f"Distances from {drawn.title}.", "Choose another feature, and ⟨d⟩ again.", "ask")
            return
        try:
            found = view_state.session.solver.distance(start.name, drawn.name)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self._from = None
        parts = "  ".join(
            f"{axis.upper()} {along(axis, part.value, bare=True)} {expanded(part.u, axis=axis)}"
            for axis, part in found.parts.items()
        )
        nominal = view_state.session.solver.drawn_distance(start.name, drawn.name, found)
        straight = f"{dim(found.straight.value, 4)} {expanded(found.straight.u)}"
        off = signed_bare(found.straight.value - nominal, 4)
        self.stage.tell(
            f"{start.title} to {drawn.title}: {straight}, {off} from the {bare(nominal, 4)} drawn.",
            f"{parts} {shown_unit().value}",
            "good",
        )

    def here(self) -> None:
        """The zero onto what is chosen, in every axis it means; or the chosen offset for an operation."""
        view_state, item = self.stage.free(), self.item
        if view_state is None or item is None:
            return
        if self.listed == "operations":
            self._change(lambda editor: editor.assigned(item.title, view_state.row))
        elif item.axes:
            self._put(view_state, item, item.axes, (0.0, 0.0, 0.0))

    def beside(self) -> None:
        """Type how far from the chosen place the zero is to lie."""
        from brisk_anchor.services.measure.datum_rules import read_distances

        view_state, item = self.stage.free(), self.item
        if view_state is None or item is None or not item.axes:
            return

        def weigh(words: str) -> str:
            figures = zip(item.axes.upper(), read_distances(words, item.axes), strict=True)
            places = self._places(item, item.axes, dict(zip(item.axes, read_distances(words, item.axes), strict=True)))
            at = "  ".join(f"{a} {signed_bare(v, 3)}" for a, v in figures)
            return f"zero at {at}; {self._moves(view_state, places)}"

        def answer(words: str) -> None:
            figures = dict(zip(item.axes, read_distances(words, item.axes), strict=True))
            away = (figures.get("x", 0.0), figures.get("y", 0.0), figures.get("z", 0.0))
            self._put(view_state, item, item.axes, away, ask=False)

        axes = ", ".join(item.axes.upper())
        self.stage.ask(Words(f"{axes} from {item.title}", lambda _: "figures with commas between them", weigh, answer))

    @staticmethod
    def _places(item: Item, axes: str, away: Mapping[str, float]) -> dict[str, float]:
        machine = item.machine or (0.0, 0.0, 0.0)
        return {axis: machine["xyz".index(axis)] + away.get(axis, 0.0) for axis in axes}

    @staticmethod
    def _moves(view_state: ViewState, places: Mapping[str, float]) -> str:
        """By how much every program on the offset moves when its zero is put there."""
        from brisk_anchor.services.session.guide import moved_words

        before = view_state.expected_place(view_state.row)
        x, y, z = (places.get(axis, held) for axis, held in zip("xyz", before, strict=True))
        moved = moved_words(before, (x, y, z))
        return f"every program on {view_state.row} moves by {moved}" if moved else "nothing moves"

    def _confirm_move(
        self, view_state: ViewState, places: Mapping[str, float], where: str, work: Callable[[], None]
    ) -> None:
        """Show by how much the zero would move, and ask; what does not move it is done at once."""
        moves = self._moves(view_state, places)
        if moves == "nothing moves":
            work()
            return
        asked = f"Put the zero of {view_state.row} {where}? Enter does it, Esc leaves it."
        self.stage.confirm(asked, f"{moves[0].upper()}{moves[1:]}.", work)

    def _put(
        self, view_state: ViewState, item: Item, axes: str, away: tuple[float, float, float], *, ask: bool = True
    ) -> None:
        if item.machine is None or any(axis not in item.axes for axis in axes):
            self.stage.tell(f"{item.title} says nothing of {axes.upper()}.", "Choose another point.", "ask")
            return
        i = {axis: "xyz".index(axis) for axis in axes}
        places = {axis: item.machine[n] + away[n] for axis, n in i.items()}
        shown = "  ".join(f"{axis.upper()} {signed_bare(away[n])}" for axis, n in i.items() if away[n])
        where = f"{shown} from {item.title}" if shown else f"on {item.title}"
        told = f"The zero of {view_state.row} lies {where}, along {axes.upper()}."

        def work() -> None:
            datums, row = view_state.session.datums, view_state.row
            self._do(view_state, lambda: datums.put_zero(row, places), told, "It is measured where it was")

        if ask:
            self._confirm_move(view_state, places, where, work)
        else:
            work()

    def _do(self, view_state: ViewState, change: Callable[[], bool], told: str, behind: str) -> None:
        before = view_state.expected_place(view_state.row)
        try:
            kept = change()
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        after = view_state.expected_place(view_state.row)
        view_state.moved = (view_state.row, before) if after != before else None
        self.stage.show_all(keep_prompt=True)
        from brisk_anchor.services.session.guide import moved_words

        if moved := moved_words(before, after):
            behind = f"{behind}. Every program on {view_state.row} moves by {moved}"
        saved = "job.toml says so too." if kept else "This job has no file of its own: it lasts until you leave."
        self.stage.tell(told, f"{behind}. {saved}", "good")

    # -- the description ---------------------------------------------------------------------------------------

    def turn(self, angle: int) -> None:
        """Turn the part in its fixture: by an angle, or until the chosen feature lies along an axis."""
        item = self.item
        if angle == 0 and (item is None or item.drawn is None or not item.drawn.skew):
            self.stage.tell("Choose a feature that lies askew to the axes.", "⟨o⟩ turns by a quarter.", "ask")
            return
        skew = item.drawn.skew if item is not None and item.drawn is not None else 0.0
        self._change(lambda editor: editor.turned(editor.job.job.seat_turn + (angle or -skew)))

    def take_off(self) -> None:
        """Take the chosen feature off the drawing."""
        item = self.item
        if item is None or item.drawn is None:
            self.stage.tell("Choose a feature of the part.", "", "ask")
            return
        name = item.drawn.name
        self._change(lambda editor: editor.removed(name))

    def undo(self) -> None:
        """Take the last change of the description back."""
        view_state = self.stage.free()
        if view_state is None:
            return
        try:
            told = view_state.session.editor.undo()
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self.stage.show_all(keep_prompt=True)
        self.stage.tell(
            f"{told[0].upper()}{told[1:]}." if told else "Nothing was changed since it was opened.", "", "ask"
        )

    def _change(self, work: Callable[[JobEditor], Change]) -> None:
        view_state = self.stage.free()
        if view_state is not None:
            make_change(self.stage, view_state.session, work)


def make_change(stage: Stage, session: Session, work: Callable[[JobEditor], Change]) -> None:
    """Work a change of the description out, make it, and tell what it was; or why it cannot be."""
    from brisk_anchor.core.errors import JobError

    try:
        change = work(session.editor.changing())
        session.editor.change(change)
    except JobError as error:
        finding = error.findings[0]
        stage.tell(f"{finding.reason[0].upper()}{finding.reason[1:]}.", f"Nothing was changed. {finding.place}", "bad")
        return
    except BriskAnchorError as error:
        stage.complain(error)
        return
    stage.show_all(keep_prompt=True)
    stage.tell(_sentence(change.told), "⟨u⟩ takes it back.", "good")
