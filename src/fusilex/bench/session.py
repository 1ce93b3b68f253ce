"""The bench: one open batch, driven by commands. What a test drives without a window and what the window drives."""

from __future__ import annotations

import getpass
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from fusilex.bench.commands import Command, GoTo, Redo, Refused, Undo
from fusilex.bench.intake.design import Choices, unjoined_design
from fusilex.bench.stock import Stock
from fusilex.bench.views import Views
from fusilex.bench.whereabouts import laid_out
from fusilex.bench.workshop import Workshop
from fusilex.core.checks.fixes import Fix, apply_fixes
from fusilex.core.design.join import join
from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.probes import ProbePair
from fusilex.core.kit.losses import Logged
from fusilex.core.kit.quantities import PullLine
from fusilex.core.panel.layout import Panel, single
from fusilex.core.printing.openings import Openings
from fusilex.core.progress import Step, part_of, quiet
from fusilex.formats.bundle import Files, zip_files
from fusilex.journal.projection import BatchState, Board, apply, project
from fusilex.journal.store import Event, Journal, digest

FOIL_MM = 0.12


def serials(prefix: str, batch: int, boards: int, panel: Panel | None) -> list[dict[str, Any]]:
    """Serial, panel and cell of every board: ``H7-01`` is the first board of batch 7."""
    return laid_out([f"{prefix}{batch}-{n + 1:02d}" for n in range(boards)], panel)


@dataclass(frozen=True, eq=False)
class Reading:
    """Files read in the ways a workshop settled before: its choices, the design as the files state it, and joined."""

    choices: Choices
    unjoined: Design
    design: Design


def read_for(workshop: Workshop, files: Files, name: str, step: Step = quiet) -> Reading:
    """Read a design's files as this workshop does. Raises `BadInput`, or what `step` raises."""
    choices = workshop.habits(files)
    raw = unjoined_design(files, name, choices, part_of(step, 0.0, 0.9))
    step(0.9, "Joining pads, parts and lists")
    return Reading(choices, raw, join(replace(raw, catalogue=workshop.catalogue)))


