"""Charts and drawings in files: what they say, that text stays text, and that the same figures give the same file."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from xml.etree import ElementTree

import pytest

from brisk_anchor.drawings.charts import Panel, chart
from brisk_anchor.drawings.fits import FitBox, fits_drawing
from brisk_anchor.drawings.labels import labels_apart, overlaps
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.book_files import write_timeline
from brisk_anchor.services.offsets.offset_book import edit
from brisk_anchor.services.offsets.sheets import write_repeat_chart
from brisk_anchor.services.session.repeatability import repeat

NASTY = 'a < b & "c" </svg><script>alert(1)</script> $x^2$'
RUNS = Panel("X, mm", (1.0, 2.0, 3.0), (-470.0012, -470.0010, -470.0014), -470.0012, 0.001, note=NASTY)
START = datetime(2026, 11, 1, 6, 0, tzinfo=UTC)
DAYS = Panel(
    "Z, mm",
    tuple(START + timedelta(days=n) for n in range(4)),
    (-558.0, -558.01, -557.99, -558.002),
    spreads=(0.004, 0.004, 0.0, 0.004),
    shapes=("o", "o", "x", "o"),
)


def words(svg: bytes) -> str:
    return "".join(ElementTree.fromstring(svg).itertext())


@pytest.mark.parametrize("panels", [[RUNS], [DAYS], [DAYS, DAYS, DAYS], [RUNS, RUNS]])
def test_a_chart_is_sound_says_the_same_twice_and_runs_nothing(panels):
    first = chart(NASTY, NASTY, "run", panels)
    assert first == chart(NASTY, NASTY, "run", panels)
    root = ElementTree.fromstring(first["svg"])
    assert not [e for e in root.iter() if e.tag.endswith("script")]
    assert first["pdf"].startswith(b"%PDF-")


def test_a_chart_of_one_value_and_of_values_that_do_not_differ():
    for values in ((1.0,), (2.0, 2.0)):
        panel = Panel("X", tuple(float(n) for n in range(len(values))), values)
        assert ElementTree.fromstring(chart("t", "", "run", [panel])["svg"]).tag.endswith("svg")


def test_what_a_program_reaches_is_drawn(scene):
    boxes = [
        FitBox("G54 T5", (-200.0, -200.0, -400.0), (-100.0, -100.0, -300.0), inside=True),
        FitBox("G58 T12", (-200.0, -200.0, -400.0), (150.0, -100.0, -300.0), inside=False, shift=(-150.0, 0.0, 0.0)),
    ]
    told = ["! G58, T12: X goes 150.000 mm past", NASTY, *(f"line {n}" for n in range(30))]
    drawn = fits_drawing(NASTY, scene.setup, boxes, told)
    assert not [e for e in ElementTree.fromstring(drawn["svg"]).iter() if e.tag.endswith("script")]
    assert drawn == fits_drawing(NASTY, scene.setup, boxes, told)
    assert fits_drawing("t", scene.setup, [], [])["pdf"].startswith(b"%PDF-")


def test_a_repeatability_run_goes_into_files(session, tmp_path):
    asked = build_measurement(session.setup, point_at(session.setup, session.setup.drawn("bore")))
    found = repeat(session, asked, 4)
    paths = write_repeat_chart(session, asked.title, found, tmp_path)
    assert [path.suffix for path in paths] == [".svg", ".pdf"]
    assert not session.measured


def test_the_days_of_a_row_go_into_files_with_its_angle(session, tmp_path):
    for n in range(3):
        edit(session, "G57", {"x": -1.0 - n, "y": 0.0, "z": 2.0, "r": 0.1 * n}, f"day {n}")
    svg, pdf = write_timeline(session, "G57", tmp_path)
    assert svg.name == "offset-g57.svg"
    assert pdf.read_bytes().startswith(b"%PDF-")


def test_labels_of_a_page_give_way_to_each_other_and_to_headings():
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    figure = Figure(figsize=(6, 4))
    FigureCanvasAgg(figure)
    figure.text(0.05, 0.9, "a title much too long for the line that it shares with a date " * 2, fontsize=12)
    figure.text(0.95, 0.9, "2026-11-29", fontsize=9, ha="right")
    axes = figure.add_axes((0.1, 0.1, 0.8, 0.7))
    for number in range(4):
        axes.text(0.5, 0.5, f"touched place {number}")
        axes.annotate(f"bore {number}", (0.5, 0.5), (6, 6), textcoords="offset points")
        axes.annotate(f"boss {number}", (0.4, 0.4), (0.45, 0.55), arrowprops={"arrowstyle": "-"})
    assert len(overlaps(figure)) > 10
    places = {text: text.get_window_extent() for text in axes.texts}
    labels_apart(figure)
    assert overlaps(figure) == []
    for text, before in places.items():
        now = text.get_window_extent()
        assert max(abs(now.x0 - before.x0), abs(now.y0 - before.y0)) < 300, text.get_text()
