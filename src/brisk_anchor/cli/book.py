"""`brisk-anchor book`: the offset table from the command line, of a job's folder or of the demo."""

from __future__ import annotations

import json
from contextvars import ContextVar
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from brisk_anchor.cli.options import unit_option
from brisk_anchor.cli.saying import give, say
from brisk_anchor.core.errors import BookError
from brisk_anchor.core.quantities import along, dim, expanded, signed_bare, signed_dim
from brisk_anchor.nc.bounded import is_file, is_there

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.chain import Chain
    from brisk_anchor.services.offsets.book_rows import BookLine
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.services.turning.turning_session import TurningSession

app = typer.Typer(no_args_is_help=True, help="The offset book: rows, history, comparing, files, and what fits.")

_COMMAND: ContextVar[typer.Context] = ContextVar("command")


def _begun(context: typer.Context, value: Path | None) -> Path | None:
    """Note which command is run: what it opens is closed when it ends, however it ends."""
    _COMMAND.set(context)
    return value


JobOption = Annotated[
    Path | None,
    typer.Option(
        "--job", help="Folder of a job. Left out: the folder of the file that is named, else the demo.", callback=_begun
    ),
]
UnitsOption = Annotated[str | None, typer.Option("--units", help="mm or inch, of a file that does not say it.")]
JsonOption = Annotated[bool, typer.Option("--json", help="As JSON, for other programs.")]
RowArgument = Annotated[str, typer.Argument(help='A row: G54, or "G54.1 P3".')]


def session_of(job: Path | None, *files: Path | None) -> Session:
    """The job of a folder, else that beside one of the files, else the demo, and says so; closed with the command."""
    from brisk_anchor.core.errors import Fault, JobError
    from brisk_anchor.services.job.job_text import JOB_NAME
    from brisk_anchor.services.paths import turning_file_in

    if job is not None and (turning := turning_file_in(job)) is not None:
        raise JobError(
            turning.name,
            (Fault("form", "it is a job to turn, and this command knows the rows of a mill"),),
            "Of a lathe, book list, show and history; the rest in brisk-anchor open",
        )
    beside = (file.parent for file in files if file is not None and is_file(file.parent / JOB_NAME))
    if (job := job or next(beside, None)) is not None:
        from brisk_anchor.services.paths import data_folder
        from brisk_anchor.services.session.job_opening import open_job

        session = open_job(job, data_folder(), roll=1)
    else:
        from brisk_anchor.services.demo.demo_job import open_demo
        from brisk_anchor.services.paths import demo_folder

        session = open_demo(demo_folder(), fresh=False)
        say(f"No --job was given: this is the demo, {session.setup.part}.", err=True)
    _COMMAND.get().call_on_close(session.close)
    return session


def lathe_of(job: Path | None) -> TurningSession | None:
    """The job to turn of a folder, closed with the command; None where it is one of a mill. Raises BriskAnchorError."""
    from brisk_anchor.services.paths import data_folder, turning_file_in

    if job is None or (turning := turning_file_in(job)) is None:
        return None
    from brisk_anchor.services.turning.turning_session import TurningSession

    session = TurningSession.open(turning, data_folder())
    _COMMAND.get().call_on_close(session.close)
    return session


def _figures(values: dict[str, float]) -> str:
    return "  ".join(f"{axis.upper()} {along(axis, value):>15}" for axis, value in values.items())


def _data(line: BookLine) -> dict[str, Any]:
    return {
        "row": line.row,
        "name": line.title,
        "state": line.state.value,
        "locked": line.locked,
        "limit": line.limit,
        "kept_for": line.kept_for,
        "values": line.values,
        "u": line.u,
        "control": line.held,
        "source": line.source,
        "at": line.at.isoformat() if line.at else None,
        "who": line.who,
        "parent": line.parent,
        "operations": list(line.operations),
        "lacking": line.lacking,
    }


def _print(data: object) -> None:
    give(json.dumps(data, indent=1, ensure_ascii=False))


@app.command("list")
def list_rows(
    job: JobOption = None,
    as_json: JsonOption = False,
    everything: Annotated[bool, typer.Option("--all", help="Every row the control has.")] = False,
    search: Annotated[str, typer.Option("--search", help="Only rows with these words.")] = "",
) -> None:
    """The rows as they stand."""
    from brisk_anchor.services.offsets.book_rows import lines

    if (lathe := lathe_of(job)) is not None:
        _list_lathe(lathe, search, as_json=as_json)
        return
    found = lines(session_of(job), everything=everything, search=search)
    if as_json:
        _print([_data(line) for line in found])
        return
    for line in found:
        mark = "!" if line.lacking else "L" if line.locked else " "
        name = f"{'  ' * line.depth}{line.row}"
        say(f"{mark} {name:<12}{line.state.value:<14}{_figures(line.values):<50}  {line.title}")


