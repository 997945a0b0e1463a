"""The command line. Errors are one line on standard error; exit codes are told in `brisk-anchor --help`."""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from copy import copy
from pathlib import Path
from typing import Annotated

import typer

from brisk_anchor import __version__
from brisk_anchor.cli.book import app as book_app
from brisk_anchor.cli.link import link_app, machine_app, order_app, take
from brisk_anchor.cli.options import unit_option
from brisk_anchor.cli.places import app as places_app
from brisk_anchor.cli.plan import app as plan_app
from brisk_anchor.cli.results import app as results_app
from brisk_anchor.cli.saying import give, say
from brisk_anchor.cli.turning import app as turn_app
from brisk_anchor.cli.weave import weave
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import prefer
from brisk_anchor.nc.bounded import is_there
from brisk_anchor.services.paths import DEMO_SPEED, THEME_VARIABLE, THEMES

ProfileOption = Annotated[
    str | None, typer.Option("--profile", help="The control: a profile that ships, or a file (TOML).")
]

app = typer.Typer(
    add_completion=True,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    help="Measure datums at the machine, keep work offsets with their evidence, write and prove their code.",
    epilog="Exit codes: 0 good, 1 unexpected, or a book that was changed, 2 wrong use or input, 3 NC text refused, "
    "4 alarm, 5 crash, 6 book.",
)


def _version(wanted: bool) -> None:
    if wanted:
        say(f"brisk-anchor {__version__}")
        raise typer.Exit


@app.callback()
def _root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version and end.")
    ] = False,
    show: Annotated[
        str | None,
        typer.Option(
            "--show", envvar="BRISK_ANCHOR_UNITS", help="Show and take lengths in mm or inch, whatever a job says."
        ),
    ] = None,
    theme: Annotated[
        str | None,
        typer.Option("--theme", help="Colours: slate, stone (bright shops) or contrast; else the terminal's."),
    ] = None,
    log_level: Annotated[
        str, typer.Option("--log-level", help="What goes into the log in the data folder: off, warning, info or debug.")
    ] = "info",
) -> None:
    """Options that go before a command."""
    from brisk_anchor.services.records import LEVELS, start_log

    if log_level not in LEVELS:
        raise BriskAnchorError(f"There is no log level “{log_level[:16]}”", "", f"Give one of {', '.join(LEVELS)}")
    start_log(log_level)
    if theme is not None:
        if theme not in THEMES:
            raise BriskAnchorError(f"There are no colours “{theme[:16]}”", "", f"Give one of {', '.join(THEMES)}")
        os.environ[THEME_VARIABLE] = theme  # read once, when the screen is loaded
    if (unit := unit_option(show)) is not None:
        prefer(unit)


