"""The batch's bins: named when they are first needed, filled at Kit, emptied at Place, Hand and Rework."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.state import BatchState
from fusilex.core.kit.quantities import PullLine
from fusilex.journal.entries import Entry, Event

MOST_BINS = 10_000


class Bin(Struct, frozen=True):
    """What a bin was for when it was named, and its number."""

    value: str
    package: str
    part_number: str
    refs: tuple[str, ...]
    number: int

    def same(self, line: PullLine) -> bool:
        alike = (self.value, self.package, self.part_number) == (line.value, line.package.code, line.part_number)
        return alike and (not line.mark or not set(self.refs).isdisjoint(line.refs))

    def read_anew(self, line: PullLine) -> bool:
        """True for the same part number, value and parts whose package is read otherwise than it was."""
        named = bool(line.part_number) and (self.value, self.part_number) == (line.value, line.part_number)
        return named and not set(self.refs).isdisjoint(line.refs)


class Filled(Struct, frozen=True):
    """What a bin was counted to hold: pieces, of which lot, when, and how many had come out of it before."""

    count: int
    lot: str
    at: str
    before: int = 0


class Bins(Struct):
    """By the names of bins: what they are for, their last and all fillings in order, pieces that were dropped or
    replaced; and how the batch goes.

    `without` are the parts the batch started without, `order` is the order of placing, `skipped_side` is not kitted
    now.
    """

    named: dict[str, Bin] = field(default_factory=dict)
    filled: dict[str, Filled] = field(default_factory=dict)
    fillings: dict[str, list[Filled]] = field(default_factory=dict)
    dropped: dict[str, int] = field(default_factory=dict)
    replaced: dict[str, int] = field(default_factory=dict)
    without: list[str] = field(default_factory=list)
    order: str = "kind"
    skipped_side: str = ""

    def lot_at(self, name: str, at: str) -> str:
        """The lot that a bin held at a time (ISO), '' where nobody said."""
        held = [filled for filled in self.fillings.get(name, ()) if filled.at <= at]
        return held[-1].lot if held else ""


class OfBins(Event, frozen=True):
    """Something that is kept of bins. `in_bins` are the fields that name them: one name, several, or the keys of a
    mapping.
    """

    in_bins: ClassVar[tuple[str, ...]] = ("line",)

    @property
    def bins(self) -> list[str]:
        """Names of the bins it is kept of."""
        found: list[str] = []
        for name in self.in_bins:
            value = getattr(self, name)
            found += [value] if isinstance(value, str) else value
        return found

    def under(self, names: Mapping[str, str]) -> OfBins:
        """The same under other names of bins."""
        changed: dict[str, Any] = {}
        for name in self.in_bins:
            value = getattr(self, name)
            if isinstance(value, str):
                changed[name] = names.get(value, value)
            elif isinstance(value, Mapping):
                changed[name] = {names.get(key, key): item for key, item in value.items()}
            else:
                changed[name] = [names.get(key, key) for key in value]
        return replace(self, **changed)


class BinNamed(OfBins, frozen=True):
    """A bin is first needed: it keeps its name for as long as there is the batch, whatever else is built in it."""

    kind: ClassVar[str] = "bin_named"
    in_bins: ClassVar[tuple[str, ...]] = ("name",)
    name: str
    value: str
    package: str
    part_number: str
    refs: list[str]
    number: int

    def apply(self, state: BatchState, entry: Entry) -> None:
        of = Bin(self.value, self.package, self.part_number, tuple(self.refs), self.number)
        state[Bins].named.setdefault(self.name, of)


def with_names(lines: Sequence[PullLine], named: Mapping[str, Bin]) -> list[PullLine]:
    """Lines under the names that their bins have; those of no bin yet under what they are, each under another."""
    of: dict[int, str] = {}
    for same in (Bin.same, Bin.read_anew):
        for name, bin in named.items():
            if name not in of.values():
                of |= next(({n: name} for n, x in enumerate(lines) if n not in of and same(bin, x)), {})
    used, found = set(named), []
    for n, line in enumerate(lines):
        name = of.get(n, line.key)
        while n not in of and name in used:  # two articles that read alike
            name += "'"
        used.add(name)
        found.append(replace(line, bin=name) if name != line.key else line)
    return found


def numbered(lines: Sequence[PullLine], named: Mapping[str, Bin]) -> dict[str, int]:
    """Numbers of bins by name: those that have one keep it, the others get what is free, in order."""
    kept: dict[int, str] = {}
    for name, bin in named.items():
        if 0 < bin.number <= MOST_BINS:  # 0: to be numbered anew
            kept.setdefault(bin.number, name)
    own = {name: number for number, name in kept.items()}
    free = (n for n in range(1, len(lines) + len(named) + 1) if n not in kept)
    return {line.key: own.get(line.key) or next(free) for line in lines}


def naming(events: Iterable[Event], lines: Sequence[PullLine], named: Mapping[str, Bin]) -> list[Event]:
    """Bins that events speak of get their names before them, where they have none."""
    wanted = {name for event in events if isinstance(event, OfBins) for name in event.bins} - named.keys()
    if not wanted:
        return []
    numbers = numbered(lines, named)
    return [
        BinNamed(x.key, x.value, x.package.code, x.part_number, list(x.refs), numbers[x.key])
        for x in lines
        if x.key in wanted
    ]


def older_name(line: PullLine) -> str:
    """What older journals call a bin: part number only where another line shared value and body."""
    return f"{line.value} | {line.package.code}" + ("" if line.alone else f" | {line.part_number}")


EVENTS = (BinNamed,)
