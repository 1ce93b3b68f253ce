"""Verbs that look into the journal: papers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fusilex.bench.bench import Bench
from fusilex.bench.papers import board_record, page_html, page_text
from fusilex.bench.rooms import batch_state, open_journal
from fusilex.bench.stream import as_far_as
from fusilex.bench.verbs.answer import Answer
from fusilex.core.problems import BadInput
from fusilex.journal.folding import fold


@dataclass(frozen=True)
class Papers:
    """A board's record as an answer, and its papers as a page."""

    answer: Answer
    page: str


def papers(serial: str, journals: Sequence[str]) -> Papers:
    """A board's record, from the first journal that knows its serial."""
    bench = find_board(serial, journals)
    if bench is None:
        raise BadInput("papers", "the serial of a board on record", f"“{serial}”")
    batch = bench.batch.about(serial)
    record = board_record(batch, serial)
    answer = Answer(bench.road.judgements(batch, "Release"), record, page_text(record))
    return Papers(answer, page_html(batch, serial))


def find_board(serial: str, journals: Sequence[str]) -> Bench | None:
    """An open bench of the newest batch that has this board, as far as it can be read, or None."""
    for url in journals:
        journal = open_journal(url, make=False)
        for row in reversed(journal.batches()):
            entries, _ = as_far_as(journal, row.id, batch_state)
            if serial in fold(entries, batch_state).boards:
                return Bench(journal, row.id, as_far=True)
    return None