@app.command()
def demo(
    speed: Annotated[
        float, typer.Option(min=0.1, max=10_000, help="How many times faster than a machine the stand-in moves.")
    ] = DEMO_SPEED,
    fresh: Annotated[
        bool, typer.Option("--fresh", help="Begin with an empty demo book (the old one is kept aside).")
    ] = False,
    profile: Annotated[
        str, typer.Option("--profile", help="The control: a profile that ships, or a file (TOML).")
    ] = "skip-macro",
    job: Annotated[
        str,
        typer.Option(
            "--job",
            help="lever (GL-114), cap (BC-27, read from its drawing), block (nothing drawn), tombstone (GL-114 on four "
            "faces), trunnion (NB-40 with a sloping face), batch (sixty bearing caps, inspected), shop (a machine "
            "that stands elsewhere: brisk-anchor machine serve is it) or sleeve (RS-09 on a lathe).",
        ),
    ] = "lever",
    month: Annotated[bool, typer.Option("--month", help="With a month of made-up history in the book.")] = False,
) -> None:
    """Open the application with the demo scenario."""
    from brisk_anchor.nc.profile.control_profile import profile_of
    from brisk_anchor.services.demo.demo_job import DEMO_JOBS, OF_FILES
    from brisk_anchor.tui.start import run_block, run_demo, run_job

    if job not in DEMO_JOBS:
        raise BriskAnchorError(f"The demo has no job “{job[:20]}”", "", f"Give one of {', '.join(DEMO_JOBS)}")
    _need_terminal()
    if month:
        from brisk_anchor.tui.start import run_month

        raise typer.Exit(run_month(speed=speed))
    if job == "block":
        raise typer.Exit(run_block(speed=speed, fresh=fresh, profile=profile_of(profile)))
    if job == "cap":
        from brisk_anchor.services.demo.demo_job import demo_job
        from brisk_anchor.services.paths import demo_folder

        raise typer.Exit(run_job(demo_job(demo_folder()), roll=1, speed=speed, data=demo_folder() / "bc-27-data"))
    if job == "batch":
        from brisk_anchor.tui.start import run_batch

        raise typer.Exit(run_batch(speed=speed))
    if job == "sleeve":
        from brisk_anchor.services.demo.demo_job import demo_files
        from brisk_anchor.services.paths import demo_folder
        from brisk_anchor.tui.start import run_turning

        folder = demo_files(demo_folder() / "sleeve", "sleeve")
        raise typer.Exit(run_turning(folder / "turning.toml", demo_folder() / "sleeve-data"))
    if job == "shop":
        from brisk_anchor.services.demo.demo_job import demo_shop
        from brisk_anchor.services.paths import demo_folder

        folder = demo_folder() / "shop"
        raise typer.Exit(run_job(demo_shop(folder), roll=0, speed=speed, data=demo_folder() / "shop-data"))
    if job in OF_FILES:
        from brisk_anchor.services.demo.demo_job import demo_files
        from brisk_anchor.services.paths import demo_folder

        files = demo_files(demo_folder() / job, job)
        raise typer.Exit(run_job(files, roll=1, speed=speed, data=demo_folder() / f"{job}-data"))
    raise typer.Exit(run_demo(speed=speed, fresh=fresh, profile=profile_of(profile)))


@app.command()
def new(
    folder: Annotated[Path, typer.Argument(help="Folder of the new job.")],
    like: Annotated[Path | None, typer.Option("--like", help="Copy this job's folder.")] = None,
    plate: Annotated[str | None, typer.Option("--plate", help='The part is a plate: "160, 100, 35".')] = None,
    drawing: Annotated[Path | None, typer.Option("--drawing", help="The part is in this DXF or STL file.")] = None,
    name: Annotated[str | None, typer.Option("--name", help="Name of the part and the job.")] = None,
    depth: Annotated[float | None, typer.Option("--depth", min=0.1, help="How deep the ball goes, mm.")] = None,
    thickness: Annotated[float | None, typer.Option("--thickness", help="Height of a drawn part, mm.")] = None,
    units: Annotated[
        str | None,
        typer.Option("--units", help="mm or inch: of a plate and what is shown, or of a drawing."),
    ] = None,
    layer: Annotated[list[str] | None, typer.Option("--layer", help="Only this layer; may be given again.")] = None,
    machine_only: Annotated[
        bool, typer.Option("--machine-only", help="A machine alone: what is on its table is touched, not drawn.")
    ] = False,
) -> None:
    """Write the files of a job: a neutral example, another job, a plate, or a part from a drawing, to change."""
    from brisk_anchor.services.job.jobs import new_machine
    from brisk_anchor.services.job.new_job import DrawingSource, begin_job

    if machine_only:
        if any(item is not None for item in (like, plate, drawing, name, depth, thickness, layer)):
            raise BriskAnchorError("A machine alone has no part", "", "Leave the other options out")
        for path in new_machine(folder):
            say(f"Written {path}")
        say(f"Change it, then: brisk-anchor check {folder}; brisk-anchor open {folder}")
        return
    if plate is not None and drawing is not None:
        raise BriskAnchorError("A part is a plate or a drawing, not both", "", "Leave one out")
    layers = frozenset(layer) if layer else None
    source = DrawingSource(drawing, units, layers, depth, thickness) if drawing is not None else None
    unit = unit_option(units)
    paths, told = begin_job(folder, like=like, name=name, plate=plate, drawing=source, unit=unit)
    for path in paths:
        say(f"Written {path}")
    if told:
        say(told)
    say(f"Change them, then: brisk-anchor check {folder}; brisk-anchor open {folder}")


