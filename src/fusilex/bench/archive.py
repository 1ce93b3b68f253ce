"""A whole batch out of a journal and into another one."""

from __future__ import annotations

import json

from fusilex import __version__
from fusilex.bench.bench import Bench
from fusilex.bench.papers import board_record, page_html
from fusilex.bench.rooms import batch_state, workshop_state
from fusilex.core.problems import BadInput
from fusilex.journal.bundle import read_bundle, take_in, write_bundle
from fusilex.journal.folding import fold
from fusilex.journal.store import Journal


def batch_out(bench: Bench) -> bytes:
    """The batch as one zip: its events, what was handed in, and every board's papers as JSON and as a page."""
    papers: dict[str, bytes] = {}
    batch = bench.batch
    for serial in bench.state.boards:
        record = json.dumps(board_record(batch, serial), indent=1, ensure_ascii=False)
        papers[f"papers/{serial}.json"] = f"{record}\n".encode()
        papers[f"papers/{serial}.html"] = page_html(batch, serial).encode()
    return write_bundle(bench.journal, bench.id, f"Fusilex {__version__}", papers)


def rows_out(journal: Journal, batch: int) -> bytes:
    """The zip of a batch that may be damaged: with papers where it can be opened, as far as it can be read."""
    try:
        return batch_out(Bench(journal, batch, as_far=True))
    except BadInput:
        return write_bundle(journal, batch, f"Fusilex {__version__}", {})


def batch_in(journal: Journal, data: bytes, name: str) -> Bench:
    """Take a batch's zip into a journal and open it. Raises `BadInput` for one that is damaged or changed, `NotSaved`
    where its serials are in use here; the journal is untouched then.
    """
    bundle = read_bundle(data, name, journal.kinds)
    fold(bundle.entries, batch_state)  # what does not add up is not taken in
    fold(bundle.workshop, workshop_state)
    return Bench(journal, take_in(journal, bundle))
