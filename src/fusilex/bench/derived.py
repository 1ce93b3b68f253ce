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
from fusilex.core.placing.order import hand_order
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.soldering.order import by_height


class Derived:
    """Everything here follows from the design, the number of boards, the order of placing and the losses logged
    before.
    """

    def __init__(
        self, design: Design, boards: int, school: str = "kind", log: Mapping[str, Logged] | None = None
    ) -> None:
        self.design, self.boards, self.school, self.log = design, boards, school, log or {}

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

    @cached_property
    def openings(self) -> Openings:
        return openings_of(self.design, "top")

    @cached_property
    def plan(self) -> list[ProbePair]:
        return probe_plan(self.design)

    @cached_property
    def hidden(self) -> list[Part]:
        """Parts whose joints nobody sees after reflow."""
        return hidden_parts(self.design)

    @cached_property
    def hand_order(self) -> list[Part]:
        return hand_order(self.design, school=self.school)

    @cached_property
    def solder_order(self) -> list[Part]:
        return by_height(self.design)

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
