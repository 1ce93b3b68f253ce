"""The trays of bins in placing order, each bin with its part drawn to one scale, its fill, bag and clocks."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import shapely
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from fusilex.bench import commands as c
from fusilex.bench.stock import exposure_of
from fusilex.core.board.frame import board_to_part
from fusilex.core.board.model import Part
from fusilex.core.judgement import Level
from fusilex.core.kit.moisture import CARE_LEFT, FLOOR_LIFE_H, hours_left
from fusilex.core.kit.quantities import SCHOOLS, PullLine
from fusilex.core.kit.stock import buy_list
from fusilex.core.kit.trays import TrayPlan
from fusilex.core.problems import BadInput
from fusilex.formats.csv_out import buy_csv
from fusilex.formats.intake import read_one
from fusilex.ui.canvas.bodies import draw_part
from fusilex.ui.desk import Desk
from fusilex.ui.glyphs import judgement_mark, plain_text
from fusilex.ui.keys import Key
from fusilex.ui.theme import RADIUS, theme
from fusilex.ui.view import View

MOST_PICTURES = 400
SCALE = 14.0  # pixels per mm of a body drawn at full size


class Tray(QWidget):
    """All bins, row by row in placing order; the bin in hand is lit."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.chosen = 0
        self._boxes: dict[int, QRectF] = {}
        self._unturned: dict[str, Part] = {}
        self._pictures: dict[tuple[str, float, int, int, str], QPixmap] = {}
        self.setAccessibleName("Tray of bins")

    @property
    def plan(self) -> TrayPlan:
        """The workshop's own trays, or one whose bins come nearest to a pleasant shape."""
        count = len(self.desk.bench.lines)
        own = self.desk.bench.workshop.state.tray
        if own is not None:
            return TrayPlan(*own, count)
        room = max(1, self.height() - 40)
        columns = min(
            range(1, count + 2),
            key=lambda c: abs((self.width() / c) / (room / math.ceil((count + 1) / c)) - 1.25),
        )
        return TrayPlan(math.ceil((count + 1) / columns), columns, count)

    def columns(self) -> int:
        return self.plan.columns

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("bench"))
        painter.drawRoundedRect(QRectF(self.rect()), RADIUS, RADIUS)
        bench, plan = self.desk.bench, self.plan
        tray = plan.place(min(self.chosen, plan.bins))[0]
        which = f"Tray {tray + 1} of {plan.trays}, " if plan.trays > 1 else "Bins "
        words = f"{which}in the order they are placed: {SCHOOLS[bench.state.order]}; large bodies at ½ or ¼"
        plain_text(painter, QRectF(16, 8, self.width() - 32, 24), words, "body", "soft")
        width, height = (self.width() - 24) / plan.columns, (self.height() - 46) / plan.rows
        self._boxes = {}
        for i in range(plan.bins + 1):
            on, row, column = plan.place(i)
            if on == tray:
                self._boxes[i] = QRectF(12 + column * width, 36 + row * height, width - 5, height - 5)
        for i, box in self._boxes.items():
            if i < plan.bins:
                self._bin(painter, box, bench.lines[i], i)
            else:
                painter.setPen(QPen(theme.colour("soft"), 1, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, 5, 5)
                painter.setFont(theme.font("small"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "spare")

    def _bin(self, painter: QPainter, box: QRectF, line: PullLine, index: int) -> None:
        bench = self.desk.bench
        held = bench.state.bins.get(line.key)
        count = bench.left_in_bin(line.key) if held else None
        lit = index == self.chosen
        short = held is not None and held["count"] < line.need
        painter.setPen(
            QPen(theme.colour("stop" if short else "ink" if lit else "hair"), 3 if lit else 2 if short else 1)
        )
        painter.setBrush(theme.colour("card"))
        painter.drawRoundedRect(box, 5, 5)
        low = theme.base * 1.75
        fill = QRectF(box.left() + 2, box.bottom() - low - 2, box.width() - 4, low)
        if held:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("stop" if short else "solder", 60))
            painter.drawRect(
                QRectF(fill.x(), fill.y(), fill.width() * min(1.0, held["count"] / max(1, line.pull)), fill.height())
            )
        skipped = line.side == bench.state.skipped_side
        words = f"{count} in" if held else "other side" if skipped else f"pull {line.pull}"
        plain_text(
            painter,
            fill.translated(0, 2),
            words,
            "small",
            "stop" if short else "ink" if held else "soft",
            short,
            Qt.AlignmentFlag.AlignHCenter,
        )
        plain_text(painter, QRectF(box.left() + 6, box.top() + 3, 40, 20), str(index + 1), "small", "soft")
        value_height = theme.base * 1.9
        metrics = QFontMetricsF(theme.font("body", bold=True))
        value = metrics.elidedText(line.value, Qt.TextElideMode.ElideRight, box.width() - 8)
        plain_text(
            painter,
            QRectF(box.left() + 4, fill.top() - value_height, box.width() - 8, value_height),
            value,
            "body",
            "ink",
            True,
            Qt.AlignmentFlag.AlignHCenter,
        )
        self._body(
            painter, QRectF(box.left(), box.top() + 6, box.width(), fill.top() - value_height - box.top() - 8), line
        )
        self._marks(painter, box, line)

    def _marks(self, painter: QPainter, box: QRectF, line: PullLine) -> None:
        """Beside its number: the bag's check, the programme, the moisture clock as a ring that empties."""
        bench = self.desk.bench
        x, y = box.left() + 34, box.top() + 12
        if bag := bench.state.bags.get(line.key):
            level = Level(bag["level"])
            judgement_mark(painter, QPointF(x, y), 5, Level.CARE if level is Level.STOP and bag["reason"] else level)
            x += 17
        clock = next(
            (lot for lot in bench.stock.lots_for(line) if lot.level != "1" and lot.moisture and lot.count > 0), None
        )
        if clock is not None:
            life = FLOOR_LIFE_H[clock.level]
            left = hours_left(clock.level, exposure_of(bench, clock)) / life if life else 0.0
            ring = QRectF(x - 5.5, y - 5.5, 11, 11)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.colour("hair"), 3))
            painter.drawEllipse(ring)
            painter.setPen(QPen(theme.colour("stop" if left <= 0 else "care" if left < CARE_LEFT else "go"), 3))
            painter.drawArc(ring, 90 * 16, round(-360 * 16 * min(1.0, left)) if left > 0 else 360 * 16)
            x += 17
        if line.key in bench.state.programmes:
            token = "go" if bench.state.programmes[line.key] else "stop"
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(QRectF(x - 7, y - 8, 16, 16), 4, 4)
            plain_text(painter, QRectF(x - 7, y - 8, 16, 18), "P", "small", token, True, Qt.AlignmentFlag.AlignHCenter)

    def _body(self, painter: QPainter, box: QRectF, line: PullLine) -> None:
        part: Part = self.desk.bench.design.part_by_ref[line.refs[0]]
        room = min((box.width() - 20) / line.body.size_x, (box.height() - 2) / line.body.size_y)
        shrink, words = next(((f, w) for f, w in ((1, ""), (2, "½"), (4, "¼")) if SCALE / f <= room), (8, "⅛"))
        scale = SCALE / shrink
        plain_text(
            painter,
            QRectF(box.right() - 30, box.top() - 3, 24, 20),
            words,
            "small",
            "soft",
            False,
            Qt.AlignmentFlag.AlignRight,
        )
        picture = self._picture(part, scale, box.width(), box.height())
        painter.drawPixmap(box.topLeft(), picture)

    def _picture(self, part: Part, scale: float, width: float, height: float) -> QPixmap:
        """A bin's part, unturned, painted once for a size and theme."""
        key = part.ref, scale, round(width), round(height), theme.tokens.name
        if key not in self._pictures:
            if part.ref not in self._unturned:
                self._unturned[part.ref] = unturned(part)
            ratio = self.devicePixelRatioF()
            made = QPixmap(math.ceil(width * ratio), math.ceil(height * ratio))
            made.setDevicePixelRatio(ratio)
            made.fill(Qt.GlobalColor.transparent)
            painter = QPainter(made)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.translate(width / 2, height / 2)
            painter.scale(scale, -scale)
            draw_part(painter, self._unturned[part.ref])
            painter.end()
            if len(self._pictures) > MOST_PICTURES:
                self._pictures.clear()
            self._pictures[key] = made
        return self._pictures[key]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        for i, box in self._boxes.items():
            if event and i < len(self.desk.bench.lines) and box.contains(event.position()):
                self.chosen = i
                self.desk.changed.emit()


