"""Results as files: CSV and JSON of every characteristic of every part, sheets of a part and of a batch."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter

from brisk_anchor.book.entries import clock_words
from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import Unit, bare, fixed, shown_unit, signed_bare, signed_deg
from brisk_anchor.drawings.charts import Panel, chart
from brisk_anchor.drawings.inspection import BatchLine, MarkedFeature, SheetLine, batch_page, inspection_page
from brisk_anchor.exchange.files import write_each
from brisk_anchor.exchange.tables.csv_form import cell
from brisk_anchor.services.results.inspected import CharacteristicLine, InspectedPart, balloons
from brisk_anchor.services.results.over_parts import Series, series_of, words_of
from brisk_anchor.services.results.results_words import MARKS

COLUMNS = (
    *("part", "serial", "at", "place", "operation", "machine", "program", "program_hash", "who", "source"),
    *("balloon", "asked", "feature", "what", "unit", "nominal", "low", "high", "target", "actual", "expanded"),
    *("deviation", "share_of_band", "probability", "verdict", "outcome", "counts_from", "process_only", "by", "wear"),
)
JSON_FORM = "brisk-anchor-results-1"


def to_csv(parts: Sequence[InspectedPart], unit: Unit) -> bytes:
    """Every characteristic of every part (RFC 4180), lengths in a unit that stands in each line."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for part in parts:
        about = (part.part, part.serial, part.at, part.place, part.operation, part.machine)
        ran = (str(part.program) if part.program else "", part.program_hash, part.who, part.source)
        for line in part.lines:
            writer.writerow([*map(cell, about), *map(cell, ran), *_cells(line, unit)])
    return stream.getvalue().encode()


def _cells(line: CharacteristicLine, unit: Unit) -> list[str]:
    def length(value: float | None) -> str:
        if value is None:
            return ""
        return fixed(value, 6) if line.is_angle else fixed(value / float(unit.in_mm), 6 if unit is Unit.MM else 8)

    def share(value: float | None, decimals: int) -> str:
        return "" if value is None else fixed(value, decimals)

    named = [cell(text) for text in (line.balloon, line.words, line.feature, line.what)]
    figures = [length(v) for v in (line.nominal, line.low, line.high, line.target, line.value, line.expanded)]
    return [
        *named,
        "deg" if line.is_angle else unit.value,
        *figures,
        length(line.deviation),
        share(line.share, 4),
        share(line.probability, 6),
        line.verdict,
        line.outcome,
        cell(line.to),
        "yes" if line.process_only else "no",
        cell(line.by),
        length(line.wear),
    ]


def to_json(parts: Sequence[InspectedPart]) -> bytes:
    """The same as JSON, lengths in mm; `schema` describes it."""
    data = {"form": JSON_FORM, "units": "mm", "parts": [asdict(part) for part in parts]}
    return (json.dumps(data, indent=1, ensure_ascii=False) + "\n").encode()


def schema() -> dict[str, Any]:
    """JSON Schema of what `to_json` writes."""
    part = TypeAdapter(InspectedPart).json_schema(ref_template="#/$defs/{model}")
    definitions = part.pop("$defs", {}) | {"InspectedPart": part}
    return {
        "type": "object",
        "required": ["form", "units", "parts"],
        "properties": {
            "form": {"const": JSON_FORM},
            "units": {"const": "mm"},
            "parts": {"type": "array", "items": {"$ref": "#/$defs/InspectedPart"}},
        },
        "$defs": definitions,
    }


# -- sheets ------------------------------------------------------------------------------------------------------------


def write_part(setup: Setup, part: InspectedPart, folder: Path, paper: str = "a4") -> list[Path]:
    """The sheet of one part as SVG and PDF. Raises ExportError."""
    lines = [
        SheetLine(
            MARKS[line.state],
            line.balloon,
            line.words.partition(" ")[2] or line.what,
            _figure(line, line.nominal) if line.nominal else "",
            _limits(line),
            _figure(line, line.value) if line.value is not None else "–",
            f"±{_figure(line, line.expanded)}" if line.expanded is not None else "",
            _off(line),
            "" if line.probability is None else f"{100 * line.probability:.1f} %",
            line.verdict + (" (process only)" if line.process_only and line.value is not None else ""),
            line.share,
            line.state,
        )
        for line in part.lines
    ]
    marks = []
    for line in part.lines:
        drawn = next((one for one in setup.features if one.name == line.feature), None)
        if drawn is not None:
            marks.append(MarkedFeature(line.balloon, drawn.machine, line.state))
    body = {feature.body for feature in setup.features if feature.name in {line.feature for line in part.lines}}
    shown = [outline for outline in setup.outlines if outline.body in body]
    about = "  ·  ".join(
        text
        for text in (
            f"{part.machine}",
            f"job {part.job}",
            f"place {part.place}" if part.place else "",
            part.operation,
            f"O{part.program:04d} {part.program_hash[:12]}" if part.program else part.source,
            clock_words(part.at),
            part.who,
        )
        if text
    )
    heading = f"{part.part}  part {part.serial}:  {MARKS[part.outcome]} {part.outcome.value}"
    corrected = [f"{c.by}: {signed_bare(c.old, 4)} → {signed_bare(c.new, 4)}, {c.why}" for c in part.corrected]
    name = f"part-{plain_name(part.part)}-{plain_name(part.serial)}"
    page = inspection_page(heading, about, lines, shown, marks, corrected, shown_unit().word, paper)
    return write_each(folder, name, page)


