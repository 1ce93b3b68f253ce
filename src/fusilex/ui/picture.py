"""What all stations have in common."""

from __future__ import annotations

import math
from collections.abc import Sequence

from msgspec.structs import replace
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.commands import Acknowledge
from fusilex.bench.now import Now
from fusilex.bench.record.bench import Bench
from fusilex.core.design.model import Part
from fusilex.core.judgement import Judgement
from fusilex.core.route.steps import Step
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.theme import GAP
from fusilex.ui.widgets.board_strip import BoardStrip
from fusilex.ui.widgets.keys import Key


class Picture(QWidget):
    """What a station and each of its views are: a column to fill, perhaps a board canvas; `refresh`, `keys`, `facts`
    to answer.
    """

    name = ""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(GAP)
        self.canvas: BoardCanvas | None = None

    @property
    def bench(self) -> Bench:
        return self.desk.bench

    @property
    def batch(self) -> Batch:
        return self.desk.bench.batch

    def add_canvas(self) -> BoardCanvas:
        """The board canvas, showing the open design."""
        self.canvas = BoardCanvas()
        self.canvas.show_design(self.bench.design, self.desk.art, self.batch.panel)
        return self.canvas

    def refresh(self) -> None:
        """Take in the state of the batch."""
        self.update()

    def keys(self) -> list[Key]:
        """Its keys, the most used first."""
        return []

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        return "", []

    def judgements(self, own: list[Judgement]) -> list[Judgement]:
        """What is judged beside this picture, the worst first: by default the step's `own` judgements."""
        return own

    def take_files(self, names: Sequence[str]) -> bool:
        """True where files that were dropped on the bench are for this picture, which takes them."""
        return False

    def on_board(self, board: Board | None = None) -> list[Part]:
        """Parts that are on a board now, by default on the board in hand."""
        here = board or self.bench.board
        parts = self.batch.built(here)
        return [parts[ref] for ref in [*here.placed, *here.soldered] if ref in parts]

    def whole_board(self) -> list[Part]:
        """Every part a finished board of this batch carries."""
        without = self.bench.state[Bins].without
        parts = self.batch.built(self.bench.board).values()
        return [p for p in parts if p.populated and p.ref not in without]

    def go_on(self, before: str) -> None:
        """When the board in hand has left this station, take the next one that is here: of its panel first."""
        state, step = self.bench.state, self.batch.step.id
        if state.boards[before].step != step and (following := self.batch.next_here(step, before)):
            self.desk.go(board=following.serial, said=self.desk.said)

    def next_panel(self) -> None:
        """Take the first board of the next panel."""
        panels = self.bench.state.panels
        following = panels[(panels.index(self.bench.board.panel) + 1) % len(panels)]
        self.desk.go(board=self.bench.state.panel_boards(following)[0].serial)


class StationPicture(Picture):
    """A bench picture with its keys, and what stations share."""

    _faced = ""

    @property
    def step(self) -> Step:
        """The step in view, which is one of this station while its picture is up."""
        view = self.batch.step
        return view if view.station == self.name else self.bench.route.steps.at_station(self.name)[0]

    def face(self) -> None:
        """Turn the board to the side of the step that came into view."""
        if self.canvas and self._faced != self.step.id:
            self._faced = self.step.id
            if self.step.side in ("top", "bottom"):
                self.canvas.flip(self.step.side)

    def add_strip(self) -> BoardStrip:
        strip = BoardStrip(self.desk, lambda: self.step.id)
        self.column.addWidget(strip)
        return strip

    @property
    def cautions(self) -> str:
        """Name of the cautions to be read before anything else here."""
        return self.name

    def now(self) -> Now:
        """The one thing to do; cautions before anything else."""
        unread = self.bench.route.unread(self.batch, self.cautions)
        return unread or self.bench.now(self.step.id)

    def keys_now(self) -> list[Key]:
        """Its keys as they work now: while cautions are unread, Space reads them and does nothing else; what works on
        the board in hand says where that is while it is elsewhere.
        """
        board, unread = self.bench.board, self.bench.route.unread(self.batch, self.cautions)
        here = board.step == self.step.id
        why = f"Read and acknowledge the cautions of {self.cautions} first."
        if not here:
            why = f"Board {board.serial} {'was scrapped' if board.scrapped else f'is at {self.batch.where(board)}'}."
        keys = [
            replace(k, label="" if not here else k.label, action=lambda _: self.desk.say(why))
            if k.works_on_board and not (here and unread is None)
            else k
            for k in self.keys()
        ]
        if unread is None:
            return keys
        read = Key("Space", "read", lambda _: self.desk.do(Acknowledge(self.cautions), "Noted for this batch."))
        return [read, *(key for key in keys if key.keys != "Space")]


def neighbour(parts: list[Part], ref: str | None, direction: str, mirrored: bool) -> str | None:
    """The part next to `ref` in a direction on the picture: nearest, with sideways distance counted double."""
    if not parts:
        return None
    at = next((p for p in parts if p.ref == ref), None)
    if at is None:
        return parts[0].ref
    dx, dy = {"Left": (-1, 0), "Right": (1, 0), "Up": (0, 1), "Down": (0, -1)}[direction]
    dx = -dx if mirrored else dx
    best: tuple[float, str] | None = None
    for part in parts:
        ahead = (part.x - at.x) * dx + (part.y - at.y) * dy
        aside = abs((part.x - at.x) * dy) + abs((part.y - at.y) * dx)
        if ahead > 0.05 and aside <= 2.5 * ahead + 0.5:
            cost = math.hypot(ahead, 2 * aside)
            if best is None or cost < best[0]:
                best = cost, part.ref
    return best[1] if best else at.ref
