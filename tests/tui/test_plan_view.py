"""The plan in the interface: built with keys and words, proved, stepped through, woven into a program, written."""

from __future__ import annotations

import asyncio
import threading

import pytest
from textual.widgets import Input

from brisk_anchor.services.insert import weave_editor
from brisk_anchor.services.plan import proving
from brisk_anchor.tui.plan.weave_sheet import WeaveSheet
from tests.tui.test_pilot import Bench, said, wait_for
from tests.tui.test_tmux import terminal  # noqa: F401


async def typed(bench, words):
    bench.app.query_one(Input).value = words
    await bench.press("enter")


def plan_of(bench):
    return bench.app.view_state.plan.plan


@pytest.fixture
def few(monkeypatch):
    monkeypatch.setattr(proving, "VARIATIONS", 6)


async def test_a_plan_is_built_with_the_drawing_and_words(tmp_path):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("7")
        await wait_for(lambda: "at the least" in said(app, "#plan-whole"))
        assert "boss ⌀24, as cast" in said(app, "#plan-list")
        assert "16 mm to the wall, 2 mm it may lie off, 1 mm more" in said(app, "#plan-figures")
        await bench.press("down", "down", "f")
        assert "a adds bushed bore ⌀25" in said(app)
        await bench.press("r")
        assert plan_of(bench).measure[3].feature == "bush"
        assert plan_of(bench).measure[3].on_fail == "stop"
        await bench.press("e")
        await typed(bench, "sets G55 x 40 y 160")
        assert "bush: sets G55 X +40  Y +160" in said(app)
        await bench.press("right", "right", "enter")
        await typed(bench, "9.5")
        assert plan_of(bench).measure[3].depth == 9.5
        assert "depth is 9.5 mm now" in said(app)
        await bench.press("backspace")
        assert plan_of(bench).measure[3].depth is None
        await bench.press("shift+up", "space")
        assert plan_of(bench).measure[2].enabled is False
        assert "left out" in said(app, "#plan-list")
        await bench.press("u", "u", "n")
        await typed(bench, "probe each")
        assert plan_of(bench).probe == "each"
        await bench.press("n")
        app.query_one(Input).value = "weather fine"
        await bench.pilot.pause()
        assert "nothing that can be said of a plan" in said(app, "#entry-result")
        await bench.press("escape", "delete", "o")
        assert len(plan_of(bench).measure) == 4
        app.query_one("#plan-drawing").post_message(app.query_one("#plan-drawing").Pointed(-434.0, -250.0))
        await bench.pilot.pause()
        assert "› " in said(app, "#plan-list")
        await bench.press("1", "f", "L")
        assert "of the plan" in said(app)


async def test_a_plan_is_proved_written_drawn_and_stepped_through(tmp_path, few):
    async with Bench(tmp_path) as bench:
        app = bench.app
        await bench.press("7", "p")
        await wait_for(lambda: "Proved: 6 of 6" in said(app))
        assert "proved on 6 parts" in said(app, "#plan-whole")
        assert "stylus stem stays" in said(app, "#plan-whole")
        await bench.press("w")
        assert "gl-114.plan.toml and o2150.nc" in said(app)
        await bench.press("t")
        await wait_for(lambda: "Written: path-gl-114.svg" in said(app), 60)
        await bench.press("c")
        assert "O2150" in said(app, "#code-heading")
        assert "● proved" in said(app, "#code-heading")
        await bench.press("j", "j")
        code = app.query_one("#code")
        assert code.view_state.proving.player.touches == 2
        line, steps = code.view_state.proving.player.line, code.view_state.proving.player.steps
        assert "called from line" in said(app, "#meaning-heading")
        await bench.press("N")
        assert code.view_state.proving.player.steps == steps - 1
        await bench.press("n")
        assert (code.view_state.proving.player.line, code.view_state.proving.player.touches) == (line, 2)
        await bench.press("left_square_bracket", "left_square_bracket", "right_square_bracket")
        assert code.view_state.proving.player.speed in (16.0, 32.0)
        code.cursor = next(n for n, item in enumerate(code.program.lines, 1) if item.text.startswith("N40"))
        wanted = code.cursor
        await bench.press("g")
        assert code.view_state.proving.player.line == wanted
        await bench.press("escape", "c")
        assert "plan" not in said(app, "#code-heading")
        await bench.press("tab", "7", "space", "p")
        await wait_for(lambda: "Proved" in said(app) or "cannot" in said(app) or "come from" in said(app))


