"""A plan as a file: what to measure in which order, and which offset it sets. TOML, to be read and compared."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from brisk_anchor.core.errors import PlanFileError
from brisk_anchor.exchange.toml_files import MILLIMETRES, finding_at, in_millimetres, parse, read_text
from brisk_anchor.standin.row_file import ROW
from brisk_anchor.standin.solid_file import Section

_NO_LENGTHS = frozenset(("units", "form", "name", "offset", "order", "feature", "enabled", "repeats", "comment"))
Figure = Annotated[float, Field(gt=0, le=1000)]


class MeasureSection(Section):
    """One measurement of a drawn feature. A figure that is left out is proposed from the drawing."""

    feature: Annotated[str, Field(max_length=24)]
    enabled: bool = True
    depth: Figure | None = None
    search: Figure | None = None
    spread: Figure | None = None
    second_depth: Figure | None = None
    repeats: int | None = Field(default=None, ge=1, le=9)
    comment: Annotated[str, Field(max_length=120)] = ""

    @property
    def figures(self) -> dict[str, float]:
        """The figures that are stated, by field; lengths mm."""
        found = {name: getattr(self, name) for name in ("depth", "search", "spread", "second_depth", "repeats")}
        return {name: float(value) for name, value in found.items() if value is not None}


class PlanFile(Section):
    """A list of measurements; `offset` is the row they set, where they set one."""

    form: Literal["brisk-anchor-plan-1"]
    units: Literal["mm", "inch"]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    offset: Annotated[str, Field(pattern=ROW)] | None = None
    order: Literal["as listed", "shortest"] = "as listed"
    measure: list[MeasureSection] = Field(min_length=1, max_length=200)


def load_plan(path: Path) -> PlanFile:
    """Read a plan. Raises PlanFileError: with every fault, its line and its field. JobError: it is no TOML."""
    text = read_text(path)
    data = parse(text, path.name)
    try:
        return PlanFile.model_validate(in_millimetres(data, MILLIMETRES[data["units"]], _NO_LENGTHS))
    except ValidationError as error:
        found = (
            finding_at(path.name, text, item["loc"], item["msg"].removeprefix("Value error, "))
            for item in error.errors(include_url=False)
        )
        raise PlanFileError(path.name, tuple(found)) from None


def plan_text(name: str, offset: str | None, features: list[str]) -> str:
    """A plan that measures some features as the drawing proposes, as the text of a file."""
    head = ['form = "brisk-anchor-plan-1"', 'units = "mm"', f'name = "{name}"']
    head += [f'offset = "{offset}"'] if offset else []
    head += ['order = "as listed"             # or "shortest": the way over the part is made as short as it can be']
    return "\n".join([*head, *(f'\n[[measure]]\nfeature = "{feature}"' for feature in features), ""])