@app.command()
def check(folder: Annotated[Path, typer.Argument(help="Folder of a job.")]) -> None:
    """Check a job's files; every fault is listed with file, line and field."""
    from brisk_anchor.core.errors import JobError
    from brisk_anchor.services.job.jobs import check_job
    from brisk_anchor.services.paths import turning_file_in

    try:
        if (turning := turning_file_in(folder)) is not None:
            from brisk_anchor.services.turning.turning_job import check_turning

            told = check_turning(turning)
        else:
            told = check_job(folder)
    except JobError as error:
        for finding in error.findings:
            say(str(finding))
        raise
    for line in told:
        say(line)


@app.command("open")
def open_folder(
    folder: Annotated[Path, typer.Argument(help="Folder of a job, or a machine's file alone.")],
    roll: Annotated[int, typer.Option(min=0, help="Which real-life part lies in the stand-in; 0 as described.")] = 1,
    speed: Annotated[float, typer.Option(min=0.1, max=10_000, help="How many times faster it moves.")] = DEMO_SPEED,
) -> None:
    """Open a job of your own, its twin in the stand-in; or a machine alone, to touch what lies there."""
    from brisk_anchor.services.job.jobs import load_job, load_machine, machine_file_of
    from brisk_anchor.services.paths import turning_file_in
    from brisk_anchor.tui.start import run_job

    if (turning := turning_file_in(folder)) is not None:
        from brisk_anchor.services.turning.turning_job import load_turning

        load_turning(turning)
    elif (path := machine_file_of(folder)) is not None:
        load_machine(path)
    else:
        load_job(folder)
    _need_terminal()
    raise typer.Exit(run_job(folder, roll=roll, speed=speed))


@app.command()
def sheet(
    folder: Annotated[Path, typer.Argument(help="Folder of a job.")],
    row: Annotated[str, typer.Argument(help="The offset, for example G54.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the sheet, SVG and PDF.")],
    paper: Annotated[str, typer.Option("--paper", help="a4 or letter.")] = "a4",
) -> None:
    """Write the set-up sheet of an offset that has been stored."""
    from brisk_anchor.drawings.paper import PAPERS
    from brisk_anchor.services.offsets.sheets import write_sheets
    from brisk_anchor.services.paths import data_folder, turning_file_in
    from brisk_anchor.services.session.job_opening import open_job

    if paper not in PAPERS:
        raise BriskAnchorError(f"There is no paper “{paper}”", "", f"Give one of {', '.join(PAPERS)}")
    if (turning := turning_file_in(folder)) is not None:
        from brisk_anchor.services.turning.turning_session import TurningSession
        from brisk_anchor.services.turning.turning_sheet import write_turning_sheet
        from brisk_anchor.services.turning.turning_words import table_row

        lathe = TurningSession.open(turning, data_folder())
        in_force = lathe.machine.active_row
        try:
            lathe.machine.active_row = table_row(lathe, row).row
            paths = write_turning_sheet(lathe, out, paper)
        finally:
            lathe.machine.active_row = in_force  # what is in force at the lathe is no sheet's to change
            lathe.close()
    else:
        with open_job(folder, data_folder(), roll=0) as session:
            paths = write_sheets(session, row, out, paper)
    for path in paths:
        say(f"Written {path}")


