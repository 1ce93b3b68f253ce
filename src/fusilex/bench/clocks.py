"""The clocks worth watching now: how long paste is out, how many prints there are, when the oven last ran."""

from __future__ import annotations

from datetime import datetime, timedelta

from fusilex.bench.batch import Batch
from fusilex.bench.workshop.records import Records
from fusilex.core.route.steps import NO_PASTE


def clocks(batch: Batch) -> list[tuple[str, str]]:
    """(what, value) of the clocks that run, from what hangs on the boards."""
    boards = batch.state.boards.values()
    prints = [made.number for b in boards for made in b.prints.values()]
    sides = {s.id: s.side for s in batch.steps if s.method != NO_PASTE}
    waiting = [
        made.at
        for b in boards
        for made in b.prints.values()
        if not b.scrapped and made.step in sides and batch.load_of(b, sides[made.step]) is None
    ]
    loads = [load.at for b in boards for load in b.loads.values()]
    found = []
    if waiting:
        found.append(("paste out", span(min(waiting), batch.at)))
    if tacky := tacky_until(batch):
        found.append(("tacky until", tacky.astimezone().strftime("%H:%M")))
    if prints:
        found.append(("prints", str(max(prints))))
    if loads:
        found.append(("last oven run", span(max(loads), batch.at)))
    return found


def tacky_until(batch: Batch) -> datetime | None:
    """When the oldest paste that still waits for a part loses its tack; None where none waits."""
    ends = []
    for step in batch.steps.at_station("Print"):
        placing = [s.id for s in batch.steps.at_station("Place") if s.side == step.side]
        for board in batch.state.boards.values():
            made = board.prints.get(step.id)
            if made is None or board.scrapped or step.method == NO_PASTE or batch.load_of(board, step.side) is not None:
                continue
            if any(batch.next_part(board, id) is not None for id in placing):
                tack = batch.workshop[Records].paste(made.paste).tack_h
                ends.append(datetime.fromisoformat(made.at) + timedelta(hours=tack))
    return min(ends, default=None)


def span(start: str, end: datetime) -> str:
    """Time since a moment of the record, short.

    >>> from datetime import datetime, timezone
    >>> span("2026-03-01T10:00:00+00:00", datetime(2026, 3, 1, 11, 5, tzinfo=timezone.utc))
    '1 h 05'
    """
    seconds = max(0, int((end - datetime.fromisoformat(start)).total_seconds()))
    return f"{seconds // 3600} h {seconds % 3600 // 60:02d}" if seconds >= 3600 else f"{seconds // 60} min"
