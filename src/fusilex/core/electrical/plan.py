"""The probe plan of one board: which readings, in which order, in the minutes there are, and what stays unproven."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from msgspec import Struct, field

from fusilex.core.design.model import Pad, Part
from fusilex.core.electrical.chances import SEEN, Learnt, chance_of
from fusilex.core.electrical.checks import Checks, prior
from fusilex.core.electrical.order import (
    FLIP_S,
    LAND_S,
    WALK_S,
    Port,
    Reading,
    best_in,
    best_order,
    expected_seconds,
    found_chance,
    parked,
)
from fusilex.core.electrical.probes import ProbePair

NONE_LEARNT = Learnt()


class ProbePlan(Struct, frozen=True, eq=False):
    """Readings in order, port by port. `chance` is P(bad) by pair key for every reading that was thought of, `seconds`
    what each takes (the first of a port with the parking); `unproven` are those there is no time for, the likeliest bad
    first. `park` is the pad where each port's tip stays.
    """

    ports: tuple[Port, ...]
    pairs: Mapping[str, ProbePair]
    chance: Mapping[str, float]
    seconds: Mapping[str, float]
    park: Mapping[str, Pad]
    unproven: tuple[ProbePair, ...] = ()
    _order: list[ProbePair] = field(default_factory=list)

    @property
    def order(self) -> list[ProbePair]:
        """The readings, first to last."""
        if not self._order:
            self._order.extend(self.pairs[r.key] for port in self.ports for r in port.readings)
        return self._order

    @property
    def total_s(self) -> float:
        """Seconds for all of it."""
        return sum(port.seconds for port in self.ports)

    @property
    def expected_s(self) -> float:
        """Seconds until the first finding, or the end, on average."""
        return expected_seconds(self.ports)

    @property
    def finds(self) -> float:
        """Chance that the plan finds something."""
        return found_chance([r for port in self.ports for r in port.readings])

    @property
    def left(self) -> float:
        """Chance that something is bad among what stays unproven."""
        return found_chance([Reading(p.key, "", 1.0, self.chance[p.key]) for p in self.unproven])

    def port_of(self, key: str) -> Port | None:
        """The port a reading is taken at."""
        return next((port for port in self.ports if any(r.key == key for r in port.readings)), None)


def plan_readings(
    checks: Checks,
    parts: Sequence[Part],
    minutes: float | None = None,
    doubts: Mapping[str, float] | None = None,
    learnt: Mapping[str, Learnt] | None = None,
    pairs: Sequence[ProbePair] | None = None,
    must: Collection[str] = (),
) -> ProbePlan:
    """The best plan out of `pairs` (all readings of a design by default) in so many minutes (None: all of them); those
    of the keys in `must` are in it whatever the time.

    `doubts` are odds by pad name or reference, from this board's record; `learnt` readings so far by pair key.
    """
    wanted = list(checks.all if pairs is None else pairs)
    known = {p.ref: p for p in parts}
    doubts, learnt = doubts or {}, learnt or {}
    chance = {}
    for p in wanted:
        seen = learnt.get(p.key, NONE_LEARNT)
        chance[p.key] = chance_of(prior(p, known), p.names, p.refs, doubts, seen)
    at = parked({p.key: _ends(p) for p in wanted})
    readings = [Reading(p.key, at[p.key], _seconds(p), chance[p.key] * SEEN[p.purpose]) for p in wanted]
    kept = readings if minutes is None else _within(readings, 60 * minutes, must)
    ports = tuple(best_order(kept))
    chosen = {r.key for r in kept}
    seconds = {r.key: r.seconds + (port.land_s if n == 0 else 0) for port in ports for n, r in enumerate(port.readings)}
    there = {port.name: 0.0 for port in ports}  # what a reading more would take: with the parking where none is
    alone = {r.key: r.seconds + there.get(r.port, LAND_S) for r in readings if r.key not in chosen}
    unproven = sorted((p for p in wanted if p.key not in chosen), key=lambda p: (-chance[p.key], p.key))
    by_key = {p.key: p for p in wanted}
    park = {port.name: _stands(port, by_key, checks) for port in ports}
    return ProbePlan(ports, by_key, chance, {**alone, **seconds}, park, tuple(unproven))


def _within(readings: Sequence[Reading], seconds: float, must: Collection[str]) -> list[Reading]:
    """What must be, and the best of the rest in the time that leaves."""
    first = [r for r in readings if r.key in must]
    spent = sum(port.seconds for port in best_order(first))
    more = best_in([r for r in readings if r.key not in must], max(0.0, seconds - spent))
    kept = {r.key for r in (*first, *more)}
    return [r for r in readings if r.key in kept]


def _ends(pair: ProbePair) -> tuple[str, str]:
    """What a tip may stay on: either net; of a joint the net's easiest pad; a resistor is read across itself."""
    if pair.purpose == "joined":
        return (f"{pair.a.net} joined",) * 2
    if pair.purpose == "value":
        return (f"{pair.a.ref} itself",) * 2
    return pair.a.net or "", pair.b.net or ""


def _stands(port: Port, pairs: Mapping[str, ProbePair], checks: Checks) -> Pad:
    """The pad a port's tip is parked on: the easiest of its net, or an end of the one pair."""
    first = pairs[port.readings[0].key]
    if first.purpose in ("joined", "value"):
        return first.a
    if len(port.readings) == 1:
        return first.a if first.a.net == port.name else first.b
    reach = checks.reach.get(port.name)
    return reach[0] if reach else first.a if first.a.net == port.name else first.b


def _seconds(pair: ProbePair) -> float:
    """Seconds for a reading with the other tip parked."""
    apart = pair.a.side != pair.b.side and not pair.a.drill and not pair.b.drill
    return WALK_S + pair.shown.climbs_s + (FLIP_S if apart else 0.0)