@app.command()
def read(
    file: Annotated[Path, typer.Argument(help="A drawing (DXF) or a mesh (STL).")],
    name: Annotated[str, typer.Option("--name", help="Name of the part.")],
    depth: Annotated[float, typer.Option("--depth", min=0.1, help="How deep the ball goes below an edge, mm.")],
    out: Annotated[Path, typer.Option("--out", help="Part file to write; an existing one is left alone.")],
    thickness: Annotated[float | None, typer.Option("--thickness", help="Height of a drawn part, mm.")] = None,
    units: Annotated[str | None, typer.Option("--units", help="mm or inch, where the file does not say.")] = None,
    layer: Annotated[list[str] | None, typer.Option("--layer", help="Only this layer; may be given again.")] = None,
) -> None:
    """Make a part file of a drawing or a mesh: outline, edges, bores, with the drawing's own words kept."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.job.part_text import part_text, read_part

    found = read_part(file, units=units, layers=frozenset(layer) if layer else None)
    text = part_text(found, name, depth=depth, thickness=thickness)
    if is_there(out):
        raise BriskAnchorError(f"{out} is there already", "It was left as it is", "Choose another file")
    write_whole(out, text.encode())
    say(f"Written {out}: outline of {len(found.outline)} points, {text.count('[[feature]]')} features")
    for note in found.notes:
        say(note)


@app.command()
def schema(
    file: Annotated[str, typer.Argument(help="job, machine, part, fixture, turning or offsets.")],
) -> None:
    """Print the JSON schema of one of a job's files, or of an offset table."""
    import json

    from pydantic import BaseModel

    from brisk_anchor.exchange.tables.json_form import OffsetTable
    from brisk_anchor.services.job.jobs import FILES
    from brisk_anchor.services.turning.turning_job import TurningFile

    files: dict[str, type[BaseModel]] = {**FILES, "turning": TurningFile, "offsets": OffsetTable}
    if file not in files:
        raise BriskAnchorError(f"There is no file “{file}” in a job", "", f"Give one of {', '.join(files)}")
    give(json.dumps(files[file].model_json_schema(), indent=2))


def _need_terminal() -> None:
    if not sys.stdout.isatty() or not sys.stdin.isatty():
        raise BriskAnchorError(
            "There is no terminal here", "The application fills a screen", "Run it in a terminal window"
        )


@app.command()
def example(
    out: Annotated[Path, typer.Option("--out", help="Folder for the NC file, the sheets and the book.")],
    seed: Annotated[int, typer.Option(help="Seed of the stand-in's noise.")] = 1,
) -> None:
    """Do the demo job without a screen and tell what was found, stored, written and proved."""
    from brisk_anchor.services.demo.example import run_example

    for line in run_example(out, seed=seed):
        say(line)


@app.command()
def run(
    program: Annotated[Path, typer.Argument(help="File with NC text.")],
    scene: Annotated[str, typer.Option("--scene", help="A scene that ships, or a scene file (TOML).")],
    json: Annotated[bool, typer.Option("--json", help="Print JSON instead of lines.")] = False,
    seed: Annotated[int, typer.Option(help="Seed of the probe's noise; -1 for none.")] = 1,
    profile: ProfileOption = None,
) -> None:
    """Run NC text on the stand-in: offsets, hits, alarms, crashes, printed lines, run time."""
    from brisk_anchor.services.machine.dry_run import dry_run

    result = dry_run(program, scene, seed=None if seed < 0 else seed, profile=profile)
    if json:
        give(result.as_json())
    else:
        say(result.as_text())
    if result.failure is not None:
        if not json:
            say(f"brisk-anchor: {result.failure.one_line()}", err=True)
        raise typer.Exit(result.failure.exit_code)


@app.command("keys")
def show_keys() -> None:
    """Print all keys in force in the form of keys.toml, or the faults of that file in the data folder."""
    from brisk_anchor.core.errors import KeysError
    from brisk_anchor.tui.start import keys_text

    try:
        give(keys_text())
    except KeysError as error:
        for finding in error.findings:
            say(str(finding))
        raise


