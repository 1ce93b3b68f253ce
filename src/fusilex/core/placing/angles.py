"""How far a machine turns a part between its pocket and its pads."""

from __future__ import annotations

from msgspec import Struct

from fusilex.core.placing.points import angle_as_seen


class Turns(Struct, frozen=True):
    """What a machine angle is made of, degrees: the placement list's, the footprint's zero against the body's, how the
    part lies in its tape, how the tape lies in its slot, the cell's, the taught board's, and what was put right for
    this line.
    """

    listed: float
    footprint: float = 0.0
    tape: float = 0.0
    slot: float = 0.0
    cell: float = 0.0
    taught: float = 0.0
    fixed: float = 0.0
    side: str = "top"

    @property
    def on_board(self) -> float:
        """The body's angle on the bed with this side up, [0, 360)."""
        return (angle_as_seen(self.listed + self.footprint, self.cell, self.side) + self.taught) % 360

    @property
    def machine(self) -> float:
        """How far the head turns, [0, 360): the body's angle less how it lies in the slot.

        >>> Turns(listed=90, tape=90, cell=90).machine, Turns(listed=90, tape=90, cell=90, side="bottom").machine
        (90.0, 270.0)
        """
        return float((self.on_board - self.tape - self.slot + self.fixed) % 360)
