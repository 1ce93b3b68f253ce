"""The print run: a panel cleaned, seated, printed and looked at along a short way; the weights beneath."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QPainter

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
from fusilex.bench.stations.print.foil import DoStage, LookAtPart, MarkDeposit, WeighPanel, WipeFoil, next_stage
from fusilex.bench.stations.print.foil_events import STAGES, Foil, Run
from fusilex.bench.stations.print.judging import (
    STENCIL,
    coated,
    foil_and_paste,
    ground_here,
    looked_at,
    route,
)
from fusilex.bench.stations.print.now import STAGE_DONE
from fusilex.bench.stations.print.scales import weigh
from fusilex.bench.stations.print.stencil import since_wipe
from fusilex.bench.stations.print.typed_input import foil, grams
from fusilex.bench.workshop.record_kinds import PasteSheet
from fusilex.bench.workshop.records import Records, port_of
from fusilex.core.printing.looking import WORDS
from fusilex.core.printing.openings import Openings
from fusilex.core.printing.paste import paste_mass_mg
from fusilex.core.printing.risks import risks
from fusilex.core.units import show_length
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.art import OpeningArt, draw_route, name_part, wrong_side
from fusilex.ui.stations.print.mid_batch import in_mid_batch
from fusilex.ui.stations.print.needle_run import NeedleRun
from fusilex.ui.stations.print.weights import show_weights
from fusilex.ui.tabbed import View
from fusilex.ui.units import Units
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.run_chart import RunChartCard

MARKS = {str(n): word for n, word in enumerate(WORDS, 1)}
"""Keys of what a deposit may look like."""


class RunView(View):
    name = "Print"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.layers = ("copper", "exposed")
        canvas.overlays = [self._paint]
        self.column.addWidget(canvas, 3)
        self.chart = RunChartCard("Weighed prints in their order")
        self.column.addWidget(self.chart, 2)
        self._art, self.needle = OpeningArt(), NeedleRun(desk)
        self._at = 0

    @property
    def openings(self) -> Openings:
        return self.batch.derived.openings(self.batch.step.side)

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

    @property
    def part(self) -> str:
        """The part to look at now."""
        refs = route(self.batch).refs
        return refs[min(self._at, len(refs) - 1)] if refs else ""

    def looked(self) -> list[bool]:
        """The parts on the way, and whether they were looked at on the board in hand."""
        board = self.bench.board
        run, key = self.bench.state[Run], (board.step, board.panel)
        seen = {*run.looked.get(key, ()), *((b, m.ref) for b, m in run.marks.get(key, ()))}
        return [(board.serial, ref) in seen for ref in route(self.batch).refs]

    def marks(self) -> dict[str, str]:
        """What was marked on the board in hand, by part."""
        board = self.bench.board
        there = self.bench.state[Run].marks.get((board.step, board.panel), ())
        return {m.ref: m.word for serial, m in there if serial == board.serial}

    def now(self) -> Now | None:
        if not self.by_stencil:
            return self.needle.now()
        if not self.looking or not self._open():
            return None
        panel, (done, count) = self.bench.board.panel, self._counts()
        where = f"{self.part} of {self.bench.board.serial}"
        told = f"{where}, {done} of {count} looked at. Space when it is good, else 1 to 6."
        return Now(f"Look at {self.part}, panel {panel}", told, done / count)

    def _counts(self) -> tuple[int, int]:
        """Parts of the panel that were looked at, and how many there are."""
        way = looked_at(self.batch)
        return sum(way.values()), max(1, len(way))

    def refresh(self) -> None:
        assert self.canvas
        board = self.bench.board
        what = "where to look at the print" if self.looking else "openings by how surely they print"
        if not self.by_stencil:
            what = f"paste by {self.batch.step.method}"
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}    {what}"
        made = board.prints.get(self.batch.step.id)
        marked = ", ".join(f"{ref} {word}" for ref, word in self.marks().items())
        bare = "Accept or wipe this print" if self.looking else "Not printed yet"
        self.canvas.footer = marked or (f"Print {made.number} of this batch" if made else bare)
        self.canvas.update()
        self.chart.setVisible(self.by_stencil)
        show_weights(self.chart, self.batch)

    def _paint(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if wrong_side(painter, canvas, self.batch.step.side):
            return
        foil_mm, paste = foil_and_paste(self.batch, self.bench.board)
        powder = self.bench.workshop[Records].paste(paste).powder or None
        found = risks(ground_here(self.batch), foil_mm, powder, coated(self.batch))
        levels = found.levels if self.by_stencil else np.zeros(len(self.openings), dtype=int)
        key = (self.openings, self.batch.step.method, foil_mm, powder, coated(self.batch))
        if not self.by_stencil and self._here:
            self.needle.paint(painter, canvas)
            return
        self._art.paint(painter, canvas, key, self.openings.polygons, levels)
        if not self.looking:
            return
        way = route(self.batch)
        draw_route(painter, canvas, [tuple(at) for at in way.at.tolist()], self.looked())
        name_part(painter, canvas, self.part, f"{self.part} {self.marks().get(self.part, '')}".strip())

    def keys(self) -> list[Key]:
        ask, board = self.desk.ask, self.bench.board
        stage = next_stage(self.batch, board.panel)
        last = board.panel if in_hand(self.batch, board.panel) else just_printed(self.batch)
        keys = []
        if self.looking:
            keys = [
                Key(
                    "Space",
                    f"{self.part} is good, next" if self._open() else "panel printed",
                    lambda _: self._good(),
                    True,
                ),
                Key("Left Right", "part", lambda k: self._step(1 if k == "Right" else -1)),
                Key(" ".join(MARKS), ", ".join(MARKS.values()), self._mark, True),
                Key("0", "no mark", lambda _: self._mark("0"), True),
                Key("Enter", "accept the panel", lambda _: self._printed(), True),
            ]
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

    def _open(self) -> bool:
        """True while some part on the way of the panel was not looked at."""
        return not all(looked_at(self.batch).values())

    def _step(self, by: int) -> None:
        count = len(route(self.batch).refs)
        self._at = (self._at + by) % count if count else 0
        self.desk.say("")

    def _stage(self, stage: str) -> None:
        panel = self.bench.board.panel
        if self.desk.do(DoStage(panel, stage), f"{STAGE_DONE[stage].capitalize()}."):
            self._at = 0

    def _good(self) -> None:
        if not self._open():
            self._printed()
            return
        done = self.looked()
        if all(done):
            self._on()
            return
        ref = self.part if not done[min(self._at, len(done) - 1)] else route(self.batch).refs[done.index(False)]
        if self.desk.do(LookAtPart(self.bench.board.serial, ref), f"{ref} is good."):
            self._on()

    def _on(self) -> None:
        """The next part that was not looked at: of this board, then of the panel's next one."""
        left, said, board = [n for n, over in enumerate(self.looked()) if not over], self.desk.said, self.bench.board
        self._at = left[0] if left else 0
        if left:
            self.desk.say(said)
            return
        for other in self.bench.state.panel_boards(board.panel):
            way = looked_at(self.batch.about(other.serial, board.step))
            if other.step == board.step and any(not over and name.endswith(other.serial) for name, over in way.items()):
                self.desk.go(board=other.serial, said=said)
                return
        self.desk.say("The risky few of every board were looked at.")

    def _mark(self, key: str) -> None:
        word = MARKS.get(key, "")
        serial, ref = self.bench.board.serial, self.part
        said = f"{ref} of {serial}: {word or 'no mark'}."
        if self.desk.do(MarkDeposit(serial, ref, word), said) and word:
            self._on()

    def _printed(self) -> None:
        state, panel, serial = self.bench.state, self.bench.board.panel, self.bench.board.serial
        if self.desk.do(PrintPanel(panel, state.foil_mm, state.paste), f"Panel {panel} is printed."):
            self._at = 0
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
        port = port_of(self.bench.workshop[Records])
        if read := self.desk.read(lambda: weigh(self.batch, panel, port)):
            self._weighed(panel, read)
        elif not port:
            self.desk.ask(f"Weight of panel {panel} in g, such as 41.27", lambda text: self._typed(panel, text))

    def _typed(self, panel: int, text: str) -> None:
        if value := self.desk.read(lambda: grams(text)):
            self._weighed(panel, value)

    def _weighed(self, panel: int, value: float) -> None:
        after = (self.batch.step.id, panel) in self.bench.state[Run].before_g and in_hand(self.batch, panel)
        said = f"Panel {panel} weighs {value:.3f} g {'after' if after else 'before'} its print."
        self.desk.do(WeighPanel(panel, value), said)

    def _foil(self, text: str) -> None:
        if chosen := self.desk.read(lambda: foil(text)):
            done = f"Foil {show_length(chosen, Units.inch)}."
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
        if not self.by_stencil and len(self.openings):
            return self.needle.facts()
        batch = self.batch
        foil_mm, paste = foil_and_paste(batch, batch.board)
        sheet = batch.workshop[Records].paste(paste)
        per_board = paste_mass_mg(self.openings, foil_mm, sheet.paste)
        printing, run, beneath = batch.state[Printing], batch.state[Run], batch.state[Foil]
        return "This run", [
            ("paste per panel", f"{per_board * batch.panel.count / 1000:.2f} g"),
            ("alloy", sheet.alloy),
            ("foil", show_length(foil_mm, Units.inch)),
            ("prints, misprints", f"{len(printing.prints)}, {run.misprints}"),
            ("foil wiped", f"{since_wipe(batch)} prints ago" if beneath.wipes else f"never in {since_wipe(batch)}"),
        ]
