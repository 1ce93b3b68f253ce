"""Pieces placed and lost in this workshop, by package."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.core.kit.losses import Logged
from fusilex.journal.entries import Entry, Event


class Losses(Struct):
    """Pieces by package, as `loss_key` names it."""

    placed: dict[str, int] = field(default_factory=dict)
    lost: dict[str, int] = field(default_factory=dict)

    @property
    def logged(self) -> dict[str, Logged]:
        return {k: Logged(self.placed.get(k, 0), self.lost.get(k, 0)) for k in {*self.placed, *self.lost}}


class PiecesPlaced(Event, frozen=True):
    """Pieces went onto boards, or came off again."""

    kind: ClassVar[str] = "pieces_placed"
    older: ClassVar[dict[str, str]] = {"bodies": "packages"}
    packages: dict[str, int]

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        placed = state[Losses].placed
        for key, count in self.packages.items():
            placed[key] = placed.get(key, 0) + count


class PieceLost(Event, frozen=True):
    """A piece was lost."""

    kind: ClassVar[str] = "piece_lost"
    older: ClassVar[dict[str, str]] = {"body": "package"}
    package: str

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        lost = state[Losses].lost
        lost[self.package] = lost.get(self.package, 0) + 1


EVENTS = (PiecesPlaced, PieceLost)
SLICES = (Losses,)