def write_batch(setup: Setup, parts: Sequence[InspectedPart], folder: Path, paper: str = "a4") -> list[Path]:
    """The page of a batch as SVG and PDF. Raises InspectionError: no part; ExportError."""
    if not parts:
        raise InspectionError("No part was inspected", "There is nothing to draw", "Inspect one")
    lines = []
    for balloon in balloons(parts):
        series = series_of(parts, balloon)
        if series is None:
            continue
        states = [line.state for part in parts if (line := part.line(balloon)) is not None]
        counts = "   ".join(f"{MARKS[f]} {states.count(f)} {f.value}" for f in Fate if f in states)
        run, low, high = series.chart, min(series.values), max(series.values)
        lines.append(
            BatchLine(
                balloon,
                series.title.partition("  ")[2],
                counts,
                f"mean {_of(series, run.mean)}   {_of(series, low)} … {_of(series, high)}",
                "; ".join(words_of(series)),
                tuple(series.shown(value) for value in series.values),
                None if series.limits.low is None else series.shown(series.limits.low),
                None if series.limits.high is None else series.shown(series.limits.high),
                Fate.SCRAP in states or Fate.AGAIN in states,
            )
        )
    fates = [part.outcome for part in parts]
    counts = ", ".join(f"{fates.count(fate)} {fate.value}" for fate in Fate if fate in fates)
    changed = sum(len(part.corrected) for part in parts)
    last = parts[-1]
    since = f"{clock_words(parts[0].at)} to {clock_words(last.at)}"
    about = f"{last.machine}  ·  job {last.job}  ·  {since}  ·  {changed} corrections"
    heading = f"{parts[-1].part}, {len(parts)} parts {parts[0].serial} to {parts[-1].serial}: {counts}"
    name = f"batch-{plain_name(setup.job)}"
    return write_each(folder, name, batch_page(heading, about, lines, shown_unit().word, paper))


def _of(series: Series, value: float) -> str:
    return fixed(value, 4) if series.is_angle else bare(value, 4)


def write_chart(series: Series, folder: Path, about: str) -> list[Path]:
    """The chart of a characteristic over parts as SVG and PDF. Raises InspectionError: no part; ExportError."""
    if not series.values:
        raise InspectionError("No part has a figure of this characteristic", "There is nothing to draw", "Inspect one")
    over = tuple(float(n + 1) for n in range(len(series.values)))
    run = series.chart
    shapes = tuple("x" if n in run.signals else "D" if n in series.corrected_at else "o" for n in range(len(over)))
    limits = series.limits
    levels = [(value, word) for value, word in ((limits.low, "limit"), (limits.high, "limit")) if value is not None]
    panels = [
        Panel(
            f"{series.title}, {'°' if series.is_angle else shown_unit().word}",
            over,
            tuple(series.shown(value) for value in series.values),
            series.shown(run.mean),
            series.shown(run.high - run.mean),
            shapes=shapes,
            note="; ".join(words_of(series)),
            levels=tuple((series.shown(value), word) for value, word in levels),
        )
    ]
    if run.ranges:
        ranges = tuple(series.shown(value) for value in (0.0, *run.ranges))
        panels.append(Panel("moving range", over, ranges, series.shown(run.range_limit), note="with its limit"))
    stamp = datetime.now().astimezone().strftime("%Y-%m-%d %H:%M")
    name = f"chart-{plain_name(series.part)}-{plain_name(series.balloon)}"
    return write_each(folder, name, chart(series.title, f"{about}  ·  {stamp}", "part", panels))


def plain_name(text: str) -> str:
    """Text as part of a file's name."""
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in text.lower()) or "x"


def _figure(line: CharacteristicLine, value: float) -> str:
    return f"{fixed(value, 4)}°" if line.is_angle else bare(value, 4)


def _limits(line: CharacteristicLine) -> str:
    if line.low is None:
        return f"≤ {_figure(line, line.high or 0.0)}"
    return f"{_figure(line, line.low)} … {_figure(line, line.high or 0.0)}"


def _off(line: CharacteristicLine) -> str:
    if line.deviation is None:
        return ""
    return signed_deg(line.deviation, 4) if line.is_angle else signed_bare(line.deviation, 4)
