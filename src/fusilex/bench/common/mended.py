"""What a record lost before it was mended: it is never forgotten, and no board leaves on it without a reason."""

from __future__ import annotations

from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.journal.entries import Entry, Event


class Mended(Struct):
    """Losses of a stream: when it was mended, how many entries were left out, and the first of them in words."""

    losses: list[tuple[str, int, str]] = field(default_factory=list)


class RecordMended(Event, frozen=True):
    """The journal was damaged: entries that could not be read, or did not fit, were left out."""

    kind: ClassVar[str] = "record_mended"
    undoable: ClassVar[bool] = False
    lost: int
    said: str = ""

    def apply(self, state: Any, entry: Entry) -> None:
        state[Mended].losses.append((entry.at, self.lost, self.said))


EVENTS = (RecordMended,)


def judge_losses(losses: list[tuple[str, int, str]]) -> list[Judgement]:
    """Can the record be trusted to be whole?"""
    if not losses:
        return []
    lost = sum(count for _, count, _ in losses)
    text = say("entries lost", lost=lost)
    because = tuple(Quantity(at[:10], said or f"{count} left out") for at, count, said in losses)
    return [Judgement("release.mended", Level.STOP, "record", text, because, say("inspect as first article"))]


def judge_stock_losses(losses: list[tuple[str, int, str]]) -> list[Judgement]:
    """Can the counts of the stock be trusted?"""
    if not losses:
        return []
    because = tuple(Quantity(at[:10], said) for at, _, said in losses)
    text, missing = say("entries lost"), ("entries of the stock's record",)
    return [Judgement("kit.mended", Level.UNKNOWN, "stock", text, because, say("count lots"), (), missing)]
