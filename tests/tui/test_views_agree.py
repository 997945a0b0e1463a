"""Whatever is done in whatever order: header, ladder, book and control never contradict each other."""

from __future__ import annotations

import random
import re
import tempfile
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import BriskAnchorError, PlanError
from brisk_anchor.services.demo.demo_job import open_demo
from brisk_anchor.services.machine.ports import ActiveRow
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.book_files import stale_words
from brisk_anchor.services.offsets.book_rows import lacking, lines
from brisk_anchor.services.offsets.book_words import derive
from brisk_anchor.services.offsets.following import following, write_following
from brisk_anchor.services.offsets.offset_book import edit, lock, take_over, undo, write_rows
from brisk_anchor.services.session.tool_shelf import probe_exchanged
from brisk_anchor.tui.frame import Ladder, TopLine
from tests.tui.test_fast_keys import press_at_once, settled
from tests.tui.test_pilot import Bench, wait_for

ROWS = ("G54", "G55", "G56", "G57")


def measure(session, n):
    drawn = [feature for feature in session.setup.features if not feature.of][n % 4]
    session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn)))


def store(session, n):
    """Measure what the row still needs, then store it."""
    row = ROWS[n % 2]
    for name in session.rows.missing(row):
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, session.setup.drawn(name))))
    session.writer.store(row)


def mdi(session, line):
    session.panel.mdi(line).to_end()
    session.link.settle()


def locked(session, n):
    return session.ledger.locked(ROWS[n % 4])


DONE = {
    "measure": measure,
    "store": store,
    "prove": lambda s, n: s.prover.prove(ROWS[n % 2]),
    "type": lambda s, n: edit(s, ROWS[n % 4], {"x": -400.0 - n / 10}, "tried"),
    "undo": lambda s, n: undo(s, ROWS[n % 4]),
    "write": lambda s, n: write_rows(s, [ROWS[n % 4]]),
    "derive": lambda s, n: derive(s, ROWS[n % 2], "shift 10, 0, 0"),
    "follow": lambda s, n: write_following(s, ROWS[n % 4]),
    "lock": lambda s, n: lock(s, ROWS[n % 4], locked=not locked(s, n)),
    "clamp": lambda s, n: s.editor.declare("clamped again", s.editor.clamp),
    "stylus": lambda s, n: probe_exchanged(s, "stylus"),
    "take back": lambda s, n: s.editor.take_back(),
    "select": lambda s, n: mdi(s, ROWS[n % 4]),
    "table": lambda s, n: mdi(s, f"G10 L2 P{n % 4 + 1} X-{300 + n}."),
    "take over": lambda s, n: take_over(s, {ROWS[n % 4]: s.link.table_values(ROWS[n % 4])}, "the control"),
    "reset": lambda s, n: s.panel.reset(),
}
STEPS = st.lists(st.tuples(st.sampled_from(sorted(DONE)), st.integers(0, 7)), min_size=1, max_size=14)


def agree(session):
    """Header, ladder, book and control tell the same."""
    assert session.link.active.row == session.control.reader.modal.offset
    assert session.link.active.words == session.active
    step = max(1e-4, session.profile.resolution) + 1e-9
    book = {line.row: line for line in lines(session, everything=True)}
    for row in {*ROWS, *(plan.row for plan in session.setup.rows)}:
        line, state = book[row], session.rows.state(row)
        assert line.state is state, "ladder and book"
        assert line.held == session.link.table_values(row)
        off = {a: abs(line.values[a] - line.held[a]) for a in line.values if a in line.held}
        if state.may_run:
            assert all(away <= step for away in off.values()), f"{row} is {state.value}, the control holds another"
        if state is RowState.DIFFERS:
            assert any(away > step for away in off.values())
        if state.may_run and session.rows.away_from_parent(row):
            assert line.off_parent, f"{row} is {state.value} and not where its parent puts it: that is told"
            assert line.locked or any(entry.kind.value == "typed" for entry in session.rows.history(row))
    states = {plan.row: session.rows.state(plan.row) for plan in session.setup.rows}
    told = " ".join(lacking(session))
    for operation in session.setup.card.operations:
        runs = operation.offset in states and states[operation.offset].may_run
        assert (f"{operation.name} (" in told) is not runs


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(STEPS)
@example([("measure", 0), ("measure", 1), ("store", 0), ("derive", 0), ("follow", 0), ("table", 0), ("take over", 0)])
@example(
    [("measure", 0), ("measure", 1), ("store", 0), ("derive", 0), ("follow", 0), ("lock", 2), ("type", 0), ("write", 0)]
)
@example([("measure", 0), ("measure", 1), ("store", 0), ("clamp", 0), ("take back", 0), ("table", 0), ("store", 0)])
def test_no_two_of_them_contradict_each_other(steps):
    with tempfile.TemporaryDirectory() as folder, open_demo(Path(folder), fresh=False) as session:
        kept = {}
        for name, number in steps:
            before = {row: session.ledger.valued(row) for row in ROWS if session.ledger.locked(row)}
            with suppress(BriskAnchorError):  # refused with a reason: then nothing may contradict either
                DONE[name](session, number)
            for row, valued in before.items():
                assert session.ledger.valued(row) is valued, "a locked row keeps its value"
            agree(session)
            kept = {row: (session.rows.state(row), session.link.table_values(row)) for row in ROWS}
            active = session.active
        session.close()
        with open_demo(Path(folder), fresh=False) as again:
            agree(again)
            assert again.active == active
            assert {row: again.link.table_values(row) for row in ROWS} == {row: held for row, (_, held) in kept.items()}


