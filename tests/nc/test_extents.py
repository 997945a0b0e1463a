"""Extents: the quick reader against the exact one, arcs against dense sampling, and what neither may guess."""

from __future__ import annotations

import io
import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.read.extents import ExtentReader, _words, chunks_of, read_extents
from brisk_anchor.services.machine.dry_run import read_program

INF = math.inf
SMALL = st.floats(-50, 50)
FIGURE = st.floats(-500, 500).map(lambda v: f"{v:.4f}")


def both(text):
    quick, exact = ExtentReader(), ExtentReader()
    data = text.encode()
    assert quick._quick(data)
    exact._exact(data)
    return quick, exact


@st.composite
def plain_programs(draw):
    lines = [f"G90 G54 G0 X{draw(FIGURE)} Y{draw(FIGURE)} Z{draw(FIGURE)}"]
    for _ in range(draw(st.integers(1, 12))):
        words = [draw(st.sampled_from(["", "G0", "G1", "G54", "G55", "G1 F500", "N10", "S500 M3"]))]
        words += [f"{letter}{draw(FIGURE)}" for letter in "XYZ" if draw(st.booleans())]
        lines.append(" ".join(filter(None, words)))
    return "\n".join(lines) + "\n"


@given(plain_programs())
def test_quick_and_exact_agree_to_the_last_bit(text):
    quick, exact = both(text)
    assert {k: (v.low, v.high) for k, v in quick.extents.items()} == {
        k: (v.low, v.high) for k, v in exact.extents.items()
    }
    assert quick._state == exact._state
    assert quick.blocks == exact.blocks == text.count("\n")


@st.composite
def programs_with_tools(draw):
    lines = ["G90 G54 G0 X0. Y0. Z9."]
    for _ in range(draw(st.integers(1, 8))):
        if draw(st.booleans()):
            lines.append(f"T{draw(st.integers(1, 3))} M{draw(st.sampled_from(['6', '06']))}")
        lines.append(" ".join(f"{letter}{draw(FIGURE)}" for letter in "XYZ" if draw(st.booleans())) or "G1")
    return "\n".join(lines) + "\n"


@given(programs_with_tools())
def test_extents_by_tool_and_the_lines_they_stand_in(text):
    """Against a plain walk through the lines, word by word."""
    tool, seen = 0, {}
    for number, line in enumerate(text.splitlines(), 1):
        words = re.findall(r"([A-Z])(-?[\d.]+)", line)
        if line.startswith("T"):
            tool = int(words[0][1])
        for letter, figure in words:
            if letter in "XYZ":
                seen.setdefault((tool, "XYZ".index(letter)), []).append((float(figure), number))
    reader = ExtentReader()
    reader.feed(text.encode())
    for (number, axis), places in seen.items():
        extent = reader.by_tool["G54", number]
        assert (extent.low[axis], extent.high[axis]) == (min(places)[0], max(places)[0])
        assert (extent.low[axis], extent.low_line[axis]) in places
        assert (extent.high[axis], extent.high_line[axis]) in places
    assert reader.blocks == text.count("\n")


@given(
    st.floats(-math.pi, math.pi),
    st.floats(0.3, 6.2),
    st.floats(1, 80),
    st.booleans(),
    st.floats(-50, 50),
    st.floats(-50, 50),
)
def test_arcs_reach_as_far_as_their_points(first, turn, radius, clockwise, cx, cy):
    sense = -1 if clockwise else 1
    angles = first + sense * np.linspace(0, turn, 20001)
    xs, ys = cx + radius * np.cos(angles), cy + radius * np.sin(angles)
    text = (
        f"G90 G0 X{xs[0]:.9f} Y{ys[0]:.9f}\nG{2 if clockwise else 3} X{xs[-1]:.9f} Y{ys[-1]:.9f} "
        f"I{cx - xs[0]:.9f} J{cy - ys[0]:.9f} F100\n"
    )
    for reader in both(text):
        extent = reader.extents["G54"]
        assert extent.low[:2] == pytest.approx([xs.min(), ys.min()], abs=1e-5)
        assert extent.high[:2] == pytest.approx([xs.max(), ys.max()], abs=1e-5)


@given(st.lists(FIGURE, min_size=1, max_size=20))
def test_figures_are_those_python_reads(figures):
    text = "".join(f"X{figure}Y{figure}\n" for figure in figures)
    letters, values, lines, count, pointed = _words(text.encode())
    assert pointed.all()
    plain = [float(v) for _, v in re.findall(r"([A-Z])(-?[\d.]+)", text)]
    assert values.tolist() == plain
    assert count == len(figures)
    assert lines.tolist() == [i for i in range(len(figures)) for _ in "XY"]
    assert bytes(letters) == b"XY" * len(figures)


@pytest.mark.parametrize(
    "text",
    ["X1.2.3\n", "X--1\n", "X\n", "X Y1.2.3\n", "X1 2\n", "X1-2\n", "X.\n", "X+\n", "1X2\n", "X1Y\n", "X1e5\n", "\n"],
)
def test_malformed_figures_never_pass_the_quick_reader(text):
    assert _words(b"G0 X1. Y2.\n" + text.encode()) is None or text == "\n"


def extent_of(text):
    return read_extents(io.BytesIO(text.encode())).extents


