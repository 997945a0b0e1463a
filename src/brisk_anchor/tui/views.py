"""The views there are: one entry each. A view is made when it is first wanted."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:
    from brisk_anchor.tui.base import Stage, View


@dataclass(frozen=True, slots=True)
class ViewEntry:
    """One view: its key, its title in the key line, a line and a paragraph of help, and how it is made."""

    name: str
    key: str
    title: str
    line: str
    help: str
    make: Callable[[Stage], View]


def _bench(stage: Stage) -> View:
    from brisk_anchor.tui.bench.view import BenchView

    return BenchView(stage, id="bench")


def _book(stage: Stage) -> View:
    from brisk_anchor.tui.book.view import BookView

    return BookView(stage, id="book")


def _code(stage: Stage) -> View:
    from brisk_anchor.tui.code.view import CodeView

    return CodeView(stage, id="code")


def _machine(stage: Stage) -> View:
    from brisk_anchor.tui.machine.view import MachineView

    return MachineView(stage, id="machine")


def _setup(stage: Stage) -> View:
    from brisk_anchor.tui.setup.view import SetupView

    return SetupView(stage, id="setup")


def _tools(stage: Stage) -> View:
    from brisk_anchor.tui.shelf.view import ShelfView

    return ShelfView(stage, id="tools")


def _plan(stage: Stage) -> View:
    from brisk_anchor.tui.plan.view import PlanView

    return PlanView(stage, id="plan")


def _results(stage: Stage) -> View:
    from brisk_anchor.tui.results.view import ResultsView

    return ResultsView(stage, id="results")


VIEWS: tuple[ViewEntry, ...] = (
    ViewEntry(
        "bench",
        "1",
        "bench",
        "The bench: the set-up, the rose, the chain.",
        "The bench measures. Point at a drawn feature, or bring the tip near by hand and mark where "
        "metal is: the marks are the feature. Each value of the offset is the end of a chain that "
        "starts with the touches.",
        _bench,
    ),
    ViewEntry(
        "book",
        "2",
        "book",
        "The book: offsets, history, chains.",
        "The book keeps every figure that was measured, stored or proved, with the touches it came "
        "from. It only grows. What is typed here has a reason, and ⟨s⟩ writes it to the control: "
        "guarded, read back, entered as stored.",
        _book,
    ),
    ViewEntry(
        "code",
        "3",
        "code",
        "The code: program, meaning, path, prove-out.",
        "The code does on a control what was done on the bench. Run it here on a twin first: "
        "contacts, guards and the offset it writes are those of the real program.",
        _code,
    ),
    ViewEntry(
        "machine",
        "4",
        "machine",
        "The machine: its control, by hand, MDI, tables.",
        "The machine is the control panel of the stand-in: what is done here moves it and "
        "writes its tables. Programs that set offsets here are seen in the book as a difference to "
        "the control.",
        _machine,
    ),
    ViewEntry(
        "setup",
        "5",
        "set-up",
        "The set-up: features, reach, the zero of each offset.",
        "The set-up as it is described: what is drawn, whether the probe reaches it, and which "
        "feature each axis of an offset's zero comes from. A zero moved off what cannot be reached "
        "keeps its distance in the chain.",
        _setup,
    ),
    ViewEntry(
        "tools",
        "6",
        "tools",
        "The shelf: tools, calibration, lengths.",
        "The shelf keeps what every measurement depends on: radius and length of the probe, figures of "
        "the tools of the hand, the tool setter with its own reference offset, lengths of cutters. A "
        "change says what it makes invalid.",
        _tools,
    ),
    ViewEntry(
        "plan",
        "7",
        "plan",
        "The plan: what to measure, why, code, proof.",
        "The plan is a list of measurements for a whole set-up. Every figure that is not stated is "
        "proposed and says why. Its program is proved on 200 parts drawn within what is stated; the "
        "proof is of that text alone.",
        _plan,
    ),
    ViewEntry(
        "results",
        "8",
        "results",
        "The results: is it in size, and what to do about it.",
        "The results say of everything the drawing asks whether it is in, out, or too near to a limit to tell. "
        "What is out with metal left can be cut again. What drifts is corrected by what many parts say: the "
        "sum is shown, then written to the control, guarded and read back.",
        _results,
    ),
)


def view_entry(name: str) -> ViewEntry:
    """The entry of a view by its name. Raises ValueError: there is none."""
    for view in VIEWS:
        if view.name == name:
            return view
    raise ValueError(f"there is no view {name!r}")


def load_views() -> None:
    """Load what the views are made of, so that the first visit of each is as quick as any other."""
    from brisk_anchor.tui.book import view as book
    from brisk_anchor.tui.code import view as code
    from brisk_anchor.tui.machine import view as machine
    from brisk_anchor.tui.plan import view as plan
    from brisk_anchor.tui.results import view as results
    from brisk_anchor.tui.setup import view as setup
    from brisk_anchor.tui.shelf import view as shelf

    _ = book, code, machine, plan, results, setup, shelf
