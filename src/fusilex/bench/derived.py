"""What is worked out of a design for one batch: bins, orders, openings, probe plan. Made once per design, when asked
for.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.bare_boards.etching import copper_removed_g
from fusilex.core.bare_boards.finest import Finest, copper_coverage, finest_feature
from fusilex.core.checks.advice import Suggestion, suggestions
from fusilex.core.checks.repeat import find_panel
from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.checks import Checks, apart_of, checks_of, nets
from fusilex.core.electrical.probes import WIDEST_MM, ProbePair
from fusilex.core.kit.losses import Logged
from fusilex.core.kit.quantities import PullLine, in_placing_order, line_key, pull_for
from fusilex.core.kit.variants import Variant, built
from fusilex.core.panel.layout import Panel
from fusilex.core.panel.separating import CutPlan, plan_cuts
from fusilex.core.printing.openings import Openings, openings_of
from fusilex.core.road.propose import Ways, propose, usual_order, usual_ways
from fusilex.core.road.shares import share_out
from fusilex.core.road.steps import Steps

Builds = tuple[tuple[Variant, int], ...]
"""How many boards there are of each variant."""


class Shop(Struct, frozen=True):
    """What of the workshop such work depends on."""

    probe_gap_mm: float = 0.6
    open_above_ohm: float = 100.0
    reflowing: str = "controlled oven"
    placing: str = "hand"


class Derived:
    """Everything here follows from the design, the number of boards, the order of placing and the losses logged
    before.
    """

    def __init__(
        self,
        design: Design,
        boards: int,
        school: str = "kind",
        log: Mapping[str, Logged] | None = None,
        shop: Shop | None = None,
    ) -> None:
        self.design, self.boards, self.school, self.log = design, boards, school, log or {}
        self.shop = shop or Shop()
        self._shared: dict[Variant, tuple[Steps, dict[str, list[Part]]]] = {}
        self._built: dict[Variant, dict[str, Part]] = {}
        self._lines: tuple[Builds, list[PullLine]] = (), []
        self._line_of: dict[Variant, dict[str, PullLine]] = {}
        self._openings: dict[str, Openings] = {}
        self._cuts: tuple[Panel, CutPlan] | None = None
        self._roads: dict[tuple[str, Ways], Steps] = {}

    def built(self, variant: Variant) -> dict[str, Part]:
        """Parts of a board of a variant, by reference; fitted or not."""
        if variant not in self._built:
            self._built[variant] = {p.ref: p for p in built(self.design.parts, variant)}
        return self._built[variant]

    def lines(self, builds: Builds) -> list[PullLine]:
        """Bins of the batch in placing order; what only changed boards need stands after what all were drawn with."""
        if self._lines[0] != builds:
            x_of = {p.ref: p.x for p in self.design.parts}
            drawn = {line_key(p) for p in self.design.parts if p.populated}
            counts = {(): 0} | dict(builds)
            made = pull_for([(list(self.built(v).values()), n) for v, n in counts.items()], self.log)
            of = {line.key: (line.value, line.package.code, line.part_number) in drawn for line in made}
            groups = ([x for x in made if of[x.key]], [x for x in made if not of[x.key]])
            ordered = [line for group in groups for line in in_placing_order(group, self.school, x_of)]
            self._lines, self._line_of = (builds, ordered), {}
        return self._lines[1]

    def line_of(self, builds: Builds, variant: Variant) -> dict[str, PullLine]:
        """The bin of each part of a board of a variant."""
        lines = self.lines(builds)
        if variant not in self._line_of:
            by_key = {(x.value, x.package.code, x.part_number): x for x in lines}
            parts = self.built(variant).values()
            self._line_of[variant] = {p.ref: by_key[line_key(p)] for p in parts if p.populated}
        return self._line_of[variant]

    def openings(self, side: str) -> Openings:
        """Openings of a side's stencil."""
        if side not in self._openings:
            self._openings[side] = openings_of(self.design, side)
        return self._openings[side]

    def shares(self, steps: Steps, variant: Variant) -> dict[str, list[Part]]:
        """Parts of a board of a variant, by the step of a road that puts them on."""
        held = self._shared.get(variant)
        if held is None or held[0] is not steps:
            held = self._shared[variant] = steps, share_out(self.built(variant).values(), steps, self.school)
        return held[1]

    @cached_property
    def usual_ways(self) -> Ways:
        """By syringe and hand, or by stencil with whatever the workshop owns for placing and heat."""
        ways = replace(usual_ways(self.design), reflowing=self.shop.reflowing)
        return replace(ways, placing=self.shop.placing) if ways.printing == Ways().printing else ways

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

    def cuts(self, panel: Panel) -> CutPlan:
        """How boards of this design come out of a panel."""
        if self._cuts is None or self._cuts[0] != panel:
            self._cuts = panel, plan_cuts(self.design, panel, [p for p in self.design.parts if p.populated])
        return self._cuts[1]

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

    def copper_to_remove_g(self, foil_um: float) -> float:
        """Copper (g) to etch off one board, both outer layers that have any."""
        area = float(self.design.outline.area)
        return sum(copper_removed_g(area, share, foil_um) for share in self.coverage.values() if share > 0)

    @cached_property
    def suggestions(self) -> list[Suggestion]:
        """What could be better next time."""
        return suggestions(self.design, self.design.panel)

    @cached_property
    def repeat(self) -> Panel | None:
        """The panel hidden in layers that are panelised already."""
        return find_panel(self.design) if self.design.panel is None else None
