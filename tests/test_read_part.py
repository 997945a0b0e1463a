"""Drawings and meshes from outside: what they become, and what cannot break in by them."""

from __future__ import annotations

import itertools
import math
import random
import time
import tomllib
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import DrawingFileError
from brisk_anchor.exchange.dxf import _of_the_part, _within_larger_ones
from brisk_anchor.exchange.read_part import Round, area, loops, simplified, those_within
from brisk_anchor.services.job.jobs import new_job
from brisk_anchor.services.job.part_text import part_text, read_part
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.standin.solids import Polygon
from tests.test_cli import call


def drawing(path, units=1, close=True, scale=1 / 25.4, words='say "hi"'):
    """A plate 160 × 100 with one rounded corner and two bores, by default in inches."""
    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = units
    space = document.modelspace()
    for name in ("OUT", "HOLES", "NOTES"):
        document.layers.add(name)
    corners = [(0, 0), (160, 0), (160, 80)]
    lines = [*itertools.pairwise(corners), ((140, 100), (0, 100))]
    if close:
        lines.append(((0, 100), (0, 0)))
    for a, b in lines:
        space.add_line(*[(x * scale, y * scale) for x, y in (a, b)], dxfattribs={"layer": "OUT"})
    space.add_arc((140 * scale, 80 * scale), 20 * scale, 0, 90, dxfattribs={"layer": "OUT"})
    space.add_circle((80 * scale, 50 * scale), 31 * scale, dxfattribs={"layer": "HOLES"})
    space.add_circle((20 * scale, 50 * scale), 8 * scale, dxfattribs={"layer": "HOLES"})
    space.add_text(words, dxfattribs={"layer": "NOTES"})
    space.add_linear_dim(base=(0, -1), p1=(0, 0), p2=(160 * scale, 0)).render()
    document.saveas(path)
    return path


def test_a_drawing_in_inches_becomes_a_part_in_millimetres(tmp_path):
    read = read_part(drawing(tmp_path / "cap.dxf"), units=None, layers=None)
    # The plate less what the rounding takes off its corner: (1 − π/4) r².
    assert area(read.outline) == pytest.approx(16000 - (1 - math.pi / 4) * 400, rel=1e-5)
    assert [(r.centre, r.diameter, r.layer) for r in read.rounds] == [
        ((80.0, 50.0), 62.0, "HOLES"),
        ((20.0, 50.0), 16.0, "HOLES"),
    ]
    assert [(word.text, word.place) for word in read.words][1] == ("160", (80.0, -19.685))
    part = tomllib.loads(part_text(read, "BC-27", depth=8.0, thickness=35.0))
    assert [f["name"] for f in part["feature"]] == ["bore 1", "bore 2", "left", "right", "front", "back", "top"]
    assert part["feature"][3]["place"] == [160.0, 40.0, 0.0]
    only = read_part(tmp_path / "cap.dxf", units=None, layers=frozenset({"OUT"}))
    assert not only.rounds


def test_a_read_part_is_measured_stored_and_proved(tmp_path):
    folder = tmp_path / "job"
    new_job(folder)
    (folder / "part.toml").unlink()
    drawn = drawing(tmp_path / "cap.dxf")
    arguments = ("read", drawn, "--name", "BC-27", "--depth", "8", "--thickness", "35", "--out", folder / "part.toml")
    assert "7 features" in call(*arguments).stdout
    assert call(*arguments).returncode == 2
    job = (folder / "job.toml").read_text().replace('"seat"', '"bore 1"')
    old, new = 'x = { feature = "bore 1", drawing = 80.0 }', 'x = { feature = "right", drawing = 160.0 }'
    (folder / "job.toml").write_text(job.replace(old, new))
    session = open_job(folder, tmp_path / "data", roll=0)
    for name in session.rows.missing("G54"):
        feature = next(f for f in session.setup.features if f.name == name)
        session.runner.measure(build_measurement(session.setup, point_at(session.setup, feature)))
    values, truth = session.writer.store("G54").values, session.solver.true_offset("G54")
    assert [values[a] for a in "xyz"] == pytest.approx([truth[a] for a in "xyz"], abs=0.004)
    assert values["x"] == pytest.approx(-450.0, abs=0.003)
    assert session.prover.prove("G54").holds
    session.book.close()


