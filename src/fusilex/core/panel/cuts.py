"""The order in which a panel is cut: every cut runs straight from edge to edge of the piece in hand.

A score line that spans a piece may be cut at any time: what spanned the piece spans its halves. So an order exists if
cutting whatever spans goes on to the end; of all orders the one with the fewest cuts is found by a dynamic programme
over pieces (rectangles between lines), as bounds of guillotine cutting are.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Sequence
from functools import cache
from itertools import count

from msgspec import Struct

from fusilex.core.panel.layout import Panel

SAME_MM = 0.05
REACH_MM = 0.5
"""A score may end so far short of the edge: it breaks through."""
MOST_LINES = 12
"""Lines a way up to which the fewest cuts are sought; with more, whatever spans is cut, the longest first."""
Box = tuple[float, float, float, float]


class Line(Struct, frozen=True):
    """A score line: upright at x = `at`, else level at y = `at`, from `start` to `end` (mm, panel frame)."""

    upright: bool
    at: float
    start: float
    end: float

    def inside(self, piece: Box) -> bool:
        """True where it runs through the inside of a piece."""
        low, high, near, far = self._seen_by(piece)
        within = low + SAME_MM < self.at < high - SAME_MM
        return within and min(self.end, far) - max(self.start, near) > SAME_MM

    def spans(self, piece: Box) -> bool:
        """True where it runs through a piece from edge to edge."""
        _, _, near, far = self._seen_by(piece)
        return self.inside(piece) and self.start <= near + REACH_MM and self.end >= far - REACH_MM

    def parts(self, piece: Box) -> tuple[Box, Box]:
        """The two pieces that a cut leaves."""
        x0, y0, x1, y1 = piece
        if self.upright:
            return (x0, y0, self.at, y1), (self.at, y0, x1, y1)
        return (x0, y0, x1, self.at), (x0, self.at, x1, y1)

    def across(self, piece: Box) -> Box:
        """x1, y1, x2, y2 of the cut."""
        x0, y0, x1, y1 = piece
        return (self.at, y0, self.at, y1) if self.upright else (x0, self.at, x1, self.at)

    def _seen_by(self, piece: Box) -> Box:
        x0, y0, x1, y1 = piece
        return (x0, x1, y0, y1) if self.upright else (y0, y1, x0, x1)


class Cut(Struct, frozen=True):
    """A cut through a piece in hand, along a line."""

    line: Line
    piece: Box

    @property
    def ends(self) -> Box:
        """x1, y1, x2, y2 (mm)."""
        return self.line.across(self.piece)

    @property
    def length(self) -> float:
        x1, y1, x2, y2 = self.ends
        return abs(x2 - x1) + abs(y2 - y1)


class CutOrder(Struct, frozen=True):
    """Cuts in order, and pieces that still hold boards, or a board and some of its frame, but that no score line spans;
    lines that are neither upright nor level, or run through a board.
    """

    cuts: tuple[Cut, ...]
    stranded: tuple[Box, ...] = ()
    useless: tuple[tuple[tuple[float, float], tuple[float, float]], ...] = ()


def cut_order(panel: Panel, by_hand: Callable[[Cut], bool] = lambda cut: False) -> CutOrder:
    """The fewest cuts that part every board from its neighbours and its frame, in an order that works.

    Of what can be cut next the longest goes first; rails go last, since they are what hands hold, but for those along
    which no wheel passes (`by_hand`): they are snapped while the whole panel gives a lever.
    """
    lines, useless = _lines(panel)
    boards = [panel.box(cell) for cell in panel.cells]
    best = _fewest(lines, boards)
    cuts: list[Cut] = []
    stranded: list[Box] = []
    number = count()
    ready: list[tuple[tuple[object, ...], int, Cut, list[Box], list[Line]]] = []

    def take(piece: Box, boards: Sequence[Box], lines: Sequence[Line]) -> None:
        """A piece comes into hand: with what is in it, and the cut that is next for it."""
        own = [b for b in boards if _holds(piece, b)]
        inside = [line for line in lines if line.inside(piece)]
        if _done(piece, own, inside):
            return
        line = _next(piece, own, inside, best, by_hand)
        if line is None:
            stranded.append(piece)
            return
        cut = Cut(line, piece)
        heapq.heappush(ready, (_rank(cut, own, by_hand), next(number), cut, own, inside))

    take((0.0, 0.0, panel.width, panel.height), boards, lines)
    while ready:
        _, _, cut, own, inside = heapq.heappop(ready)
        cuts.append(cut)
        for half in cut.line.parts(cut.piece):
            take(half, own, inside)
    return CutOrder(tuple(cuts), tuple(stranded), tuple(useless))


def _rank(cut: Cut, boards: Sequence[Box], by_hand: Callable[[Cut], bool]) -> tuple[object, ...]:
    """What is cut first: rails without a wheel, then between boards, the longest first, then rails."""
    rail = any(not any(_holds(half, b) for b in boards) for half in cut.line.parts(cut.piece))
    x1, y1, _, _ = cut.ends
    return ((0 if by_hand(cut) else 2) if rail else 1, -round(cut.length, 3), round(x1, 3), round(y1, 3))


def _next(
    piece: Box,
    boards: Sequence[Box],
    lines: Sequence[Line],
    best: Callable[[Box], int] | None,
    by_hand: Callable[[Cut], bool],
) -> Line | None:
    """The line to cut a piece along; None where none spans it."""
    ready = [line for line in lines if line.spans(piece)]
    if not ready:
        return None

    def rank(line: Line) -> tuple[object, ...]:
        count = sum(best(half) for half in line.parts(piece)) if best else 0
        return (count, *_rank(Cut(line, piece), boards, by_hand))

    return min(ready, key=rank)


def _fewest(lines: Sequence[Line], boards: Sequence[Box]) -> Callable[[Box], int] | None:
    """Fewest cuts a piece takes as far as it can be cut, None where there are too many lines to ask."""
    if max(sum(line.upright for line in lines), sum(not line.upright for line in lines)) > MOST_LINES:
        return None

    @cache
    def fewest(piece: Box) -> int:
        if _done(piece, boards, lines):
            return 0
        ready = (line for line in lines if line.spans(piece))
        return min((1 + sum(fewest(half) for half in line.parts(piece)) for line in ready), default=0)

    return fewest


def _holds(piece: Box, board: Box) -> bool:
    """True for a piece that a board lies in, by its middle."""
    x, y = (board[0] + board[2]) / 2, (board[1] + board[3]) / 2
    return piece[0] < x < piece[2] and piece[1] < y < piece[3]


def _done(piece: Box, boards: Sequence[Box], lines: Sequence[Line]) -> bool:
    """A piece without a board is waste; one board that fills its piece, with no line through it, is free."""
    here = [board for board in boards if _holds(piece, board)]
    if len(here) != 1:
        return not here
    return fills(piece, here[0]) and not any(line.inside(piece) for line in lines)


def fills(piece: Box, board: Box) -> bool:
    """True where nothing of a frame is left round a board."""
    return all(abs(a - b) <= REACH_MM for a, b in zip(piece, board, strict=True))


def _lines(panel: Panel) -> tuple[list[Line], list[tuple[tuple[float, float], tuple[float, float]]]]:
    """Score lines, those on one line made one where they meet, and those of no use: slanting, or through a board."""
    found: dict[tuple[bool, float], list[tuple[float, float]]] = {}
    useless = []
    boards = [panel.box(cell) for cell in panel.cells]
    for (x0, y0), (x1, y1) in panel.scores:
        upright, level = abs(x0 - x1) <= SAME_MM, abs(y0 - y1) <= SAME_MM
        line = Line(upright, (x0 + x1) / 2, *sorted((y0, y1))) if upright else Line(False, y0, *sorted((x0, x1)))
        if upright == level or any(line.inside(board) for board in boards):
            useless.append(((x0, y0), (x1, y1)))
            continue
        near = (key for key in found if key[0] == upright and abs(key[1] - line.at) <= SAME_MM)
        found.setdefault(next(near, (upright, line.at)), []).append((line.start, line.end))
    lines = []
    for (upright, at), runs in sorted(found.items()):
        runs.sort()
        start, end = runs[0]
        for a, b in runs[1:]:
            if a > end + SAME_MM:
                lines.append(Line(upright, at, start, end))
                start, end = a, b
            end = max(end, b)
        lines.append(Line(upright, at, start, end))
    return lines, useless
