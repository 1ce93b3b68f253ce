"""Bins of journals from before they had names of their own, read as they were meant."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import BinNamed, Bins, OfBins
from fusilex.core.design.model import Part
from fusilex.core.kit.quantities import PullLine, line_key
from fusilex.journal.entries import Entry


def as_meant(history: Sequence[Entry], asked: Callable[[], Batch]) -> list[Entry] | None:
    """Entries that speak of bins by the names these have now, None where they do already. What is written stays as it
    is. The batch is `asked` for only where it is needed: its design is read for it.
    """
    speaking = [entry.event for entry in history if isinstance(entry.event, OfBins)]
    spoken_of = {name for event in speaking for name in event.bins if name}
    named = {event.name for event in speaking if isinstance(event, BinNamed)}
    if spoken_of <= named:
        return None
    batch = asked()
    known = names_now(batch.lines, batch.drawn.parts)
    names = {name: known[name] for name in spoken_of - batch.state[Bins].named.keys() if known.get(name, name) != name}
    if not names:
        return None
    return [
        replace(entry, event=entry.event.under(names)) if isinstance(entry.event, OfBins) else entry
        for entry in history
    ]


def names_now(lines: Sequence[PullLine], drawn: Iterable[Part]) -> dict[str, str]:
    """The names of bins by what older journals called them: value and body alone, where nothing else shared these then.
    What single boards get otherwise came later than what all were drawn with.
    """
    own = {line_key(part) for part in drawn if part.populated}
    first = [x for x in lines if x.group in own]
    known = {line.article: line.key for line in first}
    for line in [*first, *lines]:
        known.setdefault(f"{line.value} | {line.package.code}", line.key)
    for line in lines:
        known.setdefault(line.article, line.key)
        known.setdefault(f"{line.value} | {line.package.code} | {line.part_number}", line.key)
    return known
