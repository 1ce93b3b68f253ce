"""The batches of a journal: listed, searched, and each at a glance without its design being read."""

from __future__ import annotations

from msgspec import Struct

from fusilex.bench.common.route import Laid
from fusilex.bench.common.standing import OPEN, WORDS, BatchRenamed, BatchStands, title
from fusilex.bench.rooms import batch_state
from fusilex.bench.route import CLASSIC
from fusilex.core.route.steps import DONE
from fusilex.journal.folding import fold
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotRead

SEARCHED = ("batch_opened", "batch_renamed", "bin_filled", "stock_noted")
"""Kinds of events that name a batch, its boards, or its lots."""


class Listed(Struct, frozen=True):
    """A batch in the list: its name, when it was opened, how it stands."""

    id: int
    name: str
    opened_at: str
    status: str

    @property
    def words(self) -> str:
        return WORDS.get(self.status, "")


class Glance(Struct, frozen=True):
    """What a batch looks like from afar: boards in all, and (step, boards there) along its route; the digest of its
    design's files.
    """

    title: str
    boards: int
    done: int
    counts: tuple[tuple[str, int], ...]
    files: str


def listed(journal: Journal, text: str = "") -> list[Listed]:
    """Batches, newest first, those put away last; with a text only those that have it in name, serials, lots or
    state.
    """
    names = {row: body.get("name", "") for row, body in journal.latest(BatchRenamed.kind).items()}
    status = {row: body.get("status", OPEN) for row, body in journal.latest(BatchStands.kind).items()}
    rows = [
        Listed(row.id, names.get(row.id) or row.name, row.opened_at, status.get(row.id, OPEN))
        for row in journal.batches()
    ]
    wanted = text.strip().lower()
    if wanted:
        inside = journal.search(wanted, SEARCHED)
        rows = [r for r in rows if r.id in inside or wanted in r.name.lower() or wanted in (r.words or OPEN)]
    return sorted(rows, key=lambda r: (r.status == "archived", -r.id))


def glance(journal: Journal, batch: int) -> Glance:
    """Where the boards of a batch are. Raises `BadInput` for one that cannot be read."""
    state = fold(journal.since(batch), batch_state)
    if not state.opened:
        raise NotRead(journal.name, f"the first entry of batch {batch}", "it is missing")
    steps = state[Laid].steps or CLASSIC
    boards = [b for b in state.boards.values() if not b.scrapped]
    counts = tuple((steps.label(s.id), sum(b.step == s.id for b in boards)) for s in steps)
    done = sum(b.step == DONE for b in boards)
    return Glance(title(state), len(boards), done, counts, str(state.opened.get("files", "")))
