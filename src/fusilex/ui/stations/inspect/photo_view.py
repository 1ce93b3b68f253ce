"""A picture of the board against good ones: two loupes that move together, differences ringed on the drawn board, worst
first; they are suggestions to look at, and every picture is kept.
"""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from fusilex.bench.common.faults import MarkFault
from fusilex.bench.now import Now
from fusilex.bench.stations.inspect.pictures import KeepPicture, Kept, Pictures, TeachPicture
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level
from fusilex.core.inspection.faults import FAULTS
from fusilex.core.photo.compare import SHIFTED, TURNED, Difference
from fusilex.core.photo.frame import Picture as Pixels
from fusilex.core.photo.suggest import QUIET, Compared, judge_photo, straightened, suggest
from fusilex.core.problems import BadInput
from fusilex.core.progress import Left
from fusilex.core.quantities import write_signed
from fusilex.formats.bundle import read_one
from fusilex.formats.pictures import MOST_BYTES, PATTERN, read_picture
from fusilex.ui.canvas.view import BoardCanvas
from fusilex.ui.desk import Desk
from fusilex.ui.search import Aside
from fusilex.ui.stations.inspect.fault_glyphs import draw_faults
from fusilex.ui.stations.inspect.two_loupes import TwoLoupes
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

TICK_MS, MOST_HELD = 150, 8
"""How often the progress is shown, and comparisons that are held to be looked at again."""


def words_of(one: Difference) -> str:
    """What is suggested of a part, with its numbers where it has any."""
    if one.verdict == SHIFTED:
        return f"{one.verdict}, {write_signed(one.dx_mm)}, {write_signed(one.dy_mm)}"
    return f"{one.verdict} by {one.rotation_deg:.0f}°" if one.verdict == TURNED else one.verdict


