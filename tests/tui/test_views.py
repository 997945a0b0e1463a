"""The registries of views and actions: every key does something, in every view it is said to."""

import inspect
from pathlib import Path
from types import SimpleNamespace

import pytest

from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.offsets.book_compare import reference
from brisk_anchor.services.offsets.book_rows import line_of
from brisk_anchor.services.offsets.offset_book import edit
from brisk_anchor.services.session.session import Session
from brisk_anchor.tui.actions import ACTIONS, Do
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.book.panels import moves_text
from brisk_anchor.tui.panels import Same
from brisk_anchor.tui.views import VIEWS, view_entry


def no_job():
    raise AssertionError("nothing is opened here")


@pytest.mark.parametrize("entry", VIEWS, ids=lambda entry: entry.name)
def test_every_action_of_a_view_has_a_handler_that_takes_its_arguments(entry):
    app = BriskAnchorApp(no_job, Path())
    view = entry.make(app)
    assert view.id == entry.name
    mine = [action for action in ACTIONS if entry.name in action.views]
    for action in mine:
        handler = app.handlers.get(action.do) or view.handlers[action.do]
        inspect.signature(handler).bind(*action.arguments)
    assert view.handlers.keys() <= {action.do for action in mine}


def test_each_view_has_a_key_and_each_thing_to_do_an_action():
    keys = {action.keys: action.arguments for action in ACTIONS if action.do is Do.VIEW}
    assert keys == {entry.key: (entry.name,) for entry in VIEWS}
    assert {action.do for action in ACTIONS} == set(Do)
    assert all(entry.help.endswith(".") and entry.line.endswith(".") for entry in VIEWS)
    with pytest.raises(ValueError, match="no view"):
        view_entry("benches")


def test_what_moves_is_told_in_figures_before_it_is_drawn(scene):
    session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
    edit(session, "G54", {"x": -470.0, "y": -286.0, "z": -504.5}, "typed")
    line, held = line_of(session, "G54"), reference(session, "control")
    low, high = (moves_text(session, line, held, height).plain for height in (19, 40))
    for text in (low, high):
        assert text.count("bushed bore") == 1
    assert len(low.splitlines()) <= 19
    assert "green by the book" in high
    assert "green by the book" not in low


def test_what_stands_for_an_object_that_is_gone_stands_for_no_other():
    """Numbers of objects come again: of two that were made one after the other here the first time already."""
    shown = Same(SimpleNamespace(part="first"))
    assert all(Same(SimpleNamespace(part="next")) != shown for _ in range(100))
    held = SimpleNamespace()
    assert (Same(held), 1) == (Same(held), 1)
    assert len({Same(held), Same(held), Same(held.__dict__)}) == 2