def _list_lathe(session: TurningSession, search: str, *, as_json: bool) -> None:
    """The work offsets of a lathe, then geometry and wear of each tool; X as diameters."""
    from brisk_anchor.services.turning.turning_words import table_rows

    found = [row for row in table_rows(session) if search.lower() in f"{row.row} {row.title}".lower()]
    if as_json:
        _print([asdict(row) for row in found])
        return
    for row in found:
        mark = "L" if row.locked else " "
        say(f"{mark} {row.row:<14}{row.state:<14}{_figures(row.values):<34}  {row.title}")


def _say_chain(chain: Chain | None) -> None:
    """A chain line by line, what its ± holds, and what not."""
    from brisk_anchor.core.offsets.chain import budget_words

    for axis in chain.axes if chain else ():
        for term in axis.terms:
            spread = "" if term.u is None else f"  {expanded(term.u, k=term.k, axis=axis.axis)}"
            value = along(axis.axis, term.value, signed=False)
            say(f"  {term.sign or ' ':<2}{term.label:<44}{value:>18}{spread}  {term.source}")
        if axis.stated and axis.budget:
            say(f"    {budget_words(axis)}")
    for words in (*chain.notes, *(f"not in the ±: {lacking}" for lacking in chain.without)) if chain else ():
        say(f"  {words}")


@app.command()
def show(row: RowArgument, job: JobOption = None, as_json: JsonOption = False) -> None:
    """One row with its chain."""
    from brisk_anchor.services.offsets.book_rows import line_of

    if (lathe := lathe_of(job)) is not None:
        from brisk_anchor.services.turning.turning_words import table_row

        held = table_row(lathe, row)
        if as_json:
            _print(asdict(held))
            return
        say(f"{row}  {held.title}  {held.state}{', locked' if held.locked else ''}")
        _say_chain(lathe.ledger.chain_of_values(row))
        say(f"  table {_figures(held.values)}")
        return
    session = session_of(job)
    session.profile.row(row)
    line = line_of(session, row)
    if as_json:
        _print(_data(line))
        return
    say(f"{row}  {line.title}  {line.state.value}{', locked' if line.locked else ''}")
    _say_chain(session.ledger.chain_of_values(row))
    say(f"  control {_figures(line.held)}")


@app.command()
def history(row: RowArgument, job: JobOption = None, as_json: JsonOption = False) -> None:
    """Every entry of a row, oldest first."""
    from brisk_anchor.book.entries import local_time

    if (lathe := lathe_of(job)) is not None:
        from brisk_anchor.services.turning.turning_words import table_row

        entries = lathe.ledger.every(table_row(lathe, row).row)
    else:
        session = session_of(job)
        session.profile.row(row)
        entries = session.ledger.every(row)
    if as_json:
        _print(
            [
                {
                    "at": e.at.isoformat(),
                    "kind": e.kind.value,
                    "values": e.values,
                    "u": e.u,
                    "who": e.who,
                    "job": e.job,
                    "note": e.note,
                }
                for e in entries
            ]
        )
        return
    for entry in entries:
        when = local_time(entry.at).strftime("%Y-%m-%d %H:%M:%S")
        say(f"{when}  {entry.kind.value:<10}{_figures(entry.values)}  {entry.note}  {entry.who}")


@app.command()
def compare(
    against: Annotated[
        str,
        typer.Argument(help="control, last, a row, a day (2026-11-03), snapshot NAME, machine NAME, or a file."),
    ] = "control",
    job: JobOption = None,
    as_json: JsonOption = False,
    units: UnitsOption = None,
) -> None:
    """How far every row lies from something, per axis and in all."""
    from brisk_anchor.services.offsets.book_compare import reference
    from brisk_anchor.services.offsets.book_files import read_reference
    from brisk_anchor.services.offsets.book_rows import distance, lines

    session = session_of(job)
    path = Path(against)
    other = (
        read_reference(session, path, unit_option(units))
        if path.suffix and is_there(path)
        else reference(session, against)
    )
    found = [(line, other.difference(line)) for line in lines(session)]
    if as_json:
        listed = [{"row": line.row, "difference": d, "distance": distance(d)} for line, d in found if d]
        _print({"against": other.words, "rows": listed})
        return
    say(f"against {other.words}, the book less it")
    for line, difference in found:
        shown = f"{_figures(difference)}   {dim(distance(difference), 4)}" if difference else "nothing to compare"
        say(f"{line.row:<12}{shown}")


