"""The bench: the set-up drawn live, the big readout, the rose and the chain of the chosen offset."""

from __future__ import annotations

from threading import Event
from typing import TYPE_CHECKING

from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import dim, num, shown_unit, signed_bare
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.active_row import with_active_row
from brisk_anchor.tui.base import Handlers, Stage
from brisk_anchor.tui.bench.chain_panel import ChainPanel
from brisk_anchor.tui.bench.hands import HandMeasuring
from brisk_anchor.tui.bench.marking import Marking
from brisk_anchor.tui.bench.measured_list import CORRECTED, MeasuredList
from brisk_anchor.tui.bench.measured_panel import MeasuredPanel
from brisk_anchor.tui.bench.places_panel import PlacesPanel
from brisk_anchor.tui.bench.readout import Readout
from brisk_anchor.tui.bench.row_setting import RowSettingLine
from brisk_anchor.tui.bench.touch_pattern_panel import TouchPatternPanel
from brisk_anchor.tui.budget_sheet import show_budget
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.entry import Words
from brisk_anchor.tui.looking import DrawnView
from brisk_anchor.tui.panels import Heading
from brisk_anchor.tui.taking_back import take_back
from brisk_anchor.tui.view_state import JOG_STEPS, Measuring, ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement
    from brisk_anchor.services.session.repeatability import Repeated
    from brisk_anchor.tui.link_desk import LinkDesk

_REPEATS = 25


