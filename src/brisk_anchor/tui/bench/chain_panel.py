"""The chain: touches → feature → datum → work offset → proof, with the person's own figures in the arithmetic."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.numbers import counted
from brisk_anchor.core.quantities import along, expanded, num, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.words import cut

if TYPE_CHECKING:
    from brisk_anchor.core.offsets.chain import AxisChain, Chain
    from brisk_anchor.core.offsets.proof import Agreement, Proof

WIDTH = 50


def links(chain: Chain | None, missing: Sequence[str], proof: Proof | None, *, settled: bool) -> Text:
    """The five links of the chain on one line, filled as far as it goes; `settled`: the offset is stored."""
    touches = sum(len(feature.touches) for feature in chain.features) if chain else 0
    measured = bool(chain and chain.features)
    done = (measured, measured, chain is not None and not missing, settled, proof is not None and proof.holds)
    names = (counted(touches, "touch", "touches") if touches else "touches", "features", "datum", "offset", "proof")
    text = Text(" ", no_wrap=True)
    for number, (name, reached) in enumerate(zip(names, done, strict=True)):
        if number:
            text.append("━" if reached else "─", theme.LIVE if reached else theme.FAINT)
        text.append("● " if reached else "○ ", theme.LIVE if reached else theme.FAINT)
        text.append(f"{name} ", theme.TEXT if reached else theme.QUIET)
    text.append("\n")
    return text


def axis_lines(text: Text, axis: AxisChain, *, short: bool = False) -> None:
    """Add the arithmetic of one axis, a term a line; `short` only what it comes to."""
    for number, term in enumerate(axis.terms):
        last = number == len(axis.terms) - 1
        if short and not last:
            continue
        head = axis.axis.upper() if number == 0 and not last else term.sign
        spread = "" if term.u is None else f"{expanded(term.u, k=term.k, axis=axis.axis)}"
        few = f" k {num(term.k, 1)}" if last and abs(term.k - 2) > 0.05 else ""
        label = f"{cut(term.label, 24 - len(few))}{few}"
        style = f"bold {theme.LIVE}" if last else theme.TEXT
        text.append(f" {head:<2}", f"bold {theme.QUIET}")
        text.append(f"{label:<25}", style if last else theme.QUIET)
        text.append(f"{along(axis.axis, term.value, signed=last, bare=True):>12}", style)
        text.append(f" {spread:<8}\n", theme.QUIET)


def chain_text(
    chain: Chain | None,
    missing: Sequence[str],
    proof: Proof | None,
    agreements: Sequence[Agreement],
    room: int = 99,
    *,
    settled: bool = False,
) -> Text:
    """The chain as lines of arithmetic; `missing` names what is still to be measured.

    Where there are fewer lines than `room`, only what each axis comes to is shown, and where the rest stands.
    """
    text = links(chain, missing, proof, settled=settled)
    whole = 1 + (sum(len(axis.terms) for axis in chain.axes) + len(chain.notes) if chain else 0)
    short = whole + len(missing) + bool(agreements or proof) > room
    if chain is not None:
        if short:
            text.append(" the arithmetic stands in the book (⟨2⟩)\n", theme.QUIET)
        for axis in chain.axes:
            axis_lines(text, axis, short=short)
    if chain is not None:
        for note in chain.notes:
            text.append(" ! ", theme.CORAL)
            text.append(f"{cut(note, 44)}\n", theme.SAND)
    for name in missing:
        text.append(" ○ ", theme.QUIET)
        text.append(f"{name} is not measured\n", theme.QUIET)
    if agreements:
        good = all(agreement.holds for agreement in agreements)
        worst = max((abs(a.difference) for a in agreements if not a.is_angle), default=0.0)
        text.append(" ✓ " if good else " ! ", theme.LIVE if good else theme.CORAL)
        text.append(f"control {'agrees to' if good else 'differs by'} {um(worst)}", theme.QUIET)
    if chain is not None and chain.without and not short:
        count = len(set(chain.without))
        told = f"⟨B⟩: what the ± holds; {count} thing{'s are' if count > 1 else ' is'} not in it"
        text.append(f"{chr(10) if agreements else ''}   {told}{'' if proof is None else chr(10)}", theme.QUIET)
    if proof is not None:
        text.append(" ● " if proof.holds else " ! ", theme.LIVE if proof.holds else theme.CORAL)
        words = "proof" if proof.holds else "no proof:"
        text.append(f"{words} {um(proof.worst)} of {um(proof.allowed)}", theme.QUIET)
    return text


class ChainPanel(LatePanel):
    """The chain of the chosen offset."""

    DEFAULT_CSS = "ChainPanel { height: 1fr; }"

    def tell(
        self,
        chain: Chain | None,
        missing: Sequence[str],
        proof: Proof | None,
        agreements: Sequence[Agreement],
        *,
        settled: bool,
    ) -> None:
        """Show the chain as far as it goes."""
        key = (chain, tuple(missing), proof, tuple(agreements), settled)
        self.tell_late(
            key, lambda _width, height: chain_text(chain, missing, proof, agreements, height, settled=settled)
        )