def mesh(segments=64, inward=True):
    """Triangles of a plate 100 × 60 × 20 with a bore ⌀30 at (40, 30): its top, bottom, sides and wall."""
    turn = np.arange(segments) * 2 * np.pi / segments
    ring = np.column_stack([40 + 15 * np.cos(turn), 30 + 15 * np.sin(turn)])
    # Each ring point looks to the plate's border along its own ray, corners included, so that the face closes.
    rays = np.column_stack([np.cos(turn), np.sin(turn)])
    with np.errstate(divide="ignore"):
        ends = [(np.where(rays > 0, (60, 30), (-40, -30)) / rays)]
    reach = np.where(np.abs(rays) < 1e-9, np.inf, ends[0]).min(axis=1)
    border = np.column_stack([40 + rays[:, 0] * reach, 30 + rays[:, 1] * reach])
    triangles = []
    for i in range(segments):
        j = (i + 1) % segments
        outer = [tuple(border[i])]
        for corner in ((100, 60), (0, 60), (0, 0), (100, 0)):
            heading = math.atan2(corner[1] - 30, corner[0] - 40) % (2 * math.pi)
            if turn[i] < heading < (turn[j] or 2 * math.pi):
                outer.append(corner)
        outer.append(tuple(border[j]))
        for z, flip in ((0.0, True), (-20.0, False)):
            fan = [(*ring[i], z), *[(x, y, z) for x, y in outer], (*ring[j], z)]
            for a, b in itertools.pairwise(fan[1:]):
                triangles.append((fan[0], a, b) if flip else (fan[0], b, a))
        for (x0, y0), (x1, y1) in [*itertools.pairwise(outer), (tuple(ring[j]), tuple(ring[i]))]:
            triangles += [((x0, y0, -20), (x1, y1, -20), (x1, y1, 0)), ((x0, y0, -20), (x1, y1, 0), (x0, y0, 0))]
    return np.array(triangles, dtype=float)


def write_stl(path, triangles, text):
    if text:
        corners = [" ".join(f"vertex {x:.6f} {y:.6f} {z:.6f}" for x, y, z in triangle) for triangle in triangles]
        facets = [f"facet normal 0 0 0 outer loop {three} endloop endfacet" for three in corners]
        path.write_text("solid a\n" + "\n".join(facets) + "\nendsolid a\n")
    else:
        kind = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("rest", "<u2")])
        rows = np.zeros(len(triangles), kind)
        rows["corners"] = triangles
        path.write_bytes(b"\0" * 80 + len(triangles).to_bytes(4, "little") + rows.tobytes())
    return path


@pytest.mark.parametrize("text", [True, False])
def test_a_mesh_gives_outline_height_and_bore(tmp_path, text):
    read = read_part(write_stl(tmp_path / "plate.stl", mesh(), text), units="mm", layers=None)
    assert sorted(read.outline) == [(0.0, 0.0), (0.0, 60.0), (100.0, 0.0), (100.0, 60.0)]
    assert (read.bottom, read.top) == (-20.0, 0.0)
    (bore,) = read.rounds
    assert bore.bore
    assert bore.centre == pytest.approx((40.0, 30.0), abs=1e-3)
    assert bore.diameter == pytest.approx(30.0, abs=1e-3)
    part = tomllib.loads(part_text(read, "P-1", depth=6.0, thickness=None))
    assert part["solid"][0]["holes"][0]["diameter"] == pytest.approx(30.0, abs=1e-3)
    inch = read_part(tmp_path / "plate.stl", units="inch", layers=None)
    assert inch.rounds[0].diameter == pytest.approx(762.0, abs=0.03)
    # In capitals, with line ends of Windows; with bytes of the exporter's own behind the triangles.
    data = (tmp_path / "plate.stl").read_bytes()
    (tmp_path / "other.stl").write_bytes(data.upper().replace(b"\n", b"\r\n") if text else data + b"\0\1")
    other = read_part(tmp_path / "other.stl", units="mm", layers=None)
    assert (other.outline, other.rounds) == (read.outline, read.rounds)


@pytest.mark.parametrize(
    ("name", "data", "units", "reason"),
    [
        ("a.dxf", b"0\nSECTION\n2\nHEADER", None, "no DXF"),
        ("a.dxf", b"\xff\xfe\x00garbage", None, "no DXF"),
        ("a.stl", b"solid but no mesh", "mm", "no STL"),
        ("a.stl", b"\0" * 80 + b"\1\0\0\0" + b"\xff" * 50, "mm", "no figures"),
        ("a.stl", b"", None, "never states its unit"),
        ("a.stl", b"", "cm", "no unit"),
        ("a.step", b"", "mm", "neither DXF nor STL"),
    ],
)
def test_broken_files_are_refused(tmp_path, name, data, units, reason):
    path = tmp_path / name
    path.write_bytes(data)
    with pytest.raises(DrawingFileError, match=reason):
        read_part(path, units=units, layers=None)


