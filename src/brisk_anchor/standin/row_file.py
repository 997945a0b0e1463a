"""The offsets of a job in its files: a rule for each axis, and for the angle. Explained in docs/formats.md."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from brisk_anchor.standin.solid_file import Coordinate, FileSection

ROW = r"^G5[4-9](\.[1-3])?( P[0-9]{1,3})?$"
"""Names of rows: standard, additional and extended ones."""


class RuleSection(FileSection):
    """The rule for one axis: a feature and its place on the drawing, a fixed value, a rotary axis's `centre`, or keep.

    Or it follows a `parent`, carried by a `table` that turns.
    """

    feature: str | None = None
    other: str | None = None
    drawing: Coordinate = 0.0
    allowance: float = Field(default=0.0, ge=-50, le=50)
    fixed: Coordinate | None = None
    keep: bool = False
    centre: Literal["A", "B", "C"] | None = None
    parent: Annotated[str, Field(pattern=ROW)] | None = None
    shift: Coordinate = 0.0
    placed: list[tuple[Annotated[str, Field(max_length=120)], Annotated[float, Field(ge=-1_000, le=1_000)]]] = []
    table: Literal["A", "B", "C"] | None = None
    angle: Annotated[float, Field(ge=-360, le=360)] = 0.0
    fit: Annotated[list[str], Field(min_length=1, max_length=20)] | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        given = [self.feature, self.fixed, self.parent, self.centre]
        if sum(item is not None for item in given) + self.keep != 1:
            raise ValueError("give exactly one of feature, fixed, centre, parent and keep")
        if (self.shift or self.placed) and self.parent is None:
            raise ValueError("shift goes with a parent")
        if self.table is not None and self.parent is None:
            raise ValueError("table goes with a parent")
        if self.angle and self.table is None:
            raise ValueError("angle says how far a table turns: name the table")
        if self.other is not None and (self.feature is None or self.other == self.feature):
            raise ValueError("other needs a feature, and is another one")
        if self.fit is not None and (self.feature is None or self.other is not None or self.allowance):
            raise ValueError("fit names the features beside feature; it goes with no other and no allowance")
        if self.fit is not None and len({self.feature, *self.fit}) != len(self.fit) + 1:
            raise ValueError("fit names a feature twice")
        return self


class TurnRuleSection(FileSection):
    """What the angle of an offset comes from: an edge, the line from a feature to another, its fit, or a figure.

    `heading` is the one it has in the program's axes; as the set-up describes it where it is left out.
    """

    feature: str | None = None
    other: str | None = None
    heading: Annotated[float, Field(ge=-360, le=360)] | None = None
    fit: bool = False
    table: Literal["A", "B", "C"] | None = None
    angle: Annotated[float, Field(ge=-360, le=360)] | None = None
    parent: Annotated[str, Field(pattern=ROW)] | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.feature is not None) + self.fit + (self.angle is not None) + (self.parent is not None) != 1:
            raise ValueError("give exactly one of feature, fit, angle and parent")
        if (self.other is not None or self.heading is not None) and self.feature is None:
            raise ValueError("other and heading go with a feature")
        if self.table is not None and self.feature is None and not self.fit:
            raise ValueError("a table turns by a measured angle: table goes with feature or fit")
        return self


class RowSection(FileSection):
    """One offset the job needs."""

    row: Annotated[str, Field(pattern=ROW)]
    title: Annotated[str, Field(max_length=60)]
    jump_limit: float = Field(gt=0, le=1000)
    x: RuleSection
    y: RuleSection
    z: RuleSection
    r: TurnRuleSection | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        fits = [rule for rule in (self.x, self.y) if rule.fit is not None]
        names = {(rule.feature, *(rule.fit or ())) for rule in fits}
        if len(fits) == 1 or len(names) > 1 or self.z.fit is not None:
            raise ValueError("a fit gives X and Y both: the same features in both, and none in Z")
        level = (self.x, self.y)
        tables = {(rule.table, rule.angle, rule.parent) for rule in (self.x, self.y, self.z)}
        if len(tables) > 1 and any(table for table, *_ in tables):
            raise ValueError("a row that a table carries round takes X, Y and Z from the same row at the same angle")
        if self.r is not None and self.r.parent is None and any(rule.feature is None for rule in level):
            raise ValueError("a row that is turned takes X and Y from features")
        if self.r is not None and self.r.fit and not fits:
            raise ValueError("r takes the angle of the fit of X and Y, and they have none")
        return self