class PhotoView(View):
    name = "Photo"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        canvas = self.add_canvas()
        canvas.parts_on = lambda cell: self.whole_board()
        canvas.overlays = [self._rings]
        canvas.part_clicked.connect(lambda ref, cell: self._select(ref))
        canvas.flipped.connect(lambda side: self.desk.changed.emit())
        self.loupes = TwoLoupes()
        columns = [Column("part", 1), Column("looks", 3), Column("like", 1, True)]
        self.rows = Rows("Suggested to look at", columns, "No picture of this side was compared yet.")
        self.rows.picked.connect(lambda row: self._select(self.rows.rows[row][0]))
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(canvas, 1)
        right.addWidget(self.loupes, 3)
        right.addWidget(self.rows, 2)
        row = QHBoxLayout()
        row.addLayout(left, 4)
        row.addLayout(right, 5)
        self.column.addLayout(row, 1)
        self.aside = Aside(self, self._failed)
        self.found: dict[tuple[str, str], Compared] = {}
        self._straight: dict[str, Pixels] = {}
        self._share, self._left, self._what = 0.0, False, ""
        self._waiting: list[str] = []
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.desk.ticked.emit)

    @property
    def side(self) -> str:
        assert self.canvas
        return self.canvas.side

    @property
    def compared(self) -> Compared | None:
        return self.found.get((self.bench.board.serial, self.side))

    @property
    def selected(self) -> Part | None:
        assert self.canvas
        return self.batch.built(self.bench.board).get(self.canvas.selected or "")

    @property
    def kept(self) -> Kept | None:
        """The latest picture of this board and side."""
        own = [one for one in self.bench.state[Pictures].of(self.bench.board.serial) if one.side == self.side]
        return own[-1] if own else None

    def difference(self) -> Difference | None:
        found, part = self.compared, self.selected
        return next((d for d in found.differences if part and d.ref == part.ref), None) if found else None

    # what is shown

    def refresh(self) -> None:
        assert self.canvas
        board, found = self.bench.board, self.compared
        shown = found.suggested + found.unseen if found else []
        refs = [d.ref for d in shown]
        if found and not shown:
            self.rows.empty = "No difference is seen on the picture."
        if self.canvas.selected in refs:
            self.rows.chosen = refs.index(self.canvas.selected)
        elif shown and self.selected is None:
            self.canvas.selected = refs[0]
        self.rows.show_rows(
            [(d.ref, d.verdict, f"{d.score:.2f}") for d in shown],
            [Level.UNKNOWN if d.verdict in QUIET else Level.CARE for d in shown],
        )
        pictures = len(self.bench.state[Pictures].of(board.serial))
        many = f"    {pictures} picture{'' if pictures == 1 else 's'} kept"
        self.canvas.caption = f"Panel {board.panel}, board {board.serial}{many}"
        self.loupes.part = self.selected
        one = self.difference()
        off = words_of(one) if one else ""
        good = "as drawn" if found and found.drawn else ""
        self.loupes.words = (good, f"{self.selected.ref}: {off}" if self.selected and one else "")
        if found:
            self.loupes.show_pictures(found.frame, found.good, found.photo)
        else:
            self.loupes.show_pictures(None, None, None)
        self.canvas.update()

    def _rings(self, painter: QPainter, canvas: BoardCanvas) -> None:
        if (part := self.selected) and part.side == canvas.side:
            canvas.outline_part(painter, part)
        parts = self.batch.built(self.bench.board)
        for one in self.compared.suggested if self.compared else []:
            if one.ref in parts:
                canvas.outline_part(painter, parts[one.ref], token="care", width=3.0, grow=8.0)
        draw_faults(painter, canvas, self.bench.board.open_faults)

    def now(self) -> Now | None:
        board, found = self.bench.board, self.compared
        if self.aside.busy:
            return Now("Comparing the picture", f"{self._what}. Esc leaves it.", self._share)
        if found is None:
            known = len(self.bench.state[Pictures].good(self.side))
            against = f"{known} good board{'s' if known > 1 else ''}" if known else "the drawn board"
            return Now(
                f"Photograph board {board.serial}",
                f"O takes a picture of its {self.side} and holds it against {against}.",
            )
        judged = judge_photo(found, board.serial)
        if found.suggested:
            own = self.difference() or found.suggested[0]
            do = "Up and Down go on, a fault's key marks it."
            return Now(judged.headline, f"{own.ref}: {words_of(own)}. {do}")
        return Now(judged.headline, f"{judged.do} G keeps it as a good board.")

    # what is done

    def keys(self) -> list[Key]:
        words = {fault.key.upper(): fault.word for fault in FAULTS}
        taught = self.kept is not None and self.kept.good
        good = "" if self.kept is None else "no good board" if taught else "a good board"
        return [
            Key("O", "compare a picture", lambda _: self._choose()),
            Key("Up Down", "differences" if self.rows.rows else "", lambda key: self._step(-1 if key == "Up" else 1)),
            Key("E", "blink" if self.compared else "", lambda _: self._blink()),
            Key("G", good, lambda _: self._teach(not taught)),
            Key(" ".join(words), "mark a fault", lambda key: self._mark(words[key]), True),
            Key("Esc", "leave it" if self.aside.busy else "", lambda _: self._leave()),
        ]

    def _choose(self) -> None:
        self.desk.choose_file(f"A picture of board {self.bench.board.serial}, {self.side}", PATTERN, self.take)

    def take(self, name: str) -> None:
        """Compare a picture file of the board in hand, and keep it."""
        if self.aside.busy:
            self._waiting.append(name)
            self.desk.say("Compared after the one that is under way.")
            return
        board, side, design = self.bench.board, self.side, self.bench.design
        parts = list(self.batch.built(board).values())
        goods = [one for one in self.bench.state[Pictures].good(side) if one.board != board.serial]
        read, straight = self.bench.journal.attachment, self._straight
        self._share, self._left, self._what = 0.0, False, "Reading"

        def step(share: float, what: str) -> None:
            self._share, self._what = share, what
            if self._left:
                raise Left

        def work() -> object:
            data = read_one(Path(name), MOST_BYTES)
            photo = read_picture(data, Path(name).name)
            try:
                for one in goods:
                    if one.sha not in straight:
                        step(0.0, f"Good board {one.board}")
                        straight[one.sha] = straightened(read_picture(read(one.sha), one.name), design, side, parts)
                good = [straight[one.sha] for one in goods]
                return board.serial, side, name, data, suggest(design, side, parts, photo, good, step)
            except Left:
                return None
            except BadInput:
                raise
            except ValueError as problem:
                raise BadInput(Path(name).name, f"a picture of the {side} of {design.name}", str(problem)) from problem

        self._timer.start()
        self.aside.look(work, self._done, 30.0)
        self.desk.say("")

    def _done(self, found: object) -> None:
        self._timer.stop()
        if found is None:
            self.desk.say("Left: nothing was kept.")
        else:
            assert isinstance(found, tuple)
            serial, side, name, data, compared = found
            assert isinstance(compared, Compared)
            said = [[d.ref, d.verdict, round(d.score, 3)] for d in compared.suggested]
            if self.desk.do(KeepPicture(serial, side, Path(name).name, data, said)):
                self.found = {**dict(list(self.found.items())[1 - MOST_HELD :]), (serial, side): compared}
                assert self.canvas
                first = next((d.ref for d in compared.suggested), None)
                if serial == self.bench.board.serial and first:
                    self.canvas.selected = first
                self.desk.say(f"{Path(name).name} is kept with board {serial}.")
        if self._waiting:
            self.take(self._waiting.pop(0))

    def _failed(self, text: str) -> None:
        self._timer.stop()
        self.desk.say(text)

    def _leave(self) -> None:
        self._left = True
        self._waiting.clear()

    def _select(self, ref: str) -> None:
        assert self.canvas
        self.canvas.selected = ref
        shown = [row[0] for row in self.rows.rows]
        if ref in shown:
            self.rows.chosen = shown.index(ref)
        self.desk.changed.emit()

    def _step(self, by: int) -> None:
        self.rows.step(by)

    def _blink(self) -> None:
        self.loupes.blink = not self.loupes.blink
        self.desk.changed.emit()

    def _teach(self, good: bool) -> None:
        if kept := self.kept:
            said = "teaches what good boards look like" if good else "teaches nothing any more"
            self.desk.do(TeachPicture(kept.board, kept.sha, good), f"The picture of {kept.board} {said}.")

    def _mark(self, word: str) -> None:
        if self.selected:
            command = MarkFault(self.bench.board.serial, self.selected.ref, word)
            self.desk.do(command, f"{self.selected.ref}: {word}.")

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        own = self.bench.state[Pictures].of(self.bench.board.serial)
        return "Pictures of this board", [(one.side, f"{one.name}{', good' if one.good else ''}") for one in own[-4:]]
