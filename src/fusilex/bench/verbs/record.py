"""Verbs that look into the journal: papers, trace."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct
from msgspec.structs import asdict

from fusilex.bench.history.beads import asked
from fusilex.bench.history.tracing import recall_rows, trace
from fusilex.bench.record.bench import Bench
from fusilex.bench.report.batch_papers import batch_html, batch_record
from fusilex.bench.report.papers import board_record, page_html, page_text
from fusilex.bench.rooms import open_journal
from fusilex.bench.verbs.answer import Answer
from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.problems import BadInput
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.formats.written.whole import write_whole
from fusilex.formats.written.words import csv_line
from fusilex.journal.store import Journal


class Papers(Struct, frozen=True):
    """A board's or batch's record as an answer, and its papers as a page."""

    answer: Answer
    page: str


def papers(what: str, journals: Sequence[str]) -> Papers:
    """A board's record by its serial (or what its label says), or a batch's by its number, from the first journal that
    knows it.
    """
    _, name = asked(what)
    opened = [open_journal(url, make=False) for url in journals]
    bench = find_board(name, opened)
    if bench is not None:
        serial = next(s for s in bench.state.boards if s.lower() == name.lower())
        batch = bench.batch.about(serial)
        record = board_record(batch, serial)
        answer = Answer(bench.route.judgements(batch, "Release"), record, page_text(record))
        return Papers(answer, page_html(batch, serial))
    bench = find_batch(name.lower().removeprefix("batch").strip(), opened)
    if bench is None:
        raise BadInput("papers", "the serial of a board on record, or the number of a batch", f"“{what}”")
    record = batch_record(bench)
    lines = [f"{b['serial']:<10} {b['step']:<12} {', '.join(b['faults'])}" for b in record["boards"]]
    return Papers(Answer([], record, "\n".join(lines)), batch_html(bench))


def find_board(serial: str, journals: Sequence[Journal]) -> Bench | None:
    """An open bench of the newest batch that has this board, as far as it can be read, or None."""
    for journal in journals:
        named = journal.search(serial, ("batch_opened",))
        for row in reversed(journal.batches()):
            if row.id in named:
                bench = Bench(journal, row.id, as_far=True)
                if serial.lower() in (s.lower() for s in bench.state.boards):
                    return bench
    return None


def find_batch(number: str, journals: Sequence[Journal]) -> Bench | None:
    """An open bench of the newest batch with a number, or None."""
    for journal in journals:
        for row in reversed(journal.batches()):
            if str(journal.first(row.id).get("batch")) == number:
                return Bench(journal, row.id, as_far=True)
    return None


def trace_what(what: str, journals: Sequence[str], recall: str | None = None) -> Answer:
    """Boards, lots and events that hang on something, in every batch; the boards as a list for a recall in a file.
    Raises `BadInput`, OSError.
    """
    found = trace(what, [open_journal(url, make=False) for url in journals])
    data = {
        "what": found.what,
        "kind": found.kind or None,
        "boards": [asdict(c) for c in found.boards],
        "lots": [asdict(lot) for lot in found.lots],
        "events": [asdict(t) for t in found.events],
        "returns": [asdict(t) for t in found.returns],
        "gaps": found.gaps,
    }
    if recall:
        write_whole({Path(recall): recall_csv(recall_rows(found))})
    text = [f"{c.serial:<10} {c.batch:<16} {c.step:<10} {' '.join(c.refs[:8])}" for c in found.boards]
    text += [f"lot {lot.lot} on {lot.serial}: {' '.join(lot.refs[:8])}" for lot in found.lots]
    text += [f"{t.at[:16]} {t.who:<8} {t.step:<10} {t.words}" for t in found.events[:40]]
    numbers = (Quantity("boards", len(found.boards)), Quantity("events", len(found.events)))
    if not found.kind:
        headline, do, missing = say("not found", what=found.what), say("try other names"), ("anything of that name",)
        judged = Judgement("trace", Level.UNKNOWN, found.what, headline, numbers, do, (), missing)
    else:
        named = found.what if found.what.lower().startswith(found.kind) else f"{found.kind} {found.what}"
        streams = (Coverage("records read", found.records - len(found.gaps), found.records),)
        level = seen(*streams)
        told = tuple(Quantity("not read whole", gap) for gap in found.gaps[:5])
        headline = say("perhaps more" if found.gaps else "found", named=named, boards=len(found.boards))
        gaps = (found.unread,) if found.gaps else ()
        judged = Judgement("trace", level, found.what, headline, (*numbers, *told), None, (), gaps, streams)
    return Answer([judged], data, "\n".join(text))


def recall_csv(rows: Sequence[tuple[str, ...]]) -> bytes:
    """A recall list as CSV; words that a spreadsheet would take for a formula are set apart."""
    return "".join(csv_line(row) for row in rows).encode("utf-8", "backslashreplace")
