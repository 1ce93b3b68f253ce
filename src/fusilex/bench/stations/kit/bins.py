"""Commands of Kit about the bins: bags, programmes, filling, closing."""

from __future__ import annotations

from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.command import Command, Result
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.moisture import judge_clocks
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.kit.events import (
    BagChecked,
    BinFilled,
    KitClosed,
    Kitted,
    OrderChosen,
    PartsBack,
    ProgrammeRecorded,
    ProgrammeWanted,
    SideSkipped,
    StrapTested,
    SubstituteApproved,
    bin_open,
)
from fusilex.bench.stations.kit.fitting import clocks, line_of_bin, lines_to_pull
from fusilex.bench.workshop.stock import LotReleased, Lots, LotTaken
from fusilex.core.kit.bag import check_bag
from fusilex.core.kit.quantities import PLACING_ORDERS, PullLine
from fusilex.core.values import parse_reading
from fusilex.journal.entries import Event
from fusilex.journal.pen import digest

STRAP_OHM = (0.75e6, 35e6)
"""A strap with its cord reads within this (ANSI/ESD S20.20, S1.1): below it does not protect the hand, above not the
part.
"""
PROGRAMMED_FAMILIES = ("ic", "other")
"""Families of packages that may hold something to programme."""


class CheckBag(Command, frozen=True):
    """A bag's label against the line of a bin; a reason lets a bag through that does not match."""

    line: str
    label: str
    reason: str = ""

    def decide(self, batch: Batch) -> Result:
        line = line_of_bin(batch, self.line)
        if not self.label.strip():
            raise Refused("Type or scan what the label says.")
        found = check_bag(line, self.label, batch.state[Kitted].substitutes.get(line.key, ()))
        differs = [(d.what, d.wanted, d.found) for d in found.differs]
        label, reason = self.label.strip(), self.reason.strip()
        return Result([BagChecked(line.key, label, found.level.value, differs, list(found.unread), reason)])


class ApproveSubstitute(Command, frozen=True):
    """Another part number or value may stand in for a line."""

    line: str
    text: str
    reason: str

    def decide(self, batch: Batch) -> Result:
        line = line_of_bin(batch, self.line)
        if not self.text.strip() or not self.reason.strip():
            raise Refused("Say which part may stand in, and why.")
        return Result([SubstituteApproved(line.key, self.text.strip(), self.reason.strip())])


class WantProgramme(Command, frozen=True):
    """The parts of a bin are programmed before they are placed."""

    line: str

    def decide(self, batch: Batch) -> Result:
        line = line_of_bin(batch, self.line)
        if line.package.family not in PROGRAMMED_FAMILIES:
            raise Refused(f"{line.name} is a {line.package.family}: there is nothing in it to programme.")
        return Result([ProgrammeWanted(line.key)])


class RecordProgramme(Command, frozen=True):
    """The parts of a bin were programmed with a file of a version."""

    line: str
    name: str
    data: bytes
    version: str

    def decide(self, batch: Batch) -> Result:
        line = line_of_bin(batch, self.line)
        if line.package.family not in PROGRAMMED_FAMILIES:
            raise Refused(f"{line.name} is a {line.package.family}: there is nothing in it to programme.")
        if not self.version.strip() or not self.data:
            raise Refused("A programme has a file with something in it, and a version.")
        recorded = ProgrammeRecorded(line.key, self.name, digest(self.data), self.version.strip())
        return Result([recorded], files={self.name: self.data})


class StrapTest(Command, frozen=True):
    """The wrist strap's resistance as read, such as ``1.1M``."""

    text: str

    def decide(self, batch: Batch) -> Result:
        try:
            ohm = parse_reading(self.text)
        except ValueError as error:
            raise Refused(f"{error}.") from error
        return Result([StrapTested(self.text.strip(), STRAP_OHM[0] <= ohm <= STRAP_OHM[1])])


class ChooseOrder(Command, frozen=True):
    """Order of placing and so of the bins: kind, hidden-first or area."""

    school: str

    def decide(self, batch: Batch) -> Result:
        if self.school not in PLACING_ORDERS:
            raise Refused(f"There is no order called {self.school}; there are {', '.join(PLACING_ORDERS)}.")
        if batch.state[Bins].filled:
            raise Refused("Bins are filled already: their order stays for this batch.")
        return Result([OrderChosen(self.school)])


