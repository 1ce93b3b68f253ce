"""What the twin predicts of held steps: for the part the gun is over, and for all others."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.common.heat.heat_limits import body_limits
from fusilex.bench.refusal import Refused
from fusilex.bench.workshop.hot_air_profiles import HotAirProfile
from fusilex.bench.workshop.oven import Oven
from fusilex.bench.workshop.record_kinds import AirGun
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Design, Part
from fusilex.core.evidence import Level, every, seen
from fusilex.core.heat.fit import Fitted, unfitted
from fusilex.core.heat.hot_air import Gun, Heated, HotAirStep, best_order, held, undone
from fusilex.core.heat.joints import joints_of
from fusilex.core.heat.oven import AIR, PLATE, OvenModel
from fusilex.core.heat.sheet import Sheet, sheet_of
from fusilex.core.judgement import Judgement
from fusilex.core.panel.layout import Panel, single
from fusilex.core.placing.points import on_board
from fusilex.core.quantities import Quantity, amount
from fusilex.core.reflow.windows import ProcessWindow
from fusilex.core.wording import say

CELL_MM, ORDER_MM = 2.0, 3.0


def profiles_for(batch: Batch, part: Part | None, window: str) -> list[HotAirProfile]:
    """Profiles on record, those that are made for the part and its paste first."""
    hidden = part is not None and part in batch.own.hidden
    fits = ("bottom pad", "bare die", "any") if hidden else ("any", "bottom pad", "bare die")
    kind = window.partition(",")[0]
    records = batch.workshop[Records].all(HotAirProfile).values()
    return sorted(records, key=lambda r: (r.window.partition(",")[0] != kind, fits.index(r.parts)))


class AirQuestion(Struct, frozen=True, eq=False, dict=True):
    """All that a look ahead at held steps needs, taken from the batch while it stood still."""

    design: Design
    panel: Panel
    parts: tuple[Part, ...]
    cell: int
    cells: tuple[int, ...]
    window: ProcessWindow
    oven: Fitted
    proven: bool
    gun: Gun
    limits: dict[str, float]

    @cached_property
    def corner(self) -> np.ndarray:
        return np.asarray(self.design.outline.bounds[:2])

    def sheet(self, cell_mm: float) -> Sheet:
        return sheet_of(self.design, self.panel, self.parts, self.cells, cell_mm)

    def place(self, part: Part) -> tuple[float, float]:
        """Where the gun is held: over the part, mm from the middle of the panel."""
        x, y = self.panel.on_cell(self.cell, on_board(self.design, [part]))[0]
        return float(x - self.panel.width / 2), float(y - self.panel.height / 2)

    def predicted(self, part: Part, steps: tuple[HotAirStep, ...]) -> tuple[Sheet, Heated]:
        """What the steps do. Raises ValueError for a part without joints on paste."""
        sheet = self.sheet(CELL_MM)
        joints = joints_of(self.design, self.panel, self.parts, sheet, [self.cell])
        where = self.place(part)
        return sheet, held(sheet, joints, (part.ref, self.cell), where, steps, self.oven, self.gun, self.window.melting)

    def order(self, parts: list[Part], steps: tuple[HotAirStep, ...]) -> tuple[list[str], int]:
        """In which order parts are heated so that the fewest are melted again, and how many are."""
        sheet = self.sheet(ORDER_MM)
        joints = joints_of(self.design, self.panel, self.parts, sheet, [self.cell])
        places = {p.ref: self.place(p) for p in parts}
        undoes = undone(sheet, joints, places, self.cell, steps, self.oven, self.gun, self.window.melting)
        order, harm = best_order(undoes, [p.package.mass_mg for p in parts])
        return [parts[k].ref for k in order], harm


def air_question(batch: Batch, board: Board, side: str, window: ProcessWindow) -> AirQuestion:
    """The panel of a board, with what stands on paste on a side. Raises `Refused`."""
    parts = tuple(batch.parts_on_paste(side, board))
    if not parts:
        raise Refused("Nothing on this board is soldered by paste on this side.")
    plates = [o for o in batch.workshop[Records].all(Oven).values() if o.method == PLATE]
    oven = plates[0] if plates else None
    fitted = oven.fitted if oven else unfitted(OvenModel(AIR))
    if board.station == "Reflow":
        panel, cell = batch.panel, board.cell
        cells = tuple(b.cell for b in batch.state.panel_boards(board.panel) if not b.scrapped)
    else:  # a board by itself
        x0, y0, x1, y1 = batch.drawn.outline.bounds
        panel, cell, cells = single(x1 - x0, y1 - y0), 0, (0,)
    limits = body_limits(batch.workshop, parts, window.leaded)
    gun = batch.workshop[Records].first(AirGun).gun
    return AirQuestion(batch.drawn, panel, parts, cell, cells, window, fitted, bool(oven and oven.proven), gun, limits)


def judge_hot_air(
    asked: AirQuestion, part: Part, found: Heated, steps: Sequence[HotAirStep] = (), lowest: float = 0.0
) -> Judgement:
    """Will these steps solder the part by a gun that goes down to so many l/min, and what do they do to others?"""
    own = [k for k, j in enumerate(found.joints) if j.part == part.ref]
    others = sorted({j.part for k, j in enumerate(found.joints) if j.part != part.ref and _melts(asked, found, k)})
    over = [j.part for k, j in enumerate(found.joints) if found.longest[k] > asked.limits.get(j.part, np.inf)]
    may = [j.part for k, j in enumerate(found.joints) if found.highest[k] > asked.limits.get(j.part, np.inf)]
    melting = asked.window.melting
    numbers = (
        Quantity("coolest joint", round(float(found.shortest[own].min())), "°C"),
        Quantity("hottest joint", round(float(found.longest[own].max())), "°C"),
        Quantity("melts again", ", ".join(others[:5]) or "none"),
    )
    joints = (every("joints", len(own)),)
    low = [s for s in steps if 0 < s.litres_per_min < lowest]
    if low:
        flow = amount(low[0].litres_per_min, "l/min")
        level, text, do = Level.STOP, say("too little air", step=low[0].name, flow=flow), say("more air", lowest=lowest)
    elif over:
        level, text, do = Level.STOP, say("too hot", ref=over[0]), say("cooler")
    elif found.longest[own].min() < melting:
        level, text, do = Level.STOP, say("stays solid", ref=part.ref), say("hotter")
    elif found.least[own].min() < melting or may or not asked.proven:
        level, text, do = Level.UNKNOWN, say("not checked", ref=part.ref), say("watch the solder")
    else:
        level, text, do = seen(*joints), say("suits", ref=part.ref), None
    missing = ("a log of this air with a thermocouple",) if level is Level.UNKNOWN else ()
    return Judgement("heat.held", level, part.ref, text, numbers, do, tuple(others), missing, joints)


def _melts(asked: AirQuestion, found: Heated, k: int) -> bool:
    return bool(found.longest[k] >= asked.window.melting)
