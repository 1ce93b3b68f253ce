"""A design's panel as an oven has it."""

from __future__ import annotations

from pathlib import Path

from msgspec import Struct

from fusilex.bench.intake.design import read_design
from fusilex.bench.workshop.machine_file import read_alone
from fusilex.bench.workshop.oven import Oven
from fusilex.core.design.model import Design, Part
from fusilex.core.heat.joints import Joint, joints_of
from fusilex.core.heat.oven import AIR
from fusilex.core.heat.run import Watch
from fusilex.core.heat.sheet import Sheet, sheet_of
from fusilex.core.panel.layout import Panel, single
from fusilex.core.placing.order import placed_by_paste
from fusilex.core.problems import BadInput


def oven_in(file: str) -> Oven:
    """The oven or plate that a file describes. Raises `BadInput` for hot air, which goes part by part."""
    oven = read_alone(file, Oven)
    if oven.method == AIR:
        raise BadInput(Path(file).name, "an oven or a plate", "hot air, which goes part by part, in held steps")
    return oven


class OvenLoad(Struct, frozen=True, eq=False):
    """A design's panel with what is on paste on a side."""

    design: Design
    panel: Panel
    parts: list[Part]

    @classmethod
    def read(cls, folder: str, side: str) -> OvenLoad:
        design = read_design(folder)
        x0, y0, x1, y1 = design.outline.bounds
        panel = design.panel or single(x1 - x0, y1 - y0)
        parts = [p for p in design.parts if placed_by_paste(p, side)]
        if not parts:
            raise BadInput(Path(folder).name, f"parts on paste on the {side}", "none")
        return cls(design, panel, parts)

    def sheet(self, cell_mm: float) -> Sheet:
        return sheet_of(self.design, self.panel, self.parts, cell_mm=cell_mm)

    def joints(self, sheet: Sheet) -> tuple[list[Joint], Watch]:
        return joints_of(self.design, self.panel, self.parts, sheet)
