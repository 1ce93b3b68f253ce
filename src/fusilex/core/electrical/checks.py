"""Everything a meter can prove of a board without power: neighbours apart, supplies off ground, joints joined,
resistors what they should be.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import combinations

import shapely
from msgspec import Struct
from msgspec.structs import replace

from fusilex.core.design.hidden_joints import hidden_parts
from fusilex.core.design.model import Design, Pad, Part
from fusilex.core.design.outlines import body_polygon
from fusilex.core.electrical.chances import OPEN_CHIP, OPEN_HOLE, OPEN_LEAD, RAIL_DOWN, WRONG_VALUE, short_chance
from fusilex.core.electrical.network import ResistorNetwork, resistor_network
from fusilex.core.electrical.probes import MAX_GAP_MM, OPEN_ABOVE_OHM, ProbePair, natural, probe_plan
from fusilex.core.electrical.shown import Between, between_nets
from fusilex.core.electrical.supply import ground_of, supplies

TOE_MM2 = 0.02
"""So much of a land must show beside a body for a needle to stand on."""
FINE_MM = 0.4


class Checks(Struct, frozen=True, eq=False):
    """All readings of a design, by what they are for. `reach` are the pads of each net a tip can stand on, the best
    first.
    """

    pairs: tuple[ProbePair, ...]
    rails: tuple[ProbePair, ...]
    joints: tuple[ProbePair, ...]
    values: tuple[ProbePair, ...]
    reach: dict[str, tuple[Pad, ...]]
    ground: str | None

    @property
    def apart(self) -> tuple[ProbePair, ...]:
        """What must be apart before power goes on: neighbours, then supplies that no pair of neighbours stands for."""
        own = {nets(p) for p in self.pairs}
        known = (*self.pairs, *(r for r in self.rails if nets(r) not in own))
        return tuple(p for p in known if self.within_reach(p))

    @property
    def out_of_reach(self) -> tuple[ProbePair, ...]:
        """Neighbours on nets of which no pad can be touched: no meter tells whether they are apart."""
        return tuple(p for p in self.pairs if not self.within_reach(p))

    def within_reach(self, pair: ProbePair) -> bool:
        """True where a tip can stand on both nets."""
        return (pair.a.net or "") in self.reach and (pair.b.net or "") in self.reach

    @property
    def all(self) -> tuple[ProbePair, ...]:
        """Every reading once."""
        return (*self.apart, *self.joints, *self.values)


def nets(pair: ProbePair) -> frozenset[str]:
    """The nets a reading is between."""
    return frozenset((pair.a.net or "", pair.b.net or ""))


def checks_of(design: Design, max_gap: float = MAX_GAP_MM, open_above: float = OPEN_ABOVE_OHM) -> Checks:
    """All readings of a design. What chips draw between supplies may read lower than any resistor there: no least is
    expected of those. Raises ValueError for a bridging distance that is none.
    """
    network, between = resistor_network(design), between_nets(design)
    pairs = apart_of(design, max_gap, open_above, network, between)
    hiding = hidden_parts(design)
    reach, hidden = _reachable(design, hiding), {p.ref for p in hiding}
    rails = _rails(design, pairs, reach, network, between, open_above)
    return Checks(
        tuple(pairs),
        tuple(rails),
        tuple(_joints(design, reach, hidden)),
        tuple(_values(design, pairs, network, between)),
        reach,
        ground_of(design),
    )


def apart_of(
    design: Design,
    max_gap: float = MAX_GAP_MM,
    open_above: float = OPEN_ABOVE_OHM,
    network: ResistorNetwork | None = None,
    between: Between | None = None,
) -> list[ProbePair]:
    """Pairs of pads that must be apart, as near each other as a bridge reaches. Raises ValueError as `checks_of`."""
    network, between = network or resistor_network(design), between or between_nets(design)
    supply = {ground_of(design), *supplies(design, between)}
    return [
        replace(p, open_above=open_above, least=0.0 if nets(p) <= supply else p.least)
        for p in probe_plan(design, max_gap, network, between)
    ]


def prior(pair: ProbePair, parts: dict[str, Part]) -> float:
    """Chance that a reading is bad before anything of the board is known."""
    if pair.purpose == "value":
        return WRONG_VALUE
    if pair.purpose == "joined":
        return _open(pair.b, parts)
    bridged = short_chance(pair.gaps)
    return 1 - (1 - bridged) * (1 - RAIL_DOWN) if pair.purpose == "rail" else bridged


def _open(pad: Pad, parts: dict[str, Part]) -> float:
    """Chance that a joint is open: legs of fine pitch most, chips least."""
    if pad.drill > 0:
        return OPEN_HOLE
    x0, y0, x1, y1 = pad.polygon.bounds
    part = parts.get(pad.ref)
    fine = min(x1 - x0, y1 - y0) < FINE_MM
    return OPEN_LEAD if fine or (part is not None and len(part.pads) > 2) else OPEN_CHIP


def _reachable(design: Design, hiding: Iterable[Part]) -> dict[str, tuple[Pad, ...]]:
    """Pads of each net on which a tip can stand: drilled ones first (both sides reach them), then the largest."""
    bodies = {p.ref: body_polygon(p) for p in hiding if p.package.known}
    unknown = {p.ref for p in hiding} - bodies.keys()
    pads = [pad for pad in design.pads if pad.net and pad.ref not in unknown]
    under = [pad for pad in pads if pad.ref in bodies]
    toes = shapely.difference([pad.polygon for pad in under], [bodies[pad.ref] for pad in under])
    covered = {id(pad) for pad, toe in zip(under, shapely.area(toes), strict=True) if toe <= TOE_MM2}
    found: dict[str, list[tuple[tuple[object, ...], int]]] = {}
    for n, (pad, area) in enumerate(zip(pads, shapely.area([pad.polygon for pad in pads]).tolist(), strict=True)):
        if id(pad) not in covered:
            ease = (pad.ref in bodies, pad.drill == 0, -round(area, 3), natural(pad.name))
            found.setdefault(pad.net or "", []).append((ease, n))
    return {net: tuple(pads[n] for _, n in sorted(there)) for net, there in found.items()}


def _rails(
    design: Design,
    pairs: Sequence[ProbePair],
    reach: dict[str, tuple[Pad, ...]],
    network: ResistorNetwork,
    between: Between,
    open_above: float,
) -> list[ProbePair]:
    """Each supply to ground, then supplies that meet at a part, from each other. A pair of neighbours of the same two
    nets stands for them.
    """
    ground, rails = ground_of(design), supplies(design, between)
    if ground is None:
        return []
    meet = {
        (a, b)
        for part in design.parts
        if part.populated and part.package.family not in ("connector", "inductor")
        for a, b in combinations([n for n in rails if n in {p.net for p in part.pads}], 2)
        if not network.between(a, b) < 2 * open_above
    }
    close = {nets(p): p for p in pairs}
    found = []
    for a, b in [*((rail, ground) for rail in rails), *sorted(meet)]:
        if (same := close.get(frozenset((a, b)))) is not None:
            found.append(replace(same, purpose="rail"))
        elif reach.get(a) and reach.get(b):
            first, second = _near(reach[a], reach[b])
            gap = float(first.polygon.distance(second.polygon))
            ohm, shown, most = network.between(a, b), between.shown(a, b), network.band(a, b)[1]
            found.append(ProbePair(first, second, gap, (), ohm, open_above, "rail", (), shown, 0.0, most))
    return found


def _near(a: Sequence[Pad], b: Sequence[Pad]) -> tuple[Pad, Pad]:
    """Two pads of one part where there is one that joins the nets, else the two easiest."""
    of = {pad.ref: pad for pad in reversed(b)}
    return next(((pad, of[pad.ref]) for pad in a if pad.ref in of), (a[0], b[0]))


def _joints(design: Design, reach: dict[str, tuple[Pad, ...]], hidden: set[str]) -> list[ProbePair]:
    """Each joint that can be touched at the part, from the easiest pad of its net. What lies under a body cannot."""
    fitted = {p.ref for p in design.parts if p.populated}
    bare = {p.ref for p in design.parts} - fitted
    joined: list[tuple[Pad, Pad]] = []
    for pads in reach.values():
        open_ = list({p.name: p for p in reversed(pads) if p.ref not in hidden | bare}.values())[::-1]
        if len(open_) < 2:
            continue
        hub = open_[0]
        joined += [(hub, pad) for pad in open_[1:] if pad.ref in fitted and pad.name != hub.name]
    gaps = shapely.distance([hub.polygon for hub, _ in joined], [pad.polygon for _, pad in joined]).tolist()
    pairs = (ProbePair(*two, gap, expected=0.0, purpose="joined") for two, gap in zip(joined, gaps, strict=True))
    return sorted(pairs, key=lambda p: (natural(p.b.name), natural(p.a.name)))


def _values(design: Design, pairs: Sequence[ProbePair], network: ResistorNetwork, between: Between) -> list[ProbePair]:
    """Resistors that no pair of neighbours reads anyway."""
    done = {nets(p) for p in pairs}
    found = []
    for part in sorted(design.parts, key=lambda p: natural(p.ref)):
        if part.package.family != "resistor" or not part.populated or len(part.pads) != 2:
            continue
        a, b = part.pads
        ends = a.net or "", b.net or ""
        least, most = network.band(*ends) if all(ends) and ends[0] != ends[1] else (0.0, math.inf)
        if frozenset(ends) in done or math.isinf(most):
            continue
        done.add(frozenset(ends))
        gap = float(a.polygon.distance(b.polygon))
        ohm, shown = network.between(*ends), between.shown(*ends)
        found.append(ProbePair(a, b, gap, expected=ohm, purpose="value", shown=shown, least=least, most=most))
    return found