@pytest.mark.parametrize(
    ("text", "row", "low", "high"),
    [
        ("(head)\nG90 G54 G0 X1. Y2. Z3.\nG91 X1. Y1. Z-5.\n", "G54", [1, 2, -2], [2, 3, 3]),
        ("G20 G90 G55 G0 X1. Y0 Z0 ; inches\nG21 X10.\n", "G55", [10, 0, 0], [25.4, 0, 0]),
        (
            "%\nO100 (X999.)\nG90 G0 X1.\n/X2.\nG4 P500\nM30\n%\n",
            "G54",
            [1, INF, INF],
            [2, -INF, -INF],
        ),
        ("G90 G18 G0 X0 Y0 Z0\nG2 X10. Z0 R5.\n", "G54", [0, 0, -5], [10, 0, 0]),
        ("G90 G59.1 G0 X5.\nG10 L2 P1 X999.\n", "G59.1", [5, INF, INF], [5, -INF, -INF]),
        ("G90 G0 X0 Y0\nG2 I5. J0\n", "G54", [0, -5, INF], [10, 5, -INF]),
    ],
)
def test_what_needs_the_exact_reader(text, row, low, high):
    extent = extent_of(text)[row]
    assert extent.low == pytest.approx(low)
    assert extent.high == pytest.approx(high)


@pytest.mark.parametrize(
    ("text", "line", "reason"),
    [
        ("G0 X1.\nG1 X#101 F100\n", 2, "macros are not followed"),
        ("G0 X1.\nG0 X1. X2.\n", 2, "X stands twice"),
        ("G0 X1.\nG0 X1.2.3\n", 2, "cannot be read"),
        ("G0 X0 Y0\nG2 X10. Y0 R2.\n", 2, "too small"),
        ("G0 X0 Y0\nG3 X10. Y0\n", 2, "needs I and J"),
        ("G0 X1.\nG0 X１0.\n", 2, "“１” is no character"),
        ("(PLÄTTE\x85 X9.)\nG0 \u017f1.\n", 2, "“\u017f” is no character"),
    ],
)
def test_what_cannot_be_read_names_its_line(text, line, reason):
    with pytest.raises(NcError, match=reason) as caught:
        extent_of(text)
    assert caught.value.line == line


def test_chunks_cut_at_lines_and_give_the_same(tmp_path):
    source = np.random.default_rng(1)
    figures = source.uniform(-99, 99, (400, 3))
    text = "G90 G54 G1 F100\n" + "".join(f"X{x:.3f} Y{y:.3f} Z{z:.3f}\n" for x, y, z in figures)
    pieces = list(chunks_of(io.BytesIO(text.encode()), 100))
    assert b"".join(pieces) == text.encode()
    assert all(piece.endswith(b"\n") for piece in pieces)
    reader = ExtentReader()
    for piece in pieces:
        reader.feed(piece)
    assert reader.extents["G54"].low == pytest.approx(np.round(figures, 3).min(axis=0).tolist())
    assert (reader.blocks, reader.quick_blocks) == (401, 401)
    with pytest.raises(NcError, match="has no end"):
        list(chunks_of(io.BytesIO(b"G" * 50_000), 1000))


PROGRAM = "%\nO1000 (PLÄTTE)\nG21 G90 G54 G0 X0 Y0\nG1 X50. Y20. F100\nM30\n%\n"
AS_SAVED = {
    "UTF-8": PROGRAM.encode(),
    "Latin-1": PROGRAM.encode("latin-1"),
    "with a mark of order": PROGRAM.encode("utf-8-sig"),
    "CR LF": PROGRAM.replace("\n", "\r\n").encode(),
    "CR": PROGRAM.replace("\n", "\r").encode(),
    "from a tape": b"\0\0\x7f" + PROGRAM.replace("\n", "\r\n\0\0").encode() + b"\x13\0",
    "of an old system": PROGRAM.encode() + b"\x1a",
}


@pytest.mark.parametrize("data", AS_SAVED.values(), ids=AS_SAVED)
def test_a_program_is_read_however_it_was_saved_or_sent(data, tmp_path):
    path = tmp_path / "o1000.nc"
    path.write_bytes(data)
    for pieces in (4_000_000, 16):  # of bytes: ends of lines fall on their borders
        reader = ExtentReader()
        for piece in chunks_of(io.BytesIO(data), pieces):
            reader.feed(piece)
        assert (reader.extents["G54"].low, reader.extents["G54"].high) == ([0, 0, INF], [50, 20, -INF])
    assert [line for line in read_program(path).splitlines() if line][2:] == PROGRAM.splitlines()[2:]


@pytest.mark.parametrize("more", ["", "G91 ", "(exactly) ", "G20 "])
def test_lengths_without_a_point_are_what_the_control_takes_them_for(more):
    text = f"{more}G54 G0 X400 Y-2. Z0\nX-7 I0 F100\n"
    as_written, stepped = ExtentReader(), ExtentReader(1000.0)
    for reader in (as_written, stepped):
        reader.feed(text.encode())
    assert as_written.wholes == 2  # zero is zero
    step = 2.54e-3 if "G20" in more else 1e-3
    last = 400 - 7 if "G91" in more else -7
    assert stepped.extents["G54"].high[0] == pytest.approx(400 * step)
    assert stepped.extents["G54"].low[0] == pytest.approx(min(last, 400) * step)
    unit = 25.4 if "G20" in more else 1.0
    assert as_written.extents["G54"].high[0] == pytest.approx(400 * unit)
    assert stepped.extents["G54"].low[1] == as_written.extents["G54"].low[1] == pytest.approx(-2 * unit)


@pytest.mark.parametrize("code", ["G16", "G51.1 X0", "G68.2", "G12.1", "G7.1 C20.", "M97 P100", "G43.4 H1", "G90.1"])
def test_what_makes_words_mean_something_else_is_refused(code):
    with pytest.raises(NcError, match="run the program on the stand-in"):
        extent_of(f"G90 G54 G0 X1. Y2.\n{code}\nG1 X10. Y90.\n")
