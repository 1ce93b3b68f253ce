"""Pictures of boards: kept with the board, with what they suggested; those of good boards teach what varies."""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.faults import to_repair
from fusilex.bench.refusal import Refused
from fusilex.bench.state import BatchState
from fusilex.core.photo.compare import SAME, THERE, UNSEEN
from fusilex.formats.pictures import MOST_BYTES
from fusilex.journal.entries import Entry, Event
from fusilex.journal.pen import digest

QUIET = (SAME, THERE, UNSEEN)
"""Verdicts that suggest nothing."""
MOST_GOOD = 6
"""Pictures of good boards that a new one is held against, the latest."""
Said = tuple[str, str, float]
"""A part, what was suggested of it, and how like the good one it is."""


class Kept(Struct, frozen=True):
    """A picture of a board's side: its file by digest and name, what it suggested, whether it shows a good board."""

    at: str
    board: str
    side: str
    name: str
    sha: str
    said: tuple[Said, ...] = ()
    good: bool = False


class Pictures(Struct):
    """Pictures of the batch, in order."""

    kept: list[Kept] = field(default_factory=list)

    def good(self, side: str) -> list[Kept]:
        """Pictures that show a side of a good board, the latest first."""
        return [one for one in reversed(self.kept) if one.good and one.side == side][:MOST_GOOD]

    def of(self, board: str) -> list[Kept]:
        return [one for one in self.kept if one.board == board]


def doubts(batch: Batch, board: Board) -> list[tuple[str, str]]:
    """Parts that the latest picture of each side of a board shows otherwise than good boards have them."""
    latest = {one.side: one for one in batch.state[Pictures].of(board.serial) if not one.good}
    seen = [(ref, word) for one in latest.values() for ref, word, _ in one.said if word not in QUIET]
    return [(ref, f"looks {word} on its picture") for ref, word in seen]


class PictureKept(Event, frozen=True):
    """A picture of a board was looked at, and is kept."""

    kind: ClassVar[str] = "picture_kept"
    about: ClassVar[str] = "board"
    board: str
    side: str
    name: str
    sha: str
    said: list[Said] = []

    def apply(self, state: BatchState, entry: Entry) -> None:
        said = tuple((ref, verdict, score) for ref, verdict, score in self.said)
        state[Pictures].kept.append(Kept(entry.at, self.board, self.side, self.name, self.sha, said))
        state.boards[self.board].pictures += 1

    @property
    def words(self) -> str:
        return f"a picture of {self.board}"


class PictureTaught(Event, frozen=True):
    """A picture shows a good board, or does not."""

    kind: ClassVar[str] = "picture_taught"
    about: ClassVar[str] = "board"
    board: str
    sha: str
    good: bool

    def apply(self, state: BatchState, entry: Entry) -> None:
        kept = state[Pictures].kept
        kept[:] = [
            replace(one, good=self.good) if (one.sha, one.board) == (self.sha, self.board) else one for one in kept
        ]

    @property
    def words(self) -> str:
        return f"what the picture of {self.board} teaches"


class KeepPicture(Command, frozen=True):
    """A picture file goes on record with what it suggested, as [part, verdict, score]."""

    board: str
    side: str
    name: str
    data: bytes
    said: list[Any] = []

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if self.side not in ("top", "bottom"):
            raise Refused("A picture shows the top or the bottom of a board.")
        if not self.data or len(self.data) > MOST_BYTES:
            raise Refused(f"A picture has up to {MOST_BYTES // 2**20} MB.")
        try:
            said = msgspec.convert(self.said, list[Said])
        except msgspec.ValidationError as problem:
            raise Refused(f"That is nothing a picture suggests: {problem}.") from None
        name = self.name.strip()[:120] or "picture"
        kept = PictureKept(board.serial, self.side, name, digest(self.data), said)
        return Result([kept], files={name: self.data})


class TeachPicture(Command, frozen=True):
    """A kept picture shows a good board, whose parts all are as they should be; or it does not after all."""

    board: str
    sha: str
    good: bool

    def decide(self, batch: Batch) -> Result:
        board = batch.board_at(self.board)
        if not any(one.sha == self.sha for one in batch.state[Pictures].of(board.serial)):
            raise Refused(f"No such picture of board {board.serial} is kept.")
        if self.good and (faults := to_repair(batch, board)):
            raise Refused(f"{faults[0].place} of {board.serial} is open: that is no good board.")
        return Result([PictureTaught(board.serial, self.sha, self.good)])


def papers(batch: Batch, board: Board) -> list[dict[str, Any]]:
    """Pictures of a board, with what each suggested."""
    return [
        {
            "at": one.at,
            "side": one.side,
            "name": one.name,
            "sha256": one.sha,
            "good": one.good,
            "suggested": [{"ref": ref, "verdict": verdict, "score": score} for ref, verdict, score in one.said],
        }
        for one in batch.state[Pictures].of(board.serial)
    ]


COMMANDS = (KeepPicture, TeachPicture)
EVENTS = (PictureKept, PictureTaught)
SLICES = (Pictures,)
