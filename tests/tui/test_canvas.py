"""The braille canvas, the projection and the large figures."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.tui.canvas import Canvas, Projection
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.words import folded


def shown(canvas):
    return ["".join(words for words, _ in canvas.runs(row)) for row in range(canvas.rows)]


def test_dots_lines_text_and_layers():
    canvas = Canvas(3, 1)
    canvas.dot(0, 0, "red")
    canvas.dot(5, 3, "blue", 2)
    canvas.dot(4, 0, "green", 1)
    assert shown(canvas) == ["⠁ ⢀"]
    assert canvas.runs(0)[-1][1] == "blue"
    canvas.line(0, 1, 5, 1, "red", 3)
    assert shown(canvas) == ["⠓─⢒"]
    canvas.write(1, 0, "X", "bold")
    canvas.write(2, 0, "too long", "bold")
    assert shown(canvas) == ["⠓X⢒"]


FAR = st.floats(-1e6, 1e6)


@given(FAR, FAR, FAR, FAR)
def test_lines_from_anywhere_stay_on_the_surface(x0, y0, x1, y1):
    canvas = Canvas(8, 4)
    canvas.line(x0, y0, x1, y1, "red")
    assert all(len(row) == 8 for row in shown(canvas))


def test_fill_covers_the_inside_and_not_the_hole():
    canvas = Canvas(10, 5)
    canvas.dot(4, 9, "red")
    outer = [(0, 0), (20, 0), (20, 20), (0, 20), (0, 0)]
    hole = [(8, 8), (12, 8), (12, 12), (8, 12), (8, 8)]
    canvas.fill([outer, hole], "#111111")
    filled = [[bool(canvas.grounds[r * 10 + c]) for c in range(10)] for r in range(5)]
    assert filled[0] == [True] * 10
    assert filled[2] == [True] * 4 + [False] * 2 + [True] * 4
    assert canvas.dots[2 * 10 + 2] == 0


def styled(canvas):
    return [piece for row in range(canvas.rows) for piece in canvas.runs(row)]


@pytest.mark.parametrize(
    ("level", "wanted"),
    [
        (0.5, [("▔", "red on #111111"), (" ", "on #111111")]),  # all of the cell lies under the line
        (1.5, [("▔", "red on #111111"), (" ", "on #111111")]),
        (2.5, [("▁", "red"), (" ", "on #111111")]),  # next to nothing does
        (3.5, [("▁", "red"), (" ", "on #111111")]),
    ],
)
def test_an_outline_along_an_axis_is_solid_and_its_fill_ends_there(level, wanted):
    canvas = Canvas(3, 2)
    canvas.fill([[(0, level), (6, level), (6, 8), (0, 8), (0, level)]], "#111111")
    canvas.line(0, level, 5.9, level, "red")
    middle = Canvas(1, 2, *([values[1::3] for values in (canvas.dots, canvas.colours, canvas.layers)]))
    middle.grounds, middle.edges = canvas.grounds[1::3], {n // 3: canvas.edges[n] for n in (1, 4) if n in canvas.edges}
    assert styled(middle) == wanted


def test_a_fill_without_a_line_ends_within_a_cell_and_dashes_stay_dashes():
    canvas = Canvas(2, 1)
    canvas.fill([[(1, 2), (4, 2), (4, 4), (1, 4), (1, 2)]], "#111111")
    assert styled(canvas) == [("▗▄", "#111111")]
    upright = Canvas(1, 3)
    upright.line(1.5, 0, 1.5, 11.9, "red")
    assert shown(upright) == ["▕", "▕", "▕"]
    dashed = Canvas(4, 1)
    dashed.line(0, 1, 7.9, 1, "red", 0, (2, 2))
    assert not set("─▔▁") & set("".join(shown(dashed)))


@given(st.floats(1.4, 3.0))
def test_projection_is_to_scale_and_upright(ratio):
    view = Projection.fit((-100, -50), (100, 50), 60, 20, ratio / 2)
    x0, y0 = view(0, 0)
    x1, y1 = view(10, 10)
    assert (x0, y0) == pytest.approx((60, 40))
    # Ten millimetres are as long on the glass in both directions: a dot is ratio / 2 times as high as wide.
    assert (x1 - x0) == pytest.approx((y0 - y1) * ratio / 2)
    assert y1 < y0
    column, row = view.cell(13.0, -7.0)
    assert view.place(column, row) == pytest.approx((13.0, -7.0), abs=2 / view.scale * max(1, ratio))


def test_large_figures_keep_their_columns():
    widths = {len(large(text)[0]) for text in ("−433.085", "+1.000".rjust(8), "0.000".rjust(8))}
    assert len(widths) == 1
    assert all(len(set(map(len, large(character)))) == 1 for character in "0123456789−+. XYZ")
    with pytest.raises(ValueError, match="no large form"):
        large("Q")


def test_a_label_finds_room_beside_its_place_and_gives_way_to_those_before_it():
    canvas = Canvas(12, 3)
    assert canvas.label(1, 1, "one", "red")
    assert canvas.label(1, 1, "two", "red")  # its first place is taken
    assert shown(canvas)[1][3:6] == "one"
    assert sum("two" in line for line in shown(canvas)) == 1
    before = shown(canvas)
    assert not canvas.label(1, 1, "longer than all", "red")
    assert shown(canvas) == before


def test_words_are_folded_and_cut_only_where_there_is_no_room():
    text = "the ball touches a wall 1.5 mm above its lower edge, which may lie 2 mm higher"
    assert folded(text, 80) == [text]
    assert folded(text, 50) == ["the ball touches a wall 1.5 mm above its lower", "edge, which may lie 2 mm higher"]
    assert folded(text, 30) == ["the ball touches a wall 1.5 mm", "above its lower edge, which m…"]
    assert folded("", 30) == [""]
