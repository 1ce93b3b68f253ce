"""The bench: one open batch, driven by commands. What a test drives without a window and what the window drives."""

from __future__ import annotations

import getpass
from functools import cached_property
from typing import Any

from fusilex.bench.commands import Command, GoTo, Redo, Refused, Undo
from fusilex.core.board.model import Design, Part
from fusilex.core.board.panel import Panel, single
from fusilex.core.electrical.probes import ProbePair, probe_plan
from fusilex.core.kit.quantities import PullLine, in_placing_order, pull_list
from fusilex.core.placing.order import hand_order
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.soldering.order import by_height
from fusilex.formats.intake import Files, design_from, zip_files
from fusilex.journal.projection import BatchState, Board, apply, project
from fusilex.journal.store import Event, Journal, digest

FOIL_MM = 0.12


def serials(prefix: str, batch: int, boards: int, per_panel: int) -> list[dict[str, Any]]:
    """Serial, panel and cell of every board: ``H7-01`` is the first board of batch 7."""
    return [
        {"serial": f"{prefix}{batch}-{n + 1:02d}", "panel": n // per_panel + 1, "cell": n % per_panel}
        for n in range(boards)
    ]


class Bench:
    """An open batch. `state` is what happened so far; `do` is the only way to change it."""

    def __init__(self, journal: Journal, batch: int, design: Design | None = None) -> None:
        """Open a batch of the journal and read its design again from the files kept with it."""
        self.journal, self.batch = journal, batch
        self.history: list[Event] = journal.since(batch)
        self.state: BatchState = project(self.history)
        opened = self.state.opened
        self.design = design or design_from(_unzip(journal.attachment(opened["files"])), opened["design"])
        self.who = _user()

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
    ) -> Bench:
        """Start a batch from a design's files. Raises `BadInput` and records nothing when they cannot be read."""
        if not 1 <= boards <= 1000:
            raise Refused(f"A batch has 1 to 1000 boards, not {boards}.")
        design = design_from(files, name)
        count = number if number is not None else len(journal.batches()) + 1
        kept = zip_files(files)
        body = {
            "design": name,
            "batch": count,
            "files": digest(kept),
            "paste": paste,
            "foil_mm": foil_mm,
            "boards": serials(prefix, count, boards, design.panel.count if design.panel else 1),
        }
        batch = journal.open_batch(
            f"{name} batch {count}", {f"{name}.zip": kept}, [Event("batch_opened", body)], _user()
        )
        return cls(journal, batch, design)

    def do(self, command: Command) -> list[Event]:
        """Carry out a command: its events are on the disk when this returns.

        Raises `Refused` when it makes no sense now, `BadInput` for files that cannot be read, `NotSaved` when the journal
        cannot be written; the batch is untouched then.
        """
        from fusilex.bench.handlers import events_for

        self.refresh()
        if isinstance(command, Undo | Redo):
            return self._undo_redo(command)
        happened, files = events_for(self, command)
        if isinstance(command, GoTo) and (self.state.station, self.state.board) == (command.station, command.board):
            return []
        kept = self.journal.append(self.batch, happened, self.who, files)
        for item in kept:
            self.history.append(item)
            apply(self.state, item)
        if not isinstance(command, GoTo):
            self.state.undone.clear()
        return kept

    def _undo_redo(self, command: Command) -> list[Event]:
        deeds = self.state.deeds if isinstance(command, Undo) else self.state.undone
        if not deeds:
            raise Refused("There is nothing to undo." if isinstance(command, Undo) else "There is nothing to do again.")
        kind = "undone" if isinstance(command, Undo) else "redone"
        kept = self.journal.append(self.batch, [Event(kind, {"deed": deeds[-1]})], self.who)
        self.history += kept
        self.state = project(self.history)
        return kept

    def refresh(self) -> bool:
        """Take in what another window recorded; True when there was something."""
        fresh = self.journal.since(self.batch, self.state.last_id)
        if fresh:
            self.history += fresh
            self.state = project(self.history)
        return bool(fresh)

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

    @cached_property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        return in_placing_order(pull_list(self.design, len(self.state.boards)))

    @cached_property
    def line_of(self) -> dict[str, PullLine]:
        return {ref: line for line in self.lines for ref in line.refs}

    @cached_property
    def bin_number(self) -> dict[str, int]:
        return {line.key: n for n, line in enumerate(self.lines, 1)}

    @cached_property
    def openings(self) -> Openings:
        return openings_of(self.design, "top")

    @cached_property
    def plan(self) -> list[ProbePair]:
        return probe_plan(self.design)

    @cached_property
    def _hand_order(self) -> list[Part]:
        return hand_order(self.design)

    @cached_property
    def _solder_order(self) -> list[Part]:
        return by_height(self.design)

    @property
    def placing_order(self) -> list[Part]:
        """Parts placed on paste, without those the batch started without."""
        return [p for p in self._hand_order if p.ref not in self.state.without]

    @property
    def solder_order(self) -> list[Part]:
        return [p for p in self._solder_order if p.ref not in self.state.without]

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
        return int(self.state.bins[key]["count"]) - used - self.state.dropped.get(key, 0)


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
