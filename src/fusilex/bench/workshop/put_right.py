"""What was put right for a line on the machine, for good: turned and shifted parts, with who found it and where."""

from __future__ import annotations

from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.state import WorkshopState
from fusilex.journal.entries import Entry, Event


class Right(Struct, frozen=True):
    """How a line is put right: turned (degrees) and shifted (mm, as the part lies unturned), and where that comes
    from.
    """

    turn: float = 0.0
    dx: float = 0.0
    dy: float = 0.0
    source: str = ""


class PutRight(Struct):
    """By line."""

    lines: dict[str, Right] = field(default_factory=dict)

    @property
    def turns(self) -> dict[str, float]:
        return {line: right.turn for line, right in self.lines.items() if right.turn}

    @property
    def shifts(self) -> dict[str, tuple[float, float]]:
        return {line: (r.dx, r.dy) for line, r in self.lines.items() if r.dx or r.dy}


class LinePutRight(Event, frozen=True):
    """A line's parts lie otherwise than thought: turned by degrees more, shifted by mm more."""

    kind: ClassVar[str] = "line_put_right"
    line: str
    turn: float = 0.0
    dx: float = 0.0
    dy: float = 0.0
    source: str = ""

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        lines = state[PutRight].lines
        old = lines.get(self.line, Right())
        turn = (old.turn + self.turn) % 360
        lines[self.line] = Right(turn, old.dx + self.dx, old.dy + self.dy, self.source or old.source)


EVENTS = (LinePutRight,)
SLICES = (PutRight,)
