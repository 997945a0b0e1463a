"""What the drawings and panels show, without a screen."""

from __future__ import annotations

import pytest

from brisk_anchor.core.quantities import age_words
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.tui import theme
from brisk_anchor.tui.bench.chain_panel import chain_text, links
from brisk_anchor.tui.canvas import Canvas
from brisk_anchor.tui.picture import Anchor, Picture, box_of, draw_ground, draw_live, projections


def shown(canvas):
    return "\n".join("".join(words for words, _ in canvas.runs(row)) for row in range(canvas.rows))


def drawn(picture, columns=100, plan_rows=24, front_rows=12):
    canvases = []
    for view, rows, front in zip(
        projections(picture, columns, plan_rows, front_rows, 1.1), (plan_rows, front_rows), (False, True), strict=True
    ):
        canvas = Canvas(columns, rows)
        draw_ground(canvas, picture, view, front=front)
        draw_live(canvas, picture, view, front=front)
        canvases.append((canvas, view))
    return canvases


@pytest.mark.parametrize("zoom", ["set-up", "feature", "machine"])
def test_plan_and_front_stand_above_each_other_to_one_scale(scene, zoom):
    picture = Picture(scene.setup, zoom=zoom, centre=(-434.0, -250.0, -503.0))
    (_, plan), (_, front) = drawn(picture)
    assert (plan.scale, plan.u0) == (front.scale, front.u0)
    (x0, y0), (x1, y1), _ = box_of(picture)
    for x, y in ((x0, y0), (x1, y1)):
        column, row = plan.cell(x, y)
        assert -1 <= column <= 100
        assert -1 <= row <= 24


def test_higher_things_hide_lower_ones(scene):
    (canvas, view), _ = drawn(Picture(scene.setup, zoom="feature", centre=(-434.0, -250.0, -503.0)))
    rest = view.cell(-434.0, -228.0)  # a rest under the hub, where only the hub may be seen
    assert canvas.grounds[rest[1] * 100 + rest[0]] == theme.PART_GROUND
    bore = view.cell(-434.0, -250.0)  # through the bore one sees the plate
    assert canvas.grounds[bore[1] * 100 + bore[0]] == theme.FIXTURE_GROUND


def test_anchor_ghost_tip_touch_and_zero_are_on_the_picture(scene):
    picture = Picture(
        scene.setup,
        tip=(-434.0, -250.0, -515.0),
        anchors=[
            Anchor("G54 before", (-455.0, -301.0, -498.0), theme.FAINT, ghost=True),
            Anchor("G54", (-470.0, -286.0, -504.5), theme.SAND),
        ],
        touches=[(-453.0, -250.0, -512.0), (-440.0, -301.0, -498.0)],  # the second where a label would stand
        length=150.0,
    )
    (plan, _), (front, _) = drawn(picture)
    for words in ("◆", "◇", "machine zero"):
        assert words in shown(plan)
    assert "◆" in shown(front)
    for canvas in (plan, front):
        assert "G54 before" in shown(canvas)
        assert shown(canvas).count("×") == 2
    (whole, _), _ = drawn(Picture(scene.setup, zoom="machine", anchors=picture.anchors))
    assert "■ machine zero" in shown(whole)


def test_the_chain_grows_link_by_link_and_shrinks_to_its_ends(quiet):
    def reached(chain, missing, proof, settled):
        return links(chain, missing, proof, settled=settled).plain.count("●")

    assert reached(None, ["bore"], None, False) == 0
    names = {feature.name: feature for feature in quiet.setup.features}
    quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, names["bore"])))
    assert reached(quiet.solver.part_chain("G54"), ["top"], None, False) == 2
    quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, names["top"])))
    chain = quiet.writer.store("G54")
    assert reached(chain, [], None, True) == 4
    proof = quiet.prover.prove("G54")
    assert reached(chain, [], proof, True) == 5
    whole = chain_text(chain, [], proof, quiet.measured["bore"].agreements, 40, settled=True).plain
    assert "its place on the drawing" in whole
    short = chain_text(chain, [], proof, [], 6, settled=True).plain
    assert "its place on the drawing" not in short
    assert all(f"G54 {axis}" in short for axis in "XYZ")


@pytest.mark.parametrize(
    ("seconds", "words"), [(5, "now"), (61, "1 min"), (7300, "2 h"), (200_000, "2 d"), (-10, "now")]
)
def test_ages_in_words(seconds, words):
    assert age_words(seconds) == words
