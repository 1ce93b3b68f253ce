"""The batch as rules see it: what happened, the design, the workshop, the road. Read only."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from copy import copy
from datetime import datetime
from typing import Concatenate, ParamSpec, TypeVar

from msgspec import Struct

from fusilex.bench.boards import Board, Load, PastePrint
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.events import Moved
from fusilex.bench.declared import Declared
from fusilex.bench.derived import Builds, Derived
from fusilex.bench.memo import Memo
from fusilex.bench.refusal import Refused
from fusilex.bench.source import Source
from fusilex.bench.state import BatchState, WorkshopState
from fusilex.bench.view import View
from fusilex.core.design.model import Design, Part
from fusilex.core.judgement import Judgement, Level
from fusilex.core.kit.quantities import PullLine
from fusilex.core.panel.layout import Panel, single
from fusilex.core.road.steps import DONE, Step, Steps
from fusilex.journal.entries import Event

P = ParamSpec("P")
T = TypeVar("T")


class Batch(Struct):
    """`steps` is its road, `view` what the window looks at; `at` is the time it is looked at; `taken` are names in use,
    by what they name. `memo` keeps what is worked out of it, as long as it stands.
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

    def about(self, serial: str, step: str = "") -> Batch:
        """The same batch with another board in hand, at another step if one is named."""
        other = copy(self)
        other.view = View(step or self.view.step, serial)
        return other

    def once(self, work: Callable[Concatenate[Batch, P], T], *args: P.args, **named: P.kwargs) -> T:
        """What `work` makes of this batch and arguments at the step and board in view, done once as it stands. Nothing
        that goes by the time.
        """
        name = work, self.view.step, self.view.board, args, *named.items()
        return self.memo.of(name, lambda: work(self, *args, **named))

    def key(self, step: str) -> str:
        """The key that goes to a step."""
        return key_to(self.steps.ids, step)

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
        return self.state.boards[self.view.board]

    @property
    def step(self) -> Step:
        """The step in view."""
        return self.steps.by_id[self.view.step]

    def judged_at(self, step: Step) -> list[Judgement]:
        """What a step says of the board in hand."""
        return self.stations[step.station].judge(self.about(self.view.board, step.id))

    def named(self, word: str) -> str:
        """What a step leaves on record, with the step's name where the road has several like it."""
        label = self.steps.label(self.step.id)
        return word if label == self.step.station else f"{word} ({label})"

    def where(self, board: Board) -> str:
        """What people call the step a board is at."""
        return self.steps.label(board.step)

    @property
    def under_way(self) -> list[Board]:
        """Boards that are neither done nor out of it."""
        return [b for b in self.state.boards.values() if b.step != DONE and not b.scrapped]

    @property
    def panel(self) -> Panel:
        return self.memo.of("panel", self._panel)

    def _panel(self) -> Panel:
        if self.design.panel:
            return self.design.panel
        x0, y0, x1, y1 = self.design.outline.bounds
        return single(x1 - x0, y1 - y0)

    # boards

    def board_at(self, serial: str, station: str | None = None) -> Board:
        """A board that is there and in play, at a step of a station if one is named. Raises `Refused`."""
        board = self.state.boards.get(serial)
        if board is None:
            raise Refused(f"This batch has no board {serial}.")
        if board.scrapped:
            raise Refused(f"Board {serial} was scrapped.")
        if station and board.station != station:
            raise Refused(f"Board {serial} is at {self.where(board)}, not at {station}.")
        return board

    def onward(self, boards: Sequence[Board]) -> list[Event]:
        """Boards go to the next step that has work for them; what has none is gone past, and named."""
        ways: dict[tuple[str, tuple[str, ...]], list[str]] = {}
        for board in boards:
            ahead = self.steps.after(board.step)
            n = next((n for n, step in enumerate(ahead) if self.has_work(board, step)), len(ahead))
            to = ahead[n].id if n < len(ahead) else DONE
            ways.setdefault((to, tuple(s.id for s in ahead[:n])), []).append(board.serial)
        return [Moved(serials, to, list(passed)) for (to, passed), serials in ways.items()]

    def has_work(self, board: Board, step: Step) -> bool:
        """True for a step that has something to do for a board."""
        if step.id in board.skips:
            return False
        return self.stations[step.station].work(self.about(board.serial, step.id), board)

    def next_here(self, step: str, before: str) -> Board | None:
        """The board to take at a step after another one: of its panel first, then of the panels that follow it."""
        here = self.state.at(step)
        if not here:
            return None
        last = self.state.boards[before]
        panels = max(self.state.panels, default=1)
        return min(here, key=lambda b: ((b.panel - last.panel) % panels, (b.cell - last.cell) % 1000))

    def panel_at(self, panel: int, station: str) -> list[Board]:
        """The boards of a panel that are at a step of a station: the one in view, else the first that has some.

        Raises `Refused` where none is.
        """
        boards = [b for b in self.state.panel_boards(panel) if b.station == station and not b.scrapped]
        if not boards:
            where = sorted({self.where(b) for b in self.state.panel_boards(panel)})
            there = f" but at {' and '.join(where)}." if where else ": there is no such panel."
            raise Refused(f"Panel {panel} is not at {station}{there}")
        steps = sorted({b.step for b in boards}, key=self.steps.index)
        step = self.view.step if self.view.step in steps else steps[0]
        return [b for b in boards if b.step == step]

    def whole_panel(self, panel: int, station: str) -> list[Board]:
        """The boards of a panel at a step of a station, none of which is still on its way there. Raises `Refused`."""
        boards = self.panel_at(panel, station)
        if behind := self.behind(panel, boards[0].step):
            more = f", and {len(behind) - 1} more are not here" if len(behind) > 1 else ""
            first = f"board {behind[0].serial} of panel {panel} is at {self.where(behind[0])}"
            raise Refused(f"{station} takes whole panels: {first}{more}.")
        return boards

    def behind(self, panel: int, step: str) -> list[Board]:
        """Boards of a panel that still have to come to a step."""
        here, boards = self.steps.index(step), self.state.panel_boards(panel)
        return [b for b in boards if not b.scrapped and b.step != step and self.steps.progress(b.place) < here]

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
        return self.derived.lines(self.builds)

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
        return self.derived.line_of(self.builds, board.variant)

    @property
    def bin_number(self) -> dict[str, int]:
        return self.memo.of("bin number", lambda: {line.key: n for n, line in enumerate(self.lines, 1)})

    def built(self, board: Board) -> dict[str, Part]:
        """Parts of a board as it is to be built, by reference."""
        return self.derived.built(board.variant)

    def parts_of(self, step: str, board: Board | None = None) -> list[Part]:
        """Parts a step puts on a board (the one in hand) in working order, but for those the batch started without."""
        without, variant = self.state[Bins].without, (board or self.board).variant
        parts = self.derived.shares(self.steps, variant).get(step, ())
        return [p for p in parts if p.ref not in without] if without else list(parts)

    def parts_on_paste(self, side: str) -> list[Part]:
        """Parts of all steps that place onto the paste of a side."""
        return [p for s in self.steps.at_station("Place") if s.side == side for p in self.parts_of(s.id)]

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
                lines = self.lines_of(board)
                found.update(lines[ref].key for ref in there if ref in lines)
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


def key_to(steps: Sequence[str], step: str) -> str:
    """The key that goes to one of the steps: the first ten have their own."""
    at = steps.index(step)
    return f"Ctrl+{(at + 1) % 10}" if at < 10 else "Alt+Right"


def texts_of(batch: Batch, cautions: str) -> tuple[str, ...]:
    """What stands in the cautions of a name for this design, () for a name that has none."""
    for station in batch.stations.values():
        if cautions in station.cautions:
            return (*station.cautions[cautions], *(station.cautions_here(batch) if cautions == station.name else ()))
    return ()
