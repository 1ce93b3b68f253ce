"""Make: the copper as it has to come out, and what was done to the panel so far."""

from __future__ import annotations

import math

from fusilex.bench.stations.make.events import Making
from fusilex.bench.stations.make.typed_input import EXAMPLES, done
from fusilex.core.bare_boards.making import least_ring
from fusilex.core.quantities import write_length
from fusilex.ui.desk import Desk
from fusilex.ui.picture import StationPicture
from fusilex.ui.widgets.keys import Key

COVERED = ("cut", "transfer", "look", "etch")
"""Up to the bath, what shows is the pattern to come."""


class MakePicture(StationPicture):
    name = "Make"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.whole_panel = True
        canvas.fit()
        self.column.addWidget(canvas, 1)
        self.add_strip()

    def refresh(self) -> None:
        assert self.canvas
        board, method = self.bench.board, self.step.method
        self.canvas.layers = ("copper",) if method in COVERED else ("copper", "exposed")
        made = self.bench.state[Making].done
        past = [m.method for (panel, _), m in made.items() if panel == board.panel]
        self.canvas.caption = f"Panel {board.panel}    {method}, against the copper layer"
        self.canvas.footer = f"done: {', '.join(past)}" if past else "nothing done to it yet"
        self.canvas.update()

    def keys(self) -> list[Key]:
        return [
            Key("Space", f"{self.step.method} done", lambda _: self._ask(), True),
            Key("Tab", "next panel", lambda _: self.next_panel()),
        ]

    def _ask(self) -> None:
        method = self.step.method
        self.desk.ask(f"Minutes and numbers, such as {EXAMPLES[method]}", lambda text: self._done(method, text))

    def _done(self, method: str, text: str) -> None:
        serial, panel = self.bench.board.serial, self.bench.board.panel
        if (command := self.desk.read(lambda: done(panel, method, text))) and self.desk.do(command):
            self.desk.say(self.desk.went(serial))
            self.go_on(serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        finest, ring = self.batch.derived.finest, least_ring(self.bench.design)
        rows = []
        if finest is not None:
            rows += [("narrowest track", finest.width_mm), ("narrowest gap", finest.gap_mm)]
        rows += [("narrowest ring", ring)] if ring is not None else []
        return "Copper", [(what, write_length(mm)) for what, mm in rows if math.isfinite(mm)]