async def test_a_proof_is_ended_by_hand_and_says_nothing_then(tmp_path):
    async with Bench(tmp_path) as bench:
        await bench.press("7", "p")
        await asyncio.sleep(0.3)
        await bench.press("escape")
        await wait_for(lambda: "The proof was ended" in said(bench.app))
        assert bench.app.view_state.plan.proof is None


async def test_faults_of_the_file_are_told_and_the_view_lives(tmp_path):
    (tmp_path / "a.plan.toml").write_text('form = "brisk-anchor-plan-1"\nunits = "mm"\nname = "x"\n[[measure]]\n')
    async with Bench(tmp_path) as bench:
        await bench.press("7")
        assert "The plan's file has faults" in said(bench.app)
        await bench.press("a", "down", "p", "w", "1")
        assert bench.app.view == "bench"


async def test_measuring_is_put_into_a_program_and_out_again(tmp_path):
    async with Bench(tmp_path, size=(100, 30)) as bench:
        app = bench.app
        await bench.press("7", "down", "down", "O")
        await typed(bench, "nowhere.nc")
        assert "cannot be read" in " ".join(said(app).split())
        await bench.press("O")
        await typed(bench, "gl-114-boss.nc")
        await wait_for(lambda: isinstance(app.screen, WeaveSheet))
        sheet = app.screen

        async def press(*keys):
            for key in keys:
                await bench.press(key)
                await wait_for(lambda: not sheet.busy)
            await bench.pilot.pause()
            return str(sheet.query_one("#weave-said").render())

        assert "the same moves are cut" in await press("m")
        assert "+(BRISK ANCHOR 1 BEGIN" in str(sheet.query_one("#weave-diff").render())
        assert "reference" in await press("k")
        assert "one operation" in await press("down", "space", "up", "space", "j")
        await press("w")
        assert "BRISK ANCHOR" in (tmp_path / "gl-114-boss.measured.nc").read_text()
        assert "Nothing of ours" in await press("x", "pagedown", "u", "u", "x", "x")
        await bench.press("escape")
        assert app.screen is not sheet


async def test_a_program_of_many_operations_is_gone_through_while_a_change_is_worked_out(tmp_path, monkeypatch):
    lines = [
        f"T{tool} M6 (FACE {n})\nG90 G54\nS900 M3\nG0 X{n} Y5.\nG43 H{tool} Z60.\nG1 Z50. F200\nX90.\nG0 Z60.\nM5\n"
        for n, tool in zip(range(60), [5, 12] * 30, strict=True)
    ]
    (tmp_path / "many.nc").write_text(f"%\nO0077\nG21 G90 G17 G40 G49 G80\n{''.join(lines)}M30\n%\n")
    going, come = threading.Event(), threading.Event()
    monkeypatch.setattr(weave_editor, "cut_as_before", lambda *_: going.set() or (come.wait(20) and "cut") or "")
    async with Bench(tmp_path, size=(100, 30)) as bench:
        await bench.press("7", "O")
        await typed(bench, "many.nc")
        await wait_for(lambda: isinstance(bench.app.screen, WeaveSheet))
        sheet = bench.app.screen
        listed = sheet.query_one("#weave-list")

        def seen():
            return range(listed.scroll_offset.y, listed.scroll_offset.y + listed.size.height)

        await bench.press(*["down"] * 55)
        assert sheet.chosen == 55
        assert 55 in seen()
        await bench.pilot.click("#weave-list", offset=(8, 1))
        assert sheet.chosen == seen()[1]
        await bench.press("m")
        await wait_for(going.is_set)
        await bench.press("down", "m")  # passed over: something is worked out
        assert "Being worked out" in str(sheet.query_one("#weave-said").render())
        come.set()
        await wait_for(lambda: not sheet.busy)
        await bench.pilot.pause()
        assert "is measured after operation" in str(sheet.query_one("#weave-said").render())
        assert len(sheet.editor.program.woven) == 1


def test_the_plan_in_a_terminal(terminal):  # noqa: F811
    window = terminal("--speed", "60")
    window.wait("Press f to point at bore")
    window.keys("7")
    window.wait("at the least")
    window.keys("p")
    window.wait("Proved: 200 of 200 parts ended right", "longest search used", seconds=60.0)
    window.keys("w")
    window.wait("Written: gl-114.plan.toml and o2150.nc")
    window.keys("c", "j")
    window.wait("Held after the next touch")
    window.keys("q")
    window.wait("ended with 0")
    assert (window.home / "demo" / "gl-114.plan.proof.json").exists()
    again = terminal("--speed", "60")
    again.wait("Press f to point at bore")
    again.keys("7")
    again.wait("● proved on 200 parts")
