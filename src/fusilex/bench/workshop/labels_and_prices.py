"""Records that Release goes by: label stock, and what things cost."""

from __future__ import annotations

from typing import Annotated, ClassVar

from msgspec import Meta

from fusilex.bench.workshop.record import Record

Length = Annotated[float, Meta(ge=0, le=400)]
Money = Annotated[float, Meta(ge=0, le=1e7)]
A4_MM = (210.0, 297.0)


class LabelStock(Record, frozen=True):
    """Labels as they come: one label's size, how many across and down on a page of so many mm, where the first begins,
    and the pitch. A roll is a page of one.
    """

    what: ClassVar[str] = "label"
    title: ClassVar[str] = "Label stock"
    width_mm: Annotated[float, Meta(ge=5, le=200)] = 30.0
    height_mm: Annotated[float, Meta(ge=5, le=200)] = 15.0
    across: Annotated[int, Meta(ge=1, le=40)] = 6
    down: Annotated[int, Meta(ge=1, le=60)] = 16
    left_mm: Length = 10.0
    top_mm: Length = 12.0
    pitch_x_mm: Length = 32.0
    pitch_y_mm: Length = 17.0
    page_w_mm: Annotated[float, Meta(ge=5, le=400)] = A4_MM[0]
    page_h_mm: Annotated[float, Meta(ge=5, le=400)] = A4_MM[1]

    def __post_init__(self) -> None:
        if (self.across > 1 and self.pitch_x_mm < self.width_mm) or (
            self.down > 1 and self.pitch_y_mm < self.height_mm
        ):
            raise ValueError("labels that overlap: their pitch is at least their size")
        right = self.left_mm + (self.across - 1) * self.pitch_x_mm + self.width_mm
        bottom = self.top_mm + (self.down - 1) * self.pitch_y_mm + self.height_mm
        if right > self.page_w_mm + 0.01 or bottom > self.page_h_mm + 0.01:
            raise ValueError(f"labels end at {right:g} × {bottom:g} mm, beyond the page")


class Costs(Record, frozen=True):
    """What a design costs here: prices of parts (by part number or value), consumables a board, tooling a batch, an
    hour's rate where nobody's own is on record; and what a workshop outside asks: once, and a board.
    """

    what: ClassVar[str] = "costs"
    title: ClassVar[str] = "Costs"
    design: str = ""
    currency: Annotated[str, Meta(max_length=8)] = ""
    prices: dict[str, Money] = {}
    consumables: Money = 0.0
    tooling: Money = 0.0
    rate_per_h: Money = 0.0
    outside_once: Money = 0.0
    outside_board: Money = 0.0
