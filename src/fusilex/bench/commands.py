"""What a person can do at the bench. Each command becomes events, or is refused with a sentence."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fusilex.core.board.fixes import Fix
from fusilex.core.board.panel import Panel
from fusilex.journal.store import Event


class Refused(Exception):
    """The command makes no sense now; the sentence says why and what to do first."""


@dataclass(frozen=True)
class Result:
    """Events of the batch and of the workshop that a command leads to, and files to keep with them."""

    events: list[Event] = field(default_factory=list)
    workshop: list[Event] = field(default_factory=list)
    files: dict[str, bytes] = field(default_factory=dict)


@dataclass(frozen=True)
class Command:
    pass


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
class AddFiles(Command):
    """More files for the design, by name; one of the same name is replaced."""

    files: Mapping[str, bytes]


@dataclass(frozen=True)
class AssignFile(Command):
    """A file is something else than it was taken for; ``other`` leaves it aside. Remembered for files of that ending."""

    file: str
    role: str
    side: str | None = None


@dataclass(frozen=True)
class PickColumns(Command):
    """Which column of a list is which, field → column index. Remembered for lists with that header."""

    file: str
    columns: Mapping[str, int]


@dataclass(frozen=True)
class ApplyFix(Command):
    """A correction to what the lists say; the user's files stay as they are."""

    fix: Fix


@dataclass(frozen=True)
class WithdrawFix(Command):
    fix: Fix


@dataclass(frozen=True)
class SetBody(Command):
    """Size (mm) and mass (mg) of a body as measured in this workshop, and whether it has a wrong way round; kept for every batch."""

    code: str
    size_x: float
    size_y: float
    height: float
    mass_mg: float
    polarised: bool | None = None


@dataclass(frozen=True)
class DefinePanel(Command):
    """The panel the boards come in; it replaces the one of the files."""

    panel: Panel


@dataclass(frozen=True)
class MarkBadCell(Command):
    """The maker crossed this cell out, or it was found bad before assembly: its board is set aside."""

    board: str


@dataclass(frozen=True)
class ChooseSides(Command):
    """Order of the sides: lighter-first, glued or hand."""

    school: str


@dataclass(frozen=True)
class CountBare(Command):
    """Bare panels (or boards) that came in, and whether they are wiped clean."""

    panels: int
    clean: bool


@dataclass(frozen=True)
class NoteProcess(Command):
    """The finest track or gap (mm) a maker or one's own process has shown."""

    name: str
    finest_mm: float


@dataclass(frozen=True)
class MixBath(Command):
    """A fresh etching bath."""

    litres: float


@dataclass(frozen=True)
class LogEtch(Command):
    """A run of the bath: minutes until clear, °C, copper thickness (µm), boards of this design in it."""

    minutes: float
    celsius: float
    foil_um: float
    boards: int = 1


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
class ReceiveLot(Command):
    """A reel, strip, tray, bag or tube comes into stock; without an id it gets one."""

    form: str
    part_number: str
    value: str
    body: str
    count: int
    place: str = ""
    date_code: str = ""
    maker_lot: str = ""
    level: str = "1"
    id: str = ""


@dataclass(frozen=True)
class CountLot(Command):
    """A lot was counted: `how` by hand, strip, weight or reel. The old count stays on record."""

    lot: str
    count: int
    how: str = "hand"


@dataclass(frozen=True)
class MoveLot(Command):
    lot: str
    place: str


@dataclass(frozen=True)
class NoteMoisture(Command):
    """A lot was opened, put away dry, taken out, sealed or baked; now, or at an ISO time with zone."""

    lot: str
    action: str
    at: str = ""


@dataclass(frozen=True)
class ReserveStock(Command):
    """Stock that fits is kept for this batch."""


@dataclass(frozen=True)
class CheckBag(Command):
    """A bag's label against the line of a bin; a reason lets a bag through that does not match."""

    line: str
    label: str
    reason: str = ""


@dataclass(frozen=True)
class ApproveSubstitute(Command):
    """Another part number or value may stand in for a line."""

    line: str
    text: str
    reason: str


@dataclass(frozen=True)
class WantProgramme(Command):
    """The parts of a bin are programmed before they are placed."""

    line: str


@dataclass(frozen=True)
class RecordProgramme(Command):
    """The parts of a bin were programmed with a file of a version."""

    line: str
    name: str
    data: bytes
    version: str


@dataclass(frozen=True)
class StrapTest(Command):
    """The wrist strap's resistance as read, such as ``1.1M``."""

    text: str


@dataclass(frozen=True)
class ChooseOrder(Command):
    """Order of placing and so of the bins: kind, hidden-first or area."""

    school: str


@dataclass(frozen=True)
class SetTray(Command):
    """Rows and columns of the trays the bins stand in, for every batch."""

    rows: int
    columns: int


@dataclass(frozen=True)
class SkipSide(Command):
    """Bins of a side are not pulled now ('' pulls all)."""

    side: str


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
