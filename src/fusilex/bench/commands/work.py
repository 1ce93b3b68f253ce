"""Commands of the work itself, station by station."""

from __future__ import annotations

from dataclasses import dataclass

from fusilex.bench.commands.base import Command


@dataclass(frozen=True)
class GoTo(Command):
    """Look at a station and board; never undone."""

    station: str
    board: str


@dataclass(frozen=True)
class Acknowledge(Command):
    """The cautions of a station were read."""

    station: str


@dataclass(frozen=True)
class Overrule(Command):
    """A judgement is set aside, with a reason."""

    key: str
    reason: str
    headline: str = ""


@dataclass(frozen=True)
class AcceptFiles(Command):
    """The design's files are good enough to kit for."""


@dataclass(frozen=True)
class FillBin(Command):
    """A bin holds `count` pieces, of a lot if known."""

    line: str
    count: int
    lot: str = ""


@dataclass(frozen=True)
class CloseKit(Command):
    """Start the batch; parts of bins that are short are left out."""


@dataclass(frozen=True)
class ChooseFoil(Command):
    """Stencil foil of the batch from now on."""

    foil_mm: float


@dataclass(frozen=True)
class ChoosePaste(Command):
    """Paste of the batch from now on: lead-free, leaded or bismuth. It settles the window at Reflow too."""

    paste: str


@dataclass(frozen=True)
class PrintPanel(Command):
    panel: int
    foil_mm: float
    paste: str
    note: str = ""


@dataclass(frozen=True)
class WipePrint(Command):
    """A misprint was wiped off before any part was placed; the panel is to be printed again."""

    panel: int
    reason: str


@dataclass(frozen=True)
class PlacePart(Command):
    board: str
    ref: str


@dataclass(frozen=True)
class DropPart(Command):
    """A piece of the part's bin was lost."""

    board: str
    ref: str


@dataclass(frozen=True)
class TakeBack(Command):
    """The last part placed on the board comes off again."""

    board: str


@dataclass(frozen=True)
class TeachPoint(Command):
    """A part or fiducial of a panel was seen at x, y of the machine (mm)."""

    panel: int
    point: str
    x: float
    y: float


@dataclass(frozen=True)
class ForgetPoint(Command):
    panel: int
    point: str


@dataclass(frozen=True)
class MachinePlaced(Command):
    """The machine has placed what was left on every board of the panel."""

    panel: int


@dataclass(frozen=True)
class RecordReflow(Command):
    """A panel's boards went through the oven; `log` is the temperature log's file."""

    panel: int
    window: str
    log_name: str
    log: bytes


@dataclass(frozen=True)
class SolderPart(Command):
    board: str
    ref: str


@dataclass(frozen=True)
class MarkFault(Command):
    board: str
    ref: str
    word: str


@dataclass(frozen=True)
class StrikeFault(Command):
    """The last open fault of the board was a slip of the finger."""

    board: str


@dataclass(frozen=True)
class InspectBoard(Command):
    """The whole board was looked at."""

    board: str


@dataclass(frozen=True)
class RepairFault(Command):
    """`result` is ``fixed`` or ``scrapped``."""

    board: str
    fault: int
    result: str


@dataclass(frozen=True)
class TakeReading(Command):
    board: str
    pair: str
    text: str


@dataclass(frozen=True)
class TestBoard(Command):
    board: str
    passed: bool
    note: str = ""


@dataclass(frozen=True)
class ReleaseBoard(Command):
    board: str


@dataclass(frozen=True)
class Undo(Command):
    pass


@dataclass(frozen=True)
class Redo(Command):
    pass
