"""Control profiles and report lines: what is sound is read, everything else is refused with the place."""

from __future__ import annotations

from dataclasses import replace
from importlib import resources

import pytest

from brisk_anchor.core.errors import ProfileError, ReportError
from brisk_anchor.nc.profile.control_profile import load_profile, parse_profile, shipped_profile
from brisk_anchor.nc.programs.reports import parse_reports, touches_of

TEXT = (resources.files("brisk_anchor.nc.profile") / "shipped" / "skip-macro.toml").read_text()


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ('name = "skip-macro"', "name = ", "TOML"),
        ('language = "hash-macro"', 'language = "other"', "language"),
        ("free = [101, 199]", "free = [199, 101]", "variables.free"),
        ("guard_number = 7302", "guard_number = 7301", "must differ"),
        ("touch_feed = 60.0", "touch_feed = 900.0", "slow one"),
        ("touch_feed = 60.0", "touch_feed = nan", "touch_feed"),
        ("skip = [5061, 5062, 5063]", "skip = [5021, 5062, 5063]", "given twice"),
        ('write = "G10 L2 P2"', 'write = "G10 L2 P1"', "same block"),
        ('write = "G10 L2 P2"', 'write = "G10 L2 P２"', "write"),
        ("G21 G17", "G20 G17", "G21"),
        ('skip = "G91 G31"', 'skip = "G31\\nM30"', "moves.skip"),
        ("resolution = 0.0001", "resolution = 0", "resolution"),
        ("[tool]", "[tool]\nextra = 1", "extra"),
        ("first = 531", "first = 140", "rotation.first"),
        ("first = 531", "first = 998", "rotation.first"),
        ("[input]", '[input]\nrefuses = ["G68"]', "uses G68"),
    ],
)
def test_a_broken_profile_names_the_place(old, new, reason):
    assert old in TEXT
    with pytest.raises(ProfileError, match=reason):
        parse_profile(TEXT.replace(old, new, 1), "test")


def test_profiles_come_from_the_package_or_a_file(tmp_path):
    assert shipped_profile("skip-macro").decimals == 4
    with pytest.raises(ProfileError, match="no such profile"):
        shipped_profile("../../etc/passwd")
    path = tmp_path / "mine.toml"
    path.write_text(TEXT.replace("skip-macro", "mine", 2))
    assert load_profile(path).name == "mine"
    path.write_bytes(b"\xff\xfe")
    with pytest.raises(ProfileError):
        load_profile(path)
    with pytest.raises(ProfileError, match="No such file"):
        load_profile(tmp_path / "none.toml")


GOOD = [
    "some other line",
    "BRISK 1 BEGIN O2354 I12",
    "BRISK 1 TOOL T20 R2.9940 L150.0000",
    "BRISK 1 TOUCH N1 X-449.0882 Y-250.0000 Z-365.0000 I-1.0000 J0.0000 K0.0000",
    "BRISK 1 TOUCH N2 X -417.0810 Y-250.0000 Z-365.0000 I1.0000 J0.0000 K0.0000",
    "BRISK 1 SOLVED M1 X-433.0846 Y-250.0000 D38.01",
    "BRISK 1 STORED G54 X-469.0000",
    "BRISK 1 END N2",
]


def test_report_lines_become_touches(stylus):
    report = parse_reports(GOOD)
    assert (report.program, report.identity) == (2354, 12)
    assert report.solved == {1: {"X": -433.0846, "Y": -250.0, "D": 38.01}}
    assert report.stored == {"G54": {"X": -469.0}}
    first, second = touches_of(report, stylus, ["a", "b"])
    assert first.direction == (-1.0, 0.0, 0.0)
    assert second.position == (-417.081, -250.0, -365.0)
    assert first.u > stylus.u_repeatability


@pytest.mark.parametrize(
    ("lines", "reason"),
    [
        ([], "no report lines"),
        (GOOD[2:], "no beginning"),
        (GOOD[:-1], "no end"),
        (GOOD[:3] + GOOD[4:], "dropped"),
        ([*GOOD[:2], "BRISK 1 TOUCH N1 X1.2.3", *GOOD[2:]], "broken"),
        ([*GOOD[:2], "BRISK 1 TOUCH N1 X1.0", *GOOD[2:]], "lacks"),
        ([*GOOD[:2], "BRISK 1 TOUCH", *GOOD[2:]], "broken"),
    ],
)
def test_reports_that_cannot_be_trusted(lines, reason):
    with pytest.raises(ReportError, match=reason):
        parse_reports(lines)


def test_a_report_of_another_calibration_is_refused(stylus):
    with pytest.raises(ReportError, match="another probe"):
        touches_of(parse_reports(GOOD), replace(stylus, effective_radius=2.990), ["a", "b"])
    with pytest.raises(ReportError, match="the plan has 3"):
        touches_of(parse_reports(GOOD), stylus, ["a", "b", "c"])
