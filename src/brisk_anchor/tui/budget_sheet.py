"""What the ± of an offset is made of, on a sheet: the sources of every axis by share, and what is not in it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from brisk_anchor.core.quantities import Dimension, num, quantity, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.sheet import Sheet
from brisk_anchor.tui.terminal import said_text
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.chain import AxisChain, Chain
    from brisk_anchor.tui.base import Stage

_BAR = 20
_WHERE = """lobing and scatter: [probe] in machine.toml; scale and squareness: at its head
form: form_tolerance of the feature; how the part lies, [temperature]: job.toml"""


class BudgetSheet(Sheet):
    """The budget of one offset."""

    def __init__(self, chain: Chain) -> None:
        super().__init__()
        self.chain = chain

    def compose(self) -> ComposeResult:
        """One block for each axis, then what is not included."""
        with VerticalScroll():
            yield Static(said_text(self.app, budget_text(self.chain)))


def show_budget(stage: Stage, chain: Chain | None, row: str) -> None:
    """Open the budget of an offset, or say that there is none."""
    if chain is None or not chain.axes:
        stage.tell(f"Nothing of {row} is measured yet.", "Its ± comes with its figures.", "ask")
    else:
        stage.open_sheet(BudgetSheet(chain))


def budget_text(chain: Chain) -> Text:
    """The sources of each axis: ± of each alone, and its share of the whole."""
    text = Text(f"What the ± of {chain.row} is made of\n", f"bold {theme.SAND}")
    text.append("95 % of the time the true value lies within it, where what is stated holds\n", theme.QUIET)
    for axis in chain.axes:
        _axis(text, axis)
    for note in chain.notes:
        text.append("\n ! ", theme.CORAL)
        text.append(note, theme.TEXT)
    if chain.without:
        text.append("\nnot included\n", f"bold {theme.TEXT}")
        for words in dict.fromkeys(chain.without):
            text.append(f" ○ {words}\n", theme.QUIET)
        text.append(f"\n{_WHERE}\n", theme.QUIET)
    text.append("\nany key leaves", theme.QUIET)
    return text


def _axis(text: Text, axis: AxisChain) -> None:
    from brisk_anchor.core.uncertainty.budget_lines import words_of_k

    turn = axis.axis == "r"
    text.append(f"\n {axis.axis.upper()}  ", f"bold {theme.TEXT}")
    text.append(quantity(axis.value, Dimension.ANGLE if turn else Dimension.LENGTH, 4, signed=True), theme.TEXT)
    if not axis.stated:
        text.append("  ± not known\n", theme.CORAL)
        return
    text.append(f"  ±{_small(axis.expanded, turn=turn)}", f"bold {theme.LIVE}")
    text.append(f"   {words_of_k(axis.estimate)}", theme.SAND)
    text.append("\n")
    for line in axis.budget:
        text.append(f"    {cut(line.label, 34):<36}", theme.QUIET)
        text.append(f"{'±' + _small(2 * line.u, turn=turn):>12}", theme.TEXT)
        text.append(f"{num(100 * line.share, 0):>6} %  ", theme.TEXT)
        text.append("▮" * round(_BAR * line.share), theme.LIVE)
        text.append("\n")
    if not axis.budget:
        text.append("    nothing: it is kept, or taken as it is\n", theme.QUIET)


def _small(value: float, *, turn: bool) -> str:
    return quantity(value, Dimension.ANGLE, 5) if turn else um(value)