class SkipSide(Command, frozen=True):
    """Bins of a side are left for later ('' pulls all); they can be filled any time after."""

    side: str

    def decide(self, batch: Batch) -> Result:
        if self.side not in ("top", "bottom", ""):
            raise Refused(f"A board has a top and a bottom, no {self.side}.")
        return Result([SideSkipped(self.side)])


class FillBin(Command, frozen=True):
    """A bin holds `count` pieces now, of a lot if known."""

    line: str
    count: int
    lot: str = ""
    cautions: ClassVar[str] = "Kit"

    def decide(self, batch: Batch) -> Result:
        line = line_of_bin(batch, self.line)
        if not 0 <= self.count <= 1_000_000:
            raise Refused(f"A bin holds 0 or more pieces, not {self.count}.")
        _check_contents(batch.state[Kitted], line, self.count)
        before = batch.out_of_bin(line.key)
        filled: list[Event] = [BinFilled(line.key, self.count, self.lot.strip(), line.name, before)]
        back = [ref for ref in line.refs if ref in batch.state[Bins].without]
        if back and self.count + batch.used_from_bin(line.key) >= line.need:
            filled.append(PartsBack(back))
        return Result(filled, _taken(batch, line, self.count, self.lot.strip()))


def _check_contents(kitted: Kitted, line: PullLine, count: int) -> None:
    """Pieces of a bag that is wrong, in doubt or not programmed yet go into no bin. Raises `Refused`."""
    if (wrong := kitted.wrong_bag(line.key)) and count:
        what, wanted, found = wrong
        raise Refused(f"The bag does not match: {what} {found}, not {wanted}. Check the right one, or say why with W.")
    if (label := kitted.doubtful_bag(line.key)) and count:
        what_now = "check its label again with K, or say why with W"
        raise Refused(f"“{label[:40]}” does not settle what is in the bag: {what_now}.")
    if kitted.to_programme(line.key):
        raise Refused(f"{line.name} is to be programmed first: record the file with G.")


def _taken(batch: Batch, line: PullLine, count: int, name: str) -> list[Event]:
    """What filling a bin takes out of a lot in stock; nothing where the lot is a note of one's own. Raises
    `Refused`.
    """
    lot = batch.workshop[Lots].lots.get(name)
    if lot is None:
        return []
    before = batch.state[Bins].filled.get(line.key)
    again = batch.left_in_bin(line.key) or 0 if before and before.lot == lot.id else 0
    judged = [j for j in clocks(batch) if j.subject == lot.id] or judge_clocks(batch, batch.at, [(lot, line)])
    if count:
        batch.hold_at(judged)
    if count - again > lot.count:
        raise Refused(f"Lot {lot.id} holds {lot.count} pieces, not {count}: count it again, or fill from two lots.")
    return [LotTaken(lot.id, batch.name, line.key, count - again)]


class CloseKit(Command, frozen=True):
    """Start the batch; parts of bins that are short or left for later are not among it."""

    cautions: ClassVar[str] = "Kit"

    def decide(self, batch: Batch) -> Result:
        boards = batch.state.at("Kit")
        if not boards:
            raise Refused("No board waits at Kit.")
        unread = [line for line in lines_to_pull(batch) if bin_open(batch.state, line.key)]
        if unread:
            verb = "bin is" if len(unread) == 1 else "bins are"
            raise Refused(
                f"{len(unread)} {verb} not filled yet; next is bin {batch.bin_number[unread[0].key]}. "
                "A bin with nothing in it, or whose bag is wrong, is counted as 0 with C."
            )
        without = sorted(ref for line in batch.lines if batch.serve(line.key) < line.need for ref in line.refs)
        freed: list[Event] = [
            LotReleased(lot.id, batch.name) for lot in batch.workshop[Lots].lots.values() if lot.kept_for(batch.name)
        ]
        return Result([KitClosed(without), *batch.onward(boards)], freed)


COMMANDS = (
    CheckBag,
    ApproveSubstitute,
    WantProgramme,
    RecordProgramme,
    StrapTest,
    ChooseOrder,
    SkipSide,
    FillBin,
    CloseKit,
)
