"""What a record lost before it was mended: it is never forgotten, and no board leaves on it without a reason."""

from __future__ import annotations

from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.core.judgement import Because, Judgement, Level, Rule
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

RULE = Rule(
    "A board leaves on a record that lost nothing: what is missing may be a fault, a wiped print or a reading.",
    "The batch's record",
)


def judge_losses(losses: list[tuple[str, int, str]]) -> list[Judgement]:
    """Can the record be trusted to be whole?"""
    if not losses:
        return []
    lost = sum(count for _, count, _ in losses)
    text = f"The record lost {lost} entr{'ies' if lost > 1 else 'y'} or more when the journal was damaged"
    because = tuple(Because(at[:10], said or f"{count} left out") for at, count, said in losses)
    do = "Look the board over as a first article, compare it with its neighbours, then overrule with what you saw."
    return [Judgement("release.mended", Level.STOP, "record", text, because, do)]


STOCK_RULE = Rule(
    "Counts of stock are those on record; what a mended record lost may have been a count or a lot.",
    "The workshop's record",
)


def judge_stock_losses(losses: list[tuple[str, int, str]]) -> list[Judgement]:
    """Can the counts of the stock be trusted?"""
    if not losses:
        return []
    because = tuple(Because(at[:10], said) for at, _, said in losses)
    text = "The stock's record lost entries when the journal was damaged"
    return [Judgement("kit.mended", Level.UNKNOWN, "stock", text, because, "Count the lots before you go by them.")]
