"""Eyes over a board: the microscope's field as a frame, what nobody saw yet under a veil, the loupe on the part in
hand, the fault words as a keypad.
"""

from __future__ import annotations

import time

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusilex.bench.boards import Fault, numbers
from fusilex.bench.common.doubtful import left_in_doubt
from fusilex.bench.common.faults import MarkFault, to_repair
from fusilex.bench.stations.inspect.commands import LOOK_S, InspectBoard, SeeField, SignFirstArticle
from fusilex.bench.stations.inspect.deciding import AcceptFault, TouchUp, advice
from fusilex.bench.stations.inspect.touring import Field, fields_of, is_settled, seen_boxes, unseen, ways_of
from fusilex.core.design.model import Pad, Part
from fusilex.core.evidence import Level
from fusilex.core.inspection.expect import light, mark_lies
from fusilex.core.inspection.faults import FAULT_WORDS, FAULTS
from fusilex.core.inspection.severity import Advice
from fusilex.ui.canvas.loupe import Loupe
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.picture import neighbour
from fusilex.ui.stations.inspect.fault_glyphs import draw_faults
from fusilex.ui.stations.inspect.fault_pad import FaultPad
from fusilex.ui.stations.inspect.field_card import FieldCard
from fusilex.ui.stations.inspect.veil import draw_veil, on_canvas
from fusilex.ui.tabbed import View
from fusilex.ui.theme import theme
from fusilex.ui.widgets.glyphs import judgement_mark
from fusilex.ui.widgets.keys import Key

LIST_FROM = 40
"""Heights, in units of the theme, from which on there is room for a list beneath the board."""


