"""Placing by hand: what comes next, in whose order, over which boards, how far it is turned, and when it is done."""

from __future__ import annotations

from collections import Counter
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.common.paces import Paces
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.place.hand_events import BOARD, PART, Hands, MarkSeen, OrderPut, RoundsChosen
from fusilex.bench.stations.place.machine import place_step
from fusilex.core.design.model import Part
from fusilex.core.evidence import Coverage, Level
from fusilex.core.judgement import Judgement
from fusilex.core.kit.quantities import PullLine
from fusilex.core.placing.pace import Pace, paces, rest_of, rounds
from fusilex.core.placing.turns import least_turn, repeats_at
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

RIGHT, WRONG = "right", "wrong"


class PutOrder(Command, frozen=True):
    """Work through the bins in an order of one's own, named from the first; none: in the school's again."""

    lines: list[str]

    def decide(self, batch: Batch) -> Result:
        known = {line.key for line in batch.lines}
        if stray := [line for line in self.lines if line not in known]:
            raise Refused(f"There is no bin {stray[0]}.")
        if len(set(self.lines)) != len(self.lines):
            raise Refused("A bin stands twice in this order.")
        return Result([OrderPut(place_step(batch).id, list(self.lines))])


class ChooseRounds(Command, frozen=True):
    """Go over a panel board by board, or part by part."""

    rounds: str

    def decide(self, batch: Batch) -> Result:
        step = place_step(batch).id
        if self.rounds not in (BOARD, PART):
            raise Refused(f"Hands go {BOARD} or {PART}.")
        same = batch.state[Hands].rounds.get(step, BOARD) == self.rounds
        return Result([] if same else [RoundsChosen(step, self.rounds)])


class SeeMark(Command, frozen=True):
    """Marks of a board were looked at: they lie right, or wrong."""

    board: str
    refs: list[str]
    verdict: str
    cautions: ClassVar[str] = "Place"

    def decide(self, batch: Batch) -> Result:
        board, step = batch.board_at(self.board), place_step(batch)
        if self.verdict not in (RIGHT, WRONG):
            raise Refused("A mark lies right or wrong.")
        if batch.load_of(board, step.side) is not None:
            raise Refused(f"Board {board.serial} was in the oven: look at it at Inspect.")
        there = {p.ref for p in marked(batch, board)}
        if stray := next((ref for ref in self.refs if ref not in there), None):
            raise Refused(f"{stray} is not on board {board.serial}, or has no wrong way round.")
        return Result([MarkSeen(board.serial, step.id, ref, self.verdict) for ref in self.refs])


def bins_in_order(batch: Batch) -> list[PullLine]:
    """The bins of the step in the order they are worked through: one's own where there is one, else the school's."""
    step = place_step(batch).id
    own = {key: n for n, key in enumerate(batch.state[Hands].order.get(step) or ())}
    here = {p.ref for p in batch.parts_of(step)}
    lines = [line for line in batch.lines if any(ref in here for ref in line.refs)]
    return sorted(lines, key=lambda line: own.get(line.key, len(own)))


def in_order(batch: Batch, board: Board) -> list[Part]:
    """Parts of the step for a board in the order they go on: one's own where there is one, else the school's."""
    own = batch.state[Hands].order.get(board.step) or ()
    parts = batch.parts_of(board.step, board)
    if not own:
        return parts
    at, lines = {key: n for n, key in enumerate(own)}, batch.lines_of(board)
    return sorted(parts, key=lambda p: at.get(lines[p.ref].key, len(at)))


def next_by_hand(batch: Batch, board: Board) -> Part | None:
    """The part a board gets next by hand; None when it has them all."""
    return next((p for p in in_order(batch, board) if p.ref not in board.placed), None)


def next_place(batch: Batch, board: Board) -> tuple[Board, Part] | None:
    """Board and part to place after one on this board: the same bin on the panel's next board where hands go part by
    part, else the board's next part.
    """
    here = [b for b in batch.state.panel_boards(board.panel) if b.step == board.step and not b.scrapped]
    if batch.state[Hands].rounds.get(board.step) != PART:
        part = next_by_hand(batch, board)
        return (board, part) if part else None
    rank = {line.key: n for n, line in enumerate(batch.lines)}
    own = {key: n - len(rank) for n, key in enumerate(batch.state[Hands].order.get(board.step) or ())}
    found: list[tuple[int, int, Board, Part]] = []
    for b in here:
        if part := next_by_hand(batch, b):
            key = batch.lines_of(b)[part.ref].key
            found.append((own.get(key, rank.get(key, 0)), (b.cell - board.cell) % 1000, b, part))
    if not found:
        return None
    _, _, board, part = min(found, key=lambda f: f[:2])
    return board, part


