"""A whole batch out of a journal and into another one."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path

from msgspec.structs import replace

from fusilex import __version__
from fusilex.bench.common.events import BatchOpened
from fusilex.bench.record.beginning import MOST_BOARDS
from fusilex.bench.record.bench import Bench
from fusilex.bench.record.bounds import MOST_PIECES, check_bounds
from fusilex.bench.refusal import Refused
from fusilex.bench.report.papers import board_record, page_html
from fusilex.bench.rooms import batch_state, open_journal, workshop_state
from fusilex.bench.workshop.records import RecordOffered, RecordRemoved, RecordSet, read_record
from fusilex.bench.workshop.stock import Lots
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left, Step, part_of, quiet
from fusilex.core.route.steps import DONE
from fusilex.core.shown import json_shown
from fusilex.journal.bundle import Bundle, read_bundle, take_in, write_bundle
from fusilex.journal.entries import Entry, Event, as_entry
from fusilex.journal.folding import fold
from fusilex.journal.outside import is_line
from fusilex.journal.place import sqlite_url
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved

MOST_NUMBER = 1_000_000
"""Batches are numbered up to here."""


def batch_out(bench: Bench) -> bytes:
    """The batch as one zip: its events, what was handed in, and every board's papers as JSON and as a page."""
    papers: dict[str, bytes] = {}
    batch = bench.batch
    for serial in bench.state.boards:
        record = json_shown(json.dumps(board_record(batch, serial), indent=1, ensure_ascii=False))
        papers[f"papers/{serial}.json"] = f"{record}\n".encode()
        papers[f"papers/{serial}.html"] = page_html(batch, serial).encode()
    return write_bundle(bench.journal, bench.id, f"Fusilex {__version__}", papers)


def rows_out(journal: Journal, batch: int) -> bytes:
    """The zip of a batch that may be damaged: with papers where it can be opened, as far as it can be read."""
    try:
        return batch_out(Bench(journal, batch, as_far=True))
    except BadInput:
        return write_bundle(journal, batch, f"Fusilex {__version__}", {})


def batch_in(journal: Journal, data: bytes, name: str, step: Step = quiet) -> Bench:
    """Take a batch's zip into a journal and open it. Raises `BadInput` for one that is damaged, was changed or cannot
    be opened and judged, `NotSaved` where its serials are in use here, `Left`; the journal is untouched then.
    """
    step(0.0, f"Reading {name}")
    bundle = read_bundle(data, name, journal.kinds)
    for entry in (*bundle.entries, *bundle.workshop):
        check_bounds(entry, name)
    with _whole(name):
        fold(bundle.entries, batch_state)  # what does not add up is not taken in
        fold(bundle.workshop, workshop_state)
    bundle = replace(bundle, workshop=tuple(_offered(entry, name) for entry in bundle.workshop))
    _tried(bundle, name, part_of(step, 0.2, 0.9))
    return Bench(journal, take_in(journal, bundle))


def _offered(entry: Entry, name: str) -> Entry:
    """Records from outside are offered; nothing goes by them until somebody here accepts them."""
    event: Event
    if isinstance(entry.event, RecordSet):
        made = read_record({"kind": entry.event.what, **entry.event.body}, name)
        event = RecordOffered(made.what, made.id, entry.event.body, name[-80:])
    elif isinstance(entry.event, RecordRemoved):
        event = RecordOffered(entry.event.what, entry.event.id, None, name[-80:])
    else:
        return entry
    return replace(as_entry(event, entry.deed, entry.at, entry.who, entry.place), id=entry.id, origin=entry.origin)


def _tried(bundle: Bundle, name: str, told: Step) -> None:
    """Open and judge it in a journal of its own first, which is gone afterwards. Raises `BadInput`."""
    boards = next((len(e.event.boards) for e in bundle.entries if isinstance(e.event, BatchOpened)), 0)
    if not 1 <= boards <= MOST_BOARDS:
        raise BadInput(name, f"a batch of 1 to {MOST_BOARDS} boards", f"{boards} boards")
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder, _whole(name):
        trial = open_journal(sqlite_url(Path(folder) / "trial.sqlite"))
        with closing(trial):
            bench = Bench(trial, take_in(trial, bundle))
            _check_boards(bench, name)
            _check_lots(bench, name)
            ids, serials = bench.route.steps.ids, list(bench.state.boards)
            for n, step in enumerate(ids):
                told(0.2 + 0.4 * n / len(ids), f"Trying {name}: {step}")
                bench.go(step)
                bench.now(step)
                bench.judgements(step)
            for n, serial in enumerate(serials):
                told(0.6 + 0.4 * n / len(serials), f"Trying {name}: papers of {serial}")
                board_record(bench.batch, serial)


@contextmanager
def _whole(name: str) -> Iterator[None]:
    """Whatever the numbers of a file lead to, it is refused in a sentence. Raises `BadInput`."""
    try:
        yield
    except Left:
        raise
    except BadInput as problem:
        raise BadInput(name, problem.expected, problem.found, problem.place) from problem
    except (NotSaved, Refused) as problem:
        raise BadInput(name, "a batch that can be opened", str(problem)) from problem
    except Exception as problem:
        told = f"{type(problem).__name__}: {problem}"
        raise BadInput(name, "a batch that can be opened and judged", ascii(told)[1:-1][:120]) from problem


def _check_lots(bench: Bench, name: str) -> None:
    """Raises `BadInput` for stock that no count leads to."""
    for lot in bench.workshop[Lots].lots.values():
        if not 0 <= lot.count <= MOST_PIECES:
            raise BadInput(name, f"lot {lot.id} of 0 to {MOST_PIECES:,} pieces", f"{lot.count}")


def _check_boards(bench: Bench, name: str) -> None:
    """Raises `BadInput` for boards that no batch made here could have."""
    panel = bench.design.panel
    cells, number = len(panel.origins()) if panel else 1, bench.state.opened["batch"]
    if not 1 <= number <= MOST_NUMBER:
        raise BadInput(name, f"a batch numbered 1 to {MOST_NUMBER}", str(number))
    for board in bench.state.boards.values():
        if not board.serial or not is_line(board.serial, 40):
            raise BadInput(name, "boards with a serial in one line", ascii(board.serial)[:60])
        if board.step != DONE and board.step not in bench.route.steps.by_id:
            raise BadInput(name, f"board {board.serial} at a step of its route", board.step)
        if not (0 <= board.cell < cells and 1 <= board.panel <= MOST_BOARDS):
            found = f"cell {board.cell} of panel {board.panel}"
            raise BadInput(name, f"board {board.serial} in one of {cells} cells of its panel", found)
