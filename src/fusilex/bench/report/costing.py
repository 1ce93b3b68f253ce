"""What the batch cost so far, from its own record: parts used and lost, minutes worked, tooling, what faults took."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from itertools import pairwise

from msgspec import Struct

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import Bins
from fusilex.bench.record.bench import Bench
from fusilex.bench.workshop.labels_and_prices import Costs
from fusilex.bench.workshop.record_kinds import Person
from fusilex.bench.workshop.records import Records
from fusilex.core.cost import BreakEven, Cost, break_even
from fusilex.core.evidence import Level
from fusilex.core.judgement import Judgement
from fusilex.core.kit.quantities import PullLine
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say
from fusilex.journal.entries import Entry

PAUSE_S = 300.0
"""Longer without an entry and nobody was at work: it counts as this much at most for the entry that ends it."""


class Costed(Struct, frozen=True):
    """The sum, what it is in, prices nobody noted, and where the way outside breaks even (None: nobody says)."""

    cost: Cost
    currency: str
    unpriced: tuple[str, ...]
    at_work: int
    even: BreakEven | None
    minutes: dict[str, float]


def costs_of(batch: Batch) -> Costs | None:
    """The record of costs for this batch's design."""
    design = str(batch.state.opened["design"]).lower()
    return next((c for c in batch.workshop[Records].all(Costs).values() if c.design.lower() == design), None)


def cost_of(bench: Bench) -> Costed | None:
    """The batch's cost, None where no record of costs is there for its design."""
    batch = bench.batch
    costs = costs_of(batch)
    if costs is None:
        return None
    prices = [(line, _price(line, costs)) for line in batch.lines]
    used = sum((p or 0.0) * batch.used_from_bin(line.key) for line, p in prices)
    bins = batch.state[Bins]
    gone = {line.key: bins.dropped.get(line.key, 0) + bins.replaced.get(line.key, 0) for line, _ in prices}
    lost = sum((p or 0.0) * gone[line.key] for line, p in prices)
    replaced = sum((p or 0.0) * bins.replaced.get(line.key, 0) for line, p in prices)
    minutes = worked(bench.record.history)
    people = batch.workshop[Records].all(Person)
    rates = [p.rate_per_h for p in people.values() if p.rate_per_h]
    rate = costs.rate_per_h or (sum(rates) / len(rates) if rates else 0.0)
    boards = list(batch.state.boards.values())
    good = sum(b.released_at is not None for b in boards)
    begun = sum(bool(b.placed or b.soldered) for b in boards)
    faults = replaced + minutes.get("Rework", 0.0) / 60 * rate + _scrapped(batch, prices)
    total = sum(minutes.values())
    cost = Cost(used, lost, costs.consumables * begun, total, rate, costs.tooling, good, faults)
    at_work = sum(not b.scrapped and b.released_at is None and bool(b.placed or b.soldered) for b in boards)
    unpriced = tuple(line.name for line, p in prices if p is None)
    outside = costs.outside_board > 0 and good > 0
    even = break_even(costs.tooling, cost.each, costs.outside_once, costs.outside_board) if outside else None
    return Costed(cost, costs.currency, unpriced, at_work, even, minutes)


def _price(line: PullLine, costs: Costs) -> float | None:
    """The price of a piece of a bin, None where nobody noted it."""
    for name in (line.part_number, line.value, line.name):
        if name and name in costs.prices:
            return costs.prices[name]
    return None


def _scrapped(batch: Batch, prices: Iterable[tuple[PullLine, float | None]]) -> float:
    """What parts went with boards that were scrapped."""
    price = {line.key: p or 0.0 for line, p in prices}
    total = 0.0
    for board in batch.state.boards.values():
        if board.scrapped:
            lines = batch.lines_of(board)
            total += sum(price[lines[ref].key] for ref in (*board.placed, *board.soldered) if ref in lines)
    return total


def worked(history: Iterable[Entry]) -> dict[str, float]:
    """Minutes of work by station, of all hands: the time between the entries of one person, pauses left out."""
    by_who: dict[str, list[tuple[float, str]]] = {}
    for entry in history:
        moment = datetime.fromisoformat(entry.at).timestamp()
        by_who.setdefault(entry.who, []).append((moment, entry.place.partition("-")[0]))
    found: dict[str, float] = {}
    for entries in by_who.values():
        for (before, _), (after, place) in pairwise(sorted(entries)):
            if place and after > before:
                found[place] = found.get(place, 0.0) + min(after - before, PAUSE_S) / 60
    return found


def judge_cost(costed: Costed) -> list[Judgement]:
    """Is the sum whole, and does it pay to make them here?"""
    cost, found = costed.cost, []
    if costed.unpriced or not cost.rate_per_h:
        rate = bool(cost.rate_per_h)
        case = "no prices" if rate else "no prices, no rate" if costed.unpriced else "no rate"
        numbers = tuple(Quantity("no price", name) for name in costed.unpriced[:5])
        missing = (*(("prices",) if costed.unpriced else ()), *(() if rate else ("hourly rate",)))
        text, do = say(case, bins=len(costed.unpriced)), say("enter them")
        found.append(Judgement("release.cost", Level.UNKNOWN, "cost", text, numbers, do, (), missing))
    if costed.at_work:
        text, missing = say("provisional", boards=costed.at_work), ("the boards still in process",)
        found.append(Judgement("release.cost", Level.UNKNOWN, "boards at work", text, missing=missing))
    if not cost.good:
        text, missing = say("none released"), ("a released board",)
        found.append(Judgement("release.cost", Level.UNKNOWN, "good boards", text, missing=missing))
    return found


def even_words(even: BreakEven | None) -> str:
    """Where making them here breaks even, in words."""
    if even is None:
        return "not known yet"
    if even.always:
        return "here is cheaper for any number"
    if even.boards is None:
        return "outside is cheaper for any number"
    return f"from {even.boards} boards on here" if even.boards > 0 else f"up to {-even.boards} boards here"
