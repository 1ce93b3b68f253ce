"""Looking at a print: part after part along a short way, marks by keys, at a whole part or at one of its pads."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QPainter

from fusilex.bench.now import Now
from fusilex.bench.stations.print.foil import LookAtPart, MarkDeposit
from fusilex.bench.stations.print.foil_events import Run
from fusilex.bench.stations.print.judging import looked_at, to_look_at
from fusilex.core.printing.looking import WORDS
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.art import draw_look_order, name_part
from fusilex.ui.widgets.keys import Key

MARKS = {str(n): word for n, word in enumerate(WORDS, 1)}
"""Keys of what a deposit may look like."""


class LookRun:
    """What the print run shows and does while a print is looked at; `accept` is called when all was seen."""

    def __init__(self, desk: Desk, canvas: BoardCanvas, accept: Callable[[], None]) -> None:
        self.desk, self.canvas, self.accept = desk, canvas, accept
        self._at, self._pad = 0, 0

    def anew(self) -> None:
        """From the first part on."""
        self._at = self._pad = 0
        self.canvas.selected = None

    @property
    def part(self) -> str:
        """The part to look at now: one that was picked on the board or searched, else the one on the way."""
        refs = to_look_at(self.desk.batch).refs
        picked = self.canvas.selected
        if picked and picked in self.desk.batch.derived.apertures(self.desk.batch.step.side).refs:
            return picked
        return refs[min(self._at, len(refs) - 1)] if refs else ""

    @property
    def pad(self) -> str:
        """The pad in hand, '' for the part as a whole."""
        pins = self._pins()
        return pins[(self._pad - 1) % len(pins)] if self._pad and pins else ""

    def _pins(self) -> list[str]:
        apertures = self.desk.batch.derived.apertures(self.desk.batch.step.side)
        mine = (pin for ref, pin in zip(apertures.refs, apertures.pins, strict=True) if ref == self.part and pin)
        return list(dict.fromkeys(mine))

    def looked(self) -> list[bool]:
        """The parts on the way, and whether they were looked at on the board in hand."""
        board, run = self.desk.bench.board, self.desk.bench.state[Run]
        key = board.step, board.panel
        seen = {*run.looked.get(key, ()), *((b, m.ref) for b, m in run.marks.get(key, ()))}
        return [(board.serial, ref) in seen for ref in to_look_at(self.desk.batch).refs]

    def marks(self) -> dict[str, str]:
        """What was marked on the board in hand, by part and pad."""
        board = self.desk.bench.board
        there = self.desk.bench.state[Run].marks.get((board.step, board.panel), ())
        return {f"{m.ref} pad {m.pin}" if m.pin else m.ref: m.word for serial, m in there if serial == board.serial}

    def open(self) -> bool:
        """True while some part on the way of the panel was not looked at."""
        return not all(looked_at(self.desk.batch).values())

    def now(self) -> Now | None:
        if not self.open():
            return None
        way, board = looked_at(self.desk.batch), self.desk.bench.board
        done, count = sum(way.values()), max(1, len(way))
        pad = f", pad {self.pad}" if self.pad else ""
        told = f"{self.part}{pad} of {board.serial}, {done} of {count} looked at. Space when it is good, else 1 to 6."
        return Now(f"Look at {self.part}, panel {board.panel}", told, done / count)

    def paint(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """The way, and the part in hand with what was marked there."""
        way = to_look_at(self.desk.batch)
        draw_look_order(painter, canvas, [tuple(at) for at in way.at.tolist()], self.looked())
        name = f"{self.part} pad {self.pad}" if self.pad else self.part
        name_part(painter, canvas, self.part, f"{name} {self.marks().get(name, '')}".strip())

    def keys(self) -> list[Key]:
        good = f"{self.part} is good, next" if self.open() else "panel printed"
        return [
            Key("Space", good, lambda _: self._good(), True),
            Key("Left Right", "part", lambda k: self._step(1 if k == "Right" else -1)),
            Key("Up Down", "pad", lambda k: self._step_pad(1 if k == "Down" else -1)),
            Key(" ".join(MARKS), ", ".join(MARKS.values()), self._mark, True),
            Key("0", "no mark", lambda _: self._mark("0"), True),
            Key("Enter", "accept the panel", lambda _: self.accept(), True),
        ]

    def _step(self, by: int) -> None:
        count = len(to_look_at(self.desk.batch).refs)
        self._at, self._pad = (self._at + by) % count if count else 0, 0
        self.canvas.selected = None
        self.desk.say("")

    def _step_pad(self, by: int) -> None:
        self._pad = (self._pad + by) % (len(self._pins()) + 1)
        self.desk.say("")

    def _good(self) -> None:
        if not self.open():
            self.accept()
            return
        done, refs = self.looked(), to_look_at(self.desk.batch).refs
        ref = self.part
        if all(done) and ref in refs:
            self._on()
            return
        if ref in refs and done[refs.index(ref)]:
            ref = refs[done.index(False)]
        if self.desk.do(LookAtPart(self.desk.bench.board.serial, ref), f"{ref} is good."):
            self._on()

    def _on(self) -> None:
        """The next part that was not looked at: of this board, then of the panel's next one."""
        bench, said = self.desk.bench, self.desk.said
        left = [n for n, over in enumerate(self.looked()) if not over]
        self._at, self._pad = left[0] if left else 0, 0
        self.canvas.selected = None
        if left:
            self.desk.say(said)
            return
        for other in bench.state.panel_boards(bench.board.panel):
            way = looked_at(self.desk.batch.about(other.serial, bench.board.step))
            if other.step == bench.board.step and any(not over and n.endswith(other.serial) for n, over in way.items()):
                self.desk.go(board=other.serial, said=said)
                return
        self.desk.say("The risky few of every board were looked at.")

    def _mark(self, key: str) -> None:
        word, serial, ref, pad = MARKS.get(key, ""), self.desk.bench.board.serial, self.part, self.pad
        where = f"{ref} pad {pad}" if pad else ref
        done = self.desk.do(MarkDeposit(serial, ref, word, pad), f"{where} of {serial}: {word or 'no mark'}.")
        if done and word and not pad:
            self._on()