def turn_of(part: Part) -> float:
    """How far to turn a part from its picture in the bin: the least that is right, degrees to the left."""
    return least_turn(part.rotation_deg, repeats_at(part))


def marked(batch: Batch, board: Board) -> list[Part]:
    """Parts on a board that have a wrong way round, in the order they went on."""
    there = set(board.placed)
    return [p for p in batch.parts_of(place_step(batch).id, board) if p.ref in there and p.package.polarised]


def unseen_marks(batch: Batch, board: Board) -> list[Part]:
    """Marked parts that nobody has looked at once more."""
    seen = batch.state[Hands].marks.get((place_step(batch).id, board.serial), {})
    return [p for p in marked(batch, board) if seen.get(p.ref) != RIGHT]


def judge_marks(batch: Batch, board: Board) -> list[Judgement]:
    """Marks looked at once more before the oven: a wrong one stops, hot or not, until it is repaired; unseen ones are a
    care once the board is full.
    """
    step = place_step(batch)
    seen = batch.state[Hands].marks.get((step.id, board.serial), {})
    repaired = {ref for _, refs in board.mended for ref in refs}
    wrong = [p.ref for p in marked(batch, board) if seen.get(p.ref) == WRONG and p.ref not in repaired]
    about = board.serial
    if wrong:
        text, do = say("reversed"), say("rotate it")
        return [Judgement("place.marks", Level.STOP, about, text, (), do, tuple(wrong))]
    left = [] if batch.load_of(board, step.side) is not None else unseen_marks(batch, board)
    if left and {p.ref for p in batch.parts_of(step.id, board)} <= set(board.placed):
        marks, refs = len(marked(batch, board)), tuple(p.ref for p in left)
        numbers, counted = (Quantity("not rechecked", len(left)),), (Coverage("marks", marks - len(left), marks),)
        text, do = say("not rechecked", marks=len(left)), say("recheck")
        return [Judgement("place.marks", Level.CARE, about, text, numbers, do, refs, coverage=counted)]
    return []


def finish(batch: Batch, board: Board) -> tuple[float, float, float]:
    """Seconds until a board's parts are on by hand, and what 95 % stay between, by this batch's own pace."""
    left = Counter(p.package.code for p in batch.parts_of(board.step, board) if p.ref not in board.placed)
    return rest_of(left, known_paces(batch))


def known_paces(batch: Batch) -> dict[str, Pace]:
    """Paces by body, from the parts timed in this batch."""
    bodies = batch.own.by_ref
    return paces([(bodies[ref].package.code, s) for ref, s in batch.state[Paces].timed if ref in bodies])


def quicker(batch: Batch, board: Board) -> tuple[str, float, float]:
    """The quicker way over the panel, and the seconds that part by part and board by board take."""
    lines = Counter(batch.lines_of(board)[p.ref].key for p in batch.parts_of(board.step, board))
    boards = sum(b.step == board.step for b in batch.state.panel_boards(board.panel))
    by_part, by_board = rounds(lines, boards, known_paces(batch)[""].mean_s)
    return (PART if by_part < by_board else BOARD), by_part, by_board


def hints(part: Part) -> str:
    """How to hold a part, and what its body asks for."""
    package = part.package
    pitch = _pitch(part)
    if package.family in ("connector", "holder"):
        return "Tweezers; raise the board where pegs come through, and tap it home."
    if pitch and pitch < 0.65:
        return "Rest hands and eyes first: fine pitch. Vacuum pen, straight down."
    if min(package.size_x, package.size_y) < 1.0:
        return "Fine tweezers; touch, let go, do not drop it."
    return "Vacuum pen or tweezers, straight down."


def _pitch(part: Part) -> float:
    """The least distance between pads of a part, mm; 0 for one with few."""
    if len(part.pads) < 6:
        return 0.0
    at = [p.polygon.centroid for p in part.pads]
    return float(min(a.distance(b) for i, a in enumerate(at) for b in at[i + 1 :]))


COMMANDS = (PutOrder, ChooseRounds, SeeMark)
