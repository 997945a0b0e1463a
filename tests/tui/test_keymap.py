"""Keys of a person's own: what is changed, what is refused, and that every sentence names the key in force."""

from __future__ import annotations

import ast
import re
import tomllib
from pathlib import Path

import pytest
from rich.text import Text
from typer.testing import CliRunner

import brisk_anchor
from brisk_anchor.cli.commands import app as command
from brisk_anchor.core.errors import KeysError, PlanError
from brisk_anchor.core.key_marks import MARK, plain
from brisk_anchor.tui.actions import ACTIONS
from brisk_anchor.tui.keymap import Keymap, KeyReader, OwnKeys, key_named, shown_key, spelled_key
from brisk_anchor.tui.keys_file import keys_as_file, keys_path, own_keys
from brisk_anchor.tui.turning import keys
from tests.tui.test_pilot import Bench, said, wait_for

SOURCE = Path(brisk_anchor.__file__).parent
BY_MACHINE = {"mill": ACTIONS, "lathe": keys.ACTIONS}
TABLES = tuple(BY_MACHINE.values())


def read(text):
    reader = KeyReader(BY_MACHINE)
    reader.read(tomllib.loads(text))
    return reader


@pytest.mark.parametrize(
    ("written", "known", "shown"),
    [
        ("s", "s", "s"),
        ("S", "S", "S"),
        ("ö", "ö", "ö"),
        ("+", "plus", "+"),
        ("/", "slash", "/"),
        ("<", "less_than_sign", "<"),
        (" ", "space", "Space"),
        ("space", "space", "Space"),
        ("PgUp", "pageup", "PgUp"),
        ("⌫", "backspace", "⌫"),
        ("f5", "f5", "F5"),
        ("ctrl+a", "ctrl+a", "Ctrl A"),
    ],
)
def test_a_key_is_written_as_people_write_it(written, known, shown):
    assert (key_named(written), shown_key(known)) == (known, shown)
    assert key_named(spelled_key(known)) == known


@pytest.mark.parametrize(
    "text", ["", "Enter", "tab", "escape", "up", "Ctrl+C", "Ctrl+m", "Ctrl+1", "abc", "F13", "\x1b", "\n"]
)
def test_what_is_no_key_or_stays_cannot_be_chosen(text):
    assert key_named(text) is None


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        ("[benches]\nstore = 'K'", ("benches",), "no view of that name"),
        ("bench = 'K'", ("bench",), "names and their keys belong under it"),
        ("[bench]\nstored = 'K'", ("bench", "stored"), "did you mean “store”?"),
        ("[bench]\nmeasure = 'K'", ("bench", "measure"), "stay what they are"),
        ("[bench]\nstore = 'Enter'", ("bench", "store"), "is no key that can be chosen"),
        ("[bench]\nstore = 7", ("bench", "store"), "“7” is no key"),
        ("[bench]\nstore = ['K', 'J']", ("bench", "store"), "it takes 1 key, not 2"),
        ("[bench]\nnearer = '9'", ("bench", "nearer"), "it takes 2 keys, not 1"),
        ("[bench]\nnearer = ['9', '9']", ("bench",), "nearer"),
        ("[bench]\nstore = 'p'", ("bench", "store"), "in bench, p would be store and prove"),
        ("[everywhere]\nhelp = 'w'", ("everywhere", "help"), "in plan, w would be write and help"),
        ("[machine]\nhome = 'r'", (), ""),  # r reads the table of a linked control, which has no key for home
    ],
)
def test_each_fault_is_told_with_its_place(text, place, words):
    faults = read(text).faults
    if not words:
        assert faults == []
        return
    assert any(at[: len(place)] == place and words in why for at, why in faults), faults


def test_two_may_change_places_and_what_was_moved_away_means_nothing():
    keymap = Keymap(ACTIONS, read("[bench]\nstore = 'p'\nprove = 's'\nclamped = 'K'").changes)
    assert [action.label for key in ("s", "p", "K", "k") for action in keymap.meant("bench", key)] == [
        "prove",
        "store",
        "clamped",
    ]
    assert [action.label for action in keymap.meant("book", "k")] == ["snapshot"]
    assert {one.label: one.shown for one in keymap.of_view("bench")}["store"] == "p"


def test_a_section_of_a_view_counts_more_than_everywhere_and_further_keys_go_with_the_first():
    changes = read("[bench]\nhelp = 'H'\n'jog Z' = ['9', '0']\n[everywhere]\nhelp = 'F1'\nquit = 'Q'").changes
    mill, lathe = (Keymap(table, changes) for table in TABLES)
    assert [mill.meant(view, key)[0].label for view, key in (("bench", "H"), ("book", "f1"))] == ["help", "help"]
    assert lathe.meant("turret", "f1")[0].label == "help"
    assert mill.meant("bench", "u") == mill.meant("bench", "q") == []
    assert mill.meant("bench", "ctrl+q")[0].label == mill.meant("bench", "Q")[0].label == "quit"
    assert lathe.meant("bench", "s")[0].label == "store"  # Enter stays beside it


def test_what_differs_between_machines_is_told_for_each():
    keymap = Keymap(ACTIONS, read("[bench]\nhome = 'H'").changes)
    assert keymap.said("⟨h⟩ it", "bench") == "H it"
    assert keymap.said("⟨h⟩ it", "bench", linked=True) == "h it"


