"""One board as it is built: the design with the parts that this board carries, and what follows from it."""

from __future__ import annotations

from functools import cached_property

from msgspec import Struct

from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.checks import Checks, apart_of, checks_of, nets
from fusilex.core.electrical.probes import WIDEST_MM, ProbePair


class Shop(Struct, frozen=True):
    """What of the workshop such work depends on."""

    probe_gap_mm: float = 0.6
    open_above_ohm: float = 100.0
    reflowing: str = "controlled oven"
    placing: str = "hand"


class Built:
    """A board, or all that any of several boards carries: its own `design`, and the one `drawn`, which has the same
    copper, pads and places.
    """

    def __init__(self, design: Design, drawn: Design, shop: Shop) -> None:
        self.design, self.drawn = design, drawn
        self.shop = shop

    @cached_property
    def parts(self) -> tuple[Part, ...]:
        """Parts that it carries, nothing else."""
        return tuple(p for p in self.design.parts if p.populated)

    @cached_property
    def by_ref(self) -> dict[str, Part]:
        """Its parts by reference; what is drawn and not fitted is among them."""
        return self.design.part_by_ref

    @cached_property
    def checks(self) -> Checks:
        """Everything a meter can prove of a board without power."""
        return checks_of(self.design, self.shop.probe_gap_mm, self.shop.open_above_ohm)

    @cached_property
    def wider(self) -> list[ProbePair]:
        """Pairs up to twice as far apart as paste usually bridges, for places where it was seen to lie amiss."""
        own = {nets(p) for p in self.checks.all}
        far = apart_of(self.design, min(WIDEST_MM, 2 * self.shop.probe_gap_mm), self.shop.open_above_ohm)
        return [p for p in far if nets(p) not in own]

    @cached_property
    def plan(self) -> list[ProbePair]:
        """What must be apart before power goes on."""
        return list(self.checks.apart)

    @cached_property
    def hidden(self) -> list[Part]:
        """Parts whose joints nobody sees after reflow."""
        return hidden_parts(self.design)
