"""The results: what the drawing asks, what was found, what follows; one part or the run of many."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from threading import Event
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import dim, shown_unit, signed_bare, signed_dim
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage, View
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.entry import Words, search
from brisk_anchor.tui.panels import Heading, LatePanel, Same
from brisk_anchor.tui.terminal import cell_ratio
from brisk_anchor.tui.view_state import ViewState
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.services.results.inspected import CharacteristicLine, InspectedPart
    from brisk_anchor.services.results.inspection import Inspection
    from brisk_anchor.services.results.over_parts import Series
    from brisk_anchor.services.session.session import Session

_BIG = {
    Fate.GOOD: "GOOD",
    Fate.AGAIN: "CUT AGAIN",
    Fate.SCRAP: "SCRAP",
    Fate.CANNOT_TELL: "CANNOT TELL",
    Fate.OPEN: "OPEN",
}
_BATCH = 100
_AT_ONCE = 45
"""So many of the newest parts are read before anything is shown: fewer than ability is told of."""


class ResultsView(View):
    """Characteristics on the left, under the verdict of the part; the part and the run of one on the right."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.chosen = 0
        self.back = 0
        """How many parts before the one that lies on the machine now is shown; 0 is that one."""
        self.inspection: Inspection | None = None
        self._of: tuple[Same, Same] | None = None
        self._trouble = ""
        self._series: tuple[object, Series | None, list[str]] = (None, None, [])
        self.part: InspectedPart | None = None
        """The part that is shown."""
        self.told: list[str] = []
        """What a correction or a rehearsal came to."""

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        return {
            Do.MOVE: self.move,
            Do.FIND: self.find,
            Do.OLDER: self.older,
            Do.INSPECT: self.inspect,
            Do.TAKE_PART: self.take,
            Do.CORRECTION: self.correction,
            Do.REHEARSE: self.rehearse,
            Do.NEXT_PART: self.next_part,
            Do.MASTER: self.master,
            Do.EXPORT: self.export,
            Do.CHART: self.chart,
            Do.STOP: self.stop,
        }

    def compose(self) -> ComposeResult:
        """Verdict, list, what is chosen; the part, the run."""
        with Vertical(id="results-left"):
            yield Heading(id="part-heading")
            yield LatePanel(id="part-verdict")
            yield Heading(id="asked-heading")
            yield ChoiceList(id="asked")
            yield Heading(id="about-heading")
            yield LatePanel(id="about-asked")
        with Vertical(id="results-side"):
            yield Heading(id="numbers-heading")
            yield LatePanel(id="part-numbers")
            yield Heading(id="run-heading")
            yield LatePanel(id="run-chart")
            yield LatePanel(id="run-words")

    # -- what is shown -------------------------------------------------------------------------------------------

    def _open(self, session: Session) -> None:
        """Read what was inspected, in a thread: a book of years is long."""
        key = (Same(session), Same(session.setup))
        if self._of == key:
            return
        self._of = key
        self.stage.in_background(partial(self._read, session, key), "results")

    def _read(self, session: Session, key: tuple[Same, Same]) -> None:
        from brisk_anchor.core.uncertainty.coverage import load as load_quantiles
        from brisk_anchor.services.results.inspection import KEPT, Inspection

        for newest in (_AT_ONCE, KEPT):  # a part is shown at once, and its run when all of that is read
            found: Inspection | None = None
            trouble = ""
            try:
                found = Inspection(session, newest=newest)
            except BriskAnchorError as error:
                trouble = error.one_line(marked=True)
            self.stage.from_background(partial(self._opened, key, found, trouble))
            if found is None or len(found.parts) < newest:
                break
            load_quantiles()

    def _opened(self, key: tuple[Same, Same], found: Inspection | None, trouble: str) -> None:
        if self._of == key:
            if found is not None and self.inspection is not None:
                found.follow(self.inspection)
            self.inspection, self._trouble = found, trouble
            if self.stage.view == "results":
                self.show()
                if self.view_state is not None:
                    self.stage.tell(*self.next_sentence(self.view_state))

    def _part_shown(self) -> InspectedPart | None:
        """The part to be shown: the one measured now, or one of the book."""
        known = self.inspection
        if known is None:
            return None
        if not self.back or not known.parts:
            now = known.part_now(known.places[0])
            if any(line.value is not None for line in now.lines) or not known.parts:
                return now
            return known.parts[-1]
        return known.parts[max(0, len(known.parts) - self.back)]

    @property
    def line(self) -> CharacteristicLine | None:
        """The chosen characteristic of that part."""
        part = self.part
        return part.lines[min(self.chosen, len(part.lines) - 1)] if part is not None and part.lines else None

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """The next thing to do about the part."""
        from brisk_anchor.services.results.results_words import next_step

        if self._trouble:
            return "The drawing's words cannot be read.", self._trouble
        known, part = self.inspection, self.part
        if known is None or part is None:
            return "Reading what was inspected …", ""
        return next_step(known, part, self.line)

    def show(self) -> None:
        """Bring everything up to date."""
        view_state = self.view_state
        if view_state is None:
            return
        self._open(view_state.session)
        self.part = self._part_shown()
        known, part = self.inspection, self.part
        if known is None or part is None:
            words = self._trouble or "reading …"
            self.query_one("#part-heading", Heading).tell("results", "")
            self.query_one("#part-verdict", LatePanel).tell_text(Text(f" {words}", theme.QUIET))
            return
        self.chosen = max(0, min(self.chosen, len(part.lines) - 1))
        self._show_part(known, part)
        self._show_list(part)
        self._show_about()
        self._show_side(view_state, known, part)

    def _show_part(self, known: Inspection, part: InspectedPart) -> None:
        from brisk_anchor.book.entries import clock_words
        from brisk_anchor.services.results.results_words import MARKS
        from brisk_anchor.tui.results.pictures import COLOURS, fates_text

        serial = f"part {part.serial}" if part.serial else "the part in the machine, not entered yet"
        when = clock_words(part.at) if part.serial else "measured in this clamping"
        total = f"{len(known.parts)} inspected"
        self.query_one("#part-heading", Heading).tell(f"{part.part}   {serial}", f"{when} · {total}")
        fate, colour = part.outcome, COLOURS[part.outcome]
        compact = bool(self.app.has_class("compact"))

        def verdict(width: int, _height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            for row in large(_BIG[fate]):
                text.append(f"  {row}\n", colour)
            counts = {one: sum(line.state is one for line in part.lines) for one in Fate}
            words = "   ".join(f"{MARKS[one]} {count} {one.value}" for one, count in counts.items() if count)
            text.append(f"  {words}", theme.TEXT)
            if part.place:
                text.append(f"   place {part.place}", theme.QUIET)
            if any(line.process_only for line in part.lines):
                text.append(
                    "   process only: a machine cannot see errors it cut in" if not compact else "", theme.QUIET
                )
            text.append("\n ")
            text.append_text(fates_text(known.parts, width - 2))
            return text

        key = (part, len(known.parts), compact)
        self.query_one("#part-verdict", LatePanel).tell_late(key, verdict)

    def _show_list(self, part: InspectedPart) -> None:
        unit = shown_unit().word
        self.query_one("#asked-heading", Heading).tell(f"what the drawing asks, {unit}", "± is 95 %")
        self.query_one("#asked", ChoiceList).tell(part.lines, lambda width: self._rows(part, width), self.chosen)

    def _rows(self, part: InspectedPart, width: int) -> list[ListRow]:
        from brisk_anchor.services.results.results_words import MARKS, figure, limits_words, plain_words
        from brisk_anchor.tui.results.pictures import COLOURS, bar

        wide = width >= 92
        names = max(14, width - (80 if wide else 43))
        rows = []
        for number, line in enumerate(part.lines):
            text = Text("   ", no_wrap=True, overflow="ellipsis")
            colour = COLOURS[line.state]
            text.append(f"{MARKS[line.state]} ", f"bold {colour}")
            text.append(f"{line.balloon:<5}", f"bold {theme.TEXT}")
            text.append(f"{cut(plain_words(line), names - 1):<{names}}", theme.TEXT)
            if wide:
                text.append(f"{limits_words(line):>21}  ", theme.QUIET)
            text.append(
                f"{figure(line, line.value):>9}", f"bold {theme.TEXT}" if line.value is not None else theme.QUIET
            )
            spread = "" if line.expanded is None else f"±{figure(line, line.expanded)}"
            text.append(f" {spread:<8}", theme.QUIET)
            text.append_text(bar(line.share, line.state, MARKS[line.state]))
            text.append(f" {line.outcome}" if wide else "", colour)
            rows.append(ListRow(text, number))
        return rows

    def _show_about(self) -> None:
        from brisk_anchor.services.results.results_words import about_words

        line = self.line
        text = Text(no_wrap=True, overflow="ellipsis")
        if line is not None:
            for label, words in about_words(line):
                text.append(f" {label:<14}", theme.QUIET)
                text.append(f"{words}\n", theme.TEXT)
        for words in self.told:
            text.append(f" {words}\n", theme.SAND)
        title = f"{line.balloon}  {line.feature}" if line is not None else "nothing is asked"
        self.query_one("#about-heading", Heading).tell(title, "")
        self.query_one("#about-asked", LatePanel).tell_text(text)

    def _show_side(self, view_state: ViewState, known: Inspection, part: InspectedPart) -> None:
        from brisk_anchor.services.results.over_parts import series_of, words_of
        from brisk_anchor.tui.results.pictures import part_text, run_text

        setup, line, ratio = view_state.session.setup, self.line, cell_ratio(self.app)
        chosen = line.balloon if line is not None else ""
        self.query_one("#numbers-heading", Heading).tell("from above", "numbers of the drawing")
        self.query_one("#part-numbers", LatePanel).tell_late(
            (part, chosen, Same(setup)), lambda width, height: part_text(setup, part, chosen, width, height, ratio)
        )
        key = (chosen, part.place, len(known.parts), known.parts[-1].at if known.parts else "")
        if key != self._series[0]:
            found = series_of(known.parts, chosen, place=part.place or None) if chosen else None
            self._series = (key, found, words_of(found) if found is not None else [])
        _, series, told_of = self._series
        title = f"{chosen} over {len(series.values)} parts" if series is not None else "over parts"
        self.query_one("#run-heading", Heading).tell(title, "▴ corrected" if series and series.corrected_at else "")
        shown = (*key, shown_unit())
        self.query_one("#run-chart", LatePanel).tell_late(shown, lambda width, height: run_text(series, width, height))
        words = Text(no_wrap=True, overflow="ellipsis")
        for told in told_of:
            words.append(f" {told}\n", theme.TEXT)
        self.query_one("#run-words", LatePanel).tell_text(words)

    # -- choosing ------------------------------------------------------------------------------------------------

    def move(self, step: int) -> None:
        """Choose a characteristic."""
        part = self.part
        if part is not None and part.lines:
            self.chosen = max(0, min(len(part.lines) - 1, self.chosen + step))
        self.told = []
        self.stage.show_all()

    def find(self) -> None:
        """Go to the next characteristic with some words, or to the one with a number."""
        if self.part is not None and self.part.lines:
            titles = [f"{line.balloon}  {line.feature}" for line in self.part.lines]
            self.stage.ask(search(titles, self.chosen, lambda at: self.move(at - self.chosen)))

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on a characteristic."""
        self.move(message.choice - self.chosen)

    def older(self, step: int) -> None:
        """Show the part before, or after."""
        known = self.inspection
        if known is not None:
            self.back = max(0, min(len(known.parts), self.back + step))
        self.told = []
        self.stage.show_all()

    # -- what is done --------------------------------------------------------------------------------------------

    def inspect(self) -> None:
        """Measure everything that is asked for, on the stand-in or by a program on a linked control, and judge it."""
        from brisk_anchor.services.results.measuring import inspection_plan

        view_state, known = self.stage.free(), self.inspection
        if view_state is None or known is None:
            return
        if (desk := view_state.desk) is not None:
            desk.hand_over("the inspection", lambda orders, told: orders.plan(inspection_plan(known), told))
            return
        if not view_state.session.setup.machine.connected:
            self.stage.tell(
                "This machine is not connected.", "Measure on the bench: what is found there is judged.", "ask"
            )
            return
        view_state.repeating = stopped = Event()
        self.stage.tell("Measuring what the drawing asks for …", "The probe touches every feature and its datums.")
        self.stage.in_background(partial(self._measure, known, stopped), "inspecting")

    def _measure(self, known: Inspection, stopped: Event) -> None:
        from brisk_anchor.services.results.measuring import measure_asked

        trouble: BriskAnchorError | None = None
        try:
            for place in known.places:
                measure_asked(known, place, halted=stopped.is_set)
        except BriskAnchorError as error:
            trouble = error
        self.stage.from_background(partial(self._measured, trouble))

    def _measured(self, trouble: BriskAnchorError | None) -> None:
        if self.view_state is not None:
            self.view_state.repeating = None
        self.back, self.told = 0, []
        self.stage.show_all(keep_prompt=trouble is not None)
        if trouble is not None:
            self.stage.complain(trouble)

    def next_part(self) -> None:
        """Cut the next part on the stand-in, with the wear that the control has, and clamp it."""
        view_state, known = self.stage.free(), self.inspection
        if view_state is not None and known is not None:
            self.back, self.told = 0, []
            self.stage.attempt(lambda: self._next_part(known))

    def _next_part(self, known: Inspection) -> tuple[str, str]:
        from brisk_anchor.services.results.rehearsal import cut_next

        number = cut_next(known)
        return (
            f"Part {number} was cut and clamped on the stand-in.",
            "Enter inspects it; nothing of it is measured yet.",
        )

    def master(self) -> None:
        """Take what was measured now for a ring or master of the chosen size: its error is taken off from here on."""
        view_state, known, line = self.stage.free(), self.inspection, self.line
        if view_state is None or known is None or line is None:
            return

        def figures(words: str) -> tuple[float, float]:
            first, _, second = words.strip().partition(" ")
            return parse_length(first), parse_length(second or "0.0005mm")

        def weigh(words: str) -> str:
            size, u = figures(words)
            return f"{dim(size, 4)} ± {dim(2 * u, 4)}"

        def answer(words: str) -> None:
            self.stage.attempt(lambda: self._master(self.inspection or known, line.balloon, *figures(words)))

        hint = "Its certified size, and the standard uncertainty of that: 62.0005 0.0005"
        self.stage.ask(Words(f"master of {line.balloon}", hint, weigh, answer))

    def _master(self, known: Inspection, balloon: str, certified: float, u: float) -> tuple[str, str]:
        found = known.master(balloon, certified, u)
        return (
            f"The machine finds it {signed_dim(found.value, 4)}: taken off from here on.",
            "Enter measures the part itself.",
        )

    def take(self) -> None:
        """Enter the part that was measured into the book."""
        view_state, known = self.stage.free(), self.inspection
        if view_state is None or known is None:
            return

        def weigh(words: str) -> str:
            serial = words.strip().removesuffix(" again").strip()
            return f"part {serial}" if serial else ""

        def answer(words: str) -> None:
            # While the line was open the set-up may have changed, and what is shown been read anew.
            self.stage.attempt(lambda: self._take(self.inspection or known, words))

        hint = "Its number; “17 again” where a part is inspected once more"
        self.stage.ask(Words("serial", hint, weigh, answer, known.next_serial()))

    def _take(self, known: Inspection, words: str) -> tuple[str, str]:
        from brisk_anchor.services.results.inspected import short_words

        serial, again = words.strip().removesuffix(" again").strip(), words.strip().endswith(" again")
        taken = known.take_all(serial, again=again)
        self.back = 1
        return "; ".join(short_words(part) for part in taken) + ".", "It is in the book. ⟨c⟩ says what to correct."

    def correction(self) -> None:
        """What the parts ask for; Enter writes it to the control."""
        from brisk_anchor.services.results.over_parts import series_of
        from brisk_anchor.services.results.results_words import correction_words

        view_state, known, line = self.stage.free(), self.inspection, self.line
        if view_state is None or known is None or line is None:
            return
        try:
            asked = known.by_balloon(line.balloon)
            found = known.correction(asked)
            series = series_of(known.parts, line.balloon)
            following = known.due(asked, series) if series is not None else None
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self.told = correction_words(asked, found, following)
        self.stage.show_all()
        if found is None or not found.change:
            self.stage.tell(self.told[-1], self.told[0] if len(self.told) > 1 else "", "ask")
            return

        def write() -> None:
            if (desk := view_state.desk) is not None:
                desk.hand_over("the correction", lambda orders, told: orders.correct(line.balloon, found, told))
                return
            from brisk_anchor.services.results.correcting import write_correction

            now = self.inspection or known
            self.stage.attempt(lambda: (f"{write_correction(now, asked, found)}.", "It is in the book, read back."))

        unit = shown_unit().word
        sentence = f"{line.by}: {signed_bare(found.old, 4)} → {signed_bare(found.new, 4)} {unit}. Enter writes it."
        self.stage.confirm(sentence, "; ".join(found.steps), write)

    def rehearse(self) -> None:
        """Cut and inspect a batch on the stand-in, answered and not: what the rules of correction do."""
        view_state, known = self.stage.free(), self.inspection
        if view_state is None or known is None:
            return
        self.stage.tell(f"Rehearsing {_BATCH} parts, twice …", "Nothing here is moved or stored.")
        self.stage.in_background(partial(self._rehearse, known), "batch")

    def _rehearse(self, known: Inspection) -> None:
        from brisk_anchor.services.results.rehearsal import BatchRehearsal

        told = []
        try:
            rehearsal = BatchRehearsal(known)
            for corrected in (False, True):
                found = rehearsal.run(_BATCH, corrected=corrected, told=lambda _: self.stage.is_running)
                told.append(found.words())
        except BriskAnchorError as error:
            self.stage.from_background(partial(self.stage.complain, error))
            return
        self.stage.from_background(partial(self._rehearsed, told))

    def _rehearsed(self, told: list[str]) -> None:
        self.told = told
        if self.stage.view == "results":
            self.stage.show_all()
            self.stage.tell(told[-1].capitalize() + ".", told[0], "good")

    def stop(self) -> None:
        """End what is being measured, after the feature under way."""
        if self.view_state is not None and self.view_state.repeating is not None:
            self.view_state.repeating.set()

    def export(self) -> None:
        """Write all results as CSV and JSON."""
        known = self.inspection
        if known is not None:
            self.stage.attempt(lambda: self._export(known))

    def _export(self, known: Inspection) -> tuple[str, str]:
        from brisk_anchor.exchange.files import write_whole
        from brisk_anchor.services.results.report_files import plain_name, to_csv, to_json

        folder, name = self.stage.folder, f"results-{plain_name(known.setup.job)}"
        write_whole(folder / f"{name}.csv", to_csv(known.parts, shown_unit()))
        write_whole(folder / f"{name}.json", to_json(known.parts))
        return f"Written: {name}.csv and {name}.json, {len(known.parts)} parts.", f"In {folder}"

    def chart(self) -> None:
        """Write the run chart of the chosen characteristic as SVG and PDF."""
        known, line = self.inspection, self.line
        if known is not None and line is not None:
            self.stage.beside("Drawing the chart …", partial(self._chart, known, line.balloon), self.stage.tell_written)

    def _chart(self, known: Inspection, balloon: str) -> list[Path]:
        from brisk_anchor.core.errors import InspectionError
        from brisk_anchor.services.results.over_parts import series_of
        from brisk_anchor.services.results.report_files import write_chart

        series = series_of(known.parts, balloon)
        if series is None:
            raise InspectionError("No part has a figure of it yet", "There is nothing to draw", "Inspect one")
        return write_chart(series, self.stage.folder, f"{known.setup.machine.name}  ·  {known.setup.part}")

    def write_sheet(self) -> bool:
        """Write the sheet of the part that is shown."""
        known, part = self.inspection, self.part
        if known is None or part is None:
            return False
        self.stage.beside("Drawing the part's sheet …", partial(self._sheet, known, part), self.stage.tell_written)
        return True

    def _sheet(self, known: Inspection, part: InspectedPart) -> list[Path]:
        from brisk_anchor.services.results.report_files import write_batch, write_part

        paths = write_part(known.setup, part, self.stage.folder)
        return paths + (write_batch(known.setup, known.parts, self.stage.folder) if len(known.parts) > 1 else [])
