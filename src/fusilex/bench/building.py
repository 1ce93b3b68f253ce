"""What a batch builds: its boards as they are built, the bins their parts come out of, and what is on them."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from datetime import datetime

from msgspec import Struct

from fusilex.bench.boards import Board, Load, PastePrint
from fusilex.bench.built import Built
from fusilex.bench.common.bins import Bins, numbered
from fusilex.bench.declared import Declared
from fusilex.bench.derived import Builds, Derived
from fusilex.bench.memo import Memo
from fusilex.bench.source import Source
from fusilex.bench.state import BatchState, WorkshopState
from fusilex.bench.view import View
from fusilex.core.design.model import Design, Part
from fusilex.core.kit.quantities import PullLine
from fusilex.core.panel.layout import Panel, single
from fusilex.core.route.steps import Steps


class Building(Struct):
    """`steps` is the batch's route, `view` what the window looks at; `at` is the time it is looked at; `taken` are
    names in use, by what they name. `memo` keeps what is worked out of it, as long as it stands.
    """

    state: BatchState
    workshop: WorkshopState
    derived: Derived
    source: Source
    stations: Mapping[str, Declared]
    steps: Steps
    view: View
    at: datetime
    taken: dict[str, set[str]]
    memo: Memo

    @property
    def board(self) -> Board:
        """The board in hand."""
        return self.state.boards[self.view.board]

    @property
    def design(self) -> Design:
        """The design of the board in hand, as that is built."""
        return self.own.design

    @property
    def own(self) -> Built:
        """The board in hand as it is built."""
        return self.as_built(self.board)

    @property
    def drawn(self) -> Design:
        """The design as its files have it, whatever single boards are built like."""
        return self.derived.design

    def as_built(self, *boards: Board) -> Built:
        """A board as it is built, or what any of several carries."""
        return self.derived.of(board.variant for board in boards)

    @property
    def on_panel(self) -> Built:
        """What any board of the panel in hand carries."""
        return self.as_built(*self.state.panel_boards(self.board.panel))

    @property
    def any_board(self) -> Built:
        """What any board of the batch carries."""
        return self.as_built(*self.state.boards.values())

    @property
    def panel(self) -> Panel:
        return self.memo.of("panel", self._panel)

    def _panel(self) -> Panel:
        if self.drawn.panel:
            return self.drawn.panel
        x0, y0, x1, y1 = self.drawn.outline.bounds
        return single(x1 - x0, y1 - y0)

    @property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        return self.derived.lines(self.builds, self.state[Bins].named)

    @property
    def builds(self) -> Builds:
        """How many boards there are of each variant."""
        boards = self.state.boards.values()
        return self.memo.of("builds", lambda: tuple(Counter(board.variant for board in boards).items()))

    @property
    def line_of(self) -> dict[str, PullLine]:
        """The bin of each part of the board in hand."""
        return self.lines_of(self.board)

    def lines_of(self, board: Board) -> dict[str, PullLine]:
        """The bin of each part of a board."""
        return self.derived.line_of(self.builds, self.state[Bins].named, board.variant)

    def bins_of(self, board: Board, refs: Iterable[str]) -> dict[str, list[str]]:
        """Which parts of a board come out of which bin."""
        lines, found = self.lines_of(board), defaultdict[str, list[str]](list)
        for ref in refs:
            found[lines[ref].key].append(ref)
        return dict(found)

    def bins_taken(self, board: Board) -> dict[str, str]:
        """The bin that each part on a board came out of: as it was recorded, else by the list as it is."""
        lines = self.lines_of(board)
        there = {*board.placed, *board.soldered, *board.put}
        known = {ref: board.put[ref].bin if ref in board.put else "" for ref in there}
        return {ref: bin or lines[ref].key for ref, bin in known.items() if bin or ref in lines}

    @property
    def bin_number(self) -> dict[str, int]:
        return self.memo.of("bin number", lambda: numbered(self.lines, self.state[Bins].named))

    def built(self, board: Board) -> dict[str, Part]:
        """Parts of a board as it is to be built, by reference."""
        return self.derived.built(board.variant)

    def parts_of(self, step: str, board: Board | None = None) -> list[Part]:
        """Parts a step puts on a board (the one in hand) in working order, but for those the batch started without."""
        without, variant = self.state[Bins].without, (board or self.board).variant
        parts = self.derived.shares(self.steps, variant).get(step, ())
        return [p for p in parts if p.ref not in without] if without else list(parts)

    def parts_on_paste(self, side: str, *boards: Board) -> list[Part]:
        """Parts of all steps that place onto the paste of a side, on the board in hand or any of several."""
        steps = [s.id for s in self.steps.at_station("Place") if s.side == side]
        each = (self.parts_of(step, board) for step in steps for board in boards or (self.board,))
        return list({p.ref: p for parts in each for p in parts}.values())

    @property
    def all_parts(self) -> list[Part]:
        """Parts that some step puts on."""
        return [p for step in self.steps for p in self.parts_of(step.id)]

    def print_of(self, board: Board, side: str) -> PastePrint | None:
        """The paste a board has on a side."""
        steps = [s.id for s in self.steps.at_station("Print") if s.side == side]
        return next((board.prints[s] for s in reversed(steps) if s in board.prints), None)

    def load_of(self, board: Board, side: str) -> Load | None:
        """The oven run that melted a board's paste on a side."""
        steps = [s.id for s in self.steps.at_station("Reflow") if s.side == side]
        return next((board.loads[s] for s in reversed(steps) if s in board.loads), None)

    def next_part(self, board: Board, step: str) -> Part | None:
        """The part a board gets next at a step; None when it has them all."""
        there = {*board.placed, *board.soldered}
        return next((p for p in self.parts_of(step, board) if p.ref not in there), None)

    @property
    def used(self) -> Counter[str]:
        """Pieces that are on boards, by the key of the bin they came from."""
        return self.memo.of("used", self._used)

    def _used(self) -> Counter[str]:
        found: Counter[str] = Counter()
        for board in self.state.boards.values():
            if there := (*board.placed, *board.soldered):
                bins = self.bins_taken(board)
                found.update(bins[ref] for ref in there if ref in bins)
        return found

    def used_from_bin(self, key: str) -> int:
        """Pieces of a bin that are on boards."""
        return self.used[key]

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
