"""Journals of a batch at a stage of its route: made once a run, and copied for whoever needs one."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.journal.place import sqlite_url

FOLDER = "FUSILEX_TEST_TEMPLATES"
"""Where they lie, for all workers of a run; beside the copy for whoever is alone."""


def from_template(name: str, path: Path, make: Callable[[Path], Bench]) -> Bench:
    """The batch that `make` brings to a stage, in a journal of its own at a path."""
    folder = Path(os.environ.get(FOLDER) or path.parent)
    kept, eyes = folder / f"{name}.sqlite", folder / f"{name}.eyes"
    if not kept.exists():
        raw = folder / f"{name}.{os.getpid()}.sqlite"
        made = make(raw)
        eyes.write_text(f"{made.view.step}\n{made.view.board}\n{made.who}")
        made.journal.close()
        os.replace(raw, kept)  # whoever is later makes the same
    shutil.copy(kept, path)
    journal = open_journal(sqlite_url(path))
    bench = Bench(journal, journal.batches()[-1].id)
    step, board, bench.who = eyes.read_text().split("\n")
    bench.go(step, board)
    return bench
