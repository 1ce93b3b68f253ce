"""The print run: a panel cleaned, seated, printed and looked at along a short way; the weights beneath."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QPainter

from fusilex.bench.common.scales import named_port
from fusilex.bench.now import Now
from fusilex.bench.stations.print.commands import (
    ChooseFoil,
    ChoosePaste,
    PrintPanel,
    WipePrint,
    in_hand,
    just_printed,
)
from fusilex.bench.stations.print.events import Printing
from fusilex.bench.stations.print.foil import DoStage, WeighPanel, WipeFoil, next_stage
from fusilex.bench.stations.print.foil_events import STAGES, Foil, Run
from fusilex.bench.stations.print.judging import (
    STENCIL,
    coated,
    foil_and_paste,
    ground_here,
)
from fusilex.bench.stations.print.now import STAGE_DONE
from fusilex.bench.stations.print.scales import carried_g, weigh
from fusilex.bench.stations.print.stencil import since_wipe, strokes
from fusilex.bench.stations.print.typed_input import foil, grams
from fusilex.bench.workshop.record_kinds import PasteSheet
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.printing.paste import paste_mass_mg
from fusilex.core.printing.risks import risks
from fusilex.core.quantities import MM, write, write_fixed
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.stations.print.art import wrong_side
from fusilex.ui.stations.print.board_view import BoardView
from fusilex.ui.stations.print.look_run import LookRun
from fusilex.ui.stations.print.mid_batch import in_mid_batch
from fusilex.ui.stations.print.needle_run import NeedleRun
from fusilex.ui.stations.print.weights import show_weights
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.run_chart import RunChartCard


class RunView(BoardView[RunChartCard]):
    name = "Print"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, RunChartCard("Weighed prints in their order"))
        self.port = Reading(self, desk)
        self.needle, self.look = NeedleRun(desk), LookRun(desk, self.board, self._printed)

    @property
    def by_stencil(self) -> bool:
        return self.batch.step.method == STENCIL

    @property
    def looking(self) -> bool:
        """True while the panel in hand carries a print to look at."""
        return self.by_stencil and self._here and next_stage(self.batch, self.bench.board.panel) == STAGES[-1]

    @property
    def _here(self) -> bool:
        return self.bench.board.step == self.batch.step.id

    def now(self) -> Now | None:
        if not self.by_stencil:
            return self.needle.now()
        return self.look.now() if self.looking else None

    def refresh(self) -> None:
        board = self.bench.board
        what = "where to look at the print" if self.looking else "openings by how surely they print"
        if not self.by_stencil:
            what = f"paste by {self.batch.step.method}"
        self.board.caption = f"Panel {board.panel}, board {board.serial}    {what}"
        made = board.prints.get(self.batch.step.id)
        marked = ", ".join(f"{ref} {word}" for ref, word in self.look.marks().items())
        bare = "Accept or wipe this print" if self.looking else "Not printed yet"
        self.board.footer = marked or (f"Print {made.number} of this batch" if made else bare)
        self.board.update()
        self.chart.setVisible(self.by_stencil)
        show_weights(self.chart, self.batch)

    def paint_over(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if wrong_side(painter, canvas, self.batch.step.side):
            return
        foil_mm, paste = foil_and_paste(self.batch, self.bench.board)
        powder = self.bench.workshop[Records].paste(paste).powder or None
        found = risks(ground_here(self.batch), foil_mm, powder, coated(self.batch))
        levels = found.levels if self.by_stencil else np.zeros(len(self.apertures), dtype=int)
        key = (self.apertures, self.batch.step.method, foil_mm, powder, coated(self.batch))
        if not self.by_stencil and self._here:
            self.needle.paint(painter, canvas)
            return
        self.art.paint(painter, canvas, key, self.apertures.polygons, levels)
        if not self.looking:
            return
        self.look.paint(painter, canvas)

    def keys(self) -> list[Key]:
        ask, board = self.desk.ask, self.bench.board
        stage = next_stage(self.batch, board.panel)
        last = board.panel if in_hand(self.batch, board.panel) else just_printed(self.batch)
        keys = []
        if self.looking:
            keys = self.look.keys()
        elif self.by_stencil:
            keys = [
                Key("Space", f"{STAGE_DONE[stage]}, next", lambda _: self._stage(stage), True),
                Key("Enter", "printed and looked at", lambda _: self._printed(), True),
            ]
        else:
            keys = self.needle.keys()
        if last is not None:
            what = f"What was wrong with the print of panel {last}?"
            keys.append(Key("W", f"panel {last} wiped off", lambda _: ask(what, lambda why: self._wiped(last, why))))
        if self.by_stencil:
            keys.append(Key("U", "foil wiped beneath" if since_wipe(self.batch) else "", lambda _: self._foil_wiped()))
            keys.append(Key("G", "weigh", lambda _: self._weigh(), True))
        given = f"{self.bench.state.foil_mm:g}"
        return [
            *keys,
            Key("H", "foil" if self.by_stencil else "", lambda _: ask("Foil thickness in mm", self._foil, given)),
            Key("A", "paste", lambda _: self._next_paste()),
            Key("P", "next panel", lambda _: self._next_panel()),
        ]

    def _stage(self, stage: str) -> None:
        panel = self.bench.board.panel
        if self.desk.do(DoStage(panel, stage), f"{STAGE_DONE[stage].capitalize()}."):
            self.look.anew()

    def _printed(self) -> None:
        state, panel, serial = self.bench.state, self.bench.board.panel, self.bench.board.serial
        if self.desk.do(PrintPanel(panel, state.foil_mm, state.paste), f"Panel {panel} is printed."):
            self.look.anew()
            following = self.batch.next_here(self.batch.step.id, serial)
            if self.bench.state.boards[serial].step != self.batch.step.id and following:
                self.desk.go(board=following.serial, said=self.desk.said)

    def _wiped(self, panel: int, reason: str) -> None:
        if self.desk.do(WipePrint(panel, reason), f"Print of panel {panel} wiped off. Print it again."):
            self.desk.go(board=self.bench.state.panel_boards(panel)[0].serial, said=self.desk.said)

    def _foil_wiped(self) -> None:
        self.desk.do(WipeFoil(), "The foil is clean beneath. Its next print is a first one.")

    def _weigh(self) -> None:
        panel = self.bench.board.panel
        if port := named_port(port_of(self.bench.workshop[Records])):
            carried, on_it = carried_g(self.batch, panel), self._on_it(panel)

            def taken(grams: float) -> None:
                if self._on_it(panel) == on_it:
                    self._weighed(panel, grams)
                else:  # nobody knows whether the paste was on it when the scale came to rest
                    self.desk.say(f"The print of panel {panel} went on while it was weighed: weigh it again.")

            self.port.ask(lambda: weigh(port, carried, panel), taken)
        else:
            self.desk.ask(f"Weight of panel {panel} in g, such as 41.27", lambda text: self._typed(panel, text))

    def _on_it(self, panel: int) -> object:
        """What decides whether a weight of a panel is with paste or without."""
        return self.batch.step.id, in_hand(self.batch, panel), strokes(self.batch)

    def _typed(self, panel: int, text: str) -> None:
        if value := self.desk.read(lambda: grams(text)):
            self._weighed(panel, value)

    def _weighed(self, panel: int, value: float) -> None:
        after = (self.batch.step.id, panel) in self.bench.state[Run].before_g and in_hand(self.batch, panel)
        said = f"Panel {panel} weighs {value:.3f} g {'after' if after else 'before'} its print."
        self.desk.do(WeighPanel(panel, value), said)

    def _foil(self, text: str) -> None:
        if chosen := self.desk.read(lambda: foil(text)):
            done = f"Foil {write_fixed(chosen, 'mm', 2)}."
            in_mid_batch(self.desk, done, lambda reason: self.desk.do(ChooseFoil(chosen, reason), done))

    def _next_paste(self) -> None:
        names = list(self.bench.workshop[Records].all(PasteSheet))
        chosen = names[(names.index(self.bench.state.paste) + 1) % len(names)]
        done = f"{chosen.capitalize()} paste, {self.bench.workshop[Records].paste(chosen).alloy}."
        in_mid_batch(self.desk, done, lambda reason: self.desk.do(ChoosePaste(chosen, reason), done))

    def _next_panel(self) -> None:
        panels = self.bench.state.panels
        following = panels[(panels.index(self.bench.board.panel) + 1) % len(panels)]
        self.desk.go(board=self.bench.state.panel_boards(following)[0].serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        if not self.by_stencil and len(self.apertures):
            return self.needle.facts()
        batch = self.batch
        foil_mm, paste = foil_and_paste(batch, batch.board)
        sheet = batch.workshop[Records].paste(paste)
        per_board = paste_mass_mg(self.apertures, foil_mm, sheet.paste)
        printing, run, beneath = batch.state[Printing], batch.state[Run], batch.state[Foil]
        return "This run", [
            ("paste per panel", f"{per_board * batch.panel.count / 1000:.2f} g"),
            ("alloy", sheet.alloy),
            ("foil", write(foil_mm, MM)),
            ("prints, misprints", f"{len(printing.prints)}, {run.misprints}"),
            ("foil wiped", f"{since_wipe(batch)} prints ago" if beneath.wipes else f"never in {since_wipe(batch)}"),
        ]
