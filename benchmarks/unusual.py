"""Control profiles with every field at an unusual but legal value, each field by itself and all of them together."""

from __future__ import annotations

from brisk_anchor.core.errors import ProfileError
from brisk_anchor.nc.profile.control_profile import Profile, parse_profile, shipped_text

_SHARED = (
    ("resolution = 0.0001", "resolution = 0.001"),
    ("resolution = 0.0001", "resolution = 0.01"),
    ("resolution = 0.0001", "resolution = 0.00001"),
    ('convention = "gauge line"', 'convention = "master"\nmaster_length = 123.4567'),
    ('convention = "gauge line"', 'convention = "part"'),
    ("longest = 72", "longest = 20"),
    ("back_off = 1.0", "back_off = 0.3"),
    ("back_off = 1.0", "back_off = 6.5"),
    ("on = [] ", 'on = ["M17"] '),
    ("on = [] ", 'on = ["M117 P2", "G4 P0.1"] '),
    ("on = []\n", 'on = ["M17"]\n'),
    ("off = []", 'off = ["M18", "G103 P0"]'),
    ("guarded_feed = 3000.0", "guarded_feed = 123.4"),
    ("search_feed = 800.0", "search_feed = 99.5"),
    ("touch_feed = 60.0", "touch_feed = 7.25"),
    ('"G40 G49 G', '"G64", "G40 G49 G'),
    ('tool = "T{number} M6"', 'tool = "T{number:02d} M06"'),
    ("shortest = 0.0 ", "shortest = 0.25 "),
    ("inches = true", "inches = false"),
    ('holds = "tool in spindle"', 'holds = "last tool called"'),
    ('holds = "last tool called"', 'holds = "tool in spindle"'),
    ('select = "G54"\nread', 'select = "G54"\nread'),
)
_MACRO = (
    ('open = "("\nclose = ")"', 'open = ";"\nclose = ""'),
    ('start = ["%"]\nend = ["%"]', "start = []\nend = []"),
    ('number = "O{number:04d}"', 'number = "O{number:08d}"'),
    ('last_word = "M30"', 'last_word = "M2"\nhead = ["M9", "M48"]\ntail = ["G91 G28 Z0.", "G90", "M5"]'),
    ("touch_number = 7301 ", "touch_number = 1 "),
    ("guard_number = 7302 ", "guard_number = 8999 "),
    ('rapid_machine = "G90 G53 G0"', 'rapid_machine = "G53 G90 G0"'),
    ('absolute = "G90" ', 'absolute = "G90 G94" '),
    ("machine = [5021, 5022, 5023]", "machine = [5121, 5122, 5123]"),
    ("work = [5041, 5042, 5043]", "work = [5141, 5142, 5143]"),
    ("skip = [5061, 5062, 5063]", "skip = [5161, 5162, 5163]"),
    ("free = [101, 199]", "free = [101, 142]"),
    ("free = [101, 199]", "free = [800, 899]"),
    ("variable = 4120 ", "variable = 5999 "),
    ("length_wear = 10000\n", ""),
    ("variable = 3000", "variable = 3100"),
    ("longest = 31", "longest = 12"),
    ('open = "POPEN"', 'open = ""'),
    ('close = "PCLOS"', 'close = ""'),
    ('line = "DPRNT[{text}]"', 'line = "OUT[{text}]"'),
    ('space = "*"', 'space = "/"'),
    ("whole = 4", "whole = 6"),
    ("\ndecimals = 4", "\ndecimals = 6"),
    ('orient = ["M19"]', 'orient = ["M19 R0."]'),
    ('orient_half = ["M19 R180."]', "orient_half = []"),
    ('orient = ["M19"] ', 'orient = ["M119"] '),
    ('integers = "as written"', 'integers = "least increment"'),
    ('active_row_reads = "code"', 'active_row_reads = "number"'),
    ("semicolon_comments = false", "semicolon_comments = true"),
    ("inches = true", 'inches = true\nrefuses = ["G51", "G68.2", "G95"]'),
    ("inches = true", "inches = true\nincrements_uvw = true"),
    ('after_miss = "end position"', 'after_miss = "old position"'),
    ('after_miss = "end position"', 'after_miss = "contact flag"\ncontact_flag = 5999'),
    ('select = "G54.1 P{n}"\nwrite = "G10 L20 P{n}"', 'select = "G59 P{n}"\nwrite = "G10 L20 P{n}"'),
    ("count = 48", "count = 300"),
    ("read_first = 7001\nread_step = 20\n", ""),
    ("first = 531", "first = 900"),
)
_NGC = (
    ('open = "("\nclose = ")"', 'open = ";"\nclose = ""'),
    ('last_word = "M2"', 'last_word = "M30"\nhead = ["G64 P0.01"]\ntail = ["M9"]'),
    ('skip = "G90 G38.2"', 'skip = "G38.2 G90"'),
    ("contact_flag = 5070", "contact_flag = 5071"),
    ('after_miss = "contact flag"', 'after_miss = "end position"'),
    ("named_parameters = false", "named_parameters = true"),
    ("o_words = false", "o_words = true"),
    ("orient = [] ", 'orient = ["M19"] '),
    ("free = [101, 499]", "free = [31, 190]"),
    ("variable = 5400", "variable = 5401"),
    ("set_shift = [5211, 5212, 5213]", "set_shift = [5214, 5215, 5216]"),
    ("shortest = 0.254", "shortest = 0.9"),
    ("shortest = 0.254", "shortest = 0.0"),
)


def unusual_profiles() -> tuple[list[tuple[str, Profile]], list[str]]:
    """Every profile by what is unusual about it, and those that were refused."""
    found, refused = [], []
    for name, own in (("skip-macro", _MACRO), ("probe-params", _NGC)):
        text = shipped_text(name)
        for old, new in (*_SHARED, *own):
            if old in text:
                changed = text.replace(old, new, 1)
                if 'open = ";"' in changed:
                    changed = changed.replace("semicolon_comments = false", "semicolon_comments = true")
                what = f"{name}: {new}".replace("\n", " ")
                try:
                    found.append((what, parse_profile(changed, "unusual")))
                except ProfileError as error:
                    refused.append(f"{what}: {error.one_line()}")
    return found, refused
