"""One table of everything that can be done. Keys, key line, help, palette and docs are all made from it."""

from __future__ import annotations

from dataclasses import dataclass

_DRAWN = ("bench", "code", "setup")
_LISTED = ("book", "code", "setup", "tools")
ALL = ("bench", "book", "code", "machine", "setup", "tools")


@dataclass(frozen=True, slots=True)
class Action:
    """One action: a method of the view or the application, and its arguments.

    `keys` is what Textual calls them, `shown` how they are written; `line` puts it in the key line.
    """

    method: str
    arguments: tuple[str | int, ...]
    keys: str
    shown: str
    label: str
    help: str
    views: tuple[str, ...] = ALL
    line: bool = True
    palette: bool = True


ACTIONS: tuple[Action, ...] = (
    Action(
        "point", (1,), "f", "f", "point", "Point at the next feature of the drawing: the rose fills itself.", ("bench",)
    ),
    Action("point", (-1,), "F", "F", "point back", "Point at the feature before.", ("bench",), line=False),
    Action(
        "mark",
        ("up",),
        "up",
        "↑ ↓ ← →",
        "mark metal",
        "Mark where metal is, seen from the tip; again: two touches there.",
        ("bench",),
        palette=False,
    ),
    Action("mark", ("down",), "down", "↓", "", "", ("bench",), line=False, palette=False),
    Action("mark", ("left",), "left", "←", "", "", ("bench",), line=False, palette=False),
    Action("mark", ("right",), "right", "→", "", "", ("bench",), line=False, palette=False),
    Action("mark", ("below",), "d", "d", "below", "Mark metal below the tip; again: three touches.", ("bench",)),
    Action(
        "measure", (), "enter", "Enter", "measure", "Measure what the rose asks for, or store when asked.", ("bench",)
    ),
    Action(
        "store", (), "s", "s", "store", "Second look, then write the offset into the control and the book.", ("bench",)
    ),
    Action("prove", (), "p", "p", "prove", "Run the written code on a twin of the machine.", ("bench", "code")),
    Action("figure", (), "e", "e", "figures", "Type diameter, depth or distance; Tab goes on to the next.", ("bench",)),
    Action("all_round", (), "a", "a", "all round", "Mark all four sides, and round; again: at two levels.", ("bench",)),
    Action("stance", (), "i", "i", "inside/over", "The tip stands inside the feature, or over it.", ("bench",)),
    Action("form", (), "r", "r", "round", "The feature is round, or straight.", ("bench",), line=False),
    Action("way", (), "b", "b", "by hand", "Measure with the probe, or by hand with the next tool.", ("bench",)),
    Action("again", (), "y", "y", "again", "Measure the last feature again.", ("bench",), line=False),
    Action("repeat", (), "Y", "Y", "25 times", "Measure it 25 times: spread and range.", ("bench",), line=False),
    Action("calibrate", (), "c", "c", "calibrate", "Calibrate the probe on the last feature.", ("bench",), line=False),
    Action("clear", (), "backspace", "⌫", "clear", "Take all marks off the rose.", ("bench",), line=False),
    Action("clamp", (), "k", "k", "clamped", "The part was clamped again: what was measured is stale.", ("bench",)),
    Action("roll", (), "R", "R", "another part", "Put another real-life part in the stand-in.", ("bench",), line=False),
    Action("sheet", (), "t", "t", "sheet", "Write the set-up sheet as SVG and PDF."),
    Action("zoom", (), "v", "v", "zoom", "Show feature, set-up or whole machine.", ("bench", "code", "setup")),
    Action("magnify", (1,), "plus,equals_sign", "+ −", "nearer", "Nearer or further.", _DRAWN, line=False),
    Action("magnify", (-1,), "minus", "", "", "", _DRAWN, line=False),
    Action(
        "pan",
        (-1, 0),
        "ctrl+left",
        "Ctrl ↑ ↓ ← →",
        "look aside",
        "Move the drawing.",
        _DRAWN,
        line=False,
        palette=False,
    ),
    Action("pan", (1, 0), "ctrl+right", "", "", "", _DRAWN, line=False, palette=False),
    Action("pan", (0, 1), "ctrl+up", "", "", "", _DRAWN, line=False, palette=False),
    Action("pan", (0, -1), "ctrl+down", "", "", "", _DRAWN, line=False, palette=False),
    Action("dimensions", (), "m", "m", "distances", "Show distances from the zero.", ("bench", "setup"), line=False),
    Action(
        "draw",
        (),
        "n",
        "n",
        "draw",
        "Draw a feature of the part with words and figures.",
        ("bench", "setup"),
        line=False,
    ),
    Action(
        "readout",
        (),
        "w",
        "w",
        "machine/work",
        "Show machine positions, or positions in the active offset.",
        ("bench",),
    ),
    Action(
        "jog",
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
    ),
    Action(
        "jog",
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
    ),
    Action(
        "jog",
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
    ),
    Action(
        "jog",
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
    ),
    Action(
        "jog",
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
    ),
    Action(
        "jog",
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
    ),
    Action("home", (), "h", "h", "home", "Send the spindle home, Z first.", ("bench", "machine"), line=False),
    Action("jog_step", (), "g", "g", "jog step", "Change the step of hand moves.", ("bench", "machine"), line=False),
    Action("move", (-1,), "up", "↑ ↓", "choose", "Choose the row or line.", _LISTED, palette=False),
    Action("move", (1,), "down", "", "", "", _LISTED, line=False, palette=False),
    Action(
        "turn",
        (-1,),
        "pageup",
        "PgUp PgDn",
        "history",
        "Choose the entry of the row's history.",
        ("book",),
        palette=False,
    ),
    Action("turn", (1,), "pagedown", "", "", "", ("book",), line=False, palette=False),
    Action("edit", (), "enter,e", "Enter", "type", "Type values with a reason.", ("book",)),
    Action("write", (), "s", "s", "to control", "Second look, then write the row or the marked ones.", ("book",)),
    Action("take", (), "a", "a", "take over", "Take figures from the control or a file.", ("book",)),
    Action("compare", (), "c", "c", "compare", "Compare with a day, a row, a snapshot, a file.", ("book",)),
    Action("next_side", (), "g", "g", "chain/moves/days", "Chain, what moves, or the days.", ("book",)),
    Action("mark", (), "space", "Space", "mark", "Mark the row for writing.", ("book",), line=False),
    Action("undo", (), "u", "u", "undo", "Bring the value before back, as a new entry.", ("book",)),
    Action("restore", (), "r", "r", "restore", "Bring the chosen entry back, as a new one.", ("book",)),
    Action("lock_row", (), "l", "l", "lock", "Lock the row, or unlock it.", ("book",)),
    Action("limit", (), "j", "j", "jump limit", "How far the row may jump at a store.", ("book",), line=False),
    Action("rename", (), "n", "n", "name", "Give the row a name.", ("book",), line=False),
    Action("person", (), "w", "w", "who", "Who makes the entries from now on.", ("book",), line=False),
    Action("snapshot", (), "k", "k", "snapshot", "Keep the table as it stands under a name.", ("book",)),
    Action("derive", (), "p", "p", "derive", "New rows that follow this one.", ("book",)),
    Action("one_for_all", (), "O", "O", "one for all", "All operations onto this row, or back.", ("book",), line=False),
    Action("fits", (), "f", "f", "fits?", "Whether a cutting program fits into the travels.", ("book",)),
    Action("export", (), "x", "x", "file", "Write the table or a program to a file.", ("book",), line=False),
    Action("card", (), "d", "d", "card", "Large figures to type at the control.", ("book",), line=False),
    Action("chart", (), "T", "T", "chart", "Write the days of the row as SVG and PDF.", ("book",), line=False),
    Action("next_order", (), "o", "o", "sort", "By row, difference, age or state.", ("book",), line=False),
    Action("find", (), "slash", "/", "search", "Only rows with some words.", ("book",), line=False),
    Action("all_rows", (), "i", "i", "all rows", "Every row the control has.", ("book",), line=False),
    Action("take", ("x", 0), "x", "x y z", "zero from it", "Take this axis of the zero from the feature.", ("setup",)),
    Action("take", ("y", 0), "y", "", "", "", ("setup",), line=False, palette=False),
    Action("take", ("z", 0), "z", "", "", "", ("setup",), line=False, palette=False),
    Action("take", ("x", 1), "X", "X Y Z", "zero onto it", "Move this axis of the zero onto the feature.", ("setup",)),
    Action("take", ("y", 1), "Y", "", "", "", ("setup",), line=False, palette=False),
    Action("take", ("z", 1), "Z", "", "", "", ("setup",), line=False, palette=False),
    Action("between", (), "b", "b", "middle", "Zero from the middle between it and the other.", ("setup",), line=False),
    Action("angle", (1,), "r", "r R", "angle from it", "Turn the offset with it; R: leave the angle out.", ("setup",)),
    Action("angle", (0,), "R", "", "", "", ("setup",), line=False, palette=False),
    Action("table_angle", (), "T", "T", "by the table", "Turn the angle out by the table.", ("setup",), line=False),
    Action(
        "fit", (), "f", "f", "best fit", "Take it into the best fit of X, Y, angle; or out.", ("setup",), line=False
    ),
    Action("derive", (), "p", "p", "follow", "Derive the offset from another one.", ("setup",), line=False),
    Action("distance", (), "d", "d", "distance", "How far it lies from another: d on both.", ("setup",), line=False),
    Action("here", (), "enter", "Enter", "zero here", "Put the zero on the point or feature.", ("setup",)),
    Action("beside", (), "e", "e", "beside it", "Put the zero at distances from it.", ("setup",)),
    Action("page", (), "l", "l", "list", "Features, points, operations, words of the drawing.", ("setup",)),
    Action("turn", (90,), "o", "o", "turn 90°", "Turn the part in its fixture by a quarter.", ("setup",)),
    Action(
        "turn",
        (0,),
        "O",
        "O",
        "along an axis",
        "Turn the part until it is square.",
        ("setup",),
        line=False,
    ),
    Action("take_off", (), "delete", "Del", "take off", "Take the feature off the drawing.", ("setup",), line=False),
    Action("undo", (), "u", "u", "undo", "Take the last change of the description back.", ("setup",), line=False),
    Action("mode", (), "m", "m", "mode", "Turn the mode switch: jog, handle, MDI, automatic.", ("machine",)),
    Action("choose_axis", (-1,), "left", "← →", "axis", "Choose the axis.", ("machine",), palette=False),
    Action("choose_axis", (1,), "right", "", "", "", ("machine",), line=False, palette=False),
    Action("by_hand", (1,), "up", "↑ ↓", "move", "Move the axis by a step or a click.", ("machine",), palette=False),
    Action("by_hand", (-1,), "down", "", "", "", ("machine",), line=False, palette=False),
    Action("type_line", (), "i", "i", "MDI line", "Type a line and run it.", ("machine",)),
    Action("load", (), "o", "o", "load", "Load the program that sets the chosen offset.", ("machine",)),
    Action("load_file", (), "O", "O", "load file", "Load a program from a file.", ("machine",), line=False),
    Action("run", (), "space", "Space", "run/hold", "Run the program, or hold it.", ("code", "machine")),
    Action("step", (), "n", "n", "step", "Run one block.", ("code", "machine")),
    Action("next_table", (), "l", "l", "table", "Offsets, tools, variables, past runs.", ("machine",)),
    Action("watch_variable", (), "c", "c", "watch", "Watch a variable, or leave it out again.", ("machine",)),
    Action("switch", ("single_block",), "s", "s", "single block", "Hold after every block.", ("machine",), line=False),
    Action("switch", ("optional_stop",), "y", "y", "optional stop", "Hold at M1.", ("machine",), line=False),
    Action("switch", ("block_delete",), "b", "b", "block delete", "Leave out blocks with /.", ("machine",), line=False),
    Action("switch", ("door_open",), "d", "d", "door", "Open or close the door.", ("machine",), line=False),
    Action("power", (), "P", "P", "power off and on", "Switch the control off and on.", ("machine",), line=False),
    Action("next_figure", (-1,), "left", "← →", "figure", "Choose a figure of the tool.", ("tools",), palette=False),
    Action("next_figure", (1,), "right", "", "", "", ("tools",), line=False, palette=False),
    Action("edit", (), "enter,e", "Enter", "change it", "Type the chosen figure.", ("tools",)),
    Action("length", (), "l", "l", "length", "Take the tool's length on the setter, or on the part.", ("tools",)),
    Action("reference", (), "r", "r", "reference", "Take the setter's reference with the master.", ("tools",)),
    Action("take_up", (), "i", "i", "into spindle", "Put the tool into the spindle, at home.", ("tools",)),
    Action("bring", (), "m", "m", "to setter", "Move the tool onto the setter of the stand-in.", ("tools",)),
    Action("broken", (), "b", "b", "broken", "The tool broke or is another: its length is void.", ("tools",)),
    Action("renewed", (), "n", "n", "new tip", "The stylus, or the master's tip, is new.", ("tools",)),
    Action("pocket", (), "k", "k", "pocket", "The probe stands in another pocket.", ("tools",), line=False),
    Action("half_round", (), "o", "o", "half round", "Turn the spindle half round, for the run-out.", ("tools",)),
    Action("calibrate", (), "c", "c", "run-out", "Calibrate where the ball stands beside the axis.", ("tools",)),
    Action("readout", (), "w", "w", "machine/work", "Figures count from machine zero, or the offset.", ("tools",)),
    Action("next_row", (), "tab", "Tab", "next offset", "Go to the next offset the job needs."),
    Action("stop", (), "escape", "Esc", "stop", "Stop the run, or leave what was begun."),
    Action("view", ("bench",), "1", "1", "bench", "The bench: the set-up, the rose, the chain.", line=False),
    Action("view", ("book",), "2", "2", "book", "The book: offsets, history, chains.", line=False),
    Action("view", ("code",), "3", "3", "code", "The code: program, meaning, path, prove-out.", line=False),
    Action("view", ("machine",), "4", "4", "machine", "The machine: its control, by hand, MDI, tables.", line=False),
    Action("view", ("setup",), "5", "5", "set-up", "The set-up: features, reach, the zero of each offset.", line=False),
    Action("view", ("tools",), "6", "6", "tools", "The shelf: tools, calibration, lengths.", line=False),
    Action("help", (), "question_mark", "?", "help", "What can be done here.", line=False),
    Action("quit", (), "q,ctrl+q", "q", "quit", "Leave; everything stored is in the book.", line=False),
)


def of_view(view: str) -> list[Action]:
    """Actions of a view that have a name to show, in the order of the table."""
    return [action for action in ACTIONS if view in action.views and action.label]
