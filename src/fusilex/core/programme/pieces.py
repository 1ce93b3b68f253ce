"""From a design on a panel to the pieces a machine is to place: where each goes on the bed and how it lies there."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np
from msgspec import Struct, field

from fusilex.core.design.model import Design, Part
from fusilex.core.machine.model import LEFT_RIGHT, Machine
from fusilex.core.machine.tapes import tape_of
from fusilex.core.panel.layout import Panel
from fusilex.core.placing.angles import Turns
from fusilex.core.placing.points import Points, as_seen, on_board
from fusilex.core.programme.make import Piece
from fusilex.core.programme.who import Feed

Parts = Mapping[int, Sequence[Part]]
"""The parts to place in each cell (from 0)."""
LineOf = Callable[[int, Part], str]
"""The name of the line that a cell's part comes from."""
Lay = Callable[[Points], Points]
"""Panel places as they lie with this side up (n × 2, mm) into the bed's frame."""


class Lying(Struct, frozen=True):
    """How the panel lies: its places into the bed's, degrees it is turned there, and the side that is up; and boards
    that were taught by themselves by their cells (from 0).
    """

    lay: Lay
    turn: float
    side: str = "top"
    boards: Mapping[int, Lying] = field(default_factory=dict)

    def of(self, cell: int) -> Lying:
        """How the board in a cell lies."""
        return self.boards.get(cell, self)


def in_corner(machine: Machine, side: str = "top") -> Lying:
    """The panel with its lower left corner where the machine clamps it, not turned."""
    return Lying(lambda xy: xy + np.asarray(machine.board), 0.0, side)


def pieces_of(
    design: Design,
    panel: Panel,
    parts: Parts,
    line_of: LineOf,
    lying: Lying,
    lies: Mapping[str, float] | None = None,
    fixed: Mapping[str, float] | None = None,
) -> list[Piece]:
    """Pieces for the parts of each cell. `lies` says how a line's parts lie in their tape where that is not as
    is usual (degrees), `fixed` what was put right for a line (degrees).
    """
    lies, fixed = lies or {}, fixed or {}
    found = []
    for cell, own in parts.items():
        here = lying.of(cell)
        places = here.lay(as_seen(panel, panel.on_cell(cell, on_board(design, own)), lying.side))
        for part, (x, y) in zip(own, places, strict=True):
            name = line_of(cell, part)
            turns = Turns(part.rotation_deg, cell=panel.turn(cell), taught=here.turn, side=lying.side)
            tape = lies.get(name, usual_turn(part)) - fixed.get(name, 0.0)
            found.append(Piece(part.ref, cell + 1, name, float(x), float(y), turns.on_board, part.package, tape))
    return found


def usual_turn(part: Part) -> float:
    """How a part usually lies in its tape, degrees; 0 for a body that comes in none."""
    try:
        return tape_of(part.package).turn
    except ValueError:
        return 0.0


def feeds_of(
    machine: Machine, design: Design, panel: Panel, parts: Parts, line_of: LineOf, side: str = "top"
) -> list[Feed]:
    """The lines of parts of a run, with their pieces and whether one of them sits at a clamped edge."""
    bodies: dict[str, Part] = {}
    count: dict[str, int] = {}
    edge: dict[str, bool] = {}
    flat = Lying(lambda xy: xy, 0.0, side)
    for piece in pieces_of(design, panel, parts, line_of, flat):
        part = design.part_by_ref[piece.ref]
        name = piece.line
        bodies.setdefault(name, part)
        count[name] = count.get(name, 0) + 1
        along = machine.clamped == LEFT_RIGHT
        at, length = (piece.x, panel.width) if along else (piece.y, panel.height)
        reach = _reach(piece, along)
        edge[name] = edge.get(name, False) or min(at - reach, length - at - reach) < machine.edge
    return [Feed(name, part.package, count[name], edge[name]) for name, part in bodies.items()]


def _reach(piece: Piece, along_x: bool) -> float:
    """How far a body reaches from its middle along x or y (mm)."""
    angle = np.radians(piece.angle)
    cos, sin = abs(float(np.cos(angle))), abs(float(np.sin(angle)))
    x, y = piece.package.size_x, piece.package.size_y
    return (x * cos + y * sin) / 2 if along_x else (x * sin + y * cos) / 2
