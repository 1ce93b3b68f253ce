"""The file in which a run is kept while it goes on: who writes it, and what is made of one that broke off."""

from __future__ import annotations

import time
from pathlib import Path

from fusilex.bench.command import Command
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.reflow.commands import RecordReflow, SeeReflow
from fusilex.core.units import clock
from fusilex.formats.lists.seen import only_seen, seen_in
from fusilex.journal.place import path_of

BUSY_S, NOTHING_SEEN = 3.0, "ran by the clock, nothing marked"
"""A run is written down each second; one that was not for so long has broken off."""


def file_of(bench: Bench, side: str) -> Path | None:
    """Where the run of the panel in hand is kept: beside the journal, where that is a file."""
    home = path_of(bench.journal.url)
    return home.parent / "live" / f"{bench.id}-{bench.board.panel}-{side}.csv" if home else None


def left_behind(bench: Bench, side: str) -> Path | None:
    """The file of a run that is not on record: it goes on in another window, or broke off."""
    path = file_of(bench, side)
    return path if path is not None and path.exists() else None


def goes_on(path: Path) -> bool:
    """True while another window writes it."""
    return time.time() - path.stat().st_mtime < BUSY_S


def taken_in(path: Path, panel: int) -> Command:
    """What puts it on record. Raises `BadInput` where nobody can read it."""
    data = path.read_bytes()
    if not only_seen(data, path.name):
        return RecordReflow(panel, path.name, data, [])  # of what went in with it, nothing is written
    seen = ", ".join(f"{what} at {clock(t)}" for t, what in seen_in(data, path.name))
    return SeeReflow(panel, seen or NOTHING_SEEN, data, [])
