"""What is worked out of a design for one batch: bins, orders, cuts. Made once per design, when asked for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property

from msgspec.structs import replace

from fusilex.bench.built import Built, Shop
from fusilex.bench.common.bins import Bin, numbered, with_names
from fusilex.core.bare_boards.etching import copper_removed_g
from fusilex.core.bare_boards.finest import Finest, copper_coverage, finest_feature
from fusilex.core.checks.advice import Suggestion, suggestions
from fusilex.core.checks.repeat import find_panel
from fusilex.core.design.model import Design, Part
from fusilex.core.kit.losses import Logged
from fusilex.core.kit.quantities import PullLine, in_placing_order, line_key, pull_for
from fusilex.core.kit.variants import Variant, built
from fusilex.core.panel.layout import Panel
from fusilex.core.panel.separating import CutPlan, plan_cuts
from fusilex.core.printing.apertures import Apertures, apertures_of
from fusilex.core.route.propose import Ways, propose, usual_order, usual_ways
from fusilex.core.route.shares import share_out
from fusilex.core.route.steps import Steps

Builds = tuple[tuple[Variant, int], ...]
"""How many boards there are of each variant."""


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
        self._built: dict[frozenset[Variant], Built] = {}
        self._lines: tuple[Builds, dict[str, Bin], list[PullLine]] = (), {}, []
        self._line_of: dict[Variant, dict[str, PullLine]] = {}
        self._apertures: dict[str, Apertures] = {}
        self._cuts: tuple[Panel, Built, CutPlan] | None = None
        self._routes: dict[tuple[str, Ways], Steps] = {}

    def of(self, variants: Iterable[Variant]) -> Built:
        """A board of a variant, or what any of several boards carries: a part that is on one of them is among it."""
        asked = frozenset(variants)
        if asked not in self._built:
            self._built[asked] = Built(self._as_built(asked), self.design, self.shop)
        return self._built[asked]

    def _as_built(self, variants: Iterable[Variant]) -> Design:
        """The design as drawn where nothing is otherwise."""
        if not any(variants):
            return self.design
        ordered = sorted(variants, key=lambda variant: (len(variant), repr(variant)))
        each = zip(*(built(self.design.parts, variant) for variant in ordered), strict=True)
        return replace(self.design, parts=tuple(max(same, key=lambda part: part.populated) for same in each))

    def built(self, variant: Variant) -> dict[str, Part]:
        """Parts of a board of a variant, by reference; fitted or not."""
        return self.of((variant,)).by_ref

    def lines(self, builds: Builds, named: Mapping[str, Bin]) -> list[PullLine]:
        """Bins of the batch in placing order, under the names they have; what only changed boards need stands after
        what all were drawn with.
        """
        if self._lines[:2] != (builds, named):
            x_of = {p.ref: p.x for p in self.design.parts}
            drawn = {line_key(p) for p in self.design.parts if p.populated}
            counts = {(): 0} | dict(builds)
            made = pull_for([(list(self.built(v).values()), n) for v, n in counts.items()], self.log)
            groups = ([x for x in made if x.group in drawn], [x for x in made if x.group not in drawn])
            ordered = [line for group in groups for line in in_placing_order(group, self.school, x_of)]
            own = with_names(ordered, named)
            numbers = numbered(own, named)
            own.sort(key=lambda line: numbers[line.key])
            self._lines, self._line_of = (builds, dict(named), own), {}
        return self._lines[2]

    def line_of(self, builds: Builds, named: Mapping[str, Bin], variant: Variant) -> dict[str, PullLine]:
        """The bin of each part of a board of a variant."""
        lines = self.lines(builds, named)
        if variant not in self._line_of:
            by_key = {x.group: x for x in lines}
            parts = self.built(variant).values()
            self._line_of[variant] = {p.ref: by_key[line_key(p)] for p in parts if p.populated}
        return self._line_of[variant]

    def apertures(self, side: str) -> Apertures:
        """Openings of a side's stencil."""
        if side not in self._apertures:
            self._apertures[side] = apertures_of(self.design, side)
        return self._apertures[side]

    def shares(self, steps: Steps, variant: Variant) -> dict[str, list[Part]]:
        """Parts of a board of a variant, by the step of a route that puts them on."""
        held = self._shared.get(variant)
        if held is None or held[0] is not steps:
            held = self._shared[variant] = steps, share_out(self.built(variant).values(), steps, self.school)
        return held[1]

    @cached_property
    def usual_ways(self) -> Ways:
        """By syringe and hand, or by stencil with whatever the workshop owns for placing and heat."""
        ways = replace(usual_ways(self.design), reflowing=self.shop.reflowing)
        return replace(ways, placing=self.shop.placing) if ways.printing == Ways().printing else ways

    def route(self, order: str, ways: Ways | None) -> Steps:
        """The route proposed for an order of sides, '' for the usual one."""
        order, ways = order or self.usual_order, ways or self.usual_ways
        if (order, ways) not in self._routes:
            self._routes[order, ways] = propose(self.design, order, ways)
        return self._routes[order, ways]

    @cached_property
    def usual_order(self) -> str:
        """The order of sides that this design suggests for so many boards."""
        return usual_order(self.design, self.boards)

    def cuts(self, panel: Panel, boards: Built) -> CutPlan:
        """How boards come out of a panel."""
        if self._cuts is None or self._cuts[:2] != (panel, boards):
            self._cuts = panel, boards, plan_cuts(self.design, panel, boards.parts)
        return self._cuts[2]

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
