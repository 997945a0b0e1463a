"""One table of everything that can be done at a lathe. Keys, key line, help and palette are all made from it.

A key means what it means at a mill, where the thing exists there.
"""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass

BENCH, BOOK, CODE, SETUP, TURRET, TARGETS = "bench", "book", "code", "setup", "turret", "targets"
ALL = (BENCH, BOOK, CODE, SETUP, TURRET, TARGETS)
_MOVES = (BENCH, TARGETS)


@dataclass(frozen=True, slots=True)
class TurningAction:
    """One action: the name of what does it, its arguments, its keys, and what it is called."""

    do: str
    arguments: tuple[str | int, ...]
    keys: str
    shown: str
    label: str
    help: str
    views: tuple[str, ...] = ALL
    line: bool = True

    @property
    def name(self) -> str:
        """What it is called in a file of keys: its label; a view is told from what else has its name."""
        return f"view {self.label}" if self.do == "view" else self.label

    def fits(self, *, linked: bool) -> bool:
        """Whether it can be done at such a machine: everything here can, at any."""
        return True


@dataclass(frozen=True, slots=True)
class TurningView:
    """One view: its key, its title, and what it is for."""

    name: str
    key: str
    title: str
    help: str


VIEWS: tuple[TurningView, ...] = (
    TurningView(
        BENCH,
        "1",
        "bench",
        "The bench finds zeros by cutting. Cut a face, move away in X only, measure: Z. Cut a diameter, leave X alone, "
        "measure: how far the tool reaches. A feeler does the same for tools that come after.",
    ),
    TurningView(
        BOOK,
        "2",
        "book",
        "The book keeps every figure of work offsets, geometry and wear with the sum it came from. It only grows.",
    ),
    TurningView(
        CODE,
        "3",
        "code",
        "The code that set a row, and the program that brings a tool near its zero. ⟨p⟩ runs that on a twin first.",
    ),
    TurningView(
        SETUP,
        "5",
        "set-up",
        "The set-up in words, one line each: part, stock, holding, tools, gauges, targets, family. A line is checked "
        "with all the others before it is kept.",
    ),
    TurningView(
        TURRET,
        "6",
        "turret",
        "The tools of the turret: which way each tip points, which edge of a blade its offset belongs to, geometry, "
        "wear. A new insert with the same nose keeps its geometry.",
    ),
    TurningView(
        TARGETS,
        "7",
        "targets",
        "Cut to a list of targets: the way to go counts down to nothing, pass after pass. A size that is measured in "
        "between corrects the rest.",
    ),
)


def _jogs() -> tuple[TurningAction, ...]:
    ways = (("up", "x", 1), ("down", "x", -1), ("left", "z", -1), ("right", "z", 1))
    first = TurningAction("jog", ("x", 1), "shift+up", "Shift ↑ ↓ ← →", "jog", "Jog by one step: ↑ ↓ X, ← → Z.", _MOVES)
    rest = (
        TurningAction("jog", (axis, sign), f"shift+{key}", "", "", "", _MOVES, line=False)
        for key, axis, sign in ways[1:]
    )
    return first, *rest


