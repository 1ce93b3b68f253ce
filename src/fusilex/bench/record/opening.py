"""Which batch of a journal to begin with: one that is damaged locks nobody out of the others."""

from __future__ import annotations

from fusilex.bench.record.bench import Bench
from fusilex.bench.record.demos import open_demo
from fusilex.bench.rooms import open_journal
from fusilex.core.problems import BadInput
from fusilex.journal.store import Journal


def newest_readable(home: Journal, demo_url: str) -> tuple[Bench, str]:
    """The newest batch that is whole, and what is wrong with those after it; where none is, the newest as far as it
    can be read; the demo's where there is none at all. Raises `NotSaved`, `BadInput`.
    """
    rows, unread = list(reversed(home.batches())), ""
    for row in rows:
        try:
            return Bench(home, row.id), unread
        except BadInput as problem:
            unread = unread or f"{row.name} cannot be opened. {problem}"
    for row in rows:
        try:
            return opened(home, row.id)
        except BadInput:
            continue
    return open_demo(open_journal(demo_url)), unread


def opened(journal: Journal, batch: int) -> tuple[Bench, str]:
    """A batch, as far as it can be read, and what to say of it where that is not all. Raises `BadInput`."""
    try:
        return Bench(journal, batch), ""
    except BadInput:
        bench = Bench(journal, batch, as_far=True)
    said = (
        f"This batch is damaged: {bench.damage} It is shown as it was before that. Papers and zip can be written,"
        " nothing can be recorded. Menu, Journal, mends it or goes back to a backup."
    )
    return bench, said