@app.command()
def export(
    out: Annotated[Path, typer.Argument(help="File to write: .csv, .json or .nc.")], job: JobOption = None
) -> None:
    """Write the table to a file."""
    from brisk_anchor.services.offsets.book_files import export as write
    from brisk_anchor.services.offsets.book_files import stale_words

    session = session_of(job, out)
    say(f"Written {write(session, out)}")
    if told := stale_words(session):
        say(told)


@app.command("import")
def import_(
    file: Annotated[Path, typer.Argument(help="CSV, JSON, offset-setting blocks, or report lines.")],
    job: JobOption = None,
    take: Annotated[bool, typer.Option("--take", help="Take it over; else it is only compared.")] = False,
    units: UnitsOption = None,
) -> None:
    """Compare a file with the book, and take it over as typed values with --take. The control is not written."""
    from brisk_anchor.services.offsets.book_files import read_reference
    from brisk_anchor.services.offsets.book_rows import distance, line_of
    from brisk_anchor.services.offsets.offset_book import take_over

    session = session_of(job, file)
    other = read_reference(session, file, unit_option(units))
    for row, values in other.values.items():
        session.profile.row(row)
        line = line_of(session, row)
        moved = {axis: value - line.values[axis] for axis, value in values.items() if axis in line.values}
        shown = f"moves {dim(distance(moved), 4)}: {_figures(moved)}" if moved else "is new in the book"
        say(f"{row:<12}{_figures(dict(values))}  {shown}")
    if take:
        rows = take_over(session, other.values, f"from {file.name}", other.spreads)
        say(f"Taken over: {', '.join(rows) or 'nothing had changed'}")
    else:
        say("Nothing was changed; --take takes it over.")


@app.command()
def fits(
    program: Annotated[Path, typer.Argument(help="A cutting program of any length.")],
    job: JobOption = None,
    as_json: JsonOption = False,
    out: Annotated[Path | None, typer.Option("--out", help="Folder for the drawing, SVG and PDF.")] = None,
) -> None:
    """Does a cutting program fit into the travels from its offsets, and how far may they move? Exit code 2 if not."""
    from dataclasses import asdict

    from brisk_anchor.services.offsets.book_files import write_fit
    from brisk_anchor.services.offsets.fits import fit_file, words

    session = session_of(job, program)
    fit = fit_file(session, program)
    if as_json:
        _print({"program": fit.name, "blocks": fit.blocks, "fits": fit.fits, "rows": [asdict(row) for row in fit.rows]})
    else:
        for row in fit.rows:
            for tool in row.tools:
                shown = "  ".join(
                    f"{a.axis.upper()} {signed_bare(a.low, 3)} to {signed_bare(a.high, 3)}" for a in tool.axes
                )
                say(f"{row.row:<10}T{tool.tool:<4}{shown}")
            for axis, room in row.room.items():
                told = f"{signed_bare(room[0], 3)} to {signed_dim(room[1], 3)}" if room else "no move of the zero helps"
                say(f"{'':<10}{axis.upper()} may move {told}")
        for line in words(fit):
            say(line)
    if out is not None:
        for path in write_fit(session, fit, out):
            say(f"Written {path}")
    if not fit.fits:
        raise typer.Exit(2)


@app.command()
def verify(
    job: JobOption = None,
    restored: Annotated[
        bool, typer.Option("--restored", help="A backup was restored: accept that later entries are missing.")
    ] = False,
) -> None:
    """Look through every entry: is each as it was added, and is none missing? Exit code 1 if not."""
    from brisk_anchor.services.session.book_opening import verify_all

    book = session_of(job).book
    if book is None or book.damage:
        raise BookError("There is no book that could be looked through", book.damage if book else "", "")
    found = verify_all(book, restored=restored)
    count = f"{found.id} {'entry' if found.id == 1 else 'entries'}"
    say(f"{book.name}: {count}, each as it was added; the last seal is {found.seal[:16]}")


@app.command()
def snapshot(name: Annotated[str, typer.Argument(help='Its name: "good part 14".')], job: JobOption = None) -> None:
    """Keep how the whole table stands under a name, in the book and as a file beside it."""
    from brisk_anchor.services.offsets.book_files import write_snapshot

    say(f"Written {write_snapshot(session_of(job), name)}, {datetime.now(UTC):%Y-%m-%d %H:%M} UTC")