class BenchView(DrawnView):
    """The home view."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.marking = Marking(stage)
        self.hands = HandMeasuring(stage)
        self.setting = RowSettingLine(stage, self.store)
        self.listed = MeasuredList(stage)

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.POINT: self.marking.point,
            Do.FIND: self.marking.find,
            Do.MARK: self.marking.mark,
            Do.MEASURE: self.measure,
            Do.SET_FROM: self.setting.set_from,
            Do.CHOOSE_ROW: self.setting.choose_row,
            Do.TWICE: self.twice,
            Do.CHOOSE_MEASURED: self.listed.choose,
            Do.RENAME: self.listed.rename,
            Do.CORRECT: self.listed.correct,
            Do.TAKE_OFF: self.listed.remove,
            Do.STORE: self.store,
            Do.WRITE_FOLLOWING: self.write_following,
            Do.FIGURE: self.marking.figure,
            Do.ALL_ROUND: self.marking.all_round,
            Do.STANCE: self.marking.stance,
            Do.FORM: self.marking.form,
            Do.WAY: self.hands.way,
            Do.INTO_PLAN: self.into_plan,
            Do.AGAIN: self.again,
            Do.REPEAT: self.repeat,
            Do.BUDGET: self.budget,
            Do.CALIBRATE: self.hands.calibrate,
            Do.CLEAR: self.marking.clear,
            Do.CLAMP: self.clamp,
            Do.TAKE_BACK: self.take_back,
            Do.ZOOM: self.zoom,
            Do.MAGNIFY: self.magnify,
            Do.PAN: self.pan,
            Do.DIMENSIONS: self.dimensions,
            Do.READOUT: self.readout,
            Do.JOG: self.jog,
            Do.HOME: self.home,
            Do.JOG_STEP: self.jog_step,
            Do.CHOOSE_PLACE: self.choose_place,
            Do.ROTATION_CENTRE: self.rotation_centre,
            Do.STANDS: self.stands,
            Do.STOP: self.stop,
        }

    def after_question(self, name: str) -> None:
        """Go on to the next figure of what is asked for."""
        if name.startswith(CORRECTED):
            self.listed.correct(after=name)
        else:
            self.marking.figure(after=name)

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do; where a program waits for a person at the control, that."""
        if view_state.desk is not None and view_state.request is None and (waits := view_state.desk.waits) is not None:
            return waits
        return view_state.next_step()

    def on_drawing_pointed(self, message: Drawing.Pointed) -> None:
        """A click on the plan points at the nearest feature of the drawing."""
        self.marking.point_near(message.x, message.y)

    def compose(self) -> ComposeResult:
        """Drawing on the left; readout, rose and chain on the right."""
        with Vertical(id="bench-left"):
            yield Drawing(id="bench-drawing")
            yield Heading(id="measured-heading")
            yield MeasuredPanel(id="measured")
        with Vertical(id="bench-side"):
            yield Readout(id="readout")
            yield Heading(id="touch-pattern-heading")
            yield TouchPatternPanel(id="touch-pattern")
            yield Heading(id="chain-heading")
            yield ChainPanel(id="chain")
            yield Heading(id="places-heading")
            yield PlacesPanel(id="places")

    # -- showing -----------------------------------------------------------------------------------------------

    def show(self) -> None:
        """Bring everything up to date."""
        view_state = self.view_state
        if view_state is None:
            self._show_empty()
            return
        self.show_motion()
        session = view_state.session
        for widget in ("#touch-pattern-heading", "#touch-pattern"):
            self.query_one(widget).display = view_state.running is None
        request = view_state.present_request()
        self.query_one("#touch-pattern-heading", Heading).tell("rose", "what to measure")
        self.query_one(TouchPatternPanel).tell(
            request,
            view_state.measurement() if view_state.hand is None else None,
            session.setup.start_uncertainty,
            view_state.hand.ball_diameter if view_state.hand else session.setup.stylus.ball_diameter,
            view_state.by_hand(),
            drawn=bool(session.setup.features),
            near="(Shift and arrows)" if session.real is None else "(⟨h⟩ types its place)",
        )
        state = session.rows.state(view_state.row).value
        self.query_one("#chain-heading", Heading).tell(
            f"chain of {session.ledger.named(view_state.row)}",
            f"{state}, {shown_unit().word}",
            theme.STATE_SHAPES[state][1],
        )
        titles = {drawn.name: drawn.title for drawn in session.setup.features}
        missing = session.rows.missing(view_state.row)
        chain, proof = session.solver.part_chain(view_state.row), None
        if not missing or chain is None:
            last = session.ledger.newest(view_state.row)
            if chain is None and last is not None and last.chain is not None:
                chain, missing = last.chain, []
            proof = last.proof if last else None
        agreements = [
            agreement
            for feature in (chain.features if chain else ())
            if feature.name in session.measured
            for agreement in session.measured[feature.name].agreements
            if not agreement.is_size
        ]
        from brisk_anchor.services.session.feature_list import feature_lines

        lines = feature_lines(session, view_state.row) if view_state.running is None else []
        unit = shown_unit().value
        heading = self.query_one("#measured-heading", Heading)
        heading.display = bool(lines)
        heading.tell(f"measured since clamping, machine {unit}", "" if len(lines) < 2 else "⟨,⟩ ⟨.⟩ choose")
        self.query_one(MeasuredPanel).tell(lines, view_state.chosen, view_state.row)
        names = [titles[name] for name in missing]
        self._show_places(view_state)
        settled = state in ("stored", "proved")
        self.query_one(ChainPanel).tell(chain, names, proof, agreements, settled=settled)

    def _show_places(self, view_state: ViewState) -> None:
        from brisk_anchor.services.session.places_map import places_map

        faces = places_map(view_state.session, view_state.shown_angles) if view_state.session.setup.places else []
        heading = self.query_one("#places-heading", Heading)
        heading.display = bool(faces)
        heading.tell("places of the fixture", "[ ] choose")
        self.query_one(PlacesPanel).tell(faces, view_state.place, self.query_one(ChainPanel).size.width)

    def choose_place(self, step: int) -> None:
        """Choose the next place of the fixture, or the one before."""
        view_state = self.stage.free()
        if view_state is None:
            return
        if not view_state.next_place(step):
            self.stage.tell("This fixture holds one part.", "job.toml says by [repeat] how many it holds.", "ask")
            return
        self.stage.show_all()

    def rotation_centre(self) -> None:
        """Ask which measurements give the centre of which axis; show what comes of them before it is taken."""
        from datetime import date

        from brisk_anchor.services.session.rotation_centre import FORMS, read_centre, take_centre

        view_state = self.stage.free()
        if view_state is None:
            return
        session = view_state.session
        if not session.setup.machine.rotary:
            self.stage.tell("This machine has no rotary axis.", "machine.toml has them as [[rotary]].", "ask")
            return

        def take(words: str) -> None:
            def work() -> tuple[str, str]:
                told = take_centre(session, read_centre(session, words), date.today().isoformat())
                return told, "It stands in the machine's file, with its ± and the day."

            self.stage.attempt(work)

        self.stage.ask(Words("centre of rotation", FORMS, lambda words: read_centre(session, words).words, take))

    def on_measured_panel_chosen(self, message: MeasuredPanel.Chosen) -> None:
        """A click on a feature of the list."""
        self.listed.choose_named(message.name)

    def on_places_panel_chosen(self, message: PlacesPanel.Chosen) -> None:
        """A click on a place of the map."""
        view_state = self.stage.free()
        if view_state is not None:
            view_state.choose_place(message.name)
            self.stage.show_all()

    def _show_empty(self) -> None:
        self.query_one(Readout).tell(("", "", ""), "machine", "opening the set-up", None, 0.0, live=False)
        self.query_one("#touch-pattern-heading", Heading).tell("rose")
        self.query_one("#chain-heading", Heading).tell("chain")

    def show_motion(self) -> None:
        """Bring drawing and readout up to date; called many times a second while something moves."""
        view_state = self.view_state
        if view_state is None:
            return
        self.query_one(Drawing).show(view_state.picture())
        spindle = view_state.spindle
        shown = spindle
        frame = "spindle, machine position"
        if view_state.in_work and view_state.session.active:
            # By hand the control shows the spindle, with tool length cancelled; with the probe its tip is of interest.
            length = view_state.session.setup.stylus.length if view_state.hand is None else 0.0
            shown = view_state.session.rows.place_in(view_state.session.active, spindle, length)
            frame = f"{'tip' if view_state.hand is None else 'spindle'}, position in {view_state.session.active}"
        figures = tuple(signed_bare(value, 3) for value in shown)
        if view_state.desk is not None:
            self._show_linked(view_state.desk)
            return
        running = view_state.running
        progress = running.player.progress(running.measurement) if running else None
        doing, to_go, share = (progress.doing, progress.to_go, progress.share) if progress else ("at rest", None, 0.0)
        self.query_one(Readout).tell(
            (figures[0], figures[1], figures[2]),
            frame,
            doing,
            to_go,
            share,
            live=view_state.running is not None,
            doubt=view_state.doubt(),
        )

    def _show_linked(self, desk: LinkDesk) -> None:
        """What is known of a control that stands elsewhere: no position, but what it is at."""
        from brisk_anchor.services.orders.orders_words import large_words

        big, what, doing, live = large_words(desk.orders, desk.state)
        self.query_one(Readout).tell_linked(big, what, doing, live=live)

    # -- measuring and storing ---------------------------------------------------------------------------------

    def measure(self) -> None:
        """Measure what the rose asks for; or store, when that was asked."""
        view_state = self.stage.free()
        if view_state is None:
            return
        request = view_state.present_request()
        if request is None or not request.pattern.marks:
            self.stage.tell("Nothing is marked.", "⟨f⟩ points at a drawn feature; the arrow keys mark metal.", "ask")
            return
        if view_state.hand is not None:
            by_hand = view_state.by_hand()
            if by_hand is None:
                self.stage.tell(*self.stage.next_sentence(), "bad")
            else:
                self.hands.ask_figure(view_state, by_hand)
            return
        reading = view_state.session.positions.read()
        if request.drawn is None and view_state.desk is not None and (reading is None or not reading.fresh):
            old = "is not known" if reading is None else f"was {reading.words}"
            self.stage.tell(f"Where the spindle stands {old}.", "⟨h⟩: type it as the control shows it.", "ask")
            return
        if view_state.desk is None and view_state.session.machine.touching:
            self.stage.tell("The probe stands against metal.", "⟨h⟩ sends it home, Z first; or jog it off.", "bad")
            return
        try:
            measurement = view_state.session.planner.measurement_of(request)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self._begin(view_state, measurement)

    def into_plan(self) -> None:
        """Put what the rose asks for into the plan, as it is asked for."""
        view_state = self.stage.free()
        if view_state is None or (request := view_state.present_request()) is None or not request.pattern.marks:
            self.stage.tell("Nothing is marked.", "⟨f⟩ points at a drawn feature; the arrow keys mark metal.", "ask")
            return
        try:
            builder = view_state.open_plan(self.stage.folder)
            at = builder.add_marked(request, view_state.session.setup.stylus.length)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        name = builder.plan.measure[at].known_as
        self.stage.tell(f"{name} is number {at + 1} of the plan.", "⟨7⟩ shows the plan.", "good")

    def again(self) -> None:
        """Make the touches of the last feature again that may be off; the whole feature where nobody can tell which."""
        from brisk_anchor.services.measure.touch_again import places_again

        view_state = self.stage.free()
        if view_state is None:
            return
        newest = view_state.session.working.last_measured
        if newest is not None and newest.measurement is None:
            self.listed.read_again(newest.feature)
        elif newest is not None and (last := self._last(view_state)) is not None:
            self._begin(view_state, places_again(last, newest.feature))
        else:
            self._last(view_state)

    def repeat(self) -> None:
        """Measure the last feature many times, and show how its figures spread."""
        from brisk_anchor.services.session.repeatability import repeat

        view_state = self.stage.free()
        if view_state is None or (last := self._last(view_state)) is None:
            return
        if view_state.desk is not None:
            title = f"{last.title or last.name} {_REPEATS} times"
            view_state.desk.hand_over(title, lambda orders, told: orders.repeat(last, _REPEATS, told))
            return
        stopped = Event()
        view_state.repeating = stopped
        self.stage.tell(f"Measuring {last.title or last.name} {_REPEATS} times.", "Esc stops it.")

        def go_on(done: int) -> bool:
            words = f"{last.title or last.name}: {done} of {_REPEATS} runs done."
            self.stage.from_background(lambda: self.stage.tell(words, "Esc stops it."))
            return not stopped.is_set()

        def work() -> None:
            try:
                found = repeat(view_state.session, last, _REPEATS, go_on)
            except BriskAnchorError as error:
                ended = error
                self.stage.from_background(lambda: self.repeated(view_state, last, ended))
            else:
                self.stage.from_background(lambda: self.repeated(view_state, last, found))

        self.stage.in_background(work, "repeat")

    def repeated(self, view_state: ViewState, last: Measurement, found: list[Repeated] | BriskAnchorError) -> None:
        """Show what the runs gave, or why they ended."""
        from brisk_anchor.tui.bench.repeat_sheet import RepeatSheet

        view_state.repeating = None
        self.stage.show_all()
        if isinstance(found, BriskAnchorError):
            self.stage.complain(found)
            return
        title = last.title or last.name

        def write() -> str:
            from brisk_anchor.services.offsets.sheets import write_repeat_chart

            try:
                paths = write_repeat_chart(view_state.session, title, found, self.stage.folder)
            except BriskAnchorError as error:
                return error.one_line(marked=True)
            return f"Written: {' and '.join(path.name for path in paths)} in {paths[0].parent}"

        def keep() -> str:
            from brisk_anchor.services.session.repeatability import keep_repeatability

            try:
                told = keep_repeatability(view_state.session, last, found)
            except BriskAnchorError as error:
                return error.one_line(marked=True)
            self.stage.show_all()
            return told

        self.stage.open_sheet(RepeatSheet(title, found, write, keep))

    def budget(self) -> None:
        """What the ± of the offset is made of, as far as it is known."""
        view_state = self.view_state
        if view_state is None:
            return
        session, row = view_state.session, view_state.row
        newest = session.ledger.newest(row)
        show_budget(self.stage, session.solver.part_chain(row) or (newest.chain if newest else None), row)

    def twice(self) -> None:
        """Ask for the last corner, block, pocket, slot or edge again with two touches on each wall."""
        view_state = self.stage.free()
        if view_state is None or (last := self._last(view_state)) is None:
            return
        from brisk_anchor.services.measure.found_features import twice_of

        request = twice_of(view_state.session.setup, last)
        if request is None:
            self.stage.tell(f"{last.title} is not touched twice a wall.", "Corners, blocks, pockets, slots are.", "ask")
            return
        view_state.request = request
        self.stage.show_all()

    def _last(self, view_state: ViewState) -> Measurement | None:
        """The last measurement of the probe; says so where there is none."""
        newest = view_state.session.working.last_probed
        last = newest.measurement if newest is not None else None
        if last is None:
            self.stage.tell("Nothing was measured with the probe yet.", "⟨f⟩ points, Enter measures.", "ask")
        elif view_state.session.machine.touching:
            self.stage.tell("The probe stands against metal.", "⟨h⟩ sends it home, Z first; or jog it off.", "bad")
            return None
        return last

    def _begin(self, view_state: ViewState, measurement: Measurement) -> None:
        """Put the measuring program on the machine and let it run; or where a linked control finds it."""
        if view_state.desk is not None:
            view_state.request = None
            view_state.desk.hand_over(
                measurement.title or measurement.name, lambda orders, told: orders.measure(measurement, told)
            )
            return
        from brisk_anchor.services.machine.player import Player

        try:
            program = view_state.session.planner.measuring_program(measurement)
            player = Player(view_state.session.runner.start(program), view_state.speed)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        view_state.places = []
        view_state.running = Measuring(player, program, measurement)
        self.stage.show_all(keep_prompt=True)
        speeds = ""
        if (probing := view_state.session.profile.probing) is not None:
            speeds = (
                f"Search {dim(measurement.search)} at F{num(probing.search_feed)}, then slowly at "
                f"F{num(probing.touch_feed)}; every other move near the part is guarded."
            )
        self.stage.tell(f"Measuring {measurement.title}. Esc stops the machine.", speeds)

    def follow(self, seconds: float) -> None:
        """Let the running measurement go on; take its result at the end."""
        view_state = self.view_state
        if view_state is None or view_state.running is None:
            return
        running = view_state.running
        running.player.advance(seconds)
        view_state.places = [motion.contact for motion in running.player.touched if motion.contact]
        if not running.player.over:
            self.show_motion()
            return
        view_state.running = None
        try:
            measured = view_state.session.runner.take(running.measurement, running.program, running.player.run)
        except BriskAnchorError as error:
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        view_state.request = None
        self.hands.tell_measured(view_state, measured.feature, running.measurement.title)

    def store(self) -> None:
        """Second look; then ask for Enter."""
        from brisk_anchor.services.session.guide import store_preview

        view_state = self.stage.free()
        if view_state is None:
            return
        session = view_state.session
        if not session.setup.row(view_state.row).rules:
            self.stage.tell(f"{view_state.row} is set from nothing yet.", "⟨z⟩ says what it is set from.", "ask")
            return
        if missing := session.rows.missing(view_state.row):
            titles = {drawn.name: drawn.title for drawn in session.setup.features}
            names = ", ".join(titles[name] for name in missing)
            self.stage.tell(f"{view_state.row} cannot be stored: {names} is not measured.", "⟨f⟩ points at it.", "bad")
            return
        try:
            looks = session.writer.look_before_store(view_state.row)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        stops = [look for look in looks if look.stops]
        if stops:
            look = stops[0]
            self.stage.tell(f"Second look: {look.found}.", f"{look.why}. {look.do}.", "bad")
            return
        note = f"Second look: {looks[0].found}. {looks[0].do}. " if looks else "Second look: nothing found. "
        self.stage.confirm(
            f"Store {view_state.row}? Enter stores, Esc leaves it.",
            note + store_preview(session, view_state.row),
            lambda: self._store_now(view_state),
        )

    def write_following(self) -> None:
        """Show what follows the row being set; Enter writes it."""
        from brisk_anchor.tui.rows_sheet import show_following

        if self.view_state is not None:
            show_following(self.stage, self.view_state.row)

    def _store_now(self, view_state: ViewState) -> None:
        row = view_state.row
        if view_state.desk is not None:
            view_state.desk.hand_over(f"the program that sets {row}", lambda orders, told: orders.store(row, told))
            return
        try:
            chain = view_state.session.writer.store(view_state.row)
        except BriskAnchorError as error:
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        self.stage.show_all()
        from brisk_anchor.services.session.guide import value_words

        values = value_words(chain.values)
        if not view_state.session.setup.machine.connected:
            self.stage.tell(f"Type into {view_state.row} on the control: {values}.", "It is in the book.", "good")
            return
        self.stage.tell(
            f"{view_state.row} stored: {values}. Press ⟨p⟩ to prove it.",
            "It is in the control and in the book.",
            "good",
        )

    def clamp(self) -> None:
        """The part was clamped again."""
        view_state = self.stage.free()
        if view_state is None:
            return
        editor = view_state.session.editor
        voids = editor.clamp_voids()

        def work() -> None:
            try:
                editor.declare("clamped again", editor.clamp)
            except BriskAnchorError as error:
                self.stage.complain(error)
                return
            if view_state.desk is not None:
                view_state.desk.look()  # other windows, and the next start, know of it at once
            view_state.places = []
            self.stage.show_all()
            told = ", ".join(voids.rows) if voids.rows else "no stored offset"
            self.stage.tell(
                "Clamped again: earlier measurements are out of date.", f"Stale now: {told}. ⟨U⟩ takes it back.", "ask"
            )

        if voids.nothing:
            work()
        else:
            self.stage.confirm("Was the part clamped again? Enter marks it, Esc leaves it.", voids.words, work)

    def take_back(self) -> None:
        """Take the last declaration back: what it made out of date holds again."""
        if (view_state := self.stage.free()) is not None:
            take_back(self.stage, view_state)

    # -- the machine -------------------------------------------------------------------------------------------

    def jog(self, axis: str, sign: int) -> None:
        """Jog by one step, guarded."""
        view_state = self.stage.free()
        if view_state is None:
            return
        try:
            met = view_state.session.panel.jog(axis, sign * view_state.jog_step)
        except BriskAnchorError as error:
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        self.stage.show_all()
        if met:
            self.stage.tell(
                f"Contact with {met}: stopped, and backed off.", "Mark it with an arrow key to measure it.", "ask"
            )

    def home(self) -> None:
        """Send the spindle home."""
        view_state = self.stage.free()
        if view_state is None:
            return
        try:
            view_state.session.panel.home()
        except BriskAnchorError as error:
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        self.stage.show_all()

    def stands(self) -> None:
        """Type where the spindle stands, as the control shows it."""
        view_state = self.stage.free()
        if view_state is None or view_state.session.real is None:
            return
        real, positions, frame = view_state.session.real, view_state.session.typed_positions, view_state.frame()

        def weigh(words: str) -> str:
            place = positions.typed(words, frame, shown_unit()).spindle
            return "spindle at machine " + "  ".join(signed_bare(value, 3) for value in place)

        def answer(words: str) -> None:
            reading = positions.typed(words, frame, shown_unit())
            positions.keep(reading)
            real.stands = reading.spindle
            self.stage.show_all()
            self.stage.tell(f"The spindle stands there: {reading.words}.", "Mark metal with the arrows.", "good")

        self.stage.ask(Words("X, Y, Z", f"{frame.words}; read off the control at rest", weigh, answer))

    def jog_step(self) -> None:
        """Take the next jog step."""
        if (view_state := self.stage.free()) is not None:
            view_state.jog_chosen = (view_state.jog_chosen + 1) % len(JOG_STEPS[shown_unit()])
            self.stage.tell(
                f"Jog step {dim(view_state.jog_step)}.", "Shift and the arrow keys jog; ⟨PgUp⟩ and ⟨PgDn⟩ jog Z."
            )

    def readout(self) -> None:
        """Machine positions, or positions in the active offset."""
        if (view_state := self.view_state) is None:
            return

        def turn_over() -> None:
            view_state.in_work = not view_state.in_work
            self.stage.show_all()

        if view_state.in_work:
            turn_over()
        else:
            with_active_row(self.stage, turn_over)

    def stop(self) -> None:
        """Stop the machine, or leave what was begun."""
        view_state = self.view_state
        if view_state is None:
            return
        if view_state.repeating is not None:
            view_state.repeating.set()
            return
        if view_state.running is not None:
            view_state.running.player.stop()
            failure = view_state.running.player.run.failure()
            view_state.running = None
            view_state.session.link.settle()
            self.stage.show_all(keep_prompt=True)
            if failure:
                self.stage.complain(failure)
            return
        if view_state.desk is not None and view_state.request is None and view_state.desk.waits is not None:
            view_state.desk.give_up()
            return
        if view_state.session.link.condition.alarm:
            view_state.session.panel.reset()
            self.stage.show_all(keep_prompt=True)
            self.stage.tell("The alarm is reset.", self.next_sentence(view_state)[0], "good")
            return
        self.stage.show_all()
