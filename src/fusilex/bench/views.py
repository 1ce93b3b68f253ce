"""What is worked out of a design for one batch: bins, orders, openings, probe plan. Made once per design, when asked for."""

from __future__ import annotations

from functools import cached_property

from fusilex.core.board.model import Design, Part
from fusilex.core.electrical.probes import ProbePair, probe_plan
from fusilex.core.kit.quantities import PullLine, in_placing_order, pull_list
from fusilex.core.placing.order import hand_order
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.soldering.order import by_height


class Views:
    """Everything here follows from the design and the number of boards alone."""

    def __init__(self, design: Design, boards: int) -> None:
        self.design, self.boards = design, boards

    @cached_property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        return in_placing_order(pull_list(self.design, self.boards))

    @cached_property
    def line_of(self) -> dict[str, PullLine]:
        return {ref: line for line in self.lines for ref in line.refs}

    @cached_property
    def bin_number(self) -> dict[str, int]:
        return {line.key: n for n, line in enumerate(self.lines, 1)}

    @cached_property
    def openings(self) -> Openings:
        return openings_of(self.design, "top")

    @cached_property
    def plan(self) -> list[ProbePair]:
        return probe_plan(self.design)

    @cached_property
    def hand_order(self) -> list[Part]:
        return hand_order(self.design)

    @cached_property
    def solder_order(self) -> list[Part]:
        return by_height(self.design)