def test_drawings_that_cannot_be_a_part(tmp_path):
    with pytest.raises(DrawingFileError, match="does not state its unit"):
        read_part(drawing(tmp_path / "a.dxf", units=0), units=None, layers=None)
    assert read_part(tmp_path / "a.dxf", units="inch", layers=None).rounds[0].diameter == 62.0
    with pytest.raises(DrawingFileError, match="no closed outline"):
        read_part(drawing(tmp_path / "b.dxf", close=False), units=None, layers=None)
    with pytest.raises(DrawingFileError, match="no thickness"):
        part_text(read_part(tmp_path / "a.dxf", units="mm", layers=None), "P", depth=5.0, thickness=None)
    with pytest.raises(DrawingFileError, match="cannot be read"):
        read_part(tmp_path / "none.dxf", units=None, layers=None)


def test_words_of_a_drawing_cannot_break_out_of_the_part_file(tmp_path):
    words = 'x"\n[[solid]]\nname = "evil" # \\u0022'
    read = read_part(drawing(tmp_path / "a.dxf", words=words), units=None, layers=None)
    part = tomllib.loads(part_text(read, 'a"\n[x]\\', depth=5.0, thickness=10.0))
    assert len(part["solid"]) == 1
    assert "x" not in part


@given(st.floats(-60, 160), st.floats(-60, 160))
def test_an_outlines_distance_is_the_smallest_to_its_border(x, y):
    points = ((0, 0), (100, 0), (100, 40), (40, 40), (40, 100), (0, 100))
    border = [np.linspace(a, b, 4001) for a, b in zip(points, [*points[1:], points[0]], strict=True)]
    brute = np.hypot(*(np.vstack(border) - (x, y)).T).min()
    inside = (0 < x < 100 and 0 < y < 40) or (0 < x < 40 and 0 < y < 100)
    found = Polygon(points).distance(x, y)
    assert abs(found) == pytest.approx(brute, abs=0.013)
    if brute > 0.02:
        assert (found < 0) == inside


def test_a_spoiled_drawing_is_read_or_refused_and_nothing_else(tmp_path):
    source, data = random.Random(4), drawing(tmp_path / "a.dxf").read_bytes()
    for number in range(40):
        spoiled = bytearray(data[: source.randrange(2000, len(data))] if number % 2 else data)
        for _ in range(source.randint(1, 40)):
            spoiled[source.randrange(len(spoiled))] = source.randrange(256)
        (tmp_path / "b.dxf").write_bytes(spoiled)
        try:
            read_part(tmp_path / "b.dxf", units="mm", layers=None)
        except DrawingFileError as error:
            assert error.what


DATA = Path(__file__).parent / "data"


@pytest.mark.parametrize(
    ("name", "units", "size", "height", "bores", "features"),
    [
        ("dxfwrite-bracket.dxf", None, (101.6, 76.2), None, [12.7, 12.7], {"edge 1", "edge 2", "left", "back"}),
        ("r12writer-flange.dxf", "mm", (80.0, 60.0), None, [25.0, 8.0, 8.0, 8.0, 8.0], {"right", "bore 5"}),
        ("trimesh-plate.stl", "mm", (90.0, 50.0), 12.0, [20.0], {"pocket 1", "front"}),
        ("numpy-stl-ring.stl", "inch", (2032.0, 2032.0), 635.0, [635.0], {"bore 1", "top"}),
    ],
)
def test_files_of_other_writers(name, units, size, height, bores, features):
    if units == "mm" and name.endswith("dxf"):
        with pytest.raises(DrawingFileError, match="does not state its unit"):
            read_part(DATA / name, units=None, layers=None)
    read = read_part(DATA / name, units=units, layers=None)
    xs, ys = zip(*read.outline, strict=True)
    assert (max(xs) - min(xs), max(ys) - min(ys)) == pytest.approx(size, abs=0.05)
    assert [found.diameter for found in read.rounds if found.bore] == pytest.approx(bores, abs=0.01)
    text = part_text(read, "P", depth=5.0, thickness=None if height else 10.0)
    assert features <= {feature["name"] for feature in tomllib.loads(text)["feature"]}
    if height:
        assert read.top - read.bottom == pytest.approx(height, abs=0.01)


