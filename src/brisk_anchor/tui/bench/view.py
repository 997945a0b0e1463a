"""The bench: the set-up drawn live, the big readout, the rose and the chain of the chosen offset."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.numbers import format_length
from brisk_anchor.tui import theme
from brisk_anchor.tui.bench.chain_panel import ChainPanel
from brisk_anchor.tui.bench.marking import MarkingView
from brisk_anchor.tui.bench.readout import Readout
from brisk_anchor.tui.bench.rose_panel import RosePanel
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.panels import Heading
from brisk_anchor.tui.view_state import JOG_STEPS, Measuring, ViewState

if TYPE_CHECKING:
    from brisk_anchor.core.features.measuring import Measurement
    from brisk_anchor.standin.motion import Motion

_REPEATS = 25
_MOVING = {"rapid": "rapid", "skip": "guarded", "feed": "backing off", "dwell": "waiting"}


class BenchView(MarkingView):
    """The home view."""

    def compose(self) -> ComposeResult:
        """Drawing on the left; readout, rose and chain on the right."""
        yield Drawing(id="bench-drawing")
        with Vertical(id="bench-side"):
            yield Readout(id="readout")
            yield Heading(id="rose-heading")
            yield RosePanel(id="rose")
            yield Heading(id="chain-heading")
            yield ChainPanel(id="chain")

    # -- showing -----------------------------------------------------------------------------------------------

    def show(self) -> None:
        """Bring everything up to date."""
        desk = self.desk
        if desk is None:
            self._show_empty()
            return
        self.show_motion()
        workshop = desk.workshop
        for widget in ("#rose-heading", "#rose"):
            self.query_one(widget).display = desk.running is None
        asking = desk.present_asking()
        self.query_one("#rose-heading", Heading).tell("rose", "what to measure")
        self.query_one(RosePanel).tell(
            asking,
            desk.measurement() if desk.hand is None else None,
            workshop.setup.start_uncertainty,
            desk.hand.ball_diameter if desk.hand else workshop.setup.stylus.ball_diameter,
            desk.by_hand(),
        )
        state = workshop.state(desk.row).value
        self.query_one("#chain-heading", Heading).tell(f"chain of {desk.row}", state, theme.STATE_SHAPES[state][1])
        titles = {drawn.name: drawn.title for drawn in workshop.setup.features}
        missing = workshop.missing(desk.row)
        chain = workshop.part_chain(desk.row)
        proof = None
        if not missing or chain is None:
            entries = workshop.history(desk.row)
            last = workshop.ledger.whole(desk.row, len(entries) - 1) if entries else None
            if chain is None and last is not None and last.chain is not None:
                chain, missing = last.chain, []
            proof = last.proof if last else None
        agreements = [
            agreement
            for feature in (chain.features if chain else ())
            if feature.name in workshop.measured
            for agreement in workshop.measured[feature.name].agreements
            if not agreement.is_size
        ]
        names = [titles[name] for name in missing]
        settled = state in ("stored", "proved")
        self.query_one(ChainPanel).tell(chain, names, proof, agreements, settled=settled)

    def _show_empty(self) -> None:
        self.query_one(Readout).tell(("", "", ""), "machine", "opening the set-up", None, 0.0, live=False)
        self.query_one("#rose-heading", Heading).tell("rose")
        self.query_one("#chain-heading", Heading).tell("chain")

    def show_motion(self) -> None:
        """Bring drawing and readout up to date; called many times a second while something moves."""
        desk = self.desk
        if desk is None:
            return
        self.query_one(Drawing).show(desk.picture())
        spindle = desk.spindle
        shown = spindle
        frame = "spindle, machine position"
        if desk.in_work:
            # By hand the control shows the spindle, with tool length cancelled; with the probe its tip is of interest.
            length = desk.workshop.setup.stylus.length if desk.hand is None else 0.0
            shown = desk.workshop.place_in(desk.workshop.active, spindle, length)
            frame = f"{'tip' if desk.hand is None else 'spindle'}, position in {desk.workshop.active}"
        figures = tuple(format_length(value, decimals=3, signed=True) for value in shown)
        doing, to_go, share = "at rest", None, 0.0
        if desk.running:
            player = desk.running.player
            to_go = player.to_go
            if player.motion:
                doing, whole = self._doing(desk.running, player.motion)
                gone = math.dist(player.position, player.motion.start)
                to_go = whole - gone if to_go is not None else None
                share = min(1.0, gone / whole) if whole else 1.0
        self.query_one(Readout).tell(
            (figures[0], figures[1], figures[2]), frame, doing, to_go, share, live=desk.running is not None
        )

    @staticmethod
    def _doing(running: Measuring, motion: Motion) -> tuple[str, float]:
        """What the machine does, and how long this move is: a touch to where the wall should be, else to its end."""
        player, measurement = running.player, running.measurement
        length = math.dist(motion.end, motion.start)
        probing = player.run.interpreter.profile.probing
        if probing is None or motion.kind.value != "skip" or motion.feed == probing.guarded_feed:
            return _MOVING[motion.kind.value], length
        made = len(player.touched)
        slow = len(player.contacts) % 2 == 1  # the wall was found: what comes now is the touch that counts
        number = min(measurement.touch_count, made + 1)
        expected = probing.back_off if slow else measurement.nominal_reach
        return f"touch {number} of {measurement.touch_count}" + (", slow" if slow else ""), expected

    # -- measuring and storing ---------------------------------------------------------------------------------

    def measure(self) -> None:
        """Measure what the rose asks for; or store, when that was asked."""
        desk = self.free_desk()
        if desk is None:
            return
        if desk.storing:
            self._store_now(desk)
            return
        asking = desk.present_asking()
        if asking is None or not asking.rose.marks:
            self.owner.tell("Nothing is marked.", "f points at a drawn feature; the arrow keys mark metal.", "ask")
            return
        if desk.hand is not None:
            by_hand = desk.by_hand()
            if by_hand is None:
                self.owner.tell(*self.owner.next_sentence(), "bad")
            else:
                self._ask_figure(desk, by_hand)
            return
        if desk.workshop.machine.touching:
            self.owner.tell("The probe stands against metal.", "h sends it home, Z first; or jog it off.", "bad")
            return
        try:
            measurement = desk.workshop.measurement_of(asking)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        self._begin(desk, measurement)

    def into_plan(self) -> None:
        """Put what the rose asks for into the plan, as it is asked for."""
        desk = self.free_desk()
        if desk is None or (asking := desk.present_asking()) is None or not asking.rose.marks:
            self.owner.tell("Nothing is marked.", "f points at a drawn feature; the arrow keys mark metal.", "ask")
            return
        try:
            builder = desk.open_plan(self.owner.folder)
            at = builder.add_marked(asking, desk.workshop.setup.stylus.length)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        name = builder.plan.measure[at].known_as
        self.owner.tell(f"{name} is number {at + 1} of the plan.", "7 shows the plan.", "good")

    def again(self) -> None:
        """Measure the last feature again, as it was."""
        desk = self.free_desk()
        if desk is not None and (last := self._last(desk)) is not None:
            self._begin(desk, last)

    def repeat(self) -> None:
        """Measure the last feature many times, and show how its figures spread."""
        from brisk_anchor.services.session.repeatability import repeat
        from brisk_anchor.tui.bench.repeat_sheet import RepeatSheet

        desk = self.free_desk()
        if desk is None or (last := self._last(desk)) is None:
            return
        try:
            found = repeat(desk.workshop, last, _REPEATS)
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        title = last.title or last.name

        def write() -> str:
            from brisk_anchor.services.offsets.sheets import write_repeat_chart

            try:
                paths = write_repeat_chart(desk.workshop, title, found, self.owner.folder)
            except BriskAnchorError as error:
                return error.one_line()
            return f"Written: {' and '.join(path.name for path in paths)} in {paths[0].parent}"

        self.owner.show_all()
        self.owner.push_screen(RepeatSheet(title, found, write))

    def _last(self, desk: ViewState) -> Measurement | None:
        """The last measurement of the probe; says so where there is none."""
        made = sorted(desk.workshop.measured.values(), key=lambda measured: measured.at)
        last = next((measured.measurement for measured in reversed(made) if measured.measurement is not None), None)
        if last is None:
            self.owner.tell("Nothing was measured with the probe yet.", "f points, Enter measures.", "ask")
        elif desk.workshop.machine.touching:
            self.owner.tell("The probe stands against metal.", "h sends it home, Z first; or jog it off.", "bad")
            return None
        return last

    def _begin(self, desk: ViewState, measurement: Measurement) -> None:
        """Put the measuring program on the machine and let it run."""
        from brisk_anchor.services.machine.player import Player

        try:
            program = desk.workshop.measuring_program(measurement)
            player = Player(desk.workshop.start(program), desk.speed)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        desk.places = []
        desk.running = Measuring(player, program, measurement)
        self.owner.show_all(keep_prompt=True)
        speeds = ""
        if (probing := desk.workshop.profile.probing) is not None:
            speeds = (
                f"Search {measurement.search:g} mm at F{probing.search_feed:g}, then slowly at "
                f"F{probing.touch_feed:g}; every other move near the part is guarded."
            )
        self.owner.tell(f"Measuring {measurement.title}. Esc stops the machine.", speeds)

    def follow(self, seconds: float) -> None:
        """Let the running measurement go on; take its result at the end."""
        desk = self.desk
        if desk is None or desk.running is None:
            return
        running = desk.running
        running.player.advance(seconds)
        desk.places = [motion.contact for motion in running.player.touched if motion.contact]
        if not running.player.over:
            self.show_motion()
            return
        desk.running = None
        try:
            measured = desk.workshop.take(running.measurement, running.program, running.player.run)
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        desk.asking = None
        self._tell_measured(desk, measured.feature, running.measurement.title)

    def store(self) -> None:
        """Second look; then ask for Enter."""
        from brisk_anchor.services.session.guide import store_preview

        desk = self.free_desk()
        if desk is None:
            return
        workshop = desk.workshop
        if missing := workshop.missing(desk.row):
            titles = {drawn.name: drawn.title for drawn in workshop.setup.features}
            names = ", ".join(titles[name] for name in missing)
            self.owner.tell(f"{desk.row} cannot be stored: {names} is not measured.", "f points at it.", "bad")
            return
        try:
            looks = workshop.look_before_store(desk.row)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        stops = [look for look in looks if look.stops]
        if stops:
            look = stops[0]
            self.owner.tell(f"Second look: {look.found}.", f"{look.why}. {look.do}.", "bad")
            return
        desk.storing = True
        note = f"Second look: {looks[0].found}. " if looks else "Second look: nothing found. "
        self.owner.tell(
            f"Store {desk.row}? Enter stores, Esc leaves it.", note + store_preview(workshop, desk.row), "ask"
        )

    def _store_now(self, desk: ViewState) -> None:
        desk.storing = False
        try:
            chain = desk.workshop.store(desk.row)
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        self.owner.show_all()
        from brisk_anchor.services.session.guide import value_words

        values = value_words(chain.values)
        if not desk.workshop.setup.machine.connected:
            self.owner.tell(f"Type into {desk.row} on the control: {values}.", "It is in the book.", "good")
            return
        self.owner.tell(
            f"{desk.row} stored: {values}. Press p to prove it.", "It is in the control and in the book.", "good"
        )

    def clamp(self) -> None:
        """The part was clamped again."""
        desk = self.free_desk()
        if desk is None:
            return
        try:
            rows = desk.workshop.clamp()
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        desk.places = []
        self.owner.show_all()
        told = ", ".join(rows) if rows else "no stored offset"
        self.owner.tell("Clamped again: what was measured before is worth nothing.", f"Stale now: {told}.", "ask")

    # -- the machine -------------------------------------------------------------------------------------------

    def jog(self, axis: str, sign: int) -> None:
        """Jog by one step, guarded."""
        desk = self.free_desk()
        if desk is None:
            return
        try:
            met = desk.workshop.jog(axis, sign * desk.jog_step)
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        self.owner.show_all()
        if met:
            self.owner.tell(
                f"Contact with {met}: stopped, and backed off.", "Mark it with an arrow key to measure it.", "ask"
            )

    def home(self) -> None:
        """Send the spindle home."""
        desk = self.free_desk()
        if desk is None:
            return
        try:
            desk.workshop.home()
        except BriskAnchorError as error:
            self.owner.show_all(keep_prompt=True)
            self.owner.complain(error)
            return
        self.owner.show_all()

    def jog_step(self) -> None:
        """Take the next jog step."""
        if (desk := self.free_desk()) is not None:
            desk.jog_step = JOG_STEPS[(JOG_STEPS.index(desk.jog_step) + 1) % len(JOG_STEPS)]
            self.owner.tell(f"Jog step {desk.jog_step:g} mm.", "Shift and the arrow keys jog; PgUp and PgDn jog Z.")

    def readout(self) -> None:
        """Machine positions, or positions in the active offset."""
        if (desk := self.desk) is not None:
            desk.in_work = not desk.in_work
            if desk.hand is None:
                self.show_motion()
            else:
                self.owner.show_all()

    def stop(self) -> None:
        """Stop the machine, or leave what was begun."""
        desk = self.desk
        if desk is None:
            return
        if desk.running is not None:
            desk.running.player.stop()
            failure = desk.running.player.run.failure()
            desk.running = None
            desk.workshop.save()
            self.owner.show_all(keep_prompt=True)
            if failure:
                self.owner.complain(failure)
            return
        desk.storing = False
        self.owner.show_all()
