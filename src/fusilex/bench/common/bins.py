"""The batch's bins: filled at Kit, emptied at Place, Hand and Rework."""

from __future__ import annotations

from msgspec import Struct, field


class Filled(Struct, frozen=True):
    """What a bin was counted to hold: pieces, of which lot, when, and how many had come out of it before."""

    count: int
    lot: str
    at: str
    before: int = 0


class Bins(Struct):
    """Bins by their line, all their fillings in order, pieces that were dropped or replaced, and how the batch goes.

    `without` are the parts the batch started without, `order` is the order of placing, `skipped_side` is not kitted
    now.
    """

    filled: dict[str, Filled] = field(default_factory=dict)
    fillings: dict[str, list[Filled]] = field(default_factory=dict)
    dropped: dict[str, int] = field(default_factory=dict)
    replaced: dict[str, int] = field(default_factory=dict)
    without: list[str] = field(default_factory=list)
    order: str = "kind"
    skipped_side: str = ""

    def lot_at(self, line: str, at: str) -> str:
        """The lot that a line's bin held at a time (ISO), '' where nobody said."""
        held = [filled for filled in self.fillings.get(line, ()) if filled.at <= at]
        return held[-1].lot if held else ""
