"""A journal that was damaged under an open window: it is set aside, and what the window knows is written on."""

from __future__ import annotations

import fcntl
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from fusilex.bench.record.rescue import Known, rescue
from fusilex.bench.record.stream import Stream
from fusilex.bench.source import Source
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import zip_files
from fusilex.journal.place import free, identity, set_aside
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotSaved, Torn, reason


def carry_on(journal: Journal, streams: Iterable[Stream[Any]], source: Source, torn: Torn) -> NotSaved:
    """Put a new file in the place of a torn one: all that can be read of it, and all that is in memory of a batch, the
    workshop, and the files the batch was opened with. What to say of the command that found it. Raises `NotSaved` where
    that cannot be.
    """
    path = journal.path
    assert path is not None
    handed_in = f"{source.state.opened['design']}.zip", zip_files(source.opened)
    known = Known({stream.id: stream.history for stream in streams}, [handed_in])
    try:
        with path.open("rb") as held:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)  # two windows may find it at once: one of them mends it
            found = identity(path)
            aside = set_aside(path, f"{torn}, found at {datetime.now():%Y-%m-%d %H:%M:%S.%f}.")  # each time another
            new = free(path, "mended")
            lost = rescue(aside, new, known=known)
            if identity(path)[0] != found[0]:
                raise NotSaved(f"{torn}. There is another file in its place now: start Fusilex again.")
            journal.exchange(new)
    except BlockingIOError as problem:
        raise NotSaved(f"{torn}. Another window is mending it: start Fusilex again.") from problem
    except (OSError, BadInput) as problem:
        raise NotSaved(f"{torn}. A new one could not be written: {reason(problem)}.") from problem
    more = " Other batches, and files that were added to this one, may have lost something: menu, Journal, checks it."
    return NotSaved(
        f"Not saved: {torn}. It is set aside as {aside.name}, and a new one stands in its place with all that was done"
        f" in this batch and the workshop.{more if lost.wrong or lost.salvaged.unsure else ''} Do it again."
    )
