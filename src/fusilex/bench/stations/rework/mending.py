"""The repairs of a board: in which order, by which method, with which nozzle, and whether they pay."""

from __future__ import annotations

import math

from msgspec import Struct, field

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board, Fault
from fusilex.bench.common.bins import Bins
from fusilex.bench.common.faults import to_repair
from fusilex.bench.common.pieces import REPLACED_WORDS
from fusilex.bench.workshop.record_kinds import AirGun, Limits, Person
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Part
from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.judgement import Judgement
from fusilex.core.quantities import Quantity
from fusilex.core.rework.heat import heat_radius
from fusilex.core.rework.methods import method_for
from fusilex.core.rework.queue import Mend, Worth, again_melted, in_order, learnt_seconds, worth_of
from fusilex.core.soldering.handwork import Handwork
from fusilex.core.wording import say

KILLED = ("cracked", "burnt")
"""Faults of a part that something killed: it is asked what, before a new one goes the same way."""


class Repairs(Struct):
    """How repairs went: seconds by method, and how often they ended fixed or scrapped."""

    seconds: dict[str, list[float]] = field(default_factory=dict)
    ended: dict[str, int] = field(default_factory=dict)
    causes: dict[int, str] = field(default_factory=dict)


def part_of(batch: Batch, fault: Fault) -> Part | None:
    return batch.own.by_ref.get(fault.ref)


def method_of(batch: Batch, fault: Fault) -> Handwork | None:
    """The method for a fault, None where only the shop's own procedure can tell."""
    part = part_of(batch, fault)
    return method_for(fault.word, part, part in batch.own.hidden) if part else None


def gun_for(batch: Batch, part: Part) -> AirGun:
    """The smallest nozzle on record that covers the part; the largest there is where none does."""
    guns = sorted(batch.workshop[Records].all(AirGun).values(), key=lambda g: g.nozzle_mm)
    wide = max(part.package.size_x, part.package.size_y)
    return next((g for g in guns if g.nozzle_mm >= wide), guns[-1] if guns else batch.workshop[Records].first(AirGun))


def heat_of(batch: Batch, part: Part) -> float:
    """Radius (mm) in which the hot air for a part melts solder about it."""
    gun = gun_for(batch, part)
    return heat_radius(part, gun.nozzle_mm / 2, gun.spread_mm)


def reach_of(batch: Batch, part: Part, method: Handwork | None) -> float:
    """How far the heat of a method reaches: air as its nozzle does, an iron not beyond the part."""
    if method is not None and method.name in ("air", "plate and air"):
        return heat_of(batch, part)
    return max(part.package.size_x, part.package.size_y) / 2 + 0.5


def warmed(batch: Batch, board: Board, in_hand: Fault | None = None) -> set[str]:
    """Parts that were mended since a reading last counted, or are mended now, and those their heat reached."""
    found: set[str] = set()
    since = max((at for at, _ in board.mended), default="")
    faults = [f for f in board.faults if f is in_hand or (f.repaired or "") > since]
    for fault in faults:
        part = part_of(batch, fault)
        if part is None:
            found.add(fault.ref)
            continue
        reach = reach_of(batch, part, method_of(batch, fault))
        near = (p for p in batch.built(board).values() if p.side == part.side)
        found |= {p.ref for p in near if math.hypot(p.x - part.x, p.y - part.y) - _half(p) < reach} | {part.ref}
    return found


def _half(part: Part) -> float:
    """Half of the longer side of a body, mm."""
    return max(part.package.size_x, part.package.size_y) / 2


def mends(batch: Batch, board: Board) -> list[Mend]:
    """Faults to mend in the order in which what was mended is melted again least."""
    made = []
    for fault in to_repair(batch, board):
        if (part := part_of(batch, fault)) is None:
            continue
        method = method_of(batch, fault)
        name = method.name if method else ""
        made.append(Mend(fault.id, part, part in batch.own.hidden, name, reach_of(batch, part, method)))
    return in_order(made)


