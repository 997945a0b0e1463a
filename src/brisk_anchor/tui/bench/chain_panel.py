"""The chain: touches → feature → datum → work offset → proof, with the person's own figures in the arithmetic."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rich.text import Text

from brisk_anchor.core.numbers import format_length
from brisk_anchor.tui import theme
from brisk_anchor.tui.rule import LatePanel

if TYPE_CHECKING:
    from brisk_anchor.core.offsets import Chain
    from brisk_anchor.core.proof import Agreement, Proof

WIDTH = 50


def chain_text(
    chain: Chain | None,
    missing: Sequence[str],
    proof: Proof | None,
    agreements: Sequence[Agreement],
    room: int = 99,
) -> Text:
    """The chain as lines of arithmetic; `missing` names what is still to be measured.

    Where there are fewer lines than `room`, only what each axis comes to is shown, and where the rest stands.
    """
    text = Text(no_wrap=True)
    whole = sum(len(axis.terms) for axis in chain.axes) if chain else 0
    short = whole + len(missing) + bool(agreements) + bool(proof) > room
    if chain is not None:
        if short:
            text.append(" the arithmetic stands in the book (2)\n", theme.QUIET)
        for axis in chain.axes:
            for number, term in enumerate(axis.terms):
                last = number == len(axis.terms) - 1
                if short and not last:
                    continue
                head = axis.axis.upper() if number == 0 and not last else term.sign
                spread = "" if term.u is None else f"±{2 * term.u:.4f}"
                label = term.label if len(term.label) <= 24 else term.label[:23] + "…"
                style = f"bold {theme.LIVE}" if last else theme.TEXT
                text.append(f" {head:<2}", f"bold {theme.QUIET}")
                text.append(f"{label:<25}", style if last else theme.QUIET)
                text.append(f"{format_length(term.value, decimals=4, signed=last):>12}", style)
                text.append(f" {spread:<8}\n", theme.QUIET)
    for name in missing:
        text.append(" ○ ", theme.QUIET)
        text.append(f"{name} is not measured\n", theme.QUIET)
    if agreements:
        worst = max(abs(agreement.difference) for agreement in agreements)
        good = worst <= 0.001
        text.append(" ✓ " if good else " ! ", theme.LIVE if good else theme.CORAL)
        text.append(f"control's own arithmetic within {worst * 1000:.2f} µm\n", theme.QUIET)
    if proof is not None:
        text.append(" ● " if proof.holds else " ! ", theme.LIVE if proof.holds else theme.CORAL)
        words = "proved" if proof.holds else "not proved"
        text.append(
            f"{words} by O{proof.program:04d}: {proof.worst * 1000:.2f} µm off, {proof.allowed * 1000:.2f} allowed\n",
            theme.QUIET,
        )
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
    ) -> None:
        """Show the chain as far as it goes."""
        key = (chain, tuple(missing), proof, tuple(agreements))
        self.tell_late(key, lambda _width, height: chain_text(chain, missing, proof, agreements, height))
