"""The batch as rules see it: what happened, the design, the workshop, the route. Read only."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from copy import copy
from typing import Concatenate, ParamSpec, TypeVar

from fusilex.bench.boards import Board
from fusilex.bench.building import Building
from fusilex.bench.common.events import Moved
from fusilex.bench.refusal import Refused
from fusilex.bench.view import View
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.route.steps import DONE, Step
from fusilex.journal.entries import Event

P = ParamSpec("P")
T = TypeVar("T")


class Batch(Building):
    """What happened, what is built, and the way of the boards."""

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
    def name(self) -> str:
        """Under which name the batch reserves and takes stock."""
        return f"{self.state.opened['design']} batch {self.state.opened['batch']}"

    @property
    def step(self) -> Step:
        """The step in view."""
        return self.steps.by_id[self.view.step]

    def judged_at(self, step: Step) -> list[Judgement]:
        """What a step says of the board in hand."""
        return self.stations[step.station].judge(self.about(self.view.board, step.id))

    def named(self, word: str) -> str:
        """What a step leaves on record, with the step's name where the route has several like it."""
        label = self.steps.label(self.step.id)
        return word if label == self.step.station else f"{word} ({label})"

    def where(self, board: Board) -> str:
        """What people call the step a board is at."""
        return self.steps.label(board.step)

    @property
    def under_way(self) -> list[Board]:
        """Boards that are neither done nor out of it."""
        return [b for b in self.state.boards.values() if b.step != DONE and not b.scrapped]

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
