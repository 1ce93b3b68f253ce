"""Hands at Place: which part is in hand, its keys, the order of the bins, the sweep over marks, nudge or leave."""

from __future__ import annotations

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.commands import PassStep
from fusilex.bench.common.pieces import DropPart
from fusilex.bench.now import Now
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.place.commands import PlacePart
from fusilex.bench.stations.place.hand import (
    RIGHT,
    WRONG,
    ChooseRounds,
    PutOrder,
    SeeMark,
    bins_in_order,
    in_order,
    next_by_hand,
    next_place,
    quicker,
    turn_of,
    unseen_marks,
)
from fusilex.bench.stations.place.hand_events import BOARD, PART, Hands
from fusilex.bench.typed_text import numbers
from fusilex.core.design.model import Part
from fusilex.core.placing.centring import judge_offset
from fusilex.core.placing.turns import turn_words
from fusilex.ui.picture import Picture, neighbour
from fusilex.ui.widgets.keys import Key


class ByHand:
    """What the view at Place does while parts go on by hand; `chosen` is a part taken out of its turn."""

    def __init__(self, view: Picture) -> None:
        self.view, self.desk = view, view.desk
        self.sweeping, self.chosen = False, ""

    @property
    def bench(self) -> Bench:
        return self.view.bench

    @property
    def batch(self) -> Batch:
        return self.view.batch

    def keys(self) -> list[Key]:
        if self.sweeping:
            return [
                Key("Space", "right", lambda _: self._mark(RIGHT)),
                Key("X", "wrong way", lambda _: self._mark(WRONG)),
                Key("P", "back to placing", lambda _: self.sweep()),
            ]
        return [
            Key("Space", "placed", lambda _: self._placed(), True),
            Key("X", "dropped", lambda _: self._dropped(), True),
            Key("Left Right Up Down", "another part", self._other_part, True),
            Key("B", "part by part, or board", lambda _: self._rounds()),
            Key(", .", "bin earlier, later", self._reorder, True),
            Key("G", "nudge or leave?", lambda _: self._guide(), True),
            Key("P", "marks once more", lambda _: self.sweep()),
        ]

    def in_hand(self) -> Part | None:
        """The part in hand: of the sweep, the one that was chosen, or the next in order."""
        board = self.bench.board
        if self.sweeping:
            return next(iter(unseen_marks(self.batch, board)), None)
        if board.step != self.batch.step.id:
            return None
        return self.batch.once(_in_hand, board.serial, self.chosen)

    def now(self) -> Now | None:
        part = self.in_hand()
        if self.sweeping:
            if part is None:
                return Now("Every mark was looked at", "P goes back to placing.", 1.0)
            return Now(f"Is the mark of {part.ref} as drawn?", f"{part.value}. Space right, X the wrong way round.")
        if part is None or part.ref != self.chosen:
            return None
        line = self.batch.line_of[part.ref]
        return Now(
            f"Place {part.ref} from bin {self.batch.bin_number[line.key]}",
            f"{part.value}, {turn_words(turn_of(part))}.",
        )

    def _other_part(self, key: str) -> None:
        board = self.bench.board
        left = [p for p in self.batch.parts_of(board.step, board) if p.ref not in board.placed]
        part = self.in_hand()
        if left and part is not None:
            self.chosen = neighbour(left, part.ref, key, self.batch.step.side == "bottom") or ""
            self.desk.say("")

    def _rounds(self) -> None:
        board = self.bench.board
        now = self.bench.state[Hands].rounds.get(self.batch.step.id, BOARD)
        other = PART if now == BOARD else BOARD
        _, by_part, by_board = quicker(self.batch, board)
        times = f"Part by part takes about {by_part / 60:.0f} min a panel, board by board {by_board / 60:.0f}."
        said = f"{other.capitalize()}. {times}"
        self.desk.do(ChooseRounds(other), said)

    def _reorder(self, key: str) -> None:
        """The bin in hand goes on earlier or later than its neighbour."""
        part = self.in_hand()
        if part is None:
            return
        order = [line.key for line in bins_in_order(self.batch)]
        at = order.index(self.batch.line_of[part.ref].key)
        to = at - 1 if key == "," else at + 1
        if 0 <= to < len(order):
            self.move_bin(order[at], order[to])

    def move_bin(self, key: str, over: str) -> None:
        """A bin goes to where another one stands, which makes room."""
        order = [line.key for line in bins_in_order(self.batch)]
        at, to = order.index(key), order.index(over)
        order.insert(to, order.pop(at))
        said = f"Bin {self.batch.bin_number[key]} goes on {'earlier' if to < at else 'later'}."
        self.desk.do(PutOrder(order), said)

    def take_from(self, key: str) -> None:
        """The next part of the board in hand that comes from a bin."""
        board = self.bench.board
        lines = self.batch.lines_of(board)
        left = [p for p in in_order(self.batch, board) if p.ref not in board.placed]
        part = next((p for p in left if lines[p.ref].key == key), None)
        self.chosen = part.ref if part else self.chosen
        number = self.batch.bin_number[key]
        self.desk.say(f"From bin {number}." if part else f"Nothing from bin {number} is left for {board.serial}.")

    def _guide(self) -> None:
        part = self.in_hand()
        if part is None:
            return
        known = self.batch.own.by_ref

        def judged(text: str) -> None:
            words = text.upper().split()
            ref = words.pop(0) if words and words[0] in known else part.ref
            found = [numbers(word) for word in words]
            if len(found) not in (2, 3) or any(len(f) != 1 for f in found):
                self.desk.say(
                    f"“{text.strip()}” is no offset: type dx and dy in mm, such as {ref} 0.1 -0.05, and degrees."
                )
                return
            flat = [f[0] for f in found]
            told = judge_offset(known[ref], flat[0], flat[1], flat[2] if len(flat) == 3 else 0.0)
            numbers_said = ", ".join(b.text() for b in told.quantities)
            self.desk.say(f"{told.headline} ({numbers_said}). {told.do}".strip())

        self.desk.ask("Part, dx and dy in mm it sits off its pads, and degrees it is turned", judged, f"{part.ref} ")

    def sweep(self) -> None:
        self.sweeping = not self.sweeping
        self.desk.say("" if not self.sweeping or self.in_hand() else "No mark is left to look at.")

    def _mark(self, verdict: str) -> None:
        if part := self.in_hand():
            self.desk.do(SeeMark(self.bench.board.serial, [part.ref], verdict), f"{part.ref}: {verdict}.")
            if self.in_hand() is None and (board := self._with_marks_left()):
                self.desk.go(board=board.serial, said=f"Next board: {board.serial}.")

    def _with_marks_left(self) -> Board | None:
        """The next board of the panel with marks that nobody looked at."""
        boards = [b for b in self.bench.state.panel_boards(self.bench.board.panel) if not b.scrapped]
        return next((b for b in boards if unseen_marks(self.batch.about(b.serial, self.batch.step.id), b)), None)

    def _placed(self) -> None:
        board, part = self.bench.board, self.in_hand()
        before = board.serial
        if board.step != self.batch.step.id:
            self.desk.say(f"Board {board.serial} is at {self.batch.where(board)}.")
        elif self.desk.do(PlacePart(board.serial, part.ref) if part else PassStep(board.serial)):
            self.chosen = ""
            if board.step != self.batch.step.id:
                self.desk.say(f"Placed. {self.desk.went(board.serial)}")
            elif (following := next_place(self.batch, board)) and following[0].serial != before:
                self.desk.go(board=following[0].serial, said=f"Next board: {following[0].serial}.")
            self.view.go_on(before)

    def _dropped(self) -> None:
        if part := self.in_hand():
            self.desk.do(DropPart(self.bench.board.serial, part.ref), f"One {part.value} lost. Take another.")


def _in_hand(batch: Batch, serial: str, chosen: str) -> Part | None:
    """The part of a board that was chosen, while it is not placed; else the next in order."""
    board = batch.state.boards[serial]
    part = batch.built(board).get(chosen)
    free = part is not None and chosen not in board.placed and part in batch.parts_of(board.step, board)
    return part if free else next_by_hand(batch, board)