class LookView(View):
    name = "Look"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.all_boards = False
        self._in_hand = ("", "")
        self._walked: set[str] = set()
        self._reading = ""
        self._in_view = ("", 0.0)
        self._followed: tuple[object, ...] = ()
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.whole_board() if self.batch.step.side == "both" else self.on_board()
        canvas.overlays = [self._veil, self._marks]
        canvas.part_clicked.connect(lambda ref, cell: self._select(ref))
        self.here = FieldCard()
        self.here.picked.connect(lambda row: self._select(self.here.rows[row][0]))
        self.loupe = Loupe(canvas)
        left, right = QVBoxLayout(), QWidget()
        left.addWidget(canvas, 5)
        left.addWidget(self.here, 2)
        self.here.setMinimumHeight(round(theme.base * 13))
        right.setMinimumWidth(round(theme.base * 26))
        right.setMaximumWidth(round(theme.base * 32))
        stack = QVBoxLayout(right)
        stack.setContentsMargins(0, 0, 0, 0)
        stack.addWidget(self.loupe, 3)
        stack.addWidget(FaultPad(self.mark), 3)
        row = QHBoxLayout()
        row.addLayout(left, 3)
        row.addWidget(right, 2)
        self.column.addLayout(row, 1)

    @property
    def cautions(self) -> str:
        """Those of the iron, once somebody is about to take it."""
        return self._reading if self.bench.route.unread(self.batch, self._reading) else ""

    @property
    def selected(self) -> Part | None:
        assert self.canvas
        return self.batch.built(self.bench.board).get(self.canvas.selected or "")

    @property
    def pin(self) -> str:
        """The joint in hand of the part in hand, '' for the part as a whole."""
        assert self.canvas
        return self._in_hand[1] if self._in_hand[0] == self.canvas.selected else ""

    @property
    def pad(self) -> Pad | None:
        """The joint in hand, None where the part as a whole is."""
        return next((p for p in self.selected.pads if p.pin == self.pin), None) if self.selected and self.pin else None

    @property
    def field(self) -> Field | None:
        """The field to look through now."""
        board = self.bench.board
        return next(iter(unseen(self.batch, board)), None) if board.step == self.batch.step.id else None

    # what is shown

    def refresh(self) -> None:
        assert self.canvas
        board, field = self.bench.board, self.field
        if self._in_view[0] != board.serial:
            self._in_view = board.serial, time.monotonic()
        now = (board.serial, self.batch.step.id, field and (field.side, field.x, field.y))
        if self._followed != now:
            self._followed = now
            self._begin(field)
        faults = len(to_repair(self.batch, board))
        fields = fields_of(self.batch)
        number = f"    field {fields.index(field) + 1} of {len(fields)}" if field in fields else ""
        number += "" if all(map(is_settled, ways_of(self.batch))) else ", a shorter way is looked for"
        self.canvas.caption = (
            "Faults of all boards over one another"
            if self.all_boards
            else f"Panel {board.panel}, board {board.serial}{number}    {faults} open fault{'' if faults == 1 else 's'}"
        )
        self.here.show_field(self.batch, board, field, self.canvas.selected)
        part = self.selected
        joint = f", joint {self.pin}" if self.pad else ""
        hint = (light(part) or (f"mark {mark_lies(part)}" if mark_lies(part) else part.package.code)) if part else ""
        self.loupe.look_at(part, f"{part.ref}{joint}  {part.value}" if part else "", hint, ghost=False, pad=self.pad)
        self.canvas.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room the board gets it: the Now card names what is in the field."""
        self.here.setVisible(self.height() >= LIST_FROM * theme.base)

    def _begin(self, field: Field | None) -> None:
        """A field came into view: its side up, its first part in hand, one in doubt before others."""
        assert self.canvas
        self._in_hand = ("", "")
        parts = self.batch.built(self.bench.board)
        refs = [ref for ref in field.refs if ref in parts] if field else []
        if not refs:
            if self.selected is None:
                self.canvas.selected = next((p.ref for p in self._side_parts()), None)
            return
        doubts = dict(left_in_doubt(self.batch, self.bench.board))
        self.canvas.selected = next((ref for ref in refs if ref in doubts), refs[0])
        assert field
        self.canvas.flip(field.side)

    def _side_parts(self) -> list[Part]:
        assert self.canvas
        side = self.batch.step.side
        return [p for p in self.whole_board() if p.side == (self.canvas.side if side == "both" else side)]

    def _veil(self, painter: QPainter, canvas: BoardCanvas) -> None:
        """What of this side nobody looked through yet."""
        board, step = self.bench.board, self.batch.step
        if self.all_boards or board.step != step.id or step.side not in ("both", canvas.side):
            return
        if (field := self.field) is not None:
            here = field.box if field.side == canvas.side else None
            draw_veil(painter, canvas, seen_boxes(self.batch, board, canvas.side), here)

    def _marks(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if (part := self.selected) and part.side == canvas.side:
            canvas.outline_part(painter, part)
            if self.pad:
                painter.setPen(QPen(theme.colour("stop"), 2.5))
                painter.drawEllipse(on_canvas(canvas, self.pad.polygon.bounds).adjusted(-4, -4, 4, 4))
        boards = self.bench.state.boards.values() if self.all_boards else [self.bench.board]
        faults = [f for b in boards for f in (b.faults if self.all_boards else b.open_faults)]
        if not draw_faults(painter, canvas, faults) and self.all_boards:
            judgement_mark(painter, QPointF(24, 46), 7, Level.GO)

    # what is done

    def keys(self) -> list[Key]:
        words = {fault.key.upper(): fault.word for fault in FAULTS}
        more = [Key("Enter", "pass the board, fields unseen", lambda _: self._pass(), True)] if self.field else []
        fault = self._fault
        reached = fault is not None and advice(self.batch, self.bench.board, fault) is Advice.TOUCH_UP
        measured = fault is not None and fault.word in FAULT_WORDS and FAULT_WORDS[fault.word].measure
        decide = [
            Key("T", "touched up" if reached else "", lambda _: self._touch_up(), True),
            Key("Y", "within the limit" if measured else "", lambda _: self._measure(), True),
        ]
        return [
            Key("Space", "all well, next" if self.field else "board looked over", lambda _: self._next(), True),
            Key("Left Right Up Down", "walk the parts", self._walk),
            Key(", .", "joints", self._joint),
            Key(" ".join(words), "mark a fault", lambda key: self.mark(words[key]), True),
            *decide,
            *more,
            Key("G", "sign first article", lambda _: self._sign(), True),
            Key("A", "all boards", lambda _: self._all()),
        ]

    @property
    def _fault(self) -> Fault | None:
        """The open fault at the part in hand that was marked last; else the board's last."""
        open_ = to_repair(self.batch, self.bench.board)
        own = [f for f in open_ if self.selected and f.ref == self.selected.ref]
        found = own or open_
        return found[-1] if found else None

    def _all(self) -> None:
        self.all_boards = not self.all_boards
        self.desk.changed.emit()

    def _select(self, ref: str) -> None:
        assert self.canvas
        self.canvas.selected, self._in_hand = ref, ("", "")
        self._walked.add(self.bench.board.serial)
        self.desk.changed.emit()

    def _walk(self, key: str) -> None:
        assert self.canvas
        here = [p for p in self.whole_board() if p.side == self.canvas.side]
        found = neighbour(here, self.canvas.selected, key, self.canvas.side == "bottom")
        self._select(found or "")

    def _joint(self, key: str) -> None:
        """The next joint of the part in hand, or the one before; past the last the part as a whole."""
        if self.selected is None:
            return
        pins = ["", *(p.pin for p in self.selected.pads)]
        at = pins.index(self.pin) if self.pin in pins else 0
        self._in_hand = self.selected.ref, pins[(at + (1 if key == "." else -1)) % len(pins)]
        self.desk.changed.emit()

    def mark(self, word: str) -> None:
        """Mark the part, or the joint, in hand with a fault."""
        if self.selected:
            command = MarkFault(self.bench.board.serial, self.selected.ref, word, self.pin)
            place = f"{self.selected.ref}{self.pin and '.'}{self.pin}"
            self.desk.do(command, f"{place}: {word}.")

    def _touch_up(self) -> None:
        if (fault := self._fault) is None:
            self.desk.say("Nothing is marked that could be touched up.")
        elif self.bench.route.unread(self.batch, TouchUp.cautions):
            self._reading = TouchUp.cautions
            self.desk.say("Then T again.")
        else:
            self.desk.do(TouchUp(self.bench.board.serial, fault.id), f"{fault.place} is touched up: look at it again.")

    def _measure(self) -> None:
        if (fault := self._fault) is None:
            self.desk.say("Nothing is marked that could be measured.")
            return
        board = self.bench.board.serial

        def measured(text: str) -> None:
            try:
                share = float(text.strip().rstrip("%").replace(",", ".")) / 100
            except ValueError:
                self.desk.say("Type a number of per cent, such as 30.")
                return
            self.desk.do(AcceptFault(board, fault.id, share), f"{fault.place} is within the limit.")

        self.desk.ask(f"How much is “{fault.word}” at {fault.place}, in per cent?", measured)

    def _sign(self) -> None:
        self.desk.do(
            SignFirstArticle(self.bench.board.serial), f"{self.bench.board.serial} is signed as first article."
        )

    def _next(self) -> None:
        """The field is well, the next one; after the last the board goes on."""
        field = self.field
        if field is None:
            self._pass()
            return
        number = fields_of(self.batch).index(field) + 1
        self.desk.do(SeeField(self.bench.board.serial, number))

    def _looked(self) -> bool:
        """Parts were walked, faults marked, or the board lay under the eyes for long enough."""
        board = self.bench.board
        watched = self._in_view[0] == board.serial and time.monotonic() - self._in_view[1] >= LOOK_S
        return watched or board.serial in self._walked or bool(board.open_faults)

    def _pass(self) -> None:
        board = self.bench.board
        left, looked = len(unseen(self.batch, board)), self._looked()
        if self.desk.do(InspectBoard(board.serial, looked)):
            self._walked.discard(board.serial)
            unsaid = f" {left} fields were not looked through, and its record says so." if left and looked else ""
            passed = " It was passed without a look, and its record says so." if left and not looked else ""
            self.desk.say(f"{self.desk.went(board.serial)}{unsaid}{passed}")
            self.go_on(board.serial)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        board = self.bench.board
        return "This board", [
            ("print", numbers(board.prints)),
            ("oven load", numbers(board.loads)),
            ("placed by", ", ".join(sorted(set(board.placed_how.values()))) or "nobody"),
            ("looked over", f"{board.inspections} time{'' if board.inspections == 1 else 's'}"),
        ]
