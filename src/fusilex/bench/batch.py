"""The batch as rules see it: what happened, the design, the workshop, the road. Read only."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any, Protocol

from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.derived import Derived
from fusilex.bench.refusal import Refused
from fusilex.bench.source import Source
from fusilex.bench.state import BatchState, WorkshopState
from fusilex.core.design.model import Design, Part
from fusilex.core.judgement import Judgement, Level
from fusilex.core.kit.quantities import PullLine
from fusilex.core.panel.layout import Panel, single


class Declared(Protocol):
    """What rules may ask of the stations of the road, without knowing any by name."""

    @property
    def name(self) -> str: ...
    @property
    def about(self) -> str: ...
    @property
    def aside(self) -> bool: ...
    @property
    def cautions(self) -> Mapping[str, tuple[str, ...]]: ...
    @property
    def cautions_here(self) -> Callable[[Batch], tuple[str, ...]]: ...
    @property
    def judge(self) -> Callable[[Batch], list[Judgement]]: ...
    @property
    def lacks(self) -> Callable[[Batch, Board], list[str]]: ...
    @property
    def remarks(self) -> Callable[[Batch, Board], list[Judgement]]: ...
    @property
    def papers(self) -> Callable[[Batch, Board], dict[str, Any]]: ...


@dataclass
class Batch:
    """`at` is the time it is looked at; `taken` are names in use, by what they name."""

    state: BatchState
    workshop: WorkshopState
    derived: Derived
    source: Source
    stations: Sequence[Declared]
    at: datetime
    taken: dict[str, set[str]]
    serial: str = ""

    def about(self, serial: str) -> Batch:
        """The same batch with another board in hand."""
        other = copy(self)
        other.serial = serial
        return other

    @property
    def names(self) -> tuple[str, ...]:
        """Stations of the road in order."""
        return tuple(station.name for station in self.stations)

    def key(self, station: str) -> str:
        """The key that goes to a station."""
        return key_to(self.names, station)

    @property
    def design(self) -> Design:
        return self.derived.design

    @property
    def name(self) -> str:
        """Under which name the batch reserves and takes stock."""
        return f"{self.state.opened['design']} batch {self.state.opened['batch']}"

    @property
    def board(self) -> Board:
        """The board in hand."""
        return self.state.boards[self.serial or self.state.board]

    @cached_property
    def panel(self) -> Panel:
        if self.design.panel:
            return self.design.panel
        x0, y0, x1, y1 = self.design.outline.bounds
        return single(x1 - x0, y1 - y0)

    # boards

    def board_at(self, serial: str, station: str | None = None) -> Board:
        """A board that is there and in play, at a station if one is named. Raises `Refused`."""
        board = self.state.boards.get(serial)
        if board is None:
            raise Refused(f"This batch has no board {serial}.")
        if board.scrapped:
            raise Refused(f"Board {serial} was scrapped.")
        if station and board.station != station:
            raise Refused(f"Board {serial} is at {board.station}, not at {station}.")
        return board

    def next_here(self, station: str, before: str) -> Board | None:
        """The board to take at a station after another one: of its panel first, then of the panels that follow it."""
        here = self.state.at(station)
        if not here:
            return None
        last = self.state.boards[before]
        panels = max(self.state.panels, default=1)
        return min(here, key=lambda b: ((b.panel - last.panel) % panels, (b.cell - last.cell) % 1000))

    def panel_at(self, panel: int, station: str) -> list[Board]:
        """The boards of a panel that are at a station. Raises `Refused` where none is."""
        boards = [b for b in self.state.panel_boards(panel) if b.station == station and not b.scrapped]
        if not boards:
            where = sorted({b.station for b in self.state.panel_boards(panel)})
            there = f" but at {' and '.join(where)}." if where else ": there is no such panel."
            raise Refused(f"Panel {panel} is not at {station}{there}")
        return boards

    def not_overruled(self, judgements: Iterable[Judgement]) -> list[Judgement]:
        """Stops that nobody has overruled."""
        return [j for j in judgements if j.level is Level.STOP and not self.state.overruling(j)]

    def hold_at(self, judgements: Iterable[Judgement], who: str = "") -> None:
        """Raises `Refused` for the first stop that nobody has overruled; `who` says whom it holds."""
        if stops := self.not_overruled(judgements):
            what = f"{who}: " if who else ""
            raise Refused(f"{what}{stops[0].headline}. {stops[0].do} Or overrule it with F2 and a reason.")

    # bins and parts

    @property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        return self.derived.lines

    @property
    def line_of(self) -> dict[str, PullLine]:
        return self.derived.line_of

    @property
    def bin_number(self) -> dict[str, int]:
        return self.derived.bin_number

    @property
    def placing_order(self) -> list[Part]:
        """Parts placed on paste, without those the batch started without."""
        without = self.state[Bins].without
        return [p for p in self.derived.hand_order if p.ref not in without]

    @property
    def solder_order(self) -> list[Part]:
        """Parts soldered by hand, without those the batch started without."""
        without = self.state[Bins].without
        return [p for p in self.derived.solder_order if p.ref not in without]

    def next_to_place(self, board: Board) -> Part | None:
        return next((p for p in self.placing_order if p.ref not in board.placed), None)

    def next_to_solder(self, board: Board) -> Part | None:
        return next((p for p in self.solder_order if p.ref not in board.soldered), None)

    def used_from_bin(self, key: str) -> int:
        """Pieces of a bin that are on boards."""
        refs = next(x for x in self.lines if x.key == key).refs
        return sum(ref in b.placed or ref in b.soldered for b in self.state.boards.values() for ref in refs)

    def out_of_bin(self, key: str) -> int:
        """Pieces that came out of a bin: used, dropped, or in the place of another."""
        bins = self.state[Bins]
        return self.used_from_bin(key) + bins.dropped.get(key, 0) + bins.replaced.get(key, 0)

    def left_in_bin(self, key: str) -> int | None:
        """Pieces that should still be in a bin, None when it was never counted."""
        filled = self.state[Bins].filled.get(key)
        return None if filled is None else filled.count - (self.out_of_bin(key) - filled.before)

    def serve(self, key: str) -> int:
        """Pieces of a bin for this batch's need: on boards already, or still there."""
        return self.used_from_bin(key) + (self.left_in_bin(key) or 0)


def key_to(names: Sequence[str], station: str) -> str:
    """The key that goes to one of the stations."""
    return f"Ctrl+{(names.index(station) + 1) % 10}"


def texts_of(batch: Batch, cautions: str) -> tuple[str, ...]:
    """What stands in the cautions of a name for this design, () for a name that has none."""
    for station in batch.stations:
        if cautions in station.cautions:
            return (*station.cautions[cautions], *(station.cautions_here(batch) if cautions == station.name else ()))
    return ()
