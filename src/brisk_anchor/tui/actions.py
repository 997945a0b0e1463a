"""One table of everything that can be done. Keys, key line, help, palette and docs are all made from it."""

from __future__ import annotations

from enum import Enum
from typing import Literal

from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui.views import VIEWS

_DRAWN = ("bench", "code", "setup", "plan")
_LISTED = ("book", "code", "setup", "tools", "plan", "results")
ALL = tuple(view.name for view in VIEWS)


class Do(Enum):
    """What a key can do. A view, or the application, says by `handlers` how it does it."""

    POINT = "point"
    MARK = "mark"
    MEASURE = "measure"
    STORE = "store"
    WRITE_FOLLOWING = "write_following"
    PROVE = "prove"
    FIGURE = "figure"
    ALL_ROUND = "all_round"
    STANCE = "stance"
    FORM = "form"
    WAY = "way"
    INTO_PLAN = "into_plan"
    AGAIN = "again"
    REPEAT = "repeat"
    BUDGET = "budget"
    CALIBRATE = "calibrate"
    CLEAR = "clear"
    CLAMP = "clamp"
    TAKE_BACK = "take_back"
    SET_FROM = "set_from"
    CHOOSE_ROW = "choose_row"
    TWICE = "twice"
    CHOOSE_MEASURED = "choose_measured"
    CORRECT = "correct"
    ROLL = "roll"
    SHEET = "sheet"
    ZOOM = "zoom"
    MAGNIFY = "magnify"
    PAN = "pan"
    DIMENSIONS = "dimensions"
    DRAW = "draw"
    READOUT = "readout"
    JOG = "jog"
    HOME = "home"
    JOG_STEP = "jog_step"
    MOVE = "move"
    TURN = "turn"
    EDIT = "edit"
    WRITE = "write"
    TAKE = "take"
    COMPARE = "compare"
    NEXT_SIDE = "next_side"
    UNDO = "undo"
    RESTORE = "restore"
    LOCK_ROW = "lock_row"
    LIMIT = "limit"
    RENAME = "rename"
    PERSON = "person"
    SNAPSHOT = "snapshot"
    DERIVE = "derive"
    ONE_FOR_ALL = "one_for_all"
    FITS = "fits"
    EXPORT = "export"
    CARD = "card"
    CHART = "chart"
    NEXT_ORDER = "next_order"
    FIND = "find"
    ALL_ROWS = "all_rows"
    BETWEEN = "between"
    ANGLE = "angle"
    TABLE_ANGLE = "table_angle"
    FIT = "fit"
    DISTANCE = "distance"
    HERE = "here"
    BESIDE = "beside"
    PAGE = "page"
    TAKE_OFF = "take_off"
    MODE = "mode"
    CHOOSE_AXIS = "choose_axis"
    BY_HAND = "by_hand"
    TYPE_LINE = "type_line"
    LOAD = "load"
    LOAD_FILE = "load_file"
    RUN = "run"
    STEP = "step"
    BACK = "back"
    TO_TOUCH = "to_touch"
    TO_LINE = "to_line"
    FASTER = "faster"
    SOURCE = "source"
    NEXT_TABLE = "next_table"
    WATCH_VARIABLE = "watch_variable"
    SWITCH = "switch"
    POWER = "power"
    NEXT_FIGURE = "next_figure"
    LENGTH = "length"
    REFERENCE = "reference"
    TAKE_UP = "take_up"
    BRING = "bring"
    BROKEN = "broken"
    RENEWED = "renewed"
    POCKET = "pocket"
    HALF_ROUND = "half_round"
    ADD = "add"
    PROPOSE = "propose"
    SAY = "say"
    SAY_OF_PLAN = "say_of_plan"
    TOGGLE = "toggle"
    SHIFT = "shift"
    ORDER = "order"
    TAKE_OUT = "take_out"
    CODE = "code"
    PROVE_PLAN = "prove_plan"
    WEAVE = "weave"
    NEXT_ROW = "next_row"
    CHOOSE_PLACE = "choose_place"
    ROTATION_CENTRE = "rotation_centre"
    OLDER = "older"
    INSPECT = "inspect"
    TAKE_PART = "take_part"
    CORRECTION = "correction"
    REHEARSE = "rehearse"
    NEXT_PART = "next_part"
    MASTER = "master"
    HAND_OVER = "hand_over"
    READ_TABLE = "read_table"
    WAIT_NO_MORE = "wait_no_more"
    STANDS = "stands"
    STOP = "stop"
    VIEW = "view"
    OTHER_UNIT = "other_unit"
    HELP = "help"
    QUIT = "quit"


