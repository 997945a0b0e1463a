"""`brisk-anchor results`: inspected parts listed, shown, written and charted; the next correction."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brisk_anchor.cli.book import JobOption, JsonOption, session_of
from brisk_anchor.cli.saying import give, say
from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.quantities import dim, shown_unit

if TYPE_CHECKING:
    from brisk_anchor.services.results.inspected import InspectedPart
    from brisk_anchor.services.results.inspection import Inspection

app = typer.Typer(no_args_is_help=True, help="Inspected parts: what was found, files, sheets, charts, corrections.")

FolderOption = Annotated[Path, typer.Option("--out", help="Folder for the files.")]
PlaceOption = Annotated[str | None, typer.Option("--place", help="Only parts of this place of the fixture.")]


def _inspection(job: Path | None) -> Inspection:
    from brisk_anchor.services.results.inspection import Inspection

    return Inspection(session_of(job), newest=None)


def _part(inspection: Inspection, serial: str | None) -> InspectedPart:
    if not inspection.parts:
        raise InspectionError("No part was inspected in this job", "", "Inspect one: view 8, or results take")
    if serial is None:
        return inspection.parts[-1]
    found = next((part for part in reversed(inspection.parts) if part.serial == serial), None)
    if found is None:
        raise InspectionError(f"There is no part {serial}", "", f"The newest is {inspection.parts[-1].serial}")
    return found


@app.command("list")
def list_parts(job: JobOption = None, as_json: JsonOption = False) -> None:
    """Every inspected part with its outcome, oldest first."""
    from brisk_anchor.book.entries import clock_words
    from brisk_anchor.services.results.inspected import short_words

    inspection = _inspection(job)
    if as_json:
        keys = ("serial", "at", "place", "machine", "program", "who")
        data = [
            {key: getattr(part, key) for key in keys} | {"outcome": part.outcome.value} for part in inspection.parts
        ]
        give(json.dumps(data, ensure_ascii=False))
        return
    for part in inspection.parts:
        say(f"{clock_words(part.at)}  {short_words(part)}")
    if not inspection.parts:
        say("No part was inspected in this job")


@app.command()
def asked(job: JobOption = None) -> None:
    """What the drawing asks, by number, and what cuts it."""
    from brisk_anchor.services.results.results_words import asked_words

    for words in map(asked_words, _inspection(job).asked):
        say(words)


@app.command()
def show(
    serial: Annotated[str | None, typer.Argument(help="A part's number; the newest where it is left out.")] = None,
    job: JobOption = None,
    as_json: JsonOption = False,
) -> None:
    """One part by the numbers of the drawing: limits, actual, ±, deviation, how surely it is in, verdict."""
    from brisk_anchor.book.entries import clock_words
    from brisk_anchor.services.results.inspected import short_words
    from brisk_anchor.services.results.report_files import to_json
    from brisk_anchor.services.results.results_words import line_words

    part = _part(_inspection(job), serial)
    if as_json:
        give(to_json([part]).decode())
        return
    say(f"{part.part}  {short_words(part)}  {clock_words(part.at)}")
    for line in part.lines:
        say(line_words(line))
    for change in part.corrected:
        say(f"corrected {change.by}: {change.why}")


@app.command()
def take(
    serial: Annotated[str, typer.Argument(help="The part's number.")],
    job: JobOption = None,
    again: Annotated[bool, typer.Option("--again", help="The same part, after it was cut again.")] = False,
) -> None:
    """Measure everything the drawing asks for on the stand-in, judge it, and enter the part into the book.

    At a linked control the part is what came back last: brisk-anchor order inspect measures it.
    """
    from brisk_anchor.cli.link import orders_of
    from brisk_anchor.services.results.inspected import short_words
    from brisk_anchor.services.results.measuring import measure_asked

    inspection = _inspection(job)
    linked = inspection.session.real is not None
    if linked:
        orders_of(job, inspection.session)  # what came of this clamping is measured again in the session
    for place in inspection.places if not linked else ():
        measure_asked(inspection, place)
    for part in inspection.take_all(serial, again=again):
        say(short_words(part))


@app.command()
def export(
    serial: Annotated[str | None, typer.Argument(help="One part; all where it is left out.")] = None,
    job: JobOption = None,
    form: Annotated[
        str, typer.Option("--format", help="csv or json; svg or pdf writes a page, as both files.")
    ] = "csv",
    out: FolderOption = Path(),
) -> None:
    """Results as CSV or JSON, or a page of a part, or of the batch (SVG and PDF)."""
    from brisk_anchor.exchange.files import write_whole
    from brisk_anchor.services.results.report_files import plain_name, to_csv, to_json, write_batch, write_part

    inspection = _inspection(job)
    if form in ("svg", "pdf"):
        if serial is None:
            paths = write_batch(inspection.setup, inspection.parts, out)
        else:
            paths = write_part(inspection.setup, _part(inspection, serial), out)
    elif form in ("csv", "json"):
        parts = inspection.parts if serial is None else [_part(inspection, serial)]
        data = to_csv(parts, shown_unit()) if form == "csv" else to_json(parts)
        paths = [write_whole(out / f"results-{plain_name(inspection.setup.job)}.{form}", data)]
    else:
        raise InspectionError(f"There is no form {form[:10]}", "", "Give csv, json, svg or pdf")
    for path in paths:
        say(f"Written {path}")


@app.command()
def schema() -> None:
    """The JSON Schema of exported results."""
    from brisk_anchor.services.results.report_files import schema as schema_of

    give(json.dumps(schema_of(), indent=1))


@app.command("chart")
def chart_of(
    balloon: Annotated[str, typer.Argument(help="The characteristic's number on the drawing.")],
    job: JobOption = None,
    place: PlaceOption = None,
    out: FolderOption = Path(),
) -> None:
    """The run chart of a characteristic over all parts, with drift and ability (SVG and PDF)."""
    from brisk_anchor.services.results.over_parts import repeated, series_of, words_of
    from brisk_anchor.services.results.report_files import write_chart

    inspection = _inspection(job)
    series = series_of(inspection.parts, balloon, place=place)
    if series is None:
        raise InspectionError(f"No part has a figure of {balloon}", "", "results asked lists the numbers")
    for words in words_of(series):
        say(words)
    for how, again in repeated(inspection.parts, balloon).items():
        share = "" if again.share is None else f", {100 * again.share:.0f} % of the band"
        say(f"one part {again.count} times {how}: ± {dim(2 * again.s, 4)}{share}")
    about = f"{inspection.setup.machine.name}  ·  {inspection.setup.part}"
    for path in write_chart(series, out, about):
        say(f"Written {path}")


@app.command()
def offsets(
    row: Annotated[str, typer.Argument(help="A row of the offset table.")],
    job: JobOption = None,
    out: FolderOption = Path(),
) -> None:
    """How a row wanders from store to store: drift of each axis, and the charts (SVG and PDF)."""
    from brisk_anchor.services.results.over_parts import offset_series, words_of
    from brisk_anchor.services.results.report_files import write_chart

    session = session_of(job)
    found = [s for axis in "xyz" if (s := offset_series(session.ledger.every(row), row, axis)) is not None]
    if not found:
        raise InspectionError(f"{row} was stored fewer than twice", "There is nothing to compare", "Store it again")
    for series in found:
        say(f"{series.title}: {'; '.join(words_of(series))}")
        for path in write_chart(series, out, session.setup.machine.name):
            say(f"Written {path}")


@app.command()
def correct(
    balloon: Annotated[str, typer.Argument(help="The characteristic's number on the drawing.")],
    job: JobOption = None,
    write: Annotated[bool, typer.Option("--write", help="Write it to the control, guarded and read back.")] = False,
) -> None:
    """What the parts since the last change ask for: the sum, and with --write the change itself."""
    from brisk_anchor.services.results.correcting import write_correction
    from brisk_anchor.services.results.over_parts import series_of
    from brisk_anchor.services.results.results_words import correction_words

    inspection = _inspection(job)
    asked_one = inspection.by_balloon(balloon)
    correction = inspection.correction(asked_one)
    next_one = inspection.due(asked_one, series) if (series := series_of(inspection.parts, balloon)) else None
    for words in correction_words(asked_one, correction, next_one):
        say(words)
    if write and correction is not None and correction.change:
        say(write_correction(inspection, asked_one, correction))
