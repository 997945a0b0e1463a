"""`brisk-anchor places`: the map of a fixture with many parts, what its rows stand for, another row for a program."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from brisk_anchor.cli.book import JobOption, session_of
from brisk_anchor.cli.saying import say
from brisk_anchor.core.quantities import signed_dim

app = typer.Typer(no_args_is_help=True, help="Fixtures with many parts: map, rows, and programs that change rows.")


@app.command("map")
def show(job: JobOption = None) -> None:
    """Every place with its face, its rows, how these stand, and whether its part was looked at."""
    from brisk_anchor.core.errors import BriskAnchorError
    from brisk_anchor.services.rows.row_owner import owner_of
    from brisk_anchor.services.session.places_map import places_map

    session = session_of(job)
    faces = places_map(session, session.link.angles)
    if not faces:
        raise BriskAnchorError("The fixture holds one part", "", "[repeat] in job.toml says how many it holds")
    for face in faces:
        say(f"face {face.face}  {face.angle}")
        for known in face.places:
            looked = "" if known.state == "empty" else "looked at" if known.looked_at else "not looked at"
            owner = owner_of(session.setup, known.row) if known.row else ""
            belongs = f"of the {owner}" if owner else ""
            say(f"  {known.place.name:<6}{known.row:<10}{known.state:<14}{belongs:<14}{looked}")


@app.command()
def rows(
    school: Annotated[str, typer.Argument(help="part, face, centre or derived.")],
    job: JobOption = None,
    write: Annotated[bool, typer.Option("--write", help="Put it into job.toml.")] = False,
) -> None:
    """What the rows of the places stand for: every operation with its row then. Nothing is changed without --write."""
    from brisk_anchor.services.offsets.schools import SCHOOLS, preview, school_change

    session = session_of(job)
    change = school_change(session, school)
    say(f"{SCHOOLS[school.strip().lower()]}; the tool does not move, the program's own figures do by:")
    for line in preview(session, change):
        moves = "  ".join(f"{axis.upper()} {signed_dim(by, 3)}" for axis, by in line.moves.items())
        say(f"{line.title:<16}{line.row:<10}{line.note:<18}{moves}")
    if write:
        session.editor.change(change)
        say("Written to job.toml")


@app.command()
def tilted(
    row: Annotated[str, typer.Argument(help="A row that is set with the table turned.")],
    base: Annotated[str, typer.Option("--from", help="The row that the plane is counted from.")],
    job: JobOption = None,
) -> None:
    """A row as a tilted plane on another: its zero, its three angles, and the block of the control."""
    from brisk_anchor.services.offsets.tilted_words import lines_of, tilted_words

    for line in lines_of(tilted_words(session_of(job), row, base)):
        say(line)


@app.command()
def exchange(
    program: Annotated[Path, typer.Argument(help="A finished program.")],
    old: Annotated[str, typer.Option("--from", help="The row it uses.")],
    new: Annotated[str, typer.Option("--to", help="The row it is to use.")],
    out: Annotated[Path, typer.Option("--out", help="File for the result.")],
    job: JobOption = None,
) -> None:
    """A finished program with another row, and a shift that keeps every machine position; or why it must be posted."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.insert.program_text import read_text
    from brisk_anchor.services.insert.row_exchange import exchange_row

    session = session_of(job, program)
    text, shift = exchange_row(session, read_text(program), old, new)
    moved = "  ".join(f"{axis} {signed_dim(by, 4)}" for axis, by in zip("XYZ", shift, strict=True))
    say(f"{new} with the shift {moved}; every machine position 0.000 from before")
    say(f"Written {write_whole(out, text.encode('latin-1'))}")