ACTIONS: tuple[TurningAction, ...] = (
    TurningAction("face", (), "f", "f", "face", "A face was cut: measure the length to it, Z follows.", (BENCH,)),
    TurningAction("turn", (), "d", "d", "diameter", "A diameter was cut: measure it, X follows.", (BENCH,)),
    TurningAction("feel_face", (), "e", "e", "feeler Z", "Bring the tool to the face with a feeler.", (BENCH,)),
    TurningAction("feel_diameter", (), "E", "E", "feeler X", "Bring the tool to the diameter with a feeler.", (BENCH,)),
    TurningAction(
        "whisker", (), "a", "a", "whisker", "Just mark a blued diameter that is known.", (BENCH,), line=False
    ),
    TurningAction(
        "dial", (), "y", "y", "dial", "Sweep a drill with a dial from the spindle: its X.", (BENCH,), line=False
    ),
    TurningAction("enter", (), "enter,s", "Enter", "store", "Store what is proposed.", (BENCH,)),
    TurningAction("enter", (), "enter", "Enter", "cut", "A pass is cut; or take a correction.", (TARGETS,)),
    TurningAction("next_face", (), "F", "F", "from", "Measure lengths from the next known face.", (BENCH,)),
    TurningAction("next_gauge", (), "G", "G", "gauge", "Take the next gauge that measures that.", (BENCH,)),
    TurningAction("destination", (), "o", "o", "where to", "Into the work offset, the geometry or the wear.", (BENCH,)),
    TurningAction(
        "keep_wear", (), "O", "O", "wear", "Keep the wear beside a new geometry, or make it 0.", (BENCH,), line=False
    ),
    TurningAction("later", (), "l", "l", "later", "What is left on the face, to be faced later.", (BENCH,), line=False),
    TurningAction(
        "top_slide", (), "L", "L", "top slide", "How far the top slide holds the tip off along Z.", (BENCH,), line=False
    ),
    TurningAction(
        "taper", (), "r", "r", "taper", "A taper from two diameters: told, in no table.", (BENCH,), line=False
    ),
    TurningAction("budget", (), "B", "B", "± of it", "What the ± is made of.", (BENCH, BOOK), line=False),
    TurningAction(
        "next_tool", (1,), "full_stop", ". ,", "tool", "Turn the next tool to the work.", (BENCH, TARGETS, TURRET)
    ),
    TurningAction("next_tool", (-1,), "comma", "", "", "", (BENCH, TARGETS, TURRET), line=False),
    TurningAction("spindle", (), "m", "m", "spindle", "Start the spindle, or stop it.", _MOVES),
    TurningAction("near", (), "n", "n", "near", "Bring the tool before the stock, by eye.", (BENCH,)),
    TurningAction("cut_face", (), "c", "c", "cut face", "Cut the face: across in X, back in X only.", (BENCH,)),
    TurningAction("cut_along", (), "C", "C", "cut ⌀", "Cut a diameter along Z, back in Z only.", (BENCH,)),
    TurningAction("feed", (), "j", "j", "feed to", "Feed to a place: x 48 z -20, or u and w by so much.", _MOVES),
    *_jogs(),
    TurningAction("step", (), "g", "g", "step", "Change the step of hand moves.", _MOVES),
    TurningAction(
        "home", (), "h", "h", "home", "Home the axes, or type their position where no control reports it.", _MOVES
    ),
    TurningAction("index", (), "i", "i", "index place", "Go where the turret may turn.", (BENCH,), line=False),
    TurningAction(
        "clamp", (), "k", "k", "clamped", "A fresh piece is clamped: zeros along Z are out of date.", _MOVES, line=False
    ),
    TurningAction("zoom", (), "v", "v", "zoom", "Show the part, or turret and all.", (BENCH,), line=False),
    TurningAction(
        "frame", (), "w", "w", "machine/work", "Show machine positions, or those of the program.", (BENCH,), line=False
    ),
    TurningAction(
        "undo",
        (),
        "u",
        "u",
        "undo",
        "Take the last store back, or the last change of the set-up.",
        (BENCH, BOOK, SETUP, TURRET),
    ),
    TurningAction(
        "next_row",
        (),
        "tab",
        "Tab",
        "next length",
        "Choose the next part of the family; what it moves is shown.",
        (BENCH, BOOK, CODE),
    ),
    TurningAction(
        "write_family", (), "W", "W", "what follows", "Write every length that is not written.", (BENCH, BOOK)
    ),
    TurningAction("move", (1,), "down", "↑ ↓", "choose", "Choose a line.", (BOOK, SETUP, TURRET, TARGETS), line=False),
    TurningAction("move", (-1,), "up", "", "", "", (BOOK, SETUP, TURRET, TARGETS), line=False),
    TurningAction("scroll", (1,), "down", "↑ ↓", "scroll", "Scroll the program.", (CODE,), line=False),
    TurningAction("scroll", (-1,), "up", "", "", "", (CODE,), line=False),
    TurningAction("lock", (), "l", "l", "lock", "Lock a row, or unlock it.", (BOOK,)),
    TurningAction(
        "look", (), "c", "c", "set/look", "The program that set the row, or that brings a tool near.", (CODE,)
    ),
    TurningAction("change", (), "enter", "Enter", "change it", "Change the line in words.", (SETUP,)),
    TurningAction("remove", (), "delete", "Del", "take off", "Take a line out.", (SETUP, TARGETS), line=False),
    TurningAction(
        "insert",
        (),
        "n",
        "n",
        "new insert",
        "A new insert with the same nose: wear 0, and what the first cut leaves.",
        (TURRET,),
    ),
    TurningAction(
        "other_nose", (), "N", "N", "other nose", "An insert with another nose: its geometry is out of date.", (TURRET,)
    ),
    TurningAction("wear", ("x",), "w", "w", "wear X", "Wear of a diameter: wanted, then measured.", (TURRET,)),
    TurningAction("wear", ("z",), "z", "z", "wear Z", "Wear of a length: wanted, then measured.", (TURRET,)),
    TurningAction("preset", (), "L", "L", "presetter", "Take geometry from a presetter's list (CSV).", (TURRET,)),
    TurningAction("next_target", (1,), "n", "n", "next", "The next target that is not done.", (TARGETS,)),
    TurningAction("add_target", (), "a", "a", "add", "Add a target in words.", (TARGETS,)),
    TurningAction("from_drawing", (), "A", "A", "of the drawing", "Take all targets from the drawing.", (TARGETS,)),
    TurningAction("measured", (), "f", "f", "measured", "A size was measured between passes.", (TARGETS,)),
    TurningAction("passes", (), "P", "P", "from", "Plan the passes from the diameter as it is.", (TARGETS,)),
    TurningAction("warnings", (), "d", "d", "warn at", "From how far away it warns.", (TARGETS,), line=False),
    TurningAction(
        "prove", (), "p", "p", "prove", "Run the program that goes near the zero on a twin.", (BENCH, BOOK, CODE)
    ),
    TurningAction("sheet", (), "t", "t", "sheet", "Write the set-up sheet as SVG and PDF.", line=False),
    TurningAction("stop", (), "escape", "Esc", "leave", "Leave what was begun.", line=False),
    TurningAction("other_unit", (), "I", "I", "mm/inch", "Show lengths in the other unit.", line=False),
    TurningAction("help", (), "question_mark", "?", "help", "What can be done here.", line=False),
    TurningAction("quit", (), "q,ctrl+q", "q", "quit", "Leave; everything stored is in the book.", line=False),
    *(
        TurningAction("view", (view.name,), view.key, view.key, view.title, f"Go to the {view.title}.", line=False)
        for view in VIEWS
    ),
)


def view_of(name: str) -> TurningView:
    """A view by its name. Raises ValueError: there is none."""
    for view in VIEWS:
        if view.name == name:
            return view
    raise ValueError(f"there is no view {name!r}")