@dataclass(frozen=True, slots=True)
class Action:
    """One action: what is done, and with which arguments.

    `keys` is what Textual calls them, `shown` how they are written; `line` puts it in the key line.
    """

    do: Do
    arguments: tuple[str | int, ...]
    keys: str
    shown: str
    label: str
    help: str
    views: tuple[str, ...] = ALL
    line: bool = True
    palette: bool = True
    at: Literal["", "link", "stand-in"] = ""
    """Where it can be done: at any machine, at a linked control, or where nothing but the stand-in is worked at."""

    @property
    def name(self) -> str:
        """What it is called in a file of keys: its label; a view is told from what else has its name."""
        return f"view {self.label}" if self.do is Do.VIEW else self.label

    def fits(self, *, linked: bool) -> bool:
        """Whether it can be done at such a machine."""
        return self.at in ("", "link" if linked else "stand-in")


ACTIONS: tuple[Action, ...] = (
    Action(
        Do.POINT,
        (1,),
        "f",
        "f",
        "point",
        "Point at the next feature of the drawing: the rose is filled in from it.",
        ("bench",),
    ),
    Action(Do.POINT, (-1,), "F", "F", "point back", "Point at the feature before.", ("bench",), line=False),
    Action(
        Do.MARK,
        ("up",),
        "up",
        "↑ ↓ ← →",
        "mark metal",
        "Mark where metal is, seen from the tip; again: two touches there.",
        ("bench",),
        palette=False,
    ),
    Action(Do.MARK, ("down",), "down", "↓", "", "", ("bench",), line=False, palette=False),
    Action(Do.MARK, ("left",), "left", "←", "", "", ("bench",), line=False, palette=False),
    Action(Do.MARK, ("right",), "right", "→", "", "", ("bench",), line=False, palette=False),
    Action(Do.MARK, ("below",), "d", "d", "below", "Mark metal below the tip; again: three touches.", ("bench",)),
    Action(
        Do.MEASURE, (), "enter", "Enter", "measure", "Measure what the rose asks for, or store when asked.", ("bench",)
    ),
    Action(
        Do.SET_FROM, (), "z", "z", "set from it", "Say what sets a row: which feature, where, which axes.", ("bench",)
    ),
    Action(Do.CHOOSE_ROW, (), "o", "o", "row", "Choose the row being set, any the control has.", ("bench",)),
    Action(
        Do.TWICE,
        (),
        "T",
        "T",
        "walls twice",
        "Touch the last corner, block or pocket again, each wall twice: how it is turned.",
        ("bench",),
        line=False,
    ),
    Action(
        Do.CHOOSE_MEASURED,
        (-1,),
        "comma",
        ", .",
        "choose measured",
        "Choose a feature in the list.",
        ("bench",),
        line=False,
    ),
    Action(Do.CHOOSE_MEASURED, (1,), "full_stop", "", "", "", ("bench",), line=False, palette=False),
    Action(Do.RENAME, (), "N", "N", "rename it", "Give the chosen feature a name.", ("bench",), line=False),
    Action(Do.CORRECT, (), "E", "E", "correct it", "Correct a figure of it that was typed.", ("bench",), line=False),
    Action(Do.TAKE_OFF, (), "delete", "Del", "remove it", "Forget the chosen feature.", ("bench",), line=False),
    Action(
        Do.STORE, (), "s", "s", "store", "Second look, then write the offset into the control and the book.", ("bench",)
    ),
    Action(
        Do.WRITE_FOLLOWING,
        (),
        "W",
        "W",
        "what follows",
        "Write every row that follows it, after all are shown.",
        ("bench", "book"),
        line=False,
    ),
    Action(Do.PROVE, (), "p", "p", "prove", "Run the written code on a twin of the machine.", ("bench", "code")),
    Action(
        Do.FIGURE, (), "e", "e", "figures", "Type diameter, depth or distance; Tab goes on to the next.", ("bench",)
    ),
    Action(
        Do.ALL_ROUND, (), "a", "a", "all round", "Mark all four sides, and round; again: at two levels.", ("bench",)
    ),
    Action(Do.STANCE, (), "i", "i", "inside/over", "The tip stands inside the feature, or over it.", ("bench",)),
    Action(Do.FORM, (), "r", "r", "round", "The feature is round, or straight.", ("bench",), line=False),
    Action(Do.WAY, (), "b", "b", "by hand", "Measure with the probe, or by hand with the next tool.", ("bench",)),
    Action(
        Do.INTO_PLAN, (), "L", "L", "into plan", "Put what the rose asks for into the plan.", ("bench",), line=False
    ),
    Action(
        Do.AGAIN,
        (),
        "y",
        "y",
        "again",
        "Make the touches that are off again; measure the last feature again where none is.",
        ("bench",),
        line=False,
    ),
    Action(Do.REPEAT, (), "Y", "Y", "25 times", "Measure it 25 times: spread and range.", ("bench",), line=False),
    Action(Do.BUDGET, (), "B", "B", "± of it", "What the ± of the offset is made of.", ("bench", "book"), line=False),
    Action(Do.CALIBRATE, (), "c", "c", "calibrate", "Calibrate the probe on the last feature.", ("bench",), line=False),
    Action(Do.CLEAR, (), "backspace", "⌫", "clear", "Take all marks off the rose.", ("bench",), line=False),
    Action(
        Do.CLAMP,
        (),
        "k",
        "k",
        "clamped",
        "Mark the part as re-clamped; earlier measurements become out of date.",
        ("bench",),
    ),
    Action(
        Do.TAKE_BACK,
        (),
        "U",
        "U",
        "take back",
        "Take back that the part was clamped again, or a tool is new.",
        ("bench", "tools"),
        line=False,
    ),
    Action(
        Do.ROLL,
        (),
        "R",
        "R",
        "another part",
        "Put another real-life part in the stand-in.",
        ("bench",),
        line=False,
        at="stand-in",
    ),
    Action(Do.SHEET, (), "t", "t", "sheet", "Write the set-up sheet as SVG and PDF."),
    Action(Do.ZOOM, (), "v", "v", "zoom", "Show feature, set-up or whole machine.", ("bench", "code", "setup")),
    Action(Do.MAGNIFY, (1,), "plus,equals_sign", "+ −", "nearer", "Nearer or further.", _DRAWN, line=False),
    Action(Do.MAGNIFY, (-1,), "minus", "", "", "", _DRAWN, line=False),
    Action(
        Do.PAN,
        (-1, 0),
        "ctrl+left",
        "Ctrl ↑ ↓ ← →",
        "look aside",
        "Move the drawing.",
        _DRAWN,
        line=False,
        palette=False,
    ),
    Action(Do.PAN, (1, 0), "ctrl+right", "", "", "", _DRAWN, line=False, palette=False),
    Action(Do.PAN, (0, 1), "ctrl+up", "", "", "", _DRAWN, line=False, palette=False),
    Action(Do.PAN, (0, -1), "ctrl+down", "", "", "", _DRAWN, line=False, palette=False),
    Action(Do.DIMENSIONS, (), "m", "m", "distances", "Show distances from the zero.", ("bench", "setup"), line=False),
    Action(
        Do.DRAW,
        (),
        "n",
        "n",
        "draw",
        "Draw a feature of the part with words and figures.",
        ("bench", "setup"),
        line=False,
    ),
    Action(
        Do.READOUT,
        (),
        "w",
        "w",
        "machine/work",
        "Show machine positions, or positions in the active offset.",
        ("bench",),
    ),
    Action(
        Do.JOG,
        (
            "x",
            -1,
        ),
        "shift+left",
        "Shift ↑ ↓ ← →",
        "jog",
        "Jog the tip by one step; contact stops it.",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.JOG,
        (
            "x",
            1,
        ),
        "shift+right",
        "",
        "",
        "",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.JOG,
        (
            "y",
            1,
        ),
        "shift+up",
        "",
        "",
        "",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.JOG,
        (
            "y",
            -1,
        ),
        "shift+down",
        "",
        "",
        "",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.JOG,
        (
            "z",
            1,
        ),
        "pageup,u",
        "PgUp PgDn",
        "jog Z",
        "Jog up or down by one step.",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.JOG,
        (
            "z",
            -1,
        ),
        "pagedown,j",
        "",
        "",
        "",
        ("bench", "machine"),
        line=False,
        palette=False,
        at="stand-in",
    ),
    Action(
        Do.HOME,
        (),
        "h",
        "h",
        "home",
        "Send the spindle home, Z first.",
        ("bench", "machine"),
        line=False,
        at="stand-in",
    ),
    Action(
        Do.JOG_STEP,
        (),
        "g",
        "g",
        "jog step",
        "Change the step of hand moves.",
        ("bench", "machine"),
        line=False,
        at="stand-in",
    ),
    Action(Do.MOVE, (-1,), "up", "↑ ↓", "choose", "Choose the row or line.", _LISTED, palette=False),
    Action(Do.MOVE, (1,), "down", "", "", "", _LISTED, line=False, palette=False),
    Action(
        Do.TURN,
        (-1,),
        "pageup",
        "PgUp PgDn",
        "history",
        "Choose the entry of the row's history.",
        ("book",),
        palette=False,
    ),
    Action(Do.TURN, (1,), "pagedown", "", "", "", ("book",), line=False, palette=False),
    Action(Do.EDIT, (), "enter,e", "Enter", "type", "Type values with a reason.", ("book",)),
    Action(Do.WRITE, (), "s", "s", "to control", "Second look, then write the row or the marked ones.", ("book",)),
    Action(Do.TAKE, (), "a", "a", "take over", "Take figures from the control or a file.", ("book",)),
    Action(Do.COMPARE, (), "c", "c", "compare", "Compare with a day, a row, a snapshot, a file.", ("book",)),
    Action(Do.NEXT_SIDE, (), "g", "g", "chain/moves/days", "Chain, what moves, or the days.", ("book",)),
    Action(Do.MARK, (), "space", "Space", "mark", "Mark the row for writing.", ("book",), line=False),
    Action(Do.UNDO, (), "u", "u", "undo", "Bring the value before back, as a new entry.", ("book",)),
    Action(Do.RESTORE, (), "r", "r", "restore", "Bring the chosen entry back, as a new one.", ("book",)),
    Action(Do.LOCK_ROW, (), "l", "l", "lock", "Lock the row, or unlock it.", ("book",)),
    Action(Do.LIMIT, (), "j", "j", "jump limit", "How far the row may jump at a store.", ("book",), line=False),
    Action(Do.RENAME, (), "N", "N", "name", "Give the row a name.", ("book",), line=False),
    Action(Do.PERSON, (), "w", "w", "who", "Who makes the entries from now on.", ("book",), line=False),
    Action(Do.SNAPSHOT, (), "k", "k", "snapshot", "Save the present table under a name.", ("book",)),
    Action(Do.DERIVE, (), "p", "p", "derive", "New rows that follow this one.", ("book",)),
    Action(
        Do.ONE_FOR_ALL, (), "O", "O", "one for all", "All operations onto this row, or back.", ("book",), line=False
    ),
    Action(Do.FITS, (), "f", "f", "fits?", "Whether a cutting program fits into the travels.", ("book",)),
    Action(Do.EXPORT, (), "x", "x", "file", "Write the table or a program to a file.", ("book",), line=False),
    Action(Do.CARD, (), "d", "d", "card", "Large figures to type at the control.", ("book",), line=False),
    Action(Do.CHART, (), "T", "T", "chart", "Write the days of the row as SVG and PDF.", ("book",), line=False),
    Action(Do.NEXT_ORDER, (), "o", "o", "sort", "By row, difference, age or state.", ("book",), line=False),
    Action(Do.FIND, (), "slash", "/", "search", "Only rows with some words.", ("book",), line=False),
    Action(
        Do.FIND,
        (),
        "slash",
        "/",
        "search",
        "Go to one of many by words of its name, or its number.",
        ("bench", "setup", "plan", "results"),
        line=False,
    ),
    Action(Do.ALL_ROWS, (), "i", "i", "all rows", "Every row the control has.", ("book",), line=False),
    Action(Do.TAKE, ("x", 0), "x", "x y z", "zero from it", "Take this axis of the zero from the feature.", ("setup",)),
    Action(Do.TAKE, ("y", 0), "y", "", "", "", ("setup",), line=False, palette=False),
    Action(Do.TAKE, ("z", 0), "z", "", "", "", ("setup",), line=False, palette=False),
    Action(Do.TAKE, ("x", 1), "X", "X Y Z", "zero onto it", "Move this axis of the zero onto the feature.", ("setup",)),
    Action(Do.TAKE, ("y", 1), "Y", "", "", "", ("setup",), line=False, palette=False),
    Action(Do.TAKE, ("z", 1), "Z", "", "", "", ("setup",), line=False, palette=False),
    Action(
        Do.BETWEEN, (), "b", "b", "middle", "Zero from the middle between it and the other.", ("setup",), line=False
    ),
    Action(
        Do.ANGLE, (1,), "r", "r R", "angle from it", "Turn the offset with it; ⟨R⟩: leave the angle out.", ("setup",)
    ),
    Action(Do.ANGLE, (0,), "R", "", "", "", ("setup",), line=False, palette=False),
    Action(Do.TABLE_ANGLE, (), "T", "T", "by the table", "Turn the angle out by the table.", ("setup",), line=False),
    Action(
        Do.FIT, (), "f", "f", "best fit", "Take it into the best fit of X, Y, angle; or out.", ("setup",), line=False
    ),
    Action(Do.DERIVE, (), "p", "p", "follow", "Derive the offset from another one.", ("setup",), line=False),
    Action(Do.DISTANCE, (), "d", "d", "distance", "How far it lies from another: ⟨d⟩ on both.", ("setup",), line=False),
    Action(Do.HERE, (), "enter", "Enter", "zero here", "Put the zero on the point or feature.", ("setup",)),
    Action(Do.BESIDE, (), "e", "e", "beside it", "Put the zero at distances from it.", ("setup",)),
    Action(Do.PAGE, (), "l", "l", "list", "Features, points, operations, words of the drawing.", ("setup",)),
    Action(Do.TURN, (90,), "o", "o", "turn 90°", "Turn the part in its fixture by a quarter.", ("setup",)),
    Action(
        Do.TURN,
        (0,),
        "O",
        "O",
        "along an axis",
        "Turn the part until it is square.",
        ("setup",),
        line=False,
    ),
    Action(Do.TAKE_OFF, (), "delete", "Del", "take off", "Take the feature off the drawing.", ("setup",), line=False),
    Action(Do.UNDO, (), "u", "u", "undo", "Take the last change of the description back.", ("setup",), line=False),
    Action(
        Do.MODE, (), "m", "m", "mode", "Turn the mode switch: jog, handle, MDI, automatic.", ("machine",), at="stand-in"
    ),
    Action(
        Do.CHOOSE_AXIS, (-1,), "left", "← →", "axis", "Choose the axis.", ("machine",), palette=False, at="stand-in"
    ),
    Action(Do.CHOOSE_AXIS, (1,), "right", "", "", "", ("machine",), line=False, palette=False, at="stand-in"),
    Action(
        Do.BY_HAND,
        (1,),
        "up",
        "↑ ↓",
        "move",
        "Move the axis by a step or a click.",
        ("machine",),
        palette=False,
        at="stand-in",
    ),
    Action(Do.BY_HAND, (-1,), "down", "", "", "", ("machine",), line=False, palette=False, at="stand-in"),
    Action(Do.TYPE_LINE, (), "i", "i", "MDI line", "Type a line and run it.", ("machine",), at="stand-in"),
    Action(Do.LOAD, (), "o", "o", "load", "Load the program that sets the chosen offset.", ("machine",), at="stand-in"),
    Action(
        Do.LOAD_FILE, (), "O", "O", "load file", "Load a program from a file.", ("machine",), line=False, at="stand-in"
    ),
    Action(Do.RUN, (), "space", "Space", "run/hold", "Run the program, or hold it.", ("code",)),
    Action(Do.RUN, (), "space", "Space", "run/hold", "Run the program, or hold it.", ("machine",), at="stand-in"),
    Action(Do.STEP, (), "n", "n", "step", "Run one block.", ("code",)),
    Action(Do.STEP, (), "n", "n", "step", "Run one block.", ("machine",), at="stand-in"),
    Action(Do.BACK, (), "N", "N", "back", "One block back.", ("code",)),
    Action(Do.TO_TOUCH, (), "j", "j", "to touch", "Run on to the end of the next touch.", ("code",)),
    Action(Do.TO_LINE, (), "g", "g", "to line", "Run on to the chosen line.", ("code",)),
    Action(Do.FASTER, (-1,), "left_square_bracket", "[ ]", "speed", "Slower, or faster.", ("code",)),
    Action(Do.FASTER, (1,), "right_square_bracket", "", "", "", ("code",), line=False, palette=False),
    Action(Do.SOURCE, (), "c", "c", "plan/offset", "The program of the plan, or of the chosen offset.", ("code",)),
    Action(
        Do.READ_TABLE,
        (),
        "r",
        "r",
        "read table",
        "Hand over the program that prints the tables.",
        ("machine",),
        at="link",
    ),
    Action(
        Do.WAIT_NO_MORE, (), "x", "x", "wait no more", "Wait for the newest program no more.", ("machine",), at="link"
    ),
    Action(
        Do.HAND_OVER, (), "H", "H", "hand over", "Hand the plan's program over to the control.", ("plan",), at="link"
    ),
    Action(Do.STANDS, (), "h", "h", "spindle at", "Type where the spindle stands.", ("bench",), at="link"),
    Action(Do.NEXT_TABLE, (), "l", "l", "table", "Offsets, tools, variables, past runs.", ("machine",)),
    Action(
        Do.WATCH_VARIABLE,
        (),
        "c",
        "c",
        "watch",
        "Watch a variable, or leave it out again.",
        ("machine",),
        at="stand-in",
    ),
    Action(
        Do.SWITCH,
        ("single block",),
        "s",
        "s",
        "single block",
        "Hold after every block.",
        ("machine",),
        line=False,
        at="stand-in",
    ),
    Action(
        Do.SWITCH, ("optional stop",), "y", "y", "optional stop", "Hold at M1.", ("machine",), line=False, at="stand-in"
    ),
    Action(
        Do.SWITCH,
        ("block delete",),
        "b",
        "b",
        "block delete",
        "Leave out blocks with /.",
        ("machine",),
        line=False,
        at="stand-in",
    ),
    Action(Do.SWITCH, ("door",), "d", "d", "door", "Open or close the door.", ("machine",), line=False, at="stand-in"),
    Action(
        Do.POWER,
        (),
        "P",
        "P",
        "power off and on",
        "Switch the control off and on.",
        ("machine",),
        line=False,
        at="stand-in",
    ),
    Action(Do.NEXT_FIGURE, (-1,), "left", "← →", "figure", "Choose a figure of the tool.", ("tools",), palette=False),
    Action(Do.NEXT_FIGURE, (1,), "right", "", "", "", ("tools",), line=False, palette=False),
    Action(Do.EDIT, (), "enter,e", "Enter", "change it", "Type the chosen figure.", ("tools",)),
    Action(Do.LENGTH, (), "l", "l", "length", "Take the tool's length on the setter, or on the part.", ("tools",)),
    Action(Do.REFERENCE, (), "r", "r", "reference", "Take the setter's reference with the master.", ("tools",)),
    Action(Do.TAKE_UP, (), "i", "i", "into spindle", "Put the tool into the spindle, at home.", ("tools",)),
    Action(
        Do.BRING, (), "m", "m", "to setter", "Move the tool onto the setter of the stand-in.", ("tools",), at="stand-in"
    ),
    Action(Do.BROKEN, (), "b", "b", "broken", "The tool broke or is another: its length becomes invalid.", ("tools",)),
    Action(Do.RENEWED, (), "n", "n", "new tip", "The stylus, or the master's tip, is new.", ("tools",)),
    Action(Do.POCKET, (), "k", "k", "pocket", "The probe stands in another pocket.", ("tools",), line=False),
    Action(
        Do.HALF_ROUND,
        (),
        "o",
        "o",
        "half round",
        "Turn the spindle half round, for the run-out.",
        ("tools",),
        at="stand-in",
    ),
    Action(Do.CALIBRATE, (), "c", "c", "run-out", "Calibrate where the ball stands beside the axis.", ("tools",)),
    Action(Do.READOUT, (), "w", "w", "machine/work", "Figures count from machine zero, or the offset.", ("tools",)),
    Action(Do.POINT, (1,), "f", "f", "point", "Point at the next feature that is not planned.", ("plan",)),
    Action(Do.POINT, (-1,), "F", "F", "point back", "Point at the feature before.", ("plan",), line=False),
    Action(Do.ADD, (0,), "a", "a", "add", "Add it to the plan, with figures that are proposed.", ("plan",)),
    Action(Do.ADD, (1,), "r", "r", "repeat", "Add it with the figures stated for the chosen one.", ("plan",)),
    Action(Do.NEXT_FIGURE, (-1,), "left", "← →", "figure", "Choose a figure.", ("plan",), palette=False),
    Action(Do.NEXT_FIGURE, (1,), "right", "", "", "", ("plan",), line=False, palette=False),
    Action(Do.EDIT, (), "enter", "Enter", "state it", "Type the chosen figure.", ("plan",)),
    Action(
        Do.PROPOSE, (), "backspace", "⌫", "propose", "Leave the figure to be proposed again.", ("plan",), line=False
    ),
    Action(Do.SAY, (), "e", "e", "sets, keeps …", "What it sets and keeps, directions, way, reaction.", ("plan",)),
    Action(Do.SAY_OF_PLAN, (), "n", "n", "plan …", "Name, number, offset, tools to look at, half turn.", ("plan",)),
    Action(Do.TOGGLE, (), "space", "Space", "in/out", "Leave it out, or take it in again.", ("plan",)),
    Action(Do.SHIFT, (-1,), "shift+up", "Shift ↑ ↓", "reorder", "Move it in the list.", ("plan",), palette=False),
    Action(Do.SHIFT, (1,), "shift+down", "", "", "", ("plan",), line=False, palette=False),
    Action(Do.ORDER, (), "o", "o", "shortest", "Order the list for the shortest safe way.", ("plan",)),
    Action(Do.TAKE_OUT, (), "delete", "Del", "take out", "Take it out of the plan.", ("plan",), line=False),
    Action(Do.UNDO, (), "u", "u", "undo", "Take the last change back.", ("plan",), line=False),
    Action(Do.CODE, (), "c", "c", "code", "The program of the plan, line by line.", ("plan",)),
    Action(Do.PROVE_PLAN, (), "p", "p", "prove", "Run it on 200 parts within what is stated.", ("plan",)),
    Action(Do.WRITE, (), "w", "w", "write", "Write the plan and its program.", ("plan",)),
    Action(Do.WEAVE, (), "O", "O", "into a program", "Put measuring into a cutting program.", ("plan",), line=False),
    Action(
        Do.ROTATION_CENTRE,
        (),
        "C",
        "C",
        "centre of rotation",
        "Take the centre of a table, or which way it turns, from what was measured at several angles.",
        ("bench",),
        line=False,
    ),
    Action(
        Do.CHOOSE_PLACE,
        (1,),
        "right_square_bracket",
        "[ ]",
        "place",
        "Choose the next place of the fixture: its row, and the drawing as it looks at the spindle.",
        ("bench",),
        line=False,
    ),
    Action(Do.CHOOSE_PLACE, (-1,), "left_square_bracket", "", "", "Choose the place before.", ("bench",), line=False),
    Action(
        Do.INSPECT, (), "enter", "Enter", "inspect", "Measure all that the drawing asks for, and judge.", ("results",)
    ),
    Action(Do.TAKE_PART, (), "s", "s", "enter part", "Enter the part into the book under its number.", ("results",)),
    Action(Do.OLDER, (1,), "pageup", "PgUp PgDn", "parts", "The part before, or after.", ("results",), palette=False),
    Action(Do.OLDER, (-1,), "pagedown", "", "", "", ("results",), line=False, palette=False),
    Action(Do.CORRECTION, (), "c", "c", "correct", "What to correct by it: the sum, then Enter writes.", ("results",)),
    Action(
        Do.NEXT_PART,
        (),
        "n",
        "n",
        "next part",
        "Cut and clamp the next part on the stand-in.",
        ("results",),
        at="stand-in",
    ),
    Action(
        Do.MASTER, (), "m", "m", "master", "What is measured now is a ring of known size.", ("results",), line=False
    ),
    Action(Do.REHEARSE, (), "b", "b", "rehearse", "Rehearse 100 parts with and without correction.", ("results",)),
    Action(Do.CHART, (), "T", "T", "chart", "Write the run chart of the chosen one as SVG and PDF.", ("results",)),
    Action(Do.EXPORT, (), "x", "x", "file", "Write all results as CSV and JSON.", ("results",)),
    Action(Do.NEXT_ROW, (), "tab", "Tab", "next offset", "Go to the next offset the job needs."),
    Action(Do.STOP, (), "escape", "Esc", "stop", "Stop the run, or leave what was begun."),
    *(Action(Do.VIEW, (view.name,), view.key, view.key, view.title, view.line, line=False) for view in VIEWS),
    Action(
        Do.OTHER_UNIT, (), "I", "I", "mm/inch", "Show lengths in the other unit; nothing stored changes.", line=False
    ),
    Action(Do.HELP, (), "question_mark", "?", "help", "What can be done here.", line=False),
    Action(Do.QUIT, (), "q,ctrl+q", "q", "quit", "Leave; everything stored is in the book.", line=False),
)