def test_sentences_and_styled_words_name_the_keys_in_force():
    keymap = Keymap(ACTIONS, read("[bench]\nstore = 'Ctrl+A'\n[book]\n'to control' = 'K'").changes)
    text = "⟨s⟩ stores, ⟨book:s⟩ writes, ⟨Q⟩ is nothing"
    assert keymap.said(text, "bench") == "Ctrl A stores, K writes, ⟨Q⟩ is nothing"
    assert plain(text) == "s stores, s writes, Q is nothing"
    styled = keymap.said_text(Text.assemble("a ", ("⟨s⟩ b", "bold"), " c"), "bench")
    assert styled.plain == "a Ctrl A b c"
    assert {styled.plain[span.start : span.end] for span in styled.spans} == {"Ctrl A", " b"}
    assert all(span.style == "bold" for span in styled.spans)
    error = PlanError("No", "", "Press ⟨s⟩")
    assert error.one_line() == "No. Press s."
    assert error.one_line(marked=True) == "No. Press ⟨s⟩."


def test_the_file_that_is_printed_changes_nothing_and_keeps_what_was_changed():
    reader = read(keys_as_file({}))
    assert reader.faults == []
    for table in TABLES:
        assert Keymap(table, reader.changes)._meant == Keymap(table)._meant
    changes = read("[bench]\nstore = '\"'\nnearer = ['\\\\', 'Backspace']\nclear = 'F3'").changes
    again = read(keys_as_file(changes)).changes
    assert all(again[place] == found for place, found in changes.items())


def test_the_example_of_the_docs_is_taken():
    page = (SOURCE.parents[1] / "docs" / "keys.md").read_text(encoding="utf-8")
    reader = read(page.partition("```toml\n")[2].partition("```")[0])
    assert reader.faults == []
    assert reader.changes["bench", "choose measured"] == ("less_than_sign", "greater_than_sign")


def test_every_sentence_of_the_source_marks_its_keys_and_every_mark_is_a_key():
    known = {place[:2] for table in TABLES for place in Keymap(table)._written}
    before = r"(?:^|[.;:,] |\band |\bor |[Pp]ress |then )"
    bare = re.compile(before + r"([b-rt-w]|[B-W](?= [a-z]+s\b)|Space|PgUp|Del)(?= [a-z]+s\b|: |[.)]|$)")
    words = ("K has", "B faces", "R takes", "T calls", "r takes the angle")  # letters of tables and of words
    wrong = []
    for path in sorted(SOURCE.rglob("*.py")):
        if path.name in ("weave_sheet.py", "weave_editor.py", "repeat_sheet.py", "key_list.py"):
            continue  # the keys of a sheet cannot be changed
        for text in _sentences(path):
            wrong += [(path.name, mark[0]) for mark in MARK.finditer(text) if (mark[1] or "", mark[2]) not in known]
            if "/nc/" not in str(path) and " " in text and bare.search(text) and not any(one in text for one in words):
                wrong.append((path.name, text))
    assert wrong == [], wrong


def _sentences(path):
    tree = ast.parse(path.read_text(encoding="utf-8"))
    stated = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in stated:
            yield node.value


async def test_the_screen_obeys_and_shows_them(tmp_path):
    changes = read(
        "[everywhere]\nhelp = 'F1'\n'view book' = 'F2'\n[bench]\npoint = 'ö'\nbelow = 'K'\n[machine]\ndoor = 'D'"
    ).changes
    async with Bench(tmp_path, keys=OwnKeys(changes)) as bench:
        assert "Press ö to point" in said(bench.app)
        await bench.press("f", "2", "question_mark")
        assert bench.app.view == "bench"
        assert bench.app.view_state.request is None
        assert len(bench.app.screen_stack) == 1
        await bench.press("ö")
        assert bench.app.view_state.request is not None
        await bench.press("f2")
        assert bench.app.view == "book"
        await bench.press("4")
        assert "D □ door open" in said(bench.app, "ModePanel")
        await bench.press("D")
        await wait_for(lambda: bench.app.view_state.session.control.door_open)
        assert "D closes it" in said(bench.app)
        await bench.press("f1")
        assert len(bench.app.screen_stack) == 2


async def test_a_file_with_faults_is_told_once_the_job_is_open_and_changes_nothing(tmp_path):
    keys_path().parent.mkdir(parents=True, exist_ok=True)
    keys_path().write_text("[bench]\nstore = 'p'\nclamped = 'K'\n", encoding="utf-8")
    with pytest.raises(KeysError, match="in bench, p would be store and prove") as caught:
        own_keys()
    async with Bench(tmp_path, keys=OwnKeys(trouble=caught.value)) as bench:
        assert "keys.toml:2 bench.store" in said(bench.app)
        assert bench.app.keymap.meant("bench", "k")[0].label == "clamped"


def test_the_command_prints_the_keys_or_every_fault():
    assert '"store" = "s"' in CliRunner().invoke(command, ["keys"]).output
    keys_path().parent.mkdir(parents=True, exist_ok=True)
    keys_path().write_text("[bench]\na = 'x'\n\"b c\" = 'x'\n'c.d' = 'x'\nd = 'x'\n", encoding="utf-8")
    result = CliRunner().invoke(command, ["keys"])
    assert result.exit_code != 0
    assert [line[: len("keys.toml:2")] for line in result.output.splitlines()] == [
        f"keys.toml:{n}" for n in range(2, 6)
    ]