def queue(batch: Batch, board: Board) -> list[Fault]:
    """Open faults of a board in the order to mend them; those of no part of the design last."""
    by_id = {fault.id: fault for fault in to_repair(batch, board)}
    first = [by_id.pop(mend.fault) for mend in mends(batch, board)]
    return [*first, *by_id.values()]


def boards_in_order(batch: Batch) -> list[Board]:
    """Boards that wait here: those with a part to be heated from below first, while the plate is warm; few faults
    before many.
    """

    def rank(board: Board) -> tuple[bool, int]:
        faults = mends(batch, board)
        return not any(m.method == "plate and air" for m in faults), len(faults)

    return sorted(batch.state.at(batch.step.id), key=rank)


def asks_why(fault: Fault) -> bool:
    """True where a dead part is to be replaced: what killed it comes first."""
    return fault.word in KILLED or (fault.found_at == "Test" and fault.word in REPLACED_WORDS)


def replaced_from(batch: Batch, board: Board, fault: Fault) -> tuple[str, int | None]:
    """The bin, with its lot, that a new part comes from, and how many are left in it; '' where none is taken."""
    line = batch.lines_of(board).get(fault.ref)
    if fault.word not in REPLACED_WORDS or line is None:
        return "", None
    filled = batch.state[Bins].filled.get(line.key)
    lot = f", lot {filled.lot}" if filled and filled.lot else ""
    return f"bin {batch.bin_number[line.key]}{lot}", batch.left_in_bin(line.key)


def seconds_of(batch: Batch, fault: Fault) -> float | None:
    """How long a repair takes here, s."""
    method = method_of(batch, fault)
    return learnt_seconds(method.seconds, batch.state[Repairs].seconds.get(method.name, ())) if method else None


def judge_worth(batch: Batch, board: Board) -> list[Judgement]:
    """Whether what is left to mend on a board pays, where the workshop says what an hour and a board are worth."""
    limits, people = batch.workshop[Records].first(Limits), batch.workshop[Records].all(Person).values()
    rate = max((p.rate_per_h for p in people), default=0.0)
    faults = to_repair(batch, board)
    times = [s for fault in faults if (s := seconds_of(batch, fault)) is not None]
    if not faults or not rate or not limits.board_worth or len(times) < len(faults):
        return []
    sum_ = worth_of(sum(times), rate, limits.board_worth, batch.state[Repairs].ended)
    return [_said(board, sum_, rate)]


def _said(board: Board, one: Worth, rate: float) -> Judgement:
    numbers = (
        Quantity("minutes", round(one.minutes, 1)),
        Quantity("at an hour's", rate),
        Quantity("costs", round(one.cost, 2)),
        Quantity("a good board is worth", one.worth),
        Quantity("good afterwards", f"{100 * one.chance:.0f} %, {one.fixed} of {one.tried} here"),
    )
    subject = f"worth of {board.serial}"
    repairs = (every("repairs", 1),)
    level = weigh(exactly(one.saves), (0.0, math.inf), repairs, hard=(-math.inf, math.inf))
    if level is Level.GO:
        return Judgement("rework.worth", level, subject, say("saves", saves=one.saves), numbers, coverage=repairs)
    return Judgement("rework.worth", level, subject, say("costs more", more=-one.saves), numbers, say("scrap it"))


def judge_again(batch: Batch, board: Board) -> list[Judgement]:
    """What was mended before and lies in the heat of what is to be mended now."""
    order = mends(batch, board)
    hit = again_melted(order)
    names = {m.fault: m.part.ref for m in order}
    pairs = [(names[later], [names[f] for f in earlier]) for later, earlier in hit.items()]
    if not pairs:
        return []
    later, earlier = pairs[0]
    text, do = say("reheated", later=later, earlier=tuple(dict.fromkeys(earlier))), say("shield or inspect")
    return [Judgement("rework.again", Level.CARE, f"{later} of {board.serial}", text, (), do, tuple(earlier))]
