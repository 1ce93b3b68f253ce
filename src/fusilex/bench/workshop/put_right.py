"""What was put right for a line on the machine, for good: turned and shifted parts, with who found it and where."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from msgspec import Struct, field

from fusilex.bench.common.bins import older_name
from fusilex.bench.state import WorkshopState
from fusilex.core.kit.quantities import PullLine
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
    """By what a line's parts are: value, body and part number; in older journals by value and body alone where no line
    beside it shared these, which may be any part number: the dry run looks at every line.
    """

    articles: dict[str, Right] = field(default_factory=dict)

    def of(self, line: PullLine) -> Right:
        """How a line's parts are put right in every batch."""
        known = (line.article, older_name(line), f"{line.value} | {line.package.code}")
        return next((self.articles[name] for name in known if name in self.articles), Right())

    def turns(self, lines: Iterable[PullLine]) -> dict[str, float]:
        """Degrees by bin, of those that are turned."""
        return {line.key: right.turn for line in lines if (right := self.of(line)).turn}

    def shifts(self, lines: Iterable[PullLine]) -> dict[str, tuple[float, float]]:
        """mm by bin, of those that are shifted."""
        return {line.key: (right.dx, right.dy) for line in lines if (right := self.of(line)).dx or right.dy}


class LinePutRight(Event, frozen=True):
    """A line's parts lie otherwise than thought: turned by degrees more, shifted by mm more. `line` says what they
    are.
    """

    kind: ClassVar[str] = "line_put_right"
    line: str
    turn: float = 0.0
    dx: float = 0.0
    dy: float = 0.0
    source: str = ""

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        articles = state[PutRight].articles
        old = articles.get(self.line, Right())
        turn = (old.turn + self.turn) % 360
        articles[self.line] = Right(turn, old.dx + self.dx, old.dy + self.dy, self.source or old.source)


EVENTS = (LinePutRight,)
SLICES = (PutRight,)