@app.command()
def extents(
    program: Annotated[Path, typer.Argument(help="File with a cutting program, of any length.")],
    profile: ProfileOption = None,
) -> None:
    """How far a cutting program goes, per work offset, in program positions (mm)."""
    from brisk_anchor.nc.profile.control_profile import profile_of
    from brisk_anchor.services.machine.dry_run import extents_of

    reader = extents_of(program, profile_of(profile) if profile is not None else None)
    for row, extent in sorted(reader.extents.items()):
        say(
            f"{row:<6}"
            + "  ".join(
                f"{axis} {low:+.4f} to {high:+.4f}" if low <= high else f"{axis} never named"
                for axis, low, high in zip("XYZ", extent.low, extent.high, strict=True)
            )
        )
    say(f"{reader.blocks} blocks read, tool lengths left out")
    if reader.wholes and profile is None:
        say(
            f"{reader.wholes} lengths have no point and were read as written; --profile says how the control reads them"
        )


app.add_typer(book_app, name="book")
app.add_typer(plan_app, name="plan")
app.add_typer(places_app, name="places")
app.add_typer(results_app, name="results")
app.add_typer(turn_app, name="turn")
app.add_typer(link_app, name="link")
app.add_typer(order_app, name="order")
app.command()(take)
app.add_typer(machine_app, name="machine")
app.command()(weave)

profile_app = typer.Typer(no_args_is_help=True, help="Control profiles: what differs from control to control, as data.")
app.add_typer(profile_app, name="profile")


@profile_app.command("list")
def profile_list() -> None:
    """Profiles that ship with the application."""
    from brisk_anchor.nc.profile.control_profile import shipped_profile, shipped_profiles

    for name in shipped_profiles():
        profile = shipped_profile(name)
        say(f"{name:<16}{profile.title}")
        for limit in profile.limits:
            say(f"{'':<16}{limit}")


@profile_app.command("show")
def profile_show(name: Annotated[str, typer.Argument(help="A shipped profile.")]) -> None:
    """Print a shipped profile, comments and all."""
    from brisk_anchor.nc.profile.control_profile import shipped_text

    give(shipped_text(name))


@profile_app.command("check")
def profile_check(path: Annotated[Path, typer.Argument(help="A profile file (TOML), or a shipped profile.")]) -> None:
    """Check a profile: every fault with its place, then a sample of every kind of program, written and run with it."""
    from brisk_anchor.core.errors import ProfileError
    from brisk_anchor.core.quantities import dim
    from brisk_anchor.nc.profile.control_profile import profile_of
    from brisk_anchor.services.profile.profile_proof import prove_profile

    try:
        profile = profile_of(str(path))
        proof = prove_profile(profile)
        if proof.findings:
            raise ProfileError(path.name, proof.findings)
    except ProfileError as error:
        for finding in error.findings:
            say(str(finding))
        raise
    say(f"{profile.name} is sound: {len(profile.all_rows)} rows, resolution {dim(profile.resolution)}")
    say(f"{proof.programs} sample programs were written with it and ran on the stand-in set to it")
    for words in proof.refused:
        say(f"not written: {words}")
    for limit in profile.limits:
        say(limit)


@profile_app.command("new")
def profile_new(
    name: Annotated[str, typer.Argument(help="Name of the new profile: a-z, 0-9 and -.")],
    out: Annotated[Path, typer.Option("--out", help="File to write; an existing one is left alone.")],
    like: Annotated[str, typer.Option("--like", help="The shipped profile to start from.")] = "skip-macro",
) -> None:
    """Copy a shipped profile under a new name, for the shop to change."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.nc.profile.control_profile import copy_of

    text = copy_of(like, name)
    if is_there(out):
        raise BriskAnchorError(f"{out} is there already", "It was left as it is", "Choose another file")
    say(f"Written {write_whole(out, text.encode())}. Change it, then: brisk-anchor profile check {out}")


def app_for(words: Sequence[str]) -> typer.Typer:
    """The command line for the words that were typed: where they begin with a command, with that command alone.

    Typer works out the options of every command before it looks at the words: 0.13 s, a third of the time to start.
    """
    wanted = words[0] if words else ""
    chosen = copy(app)
    chosen.registered_commands = [
        command
        for command in app.registered_commands
        if wanted == (command.name or (command.callback.__name__ if command.callback else ""))
    ]
    chosen.registered_groups = [group for group in app.registered_groups if wanted == group.name]
    return chosen if chosen.registered_commands or chosen.registered_groups else app
