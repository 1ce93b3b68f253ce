"""How boards come out of their panel: each cut with its tool, where no wheel passes, and what may crack beside it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon, box

from fusilex.core.checks.panelised import judge_board_size
from fusilex.core.design.model import Design, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.panel.cuts import Box, Cut, CutOrder, cut_order, fills
from fusilex.core.panel.layout import Panel
from fusilex.core.quantities import Quantity, amount
from fusilex.core.wording import say

WHEEL, HAND, CUTTERS = "wheel", "by hand", "cutters"
WHEEL_ROOM_MM = 0.5
"""A wheel needs so much on either side of its score."""
CARE_MM, STOP_MM = 5.0, 2.0
"""Ceramic capacitors crack when the board bends beside them: nearer than this to a cut is care, or stop."""
TAB_REACH_MM = 3.5
FAR_MM = 1e-6


class Stroke(Struct, frozen=True):
    """A cut in its turn: x1, y1, x2, y2 (mm, panel frame), the tool and why that one, the piece in hand."""

    ends: Box
    tool: str
    why: str
    piece: Box


class Stressed(Struct, frozen=True):
    """A ceramic capacitor near a cut: in which cell, how far its body is from it (mm), whether its long side stands at
    right angles to it, which is worse, and the cut's place in the order (from 1).
    """

    ref: str
    cell: int
    away: float
    across: bool
    cut: int

    @property
    def level(self) -> Level:
        return Level.STOP if self.away < STOP_MM else Level.CARE


class Placed(NamedTuple):
    """A part's body on a cell of the panel, and the cell's board (mm)."""

    part: Part
    cell: int
    shape: Polygon
    board: Box


class CutPlan(Struct, frozen=True, eq=False):
    """Strokes in order, capacitors under stress (worst first), and what is in the way of an order. `unknown` are parts
    whose body nobody knows: whether they stand over a cut, or near one, cannot be told; of `parts` in all. `amiss` says
    that the panel's boards are none of this design's.
    """

    strokes: tuple[Stroke, ...]
    care: tuple[Stressed, ...]
    order: CutOrder
    overhangs: tuple[tuple[str, int], ...] = ()
    unknown: tuple[str, ...] = ()
    parts: int = 0
    amiss: tuple[Judgement, ...] = ()

    @property
    def refs(self) -> tuple[str, ...]:
        """Capacitors under stress, each once, worst first."""
        return tuple(dict.fromkeys(s.ref for s in self.care))


def plan_cuts(design: Design, panel: Panel, parts: Sequence[Part]) -> CutPlan:
    """Cuts of a panel with these parts on its boards: scores, then tabs."""
    x0, y0, *_ = design.outline.bounds
    bodies = np.array([body_polygon(p) for p in parts], dtype=object)
    placed: list[Placed] = []
    over: list[tuple[str, int]] = []
    near: list[Placed] = []
    for cell in panel.cells:
        (turn, shift), board = panel.place(cell), panel.box(cell)
        lying = shapely.transform(bodies, lambda xy, turn=turn, shift=shift: (xy - (x0, y0)) @ turn.T + shift)
        here = [Placed(p, cell, shape, board) for p, shape in zip(parts, lying, strict=True)]
        placed += here
        over += [(here[k].part.ref, cell) for k in np.flatnonzero(~shapely.covers(box(*board).buffer(FAR_MM), lying))]
        near += [here[k] for k in np.flatnonzero(_gaps(lying, board) < WHEEL_ROOM_MM)]

    def in_way(ends: Box) -> list[str]:
        """Parts that no wheel passes along a line, as `J1 in cell 2`."""
        line = LineString([ends[:2], ends[2:]]).buffer(WHEEL_ROOM_MM, cap_style="flat")
        return [f"{p.ref} in cell {cell + 1}" for p, cell, shape, _ in near if shape.intersection(line).area > 1e-3]

    order = cut_order(panel, lambda cut: bool(in_way(cut.ends)))
    strokes = [_stroke(cut, in_way(cut.ends)) for cut in order.cuts]
    tabs = _tabs(panel)
    if tabs:  # slots part the boards, and the tabs hold them: a piece whose boards all hang on tabs is not stranded
        loose = [b for b in map(panel.box, panel.cells) if not any(_touches(s.ends, b) for s in tabs)]
        left = [p for p in order.stranded if any(box(*p).contains(box(*b).centroid) for b in loose)]
        order = replace(order, stranded=tuple(left))
    strokes += tabs
    care = _stressed(strokes, placed)
    unknown = tuple(p.ref for p in parts if not p.package.known)
    amiss = tuple(judge_board_size(design, panel))
    return CutPlan(tuple(strokes), care, order, tuple(over), unknown, len(parts), amiss)


def _touches(ends: Box, board: Box) -> bool:
    """True for a stroke along an edge of a board."""
    return bool(LineString([ends[:2], ends[2:]]).distance(box(*board)) < FAR_MM)


def _gaps(shapes: NDArray[np.object_], board: Box) -> NDArray[np.float64]:
    """How far bodies (n) stay within their board (mm, negative beyond it)."""
    bounds = shapely.bounds(shapes).reshape(-1, 4)
    within = np.concatenate([bounds[:, :2] - board[:2], board[2:] - bounds[:, 2:]], axis=1)
    return np.asarray(within.min(axis=1))


def _stroke(cut: Cut, in_way: list[str]) -> Stroke:
    if not in_way:
        return Stroke(cut.ends, WHEEL, "nothing stands over the score", cut.piece)
    more = f" and {len(in_way) - 1} more" if len(in_way) > 1 else ""
    return Stroke(cut.ends, HAND, f"{in_way[0]}{more} in the wheel's way: snap it, bending away from parts", cut.piece)


def _tabs(panel: Panel) -> list[Stroke]:
    """Each tab is cut at the edge of every board it holds."""
    found = []
    boards = [panel.box(cell) for cell in panel.cells]
    whole = (0.0, 0.0, panel.width, panel.height)
    for x, y, width in panel.tabs:
        for bx0, by0, bx1, by1 in boards:
            half = width / 2
            beside = by0 - half <= y <= by1 + half
            for edge in (bx0, bx1):
                if beside and abs(x - edge) <= TAB_REACH_MM and not bx0 < x < bx1:
                    found.append(Stroke((edge, y - half, edge, y + half), CUTTERS, "a tab: file its burr off", whole))
            above = bx0 - half <= x <= bx1 + half
            for edge in (by0, by1):
                if above and abs(y - edge) <= TAB_REACH_MM and not by0 < y < by1:
                    found.append(Stroke((x - half, edge, x + half, edge), CUTTERS, "a tab: file its burr off", whole))
    return found


def _stressed(strokes: Sequence[Stroke], placed: Sequence[Placed]) -> tuple[Stressed, ...]:
    """Ceramic capacitors near cuts, each with its nearest one."""
    bodies = ((row, row[0].package) for row in placed)
    ceramic = [row for row, p in bodies if p.family == "capacitor" and not (p.polarised and p.told)]
    if not strokes or not ceramic:
        return ()
    lines = np.array([LineString([s.ends[:2], s.ends[2:]]) for s in strokes], dtype=object)
    found = []
    every = shapely.distance(np.array([row.shape for row in ceramic], dtype=object)[:, None], lines[None, :])
    for (part, cell, shape, _), away in zip(ceramic, every, strict=True):
        nearest = int(np.argmin(away))
        if away[nearest] <= CARE_MM:
            x1, y1, x2, y2 = strokes[nearest].ends
            bx0, by0, bx1, by1 = shape.bounds
            long_upright = by1 - by0 > bx1 - bx0
            cut_upright = abs(y2 - y1) > abs(x2 - x1)
            across = long_upright != cut_upright
            found.append(Stressed(part.ref, cell, float(away[nearest]), across, nearest + 1))
    return tuple(sorted(found, key=lambda s: (s.level.rank, not s.across, s.away, s.ref, s.cell)))


def judge_cuts(plan: CutPlan, panel: Panel | None) -> list[Judgement]:
    """Can the boards come out of the panel whole?"""
    if panel is None or not (panel.scores or panel.tabs or _is_one_board(panel)):
        text, do, missing = say("cuts unknown"), say("add score lines"), ("score lines or tabs",)
        return [*plan.amiss, Judgement("release.cut", Level.UNKNOWN, "panel", text, (), do, (), missing)]
    judged = list(plan.amiss)
    if plan.order.stranded:
        text, do = say("no free edge", pieces=len(plan.order.stranded)), say("saw first")
        judged.append(Judgement("release.cut", Level.STOP, "panel", text, (), do))
    if plan.order.useless:
        text = say("slanting scores", lines=len(plan.order.useless))
        judged.append(Judgement("release.cut", Level.STOP, "score lines", text, (), say("correct panel")))
    for level in (Level.STOP, Level.CARE):
        some = [s for s in plan.care if s.level is level]
        if some:
            judged.append(_cracks(some, level))
    if plan.strokes and (plan.unknown or not plan.parts):
        text = say("clearance not checked", named=plan.unknown) if plan.unknown else say("no clearance checked")
        do, missing = say("enter packages"), ("packages of these parts",)
        judged.append(Judgement("release.cut", Level.UNKNOWN, "bodies", text, (), do, plan.unknown, missing))
    if not judged and not plan.strokes:
        boards = (every("boards", panel.count),)
        judged.append(Judgement("release.cut", seen(*boards), "panel", say("no panel"), coverage=boards))
    elif not judged:
        numbers = (Quantity("cuts", len(plan.strokes)), Quantity("by hand", sum(s.tool == HAND for s in plan.strokes)))
        bodies = (Coverage("bodies", plan.parts - len(plan.unknown), plan.parts),)
        judged.append(Judgement("release.cut", seen(*bodies), "panel", say("all cuts clear"), numbers, coverage=bodies))
    return judged


def _is_one_board(panel: Panel) -> bool:
    """True where panel and board are the same: nothing holds it that has to be cut."""
    whole = (0.0, 0.0, panel.width, panel.height)
    return panel.count == 1 and all(fills(whole, panel.box(cell)) for cell in panel.cells)


def _cracks(some: Sequence[Stressed], level: Level) -> Judgement:
    nearest = min(some, key=lambda s: s.away)
    refs = tuple(dict.fromkeys(s.ref for s in some))
    stop = level is Level.STOP
    limit = STOP_MM if stop else CARE_MM
    numbers = (
        Quantity("nearest", nearest.away, "mm", limit=(limit, math.inf)),
        Quantity("at", f"{nearest.ref} in cell {nearest.cell + 1}"),
        Quantity("cut", nearest.cut),
        Quantity("long side", "at right angles to it" if nearest.across else "along it"),
    )
    text, do = say("near a cut", limit=amount(limit, "mm")), say("do not bend" if stop else "support both sides")
    return Judgement("release.cut", level, f"{level.value} capacitors", text, numbers, do, refs)
