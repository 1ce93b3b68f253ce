"""Which batches of a journal may have something, by their raw record: only those are read."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from contextlib import suppress

from fusilex.bench.history.beads import UNNAMED
from fusilex.journal.store import Journal


def naming(journal: Journal, name: str, batches: Sequence[int]) -> list[int]:
    """Batches whose files hold a name in plain letters, or in a spreadsheet that may."""
    known: dict[str, bool] = {}
    found = []
    for batch in batches:
        sha = str(journal.first(batch).get("files", ""))
        if sha not in known:
            kept = journal.attached(sha)
            known[sha] = kept is not None and _holds(kept[1], name)
        if known[sha]:
            found.append(batch)
    return found


def _holds(data: bytes, name: str) -> bool:
    wanted = name.lower().encode()
    with suppress(zipfile.BadZipFile, OSError, ValueError), zipfile.ZipFile(io.BytesIO(data)) as files:
        return any(n.lower().endswith(".xlsx") or wanted in files.read(n).lower() for n in files.namelist())
    return False


def mentions(journal: Journal, kind: str, name: str) -> set[int]:
    """Batches that a name may be in: where an event holds it, or somebody of that name did something."""
    if kind in UNNAMED:
        return set()
    return journal.search(name, KINDS) | journal.worked_in(name)


KINDS = (
    "batch_opened",
    "bin_filled",
    "panel_printed",
    "paste_used",
    "slot_loaded",
    "panel_run",
    "parts_placed",
    "part_replaced",
    "programme_recorded",
    "boards_packed",
)
"""Kinds of events that name a board, a lot, a jar or a feeder."""


def numbering(journal: Journal, batch: int, kind: str) -> bool:
    """True for a batch that has something with such numbers."""
    return batch in journal.latest(_MADE_BY[kind])


_MADE_BY = {
    "load": "load_reflowed",
    "print": "panel_printed",
    "bin": "bin_filled",
    "panel": "batch_opened",
    "test": "board_tested",
}
"""The kind of event that each comes from."""