def test_slots_of_lines_and_arcs_are_slots_and_equal_bores_have_names_of_their_own(tmp_path):
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (120, 0), (120, 80), (0, 80)], close=True)
    for x in range(6):
        space.add_circle((15 + 15 * x, 60), 4.0)
    for angle, (x, y) in ((0.0, (30, 20)), (20.0, (80, 25))):
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))

        def at(u, v, x=x, y=y, c=c, s=s):
            return x + u * c - v * s, y + u * s + v * c

        space.add_line(at(-12, -5), at(12, -5))
        space.add_line(at(12, 5), at(-12, 5))
        space.add_arc(at(12, 0), 5, angle - 90, angle + 90)
        space.add_arc(at(-12, 0), 5, angle + 90, angle + 270)
    document.saveas(tmp_path / "a.dxf")
    text = part_text(read_part(tmp_path / "a.dxf", units=None, layers=None), "P", depth=5.0, thickness=20.0)
    features = tomllib.loads(text)["feature"]
    slots = [feature for feature in features if feature["kind"] == "slot"]
    assert [slot["size"] for slot in slots] == pytest.approx([10.0, 10.0], abs=0.01)
    assert [slot.get("angle", 0.0) for slot in slots] == pytest.approx([0.0, 20.0], abs=0.05)
    assert [slot["place"][:2] for slot in slots] == [pytest.approx(p, abs=0.01) for p in ((30, 20), (80, 25))]
    assert len({feature["title"] for feature in features}) == len(features)


PLATE = [(0, 0), (100, 0), (100, 60), (0, 60)]
SIDES = [*itertools.pairwise(PLATE), (PLATE[3], PLATE[0])]


def plate(space, block):
    space.add_lwpolyline(PLATE, close=True)


def drawn_by(*draw, plate=plate):
    """A drawing of a plate and of what is drawn on it."""
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    for part in (plate, *draw):
        part(document.modelspace(), document.blocks)
    document.layers.add("OFF").off()
    document.layers.add("ICE").freeze()
    return document


def lines(*pairs):
    return lambda space, _blocks: [space.add_line(a, b) for a, b in pairs]


def circle(x=30, y=30, radius=5, **attributes):
    return lambda space, _blocks: space.add_circle((x, y), radius, dxfattribs=attributes)


def in_block(draw, **attributes):
    def set_block(space, blocks):
        draw(blocks.new("B"), blocks)
        space.add_blockref("B", (0, 0), dxfattribs=attributes)

    return set_block


ROUND = [((30.0, 30.0), 10.0)]


@pytest.mark.parametrize(
    ("draw", "rounds", "note"),
    [
        ([circle()], ROUND, ""),
        ([circle(-30, extrusion=(0, 0, -1))], ROUND, ""),
        ([circle(extrusion=(1, 0, 0))], [], ""),  # it is seen from its side
        ([lambda s, _: s.add_arc((30, 30), 5, 0, 360)], ROUND, ""),
        ([lambda s, _: (s.add_arc((30, 30), 5, 20, 180), s.add_arc((30, 30), 5, 180, 380))], ROUND, ""),
        ([lambda s, _: s.add_lwpolyline([(25, 30, 1), (35, 30, 1)], format="xyb", close=True)], ROUND, ""),
        ([lambda s, _: s.add_polyline2d([(25, 30, 1), (35, 30, 1)], format="xyb", close=True)], ROUND, ""),
        ([lambda s, _: s.add_ellipse((30, 30), (5, 0), 1.0)], ROUND, ""),
        ([lambda s, _: s.add_ellipse((30, 30), (5, 0), 0.9)], [], ""),
        ([lambda s, _: s.add_lwpolyline([(25, 30), (30, 35), (35, 30), (30, 25)], close=True)], [], ""),
        ([lambda s, _: s.add_lwpolyline([(25, 30, 1), (75, 30, 1)], format="xyb", close=True)], [((50, 30), 50)], ""),
        ([circle(), circle(), circle(radius=8)], [*ROUND, ((30, 30), 16)], "1 circle stands in the middle of a larger"),
        ([circle(), circle(300)], ROUND, "1 circle outside the outline or across it left out"),
        ([circle(), circle(300, radius=90)], ROUND, "1 circle outside"),  # larger than the part, and not around it
        ([circle(), circle(90, 50, 25)], ROUND, "1 circle outside the outline or across it"),  # a detail of a corner
        ([circle(radius=0), circle(radius=-5)], [], ""),
        ([circle(layer="OFF"), circle(60)], [((60, 30), 10)], "layer OFF is off: 1 entity left out"),
        ([circle(layer="ice")], [], "layer ice is off"),
        ([circle(invisible=1), circle(40, invisible=1)], [], "2 entities not visible"),
        ([in_block(circle(), layer="ICE")], [], "layer ICE is off"),
        ([in_block(circle(layer="OFF"))], [], "layer OFF is off"),
        ([in_block(circle())], ROUND, ""),
        ([circle(), lambda s, _: (s.add_polymesh((3, 3)), s.add_polyface(), s.add_hatch())], ROUND, ""),
    ],
)
def test_round_openings_however_they_are_drawn_and_what_is_not_seen(tmp_path, draw, rounds, note):
    drawn_by(*draw).saveas(tmp_path / "a.dxf")
    read = read_part(tmp_path / "a.dxf", units=None, layers=None)
    assert [(found.centre, found.diameter) for found in read.rounds] == [
        (pytest.approx(centre, abs=1e-4), pytest.approx(diameter, abs=1e-4)) for centre, diameter in rounds
    ]
    assert sorted(read.outline) == sorted(PLATE)
    assert note in "; ".join(read.notes)


