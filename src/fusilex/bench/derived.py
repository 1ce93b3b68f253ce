"""What is worked out of a design for one batch: bins, orders, openings, probe plan. Made once per design, when asked
for.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from fusilex.core.bare_boards.finest import Finest, copper_coverage, finest_feature
from fusilex.core.checks.advice import Suggestion, suggestions
from fusilex.core.checks.repeat import find_panel
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.probes import ProbePair, probe_plan
from fusilex.core.kit.losses import Logged
from fusilex.core.kit.quantities import PullLine, in_placing_order, pull_list
from fusilex.core.panel.layout import Panel
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.road.propose import Ways, propose, usual_order, usual_ways
from fusilex.core.road.shares import share_out
from fusilex.core.road.steps import Steps


class Derived:
    """Everything here follows from the design, the number of boards, the order of placing and the losses logged
    before.
    """

    def __init__(
        self, design: Design, boards: int, school: str = "kind", log: Mapping[str, Logged] | None = None
    ) -> None:
        self.design, self.boards, self.school, self.log = design, boards, school, log or {}
        self._shared: tuple[Steps, dict[str, list[Part]]] | None = None
        self._openings: dict[str, Openings] = {}
        self._roads: dict[tuple[str, Ways], Steps] = {}

    @cached_property
    def lines(self) -> list[PullLine]:
        """Bins of the batch in placing order."""
        x_of = {p.ref: p.x for p in self.design.parts}
        return in_placing_order(pull_list(self.design, self.boards, self.log), self.school, x_of)

    @cached_property
    def line_of(self) -> dict[str, PullLine]:
        return {ref: line for line in self.lines for ref in line.refs}

    @cached_property
    def bin_number(self) -> dict[str, int]:
        return {line.key: n for n, line in enumerate(self.lines, 1)}

    def openings(self, side: str) -> Openings:
        """Openings of a side's stencil."""
        if side not in self._openings:
            self._openings[side] = openings_of(self.design, side)
        return self._openings[side]

    def shares(self, steps: Steps) -> dict[str, list[Part]]:
        """Parts by the step of a road that puts them on."""
        if self._shared is None or self._shared[0] is not steps:
            self._shared = steps, share_out(self.design, steps, self.school)
        return self._shared[1]

    @cached_property
    def usual_ways(self) -> Ways:
        return usual_ways(self.design)

    def road(self, order: str, ways: Ways | None) -> Steps:
        """The road proposed for an order of sides, '' for the usual one."""
        order, ways = order or self.usual_order, ways or self.usual_ways
        if (order, ways) not in self._roads:
            self._roads[order, ways] = propose(self.design, order, ways)
        return self._roads[order, ways]

    @cached_property
    def usual_order(self) -> str:
        """The order of sides this design suggests."""
        return usual_order(self.design)

    @cached_property
    def plan(self) -> list[ProbePair]:
        return probe_plan(self.design)

    @cached_property
    def hidden(self) -> list[Part]:
        """Parts whose joints nobody sees after reflow."""
        return hidden_parts(self.design)

    @cached_property
    def finest(self) -> Finest | None:
        """The narrowest track and gap of the copper."""
        return finest_feature(self.design)

    @cached_property
    def coverage(self) -> dict[str, float]:
        """Share of the board under copper, by side."""
        return {side: copper_coverage(self.design, side) for side in ("top", "bottom")}

    @cached_property
    def suggestions(self) -> list[Suggestion]:
        """What could be better next time."""
        return suggestions(self.design, self.design.panel)

    @cached_property
    def repeat(self) -> Panel | None:
        """The panel hidden in layers that are panelised already."""
        return find_panel(self.design) if self.design.panel is None else None
