"""Commands of Ready: what the files are, how they are read, and corrections, tried before anything is recorded."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from fusilex.bench.batch import Batch
from fusilex.bench.boards import laid_out
from fusilex.bench.command import Command, Result
from fusilex.bench.common.events import BoardCell
from fusilex.bench.common.files import ColumnsPicked, FileAdded, FileAssigned, FixApplied, FixWithdrawn
from fusilex.bench.common.route import laid
from fusilex.bench.intake.lists import table_of
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.ready.events import BoardsLaid, FilesAccepted, PackageNoted
from fusilex.bench.stations.ready.judging import ready_findings
from fusilex.bench.typed_text import pieces
from fusilex.bench.workshop.habits import ColumnsRemembered, PackageSet, RoleRemembered
from fusilex.core.checks.fixes import FIX_KINDS, Fix
from fusilex.core.design.model import Design
from fusilex.formats.identify import ending
from fusilex.journal.entries import Event
from fusilex.journal.pen import digest

ROLES = ("copper", "inner", "mask", "paste", "silk", "outline", "drill", "placements", "bom", "netlist", "other")
SIDED = ("copper", "mask", "paste", "silk")


def still_open(batch: Batch) -> None:
    """Files and readings change only while every board waits at Ready."""
    if len(batch.state.at("Ready")) < sum(not b.scrapped for b in batch.state.boards.values()):
        raise Refused("The files were accepted: take that back with Ctrl+Z before changing what they say.")


def offered(design: Design) -> dict[str, Fix]:
    """The fix that goes with a judgement of Ready, by the judgement's key."""
    return {f"ready.{f.kind}:{f.ref}": f.fix for f in ready_findings(design)[0] if f.fix is not None}


class AddFiles(Command, frozen=True):
    """More files for the design, by name; one of the same name is replaced."""

    files: Mapping[str, bytes]

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        if not self.files:
            raise Refused("There is no file to add.")
        batch.source.tried({**batch.source.files, **self.files}, batch.source.choices)
        return Result([FileAdded(n, digest(data)) for n, data in self.files.items()], files=dict(self.files))


class AssignFile(Command, frozen=True):
    """A file is something else than it was taken for; ``other`` leaves it aside. Remembered for files of that
    ending.
    """

    file: str
    role: str
    side: str | None = None

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        files = batch.source.files
        if self.file not in files:
            raise Refused(f"There is no file {self.file}.")
        if self.role not in ROLES:
            raise Refused(f"A file is one of {', '.join(ROLES)}, not {self.role}.")
        if self.role == "inner":
            if (pieces(self.side or "") or 0) < 2:
                raise Refused("An inner layer has its number from the top, from 2 on.")
        elif (self.role in SIDED) != (self.side in ("top", "bottom")):
            sided = "has a side, top or bottom" if self.role in SIDED else "has no side"
            raise Refused(f"{self.role.capitalize()} {sided}.")
        choices = batch.source.choices
        roles = {**choices.roles, self.file: (self.role, self.side)}
        batch.source.tried(files, replace(choices, roles=roles))
        remembered = RoleRemembered(ending(self.file, files), self.role, self.side)
        return Result([FileAssigned(self.file, self.role, self.side)], [remembered])


class PickColumns(Command, frozen=True):
    """Which column of a list is which, field → column index. Remembered for lists with that header."""

    file: str
    columns: Mapping[str, int]

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        files, choices = batch.source.files, batch.source.choices
        role = next((n.role for n in batch.design.files if n.name == self.file), None)
        table = table_of(files.get(self.file, b""), self.file, role)
        if table is None:
            raise Refused(f"{self.file} is no list with columns to pick.")
        picked = dict(self.columns)
        batch.source.tried(files, replace(choices, columns={**choices.columns, self.file: picked}))
        return Result([ColumnsPicked(self.file, picked)], [ColumnsRemembered(table.signature, picked)])


class ApplyFix(Command, frozen=True):
    """A correction to what the lists say; the user's files stay as they are."""

    fix: Fix

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        fixes = batch.source.fixes
        if self.fix.kind not in FIX_KINDS:
            raise Refused(f"There is no fix called {self.fix.kind}.")
        if self.fix in fixes:
            raise Refused("That fix is applied already.")
        made = batch.source.mended([*fixes, self.fix])
        return Result([FixApplied(self.fix.as_dict()), *_laid_anew(batch, made)])


class WithdrawFix(Command, frozen=True):
    """A correction is taken back by itself."""

    fix: Fix

    def decide(self, batch: Batch) -> Result:
        still_open(batch)
        fixes = batch.source.fixes
        if self.fix not in fixes:
            raise Refused("That fix is not applied.")
        made = batch.source.mended([f for f in fixes if f != self.fix])
        return Result([FixWithdrawn(self.fix.as_dict()), *_laid_anew(batch, made)])


def _laid_anew(batch: Batch, made: Design) -> list[Event]:
    """The boards get their places in another panel, where a fix gives or takes one."""
    if made.panel == batch.design.panel:
        return []
    rows = laid_out(batch.state.boards, made.panel.cells if made.panel else [0])
    return [BoardsLaid([BoardCell(*row) for row in rows])]


class SetPackage(Command, frozen=True):
    """Size (mm) and mass (mg) of a package as measured here, and whether it has a wrong way round; kept for every
    batch.
    """

    code: str
    size_x: float
    size_y: float
    height: float
    mass_mg: float
    polarised: bool | None = None

    def decide(self, batch: Batch) -> Result:
        known = batch.design.catalogue.package(self.code)
        part = next((p for p in batch.drawn.parts if p.package.code == self.code), None)
        if part is None:
            raise Refused(f"No part of this design has the package {self.code}.")
        sizes = (self.size_x, self.size_y, self.height)
        if not all(0 < v <= 200 for v in sizes) or not 0 <= self.mass_mg <= 1e6:
            raise Refused("A package is up to 200 mm long, wide and high, and weighs up to 1 kg.")
        like = part.package if known.family == "other" else known
        polarised = part.package.polarised if self.polarised is None else self.polarised
        told = part.package.told or self.polarised is not None
        made = PackageSet(self.code, *sizes, self.mass_mg, like.family, like.mount, polarised, told)
        return Result([PackageNoted(self.code)], [made])


class AcceptFiles(Command, frozen=True):
    """The design's files are good enough to kit for."""

    def decide(self, batch: Batch) -> Result:
        boards = batch.state.at("Ready")
        if not boards:
            raise Refused("The files were accepted before.")
        return Result([FilesAccepted(), laid(batch.steps), *batch.onward(boards)])


COMMANDS = (AddFiles, AssignFile, PickColumns, ApplyFix, WithdrawFix, SetPackage, AcceptFiles)