def test_a_row_that_follows_another_does_so_after_a_restart(tmp_path):
    with open_demo(tmp_path, fresh=False) as session:
        store(session, 0)
        assert derive(session, "G54", "shift 10, -2.5, 0 to G57") == ["G57"]
        write_following(session, "G54")
        held = session.link.table_values("G57")
    with open_demo(tmp_path, fresh=False) as again:
        assert again.rows.parent_of("G57") == "G54"
        assert again.rows.state("G57") is RowState.STORED
        edit(again, "G54", {"x": again.link.table_values("G54")["x"] + 1.0}, "moved")
        assert again.rows.state("G57") is RowState.NOT_WRITTEN
        write_rows(again, ["G54", "G57"])
        assert again.link.table_values("G57")["x"] == pytest.approx(held["x"] + 1.0, abs=1e-4)
        with pytest.raises(PlanError, match="has a use"):  # G54 has no rules any more: the two would follow each other
            derive(again, "G57", "shift 1, 1, 1 to G54")
        edit(again, "G54", {"x": -400.0}, "follows G57; X 1.000000 Y 0.000000 Z 0.000000 mm")
    with open_demo(tmp_path, fresh=False) as again:
        assert (again.rows.parent_of("G54"), again.rows.parent_of("G57")) == (None, "G54")


def top_line(app):
    return "".join(segment.text for segment in app.console.render(app.query_one(TopLine).render()))


async def test_the_active_row_is_shown_at_once_whoever_changed_it(tmp_path):
    async with Bench(tmp_path) as bench:
        mdi(bench.app.view_state.session, "G56")
        await wait_for(lambda: "active G56" in top_line(bench.app), 5.0)


def test_a_row_that_a_held_program_uses_is_neither_followed_nor_written(tmp_path):
    with open_demo(tmp_path, fresh=False) as session:
        store(session, 0)
        derive(session, "G54", "shift 10, 0, 0 to G57")
        derive(session, "G54", "shift 20, 0, 0 to G56")
        before = session.link.table_values("G57")
        session.panel.mdi("G57 G4 P5")  # under way: it has not ended
        assert [session.link.used_by_held_program(row) != "" for row in ("G56", "G57")] == [False, True]
        told = {line.row: line.left_out for line in following(session, "G54")}
        assert "is under way or held" in told["G57"]
        assert told["G56"] == ""
        with pytest.raises(BriskAnchorError, match="under way or held"):
            write_rows(session, ["G57"])
        assert session.link.table_values("G57") == before
        session.panel.reset()
        assert [line.left_out for line in following(session, "G54")] == ["", ""]


@pytest.mark.parametrize(
    ("row", "ago", "words"),
    [("", None, "not known"), ("G54", None, "G54"), ("G55", 5, "G55, told now"), ("G55", 7300, "G55, told 2 h ago")],
)
def test_an_active_row_is_told_with_its_age(row, ago, words):
    known_at = datetime.now(UTC) - timedelta(seconds=ago) if ago is not None else None
    assert ActiveRow(row, known_at).words == words


def test_what_an_export_no_longer_holds_is_told(tmp_path):
    with open_demo(tmp_path, fresh=False) as session:
        assert stale_words(session) == ""
        store(session, 0)
        assert stale_words(session) == ""
        edit(session, "G57", {"x": -300.0}, "by hand")
        assert stale_words(session) == "Not on the control: G57. "
        mdi(session, "G10 L2 P1 X-301.")
        assert stale_words(session) == "Not on the control: G57. The control differs in: G54. "
        session.editor.declare("clamped again", session.editor.clamp)
        assert stale_words(session).startswith("Stale in it: G54. Not on the control: G57. ")


@pytest.mark.parametrize("seed", [3, 8, 21])
async def test_the_screen_shows_what_they_tell(tmp_path, seed):
    chance = random.Random(seed)
    keys = [
        "f",
        "enter",
        "s",
        "enter",
        "tab",
        "k",
        "U",
        "2",
        "1",
        "4",
        "escape",
        "i",
        "l",
        "u",
        "W",
        "p",
        "6",
        "5",
        "n",
    ]
    async with Bench(tmp_path) as bench:
        app = bench.app
        for _ in range(4):
            press_at_once(app, [chance.choice(keys) for _ in range(25)])
            await settled(bench)
            await wait_for(lambda: not app.patience.waits)
            app.show_all()
            await bench.pilot.pause()
            session = app.view_state.session
            agree(session)
            top = top_line(app)
            assert re.search(rf"active {re.escape(session.link.active.words)}\b", top)
            ladder = str(app.query_one(Ladder).render())
            for plan in session.setup.rows:
                assert re.search(rf"\b{re.escape(plan.row)}[\] ] +{session.rows.state(plan.row).value}", ladder)
            for operation in lacking(session):
                assert operation in ladder