def test_layers_that_are_asked_for_are_read_though_they_are_off_and_blocks_draw_on_theirs(tmp_path):
    drawn_by(circle(layer="OFF"), in_block(circle(60), layer="HOLES")).saveas(tmp_path / "a.dxf")
    for layers, places in (({"0"}, []), ({"0", "OFF"}, [30]), ({"0", "HOLES"}, [60])):
        read = read_part(tmp_path / "a.dxf", units=None, layers=frozenset(layers))
        assert [found.centre[0] for found in read.rounds] == places


@pytest.mark.parametrize(
    "segments",
    [
        [*SIDES, *((b, a) for a, b in SIDES)],  # each drawn twice
        [*SIDES, ((100, 0), (130, -30)), ((0, 60), (50, 30)), ((50, 30), (50, 20))],  # others begin at its corners
        [((x0, y0 + 0.0005), (x1, y1 + 0.0004999)) for (x0, y0), (x1, y1) in SIDES],  # they nearly meet
    ],
)
def test_an_outline_closes_though_it_is_drawn_carelessly(tmp_path, segments):
    drawn_by(plate=lines(*segments)).saveas(tmp_path / "a.dxf")
    outline = read_part(tmp_path / "a.dxf", units=None, layers=None).outline
    assert sorted(outline) == [pytest.approx(point, abs=1e-3) for point in sorted(PLATE)]


def test_a_part_that_is_round_has_its_outside_to_measure(tmp_path):
    rotated = lambda s, _: s.add_lwpolyline([(-8, -6), (8, -6), (8, 6), (-8, 6)], close=True)  # noqa: E731
    drawn_by(circle(20, 0, 3), rotated, plate=circle(0, 0, 40)).saveas(tmp_path / "a.dxf")
    read = read_part(tmp_path / "a.dxf", units=None, layers=None)
    assert area(read.outline) == pytest.approx(math.pi * 40**2, rel=1e-3)
    part = tomllib.loads(part_text(read, "R", depth=5.0, thickness=20.0))
    found = {feature["name"]: feature for feature in part["feature"]}
    assert set(found) == {"bore 1", "outside", "pocket 1", "top"}
    assert (found["outside"]["kind"], found["outside"]["size"], found["outside"]["place"]) == ("boss", 80.0, [0, 0, 0])


