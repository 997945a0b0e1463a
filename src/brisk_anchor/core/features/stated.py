"""What is stated of a measurement beside its touches: what they cannot tell, and within which limits it lies."""

from __future__ import annotations

from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class Stated:
    """Limits of what touches cannot tell.

    `measurement` is which one it is: the errors of its touches are its own. `clamping` is how the part lies clamped,
    and `turn`, degrees each way, how far it may lie turned there; everything touched in one clamping is turned alike.
    `aim`, mm each way, is how far the tip may stand from the drawn middle of what is touched. `form` is the form
    tolerance of the drawing, the width of its zone in mm; None where nobody said it. With `half_turn` every place was
    touched twice, the spindle turned half round between. `scale` is the standard uncertainty of the machine's lengths,
    mm by mm; None where nobody said it. `growth` is that of what temperature does to a length, mm by mm.
    """

    measurement: str = ""
    clamping: str = ""
    turn: float = 0.0
    aim: float = 0.0
    form: float | None = None
    half_turn: bool = False
    scale: float | None = None
    growth: float | None = None


NOTHING = Stated()