class Bench:
    """An open batch. `state` is what happened so far; `do` is the only way to change it."""

    def __init__(self, journal: Journal, batch: int, design: Design | None = None) -> None:
        """Open a batch of the journal and read its design again from the files kept with it."""
        self.journal, self.batch = journal, batch
        self.history: list[Event] = journal.since(batch)
        self.state: BatchState = project(self.history)
        self.workshop = Workshop(journal)
        self.who = _user()
        self._raw: tuple[object, Design] | None = None
        self._mended: tuple[object, Design] | None = None
        self._views: tuple[object, Views] | None = None
        self._stock: tuple[object, Stock] | None = None
        if design is not None:
            self._views = self._design_key, self._views_of(design)

    @classmethod
    def open_batch(
        cls,
        journal: Journal,
        files: Files,
        name: str,
        boards: int,
        *,
        prefix: str = "B",
        paste: str = "lead-free",
        foil_mm: float = FOIL_MM,
        number: int | None = None,
        read: Reading | None = None,
    ) -> Bench:
        """Start a batch from a design's files, read in the ways this workshop settled before, or as they were `read` already.

        Raises `BadInput` and records nothing when they cannot be read.
        """
        if not 1 <= boards <= 1000:
            raise Refused(f"A batch has 1 to 1000 boards, not {boards}.")
        workshop = Workshop(journal)
        read = read or read_for(workshop, files, name)
        choices, design = read.choices, read.design
        count = number if number is not None else len(journal.batches()) + 1
        kept = zip_files(files)
        body = {
            "design": name,
            "batch": count,
            "files": digest(kept),
            "paste": paste,
            "foil_mm": foil_mm,
            "boards": serials(prefix, count, boards, design.panel),
            "losses": {key: [x.placed, x.lost] for key, x in workshop.losses.items()},
        }
        happened = [
            Event("batch_opened", body),
            *(Event("file_assigned", {"file": f, "role": r, "side": s}) for f, (r, s) in choices.roles.items()),
            *(Event("columns_picked", {"file": f, "columns": dict(c)}) for f, c in choices.columns.items()),
        ]
        batch = journal.open_batch(f"{name} batch {count}", {f"{name}.zip": kept}, happened, _user())
        bench = cls(journal, batch, design)
        bench._raw = bench._raw_key, read.unjoined
        return bench

    @property
    def _raw_key(self) -> object:
        return repr((self.state.files, self.state.roles, self.state.columns))

    @property
    def _design_key(self) -> object:
        return self._raw_key, repr((self.state.fixes, self.workshop.state.packages, self.state.order))

    @cached_property
    def _opened_files(self) -> Files:
        return _unzip(self.journal.attachment(self.state.opened["files"]))

    @property
    def files(self) -> Files:
        """Contents of the design's files by name, those added later among them."""
        return self._opened_files | {name: self.journal.attachment(sha) for name, sha in self.state.files.items()}

    @property
    def choices(self) -> Choices:
        return Choices(self.state.roles, self.state.columns)

    def design_with(self, files: Files, choices: Choices, fixes: Sequence[Fix]) -> Design:
        """The design read in a way that is only tried out. Raises `BadInput`."""
        raw = unjoined_design(files, self.state.opened["design"], choices)
        return join(apply_fixes(replace(raw, catalogue=self.workshop.catalogue), fixes))

    @property
    def unjoined(self) -> Design:
        """The design as its files state it, without fixes."""
        key = self._raw_key
        if self._raw is None or self._raw[0] != key:
            self._raw = key, unjoined_design(self.files, self.state.opened["design"], self.choices)
        return self._raw[1]

    @property
    def fixes(self) -> list[Fix]:
        return [Fix.from_dict(f) for f in self.state.fixes]

    def mended(self, fixes: Sequence[Fix]) -> Design:
        """The design as read, with fixes: joined anew, its files not read again. The last one made is kept."""
        key = self._raw_key, repr([f.as_dict() for f in fixes]), repr(self.workshop.state.packages)
        if self._mended is None or self._mended[0] != key:
            whole = replace(self.unjoined, catalogue=self.workshop.catalogue)
            self._mended = key, join(apply_fixes(whole, fixes))
        return self._mended[1]

    @property
    def views(self) -> Views:
        """What follows from the design; made anew when files, readings, fixes or the workshop's bodies change."""
        key = self._design_key
        if self._views is None or self._views[0] != key:
            self._views = key, self._views_of(self.mended(self.fixes))
        return self._views[1]

    def _views_of(self, design: Design) -> Views:
        log = {key: Logged(*counts) for key, counts in self.state.opened.get("losses", {}).items()}
        return Views(design, len(self.state.boards), self.state.order, log)

    @property
    def batch_name(self) -> str:
        """Under which name the batch reserves and takes stock."""
        return f"{self.state.opened['design']} batch {self.state.opened['batch']}"

    @property
    def stock(self) -> Stock:
        """Stock through the eyes of this batch; made anew when something in it or a substitute changed."""
        key = (self.workshop.state.last_id, sum(map(len, self.state.substitutes.values())), id(self.views))
        if self._stock is None or self._stock[0] != key:
            self._stock = key, Stock(self)
        return self._stock[1]

    @property
    def design(self) -> Design:
        return self.views.design

    def do(self, command: Command) -> list[Event]:
        """Carry out a command: its events are on the disk when this returns.

        Raises `Refused` when it makes no sense now, `BadInput` for files that cannot be read, `NotSaved` when the journal
        cannot be written; the batch is untouched then.
        """
        from fusilex.bench.handlers import events_for

        self.refresh()
        if isinstance(command, Undo | Redo):
            return self._undo_redo(command)
        result = events_for(self, command)
        if isinstance(command, GoTo) and (self.state.station, self.state.board) == (command.station, command.board):
            return []
        streams = {self.batch: result.events, self.workshop.id: result.workshop}
        kept = self.journal.append_to({s: e for s, e in streams.items() if e}, self.who, result.files)
        for item in kept.get(self.batch, ()):
            self.history.append(item)
            apply(self.state, item)
        self.workshop.take(kept.get(self.workshop.id, ()))
        if not isinstance(command, GoTo):
            self.state.undone.clear()
        return [*kept.get(self.batch, ()), *kept.get(self.workshop.id, ())]

    def _undo_redo(self, command: Command) -> list[Event]:
        """Take back or do again the last deed of this batch, in the workshop's stream too where it left events there."""
        deeds = self.state.deeds if isinstance(command, Undo) else self.state.undone
        if not deeds:
            raise Refused("There is nothing to undo." if isinstance(command, Undo) else "There is nothing to do again.")
        turned = Event("undone" if isinstance(command, Undo) else "redone", {"deed": deeds[-1]})
        streams = {self.batch: [turned]} | ({self.workshop.id: [turned]} if self.workshop.knows(deeds[-1]) else {})
        kept = self.journal.append_to(streams, self.who)
        self.history += kept[self.batch]
        self.state = project(self.history)
        self.workshop.refresh()
        return kept[self.batch]

    def refresh(self) -> bool:
        """Take in what another window recorded; True when there was something."""
        fresh = self.journal.since(self.batch, self.state.last_id)
        if fresh:
            self.history += fresh
            self.state = project(self.history)
        return self.workshop.refresh() or bool(fresh)

    @property
    def panel(self) -> Panel:
        if self.design.panel:
            return self.design.panel
        x0, y0, x1, y1 = self.design.outline.bounds
        return single(x1 - x0, y1 - y0)

    @property
    def board(self) -> Board:
        """The board in hand."""
        return self.state.boards[self.state.board]

    @property
    def paste(self) -> str:
        return self.state.paste

    @property
    def foil_mm(self) -> float:
        return self.state.foil_mm

    @property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        return self.views.lines

    @property
    def lines_to_pull(self) -> list[PullLine]:
        """Bins without those of the side that is left out of this kit."""
        return [line for line in self.lines if line.side != self.state.skipped_side]

    @property
    def line_of(self) -> dict[str, PullLine]:
        return self.views.line_of

    @property
    def bin_number(self) -> dict[str, int]:
        return self.views.bin_number

    @property
    def openings(self) -> Openings:
        return self.views.openings

    @property
    def plan(self) -> list[ProbePair]:
        return self.views.plan

    @property
    def placing_order(self) -> list[Part]:
        """Parts placed on paste, without those the batch started without."""
        return [p for p in self.views.hand_order if p.ref not in self.state.without]

    @property
    def solder_order(self) -> list[Part]:
        return [p for p in self.views.solder_order if p.ref not in self.state.without]

    def next_to_place(self, board: Board) -> Part | None:
        return next((p for p in self.placing_order if p.ref not in board.placed), None)

    def next_to_solder(self, board: Board) -> Part | None:
        return next((p for p in self.solder_order if p.ref not in board.soldered), None)

    def left_in_bin(self, key: str) -> int | None:
        """Pieces that should still be in a bin, None when it was never counted."""
        if key not in self.state.bins:
            return None
        line = next(x for x in self.lines if x.key == key)
        used = sum(
            ref in board.placed or ref in board.soldered for board in self.state.boards.values() for ref in line.refs
        )
        return (
            int(self.state.bins[key]["count"]) - used - self.state.dropped.get(key, 0) - self.state.replaced.get(key, 0)
        )


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return ""


def _unzip(data: bytes) -> Files:
    import io
    import zipfile

    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}