def test_blocks_within_blocks_slanted_slots_and_bombs(tmp_path):
    document = ezdxf.new()
    document.header["$INSUNITS"] = 2
    space = document.modelspace()
    inner, outer = document.blocks.new("INNER"), document.blocks.new("OUTER")
    inner.add_circle((0, 0), 0.02)
    outer.add_blockref("INNER", (0.1, 0.0))
    outer.add_blockref("INNER", (0.1, 0.1))
    space.add_spline([(0, 0), (0.5, -0.05), (1, 0)])
    space.add_lwpolyline([(1, 0), (1, 0.5), (0, 0.5), (0, 0)])
    space.add_blockref("OUTER", (0.2, 0.1), dxfattribs={"rotation": 90})
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    corners = [(0.7 + x * c - y * s, 0.25 + x * s + y * c) for x, y in ((0, 0), (0.2, 0), (0.2, 0.05), (0, 0.05))]
    space.add_lwpolyline(corners, close=True)
    document.saveas(tmp_path / "a.dxf")
    read = read_part(tmp_path / "a.dxf", units="mm", layers=None)
    assert "its own was taken" in read.notes[0]
    # One foot is 304.8 mm; the block is turned, so what lay to its right lies above.
    assert sorted(r.centre for r in read.rounds) == [(30.48, 60.96), (60.96, 60.96)]
    slot = next(
        f for f in tomllib.loads(part_text(read, "P", depth=5, thickness=20.0))["feature"] if f["kind"] == "slot"
    )
    assert (slot["size"], slot["angle"]) == pytest.approx((15.24, 30.0), abs=0.01)
    for level in range(14):
        block = document.blocks.new(f"B{level}")
        for x in range(2):
            block.add_blockref(f"B{level - 1}" if level else "INNER", (x, 0))
    for name, reason in (("B13", "too deep"), ("B4", "")):
        space.add_blockref(name, (0, 0))
        document.saveas(tmp_path / "b.dxf")
        if reason:
            with pytest.raises(DrawingFileError, match=reason):
                read_part(tmp_path / "b.dxf", units=None, layers=None)
        else:
            read = read_part(tmp_path / "b.dxf", units=None, layers=None)
            assert len(read.rounds) == 2  # those of the block lie at 6 places beside the outline or across it
            assert "6 circles outside the outline or across it left out" in read.notes
        space.delete_entity(space[-1])


def test_lines_that_all_meet_in_one_point_and_points_on_one_line_are_followed_in_linear_time():
    star = [((0.0, 0.0), (1.0 + n, n % 977.0)) for n in range(60_000)]
    began = time.process_time()
    assert loops(star) == []
    ruler = [(float(n), 0.0) for n in range(60_000)]
    assert simplified([*ruler, (59_999.0, 5.0), (0.0, 5.0)]) == ((0, 0), (59_999, 0), (59_999, 5), (0, 5))
    square = [(0.0, 0.0), (9.0, 0.0), (9.0, 9.0), (0.0, 9.0)]
    rings = [[(x, 4.0), (x + 0.1, 4.0), (x, 4.1)] for x in np.linspace(-8, 16, 2_000).tolist()]
    edge = [(float(x), y) for (x, y) in [*square, *((0.0, 9.0 - n / 9_999) for n in range(80_000))]]
    assert those_within(rings, edge) == [ring for ring in rings if 0 < ring[0][0] < 9]
    assert time.process_time() - began < 10  # with the squares of these it was minutes


def test_many_circles_on_a_long_outline_are_looked_through_in_a_moment(tmp_path):
    ring = [(100 * math.cos(math.tau * n / 6000), 100 * math.sin(math.tau * n / 6000)) for n in range(6_000)]
    circles = [Round((n % 97 - 48.0, n % 89 - 44.0), 1.0 + n / 1e5) for n in range(90_000)]
    began = time.process_time()
    kept, left_out = _of_the_part(circles, ring)
    assert (len(kept), left_out) == (2_000, 0)
    assert _within_larger_ones(circles) == 90_000 - 97 * 89
    assert time.process_time() - began < 10


def test_more_than_anybody_draws_or_meshes_is_refused_before_it_is_worked_on(tmp_path):
    line = "0\nLINE\n8\n0\n10\n0.5\n20\n1.5\n11\n2.5\n21\n3.5\n"
    head = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n"
    for ending in ("\n", "\r\n", "\r"):
        text = (head + line * 100_000 + "0\nENDSEC\n0\nEOF\n").replace("\n", ending)
        (tmp_path / "a.dxf").write_bytes(text.encode())
        with pytest.raises(DrawingFileError, match="more than 100000 entities"):
            read_part(tmp_path / "a.dxf", units=None, layers=None)
    (tmp_path / "a.dxf").write_text(head + "10\n0.5\n" * 1_000_001)
    with pytest.raises(DrawingFileError, match="2000000 lines"):
        read_part(tmp_path / "a.dxf", units=None, layers=None)
    places = np.arange(40_000)
    corners = np.zeros((40_000, 3, 3))
    corners[:, :, :2] = np.column_stack([places % 200, places // 200])[:, None] + [[0, 0], [0.5, 0], [0, 0.5]]
    corners[0] = [[-9, -9, 0], [900, -9, 0], [-9, 900, 0]]
    write_stl(tmp_path / "a.stl", corners, text=False)
    with pytest.raises(DrawingFileError, match="in pieces"):
        read_part(tmp_path / "a.stl", units="mm", layers=None)