def unturned(part: Part) -> Part:
    """The part in its own frame, top side, so that a bin shows it unturned with its marks."""

    def own(xy: np.ndarray) -> np.ndarray:
        return np.asarray(board_to_part(xy, (part.x, part.y), part.turn, part.side))

    pads = tuple(replace(p, side="top", polygon=shapely.transform(p.polygon, own)) for p in part.pads)
    return replace(part, x=0.0, y=0.0, turn=0.0, side="top", pads=pads)


class TrayView(View):
    name = "Tray"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.tray = Tray(desk)
        self.column.addWidget(self.tray, 1)
        self._next()

    def _waiting(self) -> list[int]:
        """Bins that are to be filled and are not, in order."""
        state = self.bench.state
        return [i for i, x in enumerate(self.bench.lines) if x.key not in state.bins and x.side != state.skipped_side]

    def _next(self) -> None:
        self.tray.chosen = next(iter(self._waiting()), self.tray.chosen)

    def refresh(self) -> None:
        self.tray.chosen = max(0, min(self.tray.chosen, len(self.bench.lines) - 1))
        self.tray.update()

    @property
    def line(self) -> PullLine:
        return self.bench.lines[self.tray.chosen]

    def keys(self) -> list[Key]:
        ask, number = self.desk.ask, self.tray.chosen + 1
        if not self.bench.lines:
            return []
        bag = self.bench.state.bags.get(self.line.key)
        keys = [
            Key("Space", "bin filled", lambda _: self._filled()),
            Key("C", "other count", lambda _: ask(f"Pieces in bin {number}", self._counted)),
            Key(
                "K",
                "check the bag",
                lambda _: ask(
                    f"Label of the bag for bin {number}, {self.line.value} {self.line.body.code}", self._label
                ),
            ),
        ]
        if bag and bag["level"] != Level.GO:
            keys.append(
                Key("W", "use it all the same", lambda _: ask("Because", lambda why: self._bag(bag["label"], why)))
            )
        return [
            *keys,
            Key("Left Right Up Down", "choose a bin", self._move),
            Key("L", "lot", lambda _: ask(f"Lot of {self.line.value} in bin {number}", self._lot)),
            Key(
                "S",
                "substitute",
                lambda _: ask(f"What may stand in for {self.line.value}, and why (part: reason)", self._substitute),
            ),
            Key("G", "programme", lambda _: self._programme()),
            Key(
                "Y", "strap test", lambda _: ask("The strap reads", lambda t: self._did(c.StrapTest(t), "Strap noted."))
            ),
            Key("O", "order", lambda _: self._order()),
            Key(
                "T",
                "tray size",
                lambda _: ask(
                    "Rows and columns of your tray",
                    self._size,
                    "{} {}".format(*self.bench.workshop.state.tray or (4, 9)),
                ),
            ),
            Key("X", "skip a side", lambda _: self._skip()),
            Key("B", "shopping list", lambda _: self.desk.save_file("Shopping list", "to-buy.csv", self._save_list)),
            Key("P", "labels", lambda _: self.desk.save_file("Labels of the bins", "labels.pdf", self._save_labels)),
        ]

    def _did(self, command: c.Command, done: str) -> None:
        self.desk.do(command, done)

    def _move(self, key: str) -> None:
        step = {"Left": -1, "Right": 1, "Up": -self.tray.columns(), "Down": self.tray.columns()}[key]
        wanted = self.tray.chosen + step
        if 0 <= wanted < len(self.bench.lines):
            self.tray.chosen = wanted
            self.desk.changed.emit()

    def _filled(self) -> None:
        if not self._waiting():
            if self.desk.do(c.CloseKit(), "The batch is on its way."):
                self.desk.go("Print")
            return
        if self.line.key in self.bench.state.bins:
            self._next()
        held = self.bench.state.bins.get(self.line.key, {})
        lot = next((x for x in self.bench.stock.lots_for(self.line) if x.count > 0), None)
        if lot is None or held:
            self._record(self.line.pull, str(held.get("lot", "")))
        else:
            self._record(min(self.line.pull, lot.count), lot.id)

    def _record(self, count: int, lot: str) -> None:
        number = self.tray.chosen + 1
        if self.desk.do(c.FillBin(self.line.key, count, lot), f"Bin {number}: {count} pieces."):
            self._next()
            self.desk.changed.emit()

    def _counted(self, text: str) -> None:
        if text.strip().isdigit():
            self._record(int(text), str(self.bench.state.bins.get(self.line.key, {}).get("lot", "")))
        else:
            self.desk.say(f"“{text}” is no count: type whole pieces, 0 for an empty bin.")

    def _lot(self, text: str) -> None:
        held = self.bench.state.bins.get(self.line.key)
        self._record(int(held["count"]) if held else self.line.pull, text)

    def _label(self, text: str) -> None:
        self._bag(text, "")

    def _bag(self, label: str, reason: str) -> None:
        events = self.desk.do(c.CheckBag(self.line.key, label, reason))
        if events:
            level = events[0].body["level"]
            differs = events[0].body["differs"]
            wrong = (
                f"Wrong bag: {differs[0][0]} {differs[0][2]}, not {differs[0][1]}."
                if differs
                else "The label says nothing of this part."
            )
            self.desk.say("The right bag." if level == Level.GO else f"On record: {reason}." if reason else wrong)

    def _substitute(self, text: str) -> None:
        part, _, reason = text.partition(":")
        self._did(
            c.ApproveSubstitute(self.line.key, part, reason), f"{part.strip()} may stand in for {self.line.value}."
        )

    def _programme(self) -> None:
        key = self.line.key
        if key not in self.bench.state.programmes:
            self._did(c.WantProgramme(key), f"{self.line.value} is programmed before it is placed: G records the file.")
            return
        self.desk.choose_file("Programme file", "All files (*)", lambda name: self._programmed(key, name))

    def _programmed(self, key: str, name: str) -> None:
        try:
            data = read_one(Path(name))
        except BadInput as problem:
            self.desk.say(str(problem))
            return
        file = Path(name).name
        self.desk.ask(
            f"Version of {file}", lambda v: self._did(c.RecordProgramme(key, file, data, v), f"{file}, version {v}.")
        )

    def _order(self) -> None:
        names = list(SCHOOLS)
        school = names[(names.index(self.bench.state.order) + 1) % len(names)]
        self._did(c.ChooseOrder(school), f"Bins {SCHOOLS[school]}.")

    def _size(self, text: str) -> None:
        found = [int(n) for n in text.replace("x", " ").replace("×", " ").split() if n.isdigit()]
        if len(found) != 2:
            self.desk.say("Type rows and columns, for example 4 9.")
            return
        self._did(c.SetTray(*found), f"Trays of {found[0]} × {found[1]} bins.")

    def _skip(self) -> None:
        sides = ["", "bottom", "top"]
        side = sides[(sides.index(self.bench.state.skipped_side) + 1) % 3]
        self._did(c.SkipSide(side), f"Bins of the {side} are not pulled now." if side else "All bins are pulled.")
        self._next()

    def _save_list(self, name: str) -> None:
        have = {x.key: self.bench.stock.have(x) for x in self.bench.lines}
        lines = buy_list(self.bench.lines, have)
        self._write(name, buy_csv(lines).encode(), f"{len(lines)} lines to buy, in {Path(name).name}.")

    def _save_labels(self, name: str) -> None:
        from fusilex.ui.kit.labels import write_labels

        try:
            write_labels(self.bench, self.tray.plan, Path(name))
        except OSError as error:
            self.desk.say(f"{Path(name).name} cannot be written: {error.strerror or error}.")
            return
        self.desk.say(f"{len(self.bench.lines)} labels in {Path(name).name}.")

    def _write(self, name: str, data: bytes, done: str) -> None:
        try:
            Path(name).write_bytes(data)
        except OSError as error:
            self.desk.say(f"{Path(name).name} cannot be written: {error.strerror}.")
            return
        self.desk.say(done)

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        if not self.bench.lines:
            return "", []
        line, held = self.line, self.bench.state.bins.get(self.line.key)
        refs = ", ".join(line.refs[:6]) + (" …" if len(line.refs) > 6 else "")
        loss = f"{100 * line.loss:.2g} %" + (f" of {line.behind} placed here" if line.behind else " by default")
        stock = self.bench.stock.have(line) if self.bench.workshop.state.lots else None
        return f"Bin {self.tray.plan.label(self.tray.chosen)}", [
            ("for", refs),
            ("body", line.body.code),
            ("need, pull", f"{line.need}, {line.pull}" + ("" if stock is None else f"; {stock} there")),
            ("loss", loss),
            ("number, lot", f"{line.part_number or 'none'}, {(held or {}).get('lot') or 'no lot'}"),
        ]
