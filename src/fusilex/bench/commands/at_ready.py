"""Commands of Ready: files, how they are read, corrections, panel, sides, bare boards."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from fusilex.bench.commands.base import Command
from fusilex.core.checks.fixes import Fix
from fusilex.core.panel.layout import Panel


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
class SetPackage(Command):
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
