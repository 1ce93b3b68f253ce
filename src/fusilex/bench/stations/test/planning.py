"""What is to be read of a board, in which order: by its own record, the batch's readings, the time and the sample."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from functools import lru_cache

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.built import Built
from fusilex.bench.stations.test.events import NO_BEEP, Testing
from fusilex.bench.workshop.proof_kinds import PinLimits
from fusilex.bench.workshop.record_kinds import Instrument
from fusilex.bench.workshop.records import Records
from fusilex.core.design.model import Pad, Part
from fusilex.core.electrical.chances import DOUBT_TIMES, Learnt
from fusilex.core.electrical.plan import ProbePlan, plan_readings
from fusilex.core.electrical.probes import WIRE_OHM, ProbePair
from fusilex.core.evidence import Level, every, exactly, weigh
from fusilex.core.measuring.guard import Uncertainty

HIDDEN_TIMES = 5.0
"""Odds of a joint no eye has seen, against one that was looked at."""
USUAL_METER = Uncertainty(0.01, 0.3)
"""A hand meter: 1 % of the reading, three tenths of an ohm for digits and leads."""
HEARD_FROM_OHM = 10 * WIRE_OHM
"""A beeper that sounds up to this or more tells a bridge of solder from none."""
Doubts = tuple[tuple[str, float], ...]


def meter(batch: Batch) -> Instrument | None:
    """The instrument on record that reads resistance."""
    return next((i for i in batch.workshop[Records].all(Instrument).values() if i.measures == "resistance"), None)


def leaves_open(batch: Batch) -> Uncertainty:
    """What the meter on record leaves open; as much as a usual one does where nobody noted it."""
    one = meter(batch)
    return one.uncertainty if one and (one.off_share or one.off_fixed) else USUAL_METER


def beeps_below(batch: Batch) -> float:
    """Up to where the beeper sounds, Ω."""
    return (meter(batch) or Instrument(id="usual")).beeps_below_ohm


def heard(pair: ProbePair, beeps: float) -> bool:
    """True where a beeper tells a good board from a bad one: nothing of the circuit makes it sound."""
    apart = pair.want == "above" and pair.purpose != "value" and beeps >= HEARD_FROM_OHM
    return apart and pair.expected > 3 * beeps  # NaN is not


def pin_pairs(batch: Batch, board: Board) -> list[ProbePair]:
    """Readings between pins of the board's parts whose limits are on record."""
    records = batch.workshop[Records].all(PinLimits).values()
    found: dict[str, ProbePair] = {}
    for part in batch.as_built(board).parts:
        named = (part.ref, part.part_number, part.value, part.package.code)
        for limits in (r for r in records if r.part in named):
            found |= {p.key: p for p in _between(part, limits)}
    return list(found.values())


def _between(part: Part, limits: PinLimits) -> list[ProbePair]:
    pads = {pad.pin: pad for pad in part.pads}
    made = []
    for first, second, least, most in limits.between:
        if first in pads and second in pads:
            a, b = pads[first], pads[second]
            gap = float(a.polygon.distance(b.polygon))
            top = most or math.inf
            made.append(ProbePair(a, b, gap, expected=least, purpose="value", least=least, most=top, strict=True))
    return made


def pairs_of(batch: Batch, board: Board, keys: Iterable[str]) -> dict[str, ProbePair]:
    """Readings by their keys, as far as there are such; limits between pins on record win."""
    wanted = set(keys)
    own = batch.as_built(board)
    near = batch.memo.of(("pairs", own), lambda: {p.key: p for p in (*own.checks.all, *pin_pairs(batch, board))})
    if wanted <= near.keys():  # what lies further apart is worked out when first read
        return {key: p for key, p in near.items() if key in wanted}
    known = {p.key: p for p in own.wider} | near
    return {key: p for key, p in known.items() if key in wanted}


def doubts_of(batch: Batch, board: Board) -> dict[str, float]:
    """Odds of parts and joints by this board's record: what stations doubt, what was mended, what no eye sees."""
    found = {part.ref: HIDDEN_TIMES for part in batch.as_built(board).hidden}
    found |= {ref: DOUBT_TIMES for station in batch.stations.values() for ref, _ in station.doubts(batch, board)}
    found |= {fault.place: DOUBT_TIMES for fault in board.faults}
    return found | {fault.ref: DOUBT_TIMES for fault in board.faults}


def is_sampled(batch: Batch, board: Board) -> bool:
    """True for a board that the sampling rule lets by with the readings its own record asks for."""
    sample = batch.state[Testing].sample
    if sample is None or board.serial in sample.boards or board.sent_back:
        return False
    return not voided(batch)


def voided(batch: Batch) -> bool:
    """True once something was found since the sample was drawn: every board is tested in full again."""
    testing = batch.state[Testing]
    return testing.sample is not None and any(at > testing.sample.at for at, _ in testing.findings)


def plan_for(batch: Batch, board: Board) -> ProbePlan:
    """The plan of a board: rails always, then the best of what is due in the minutes there are."""
    return batch.once(_plan, board.serial)


def _plan(batch: Batch, serial: str) -> ProbePlan:
    """The same, made now."""
    testing, board = batch.state[Testing], batch.state.boards[serial]
    doubts = tuple(sorted(doubts_of(batch, board).items()))
    seen = tuple(sorted((key, n, len(testing.bad.get(key, ()))) for key, n in _counts(batch).items()))
    pins, marked = tuple(pin_pairs(batch, board)), frozenset(fault.ref for fault in board.faults)
    amiss = frozenset(ref for s in batch.stations.values() if s.name == "Print" for ref, _ in s.doubts(batch, board))
    own = batch.as_built(board)
    return _planned(own, testing.minutes, is_sampled(batch, board), doubts, seen, pins, marked, amiss)


def due(batch: Batch, board: Board) -> list[ProbePair]:
    """Readings a board needs, in order, without those left unread for a reason."""
    waived = batch.state[Testing].waived.get(board.serial, {})
    return [p for p in plan_for(batch, board).order if p.key not in waived]


def unread(batch: Batch, board: Board) -> list[ProbePair]:
    """Readings that are due and not taken."""
    return [p for p in due(batch, board) if p.key not in board.readings]


def touched(batch: Batch, board: Board, pair: ProbePair) -> tuple[Pad, Pad]:
    """Where the tips stand for a reading: the one that stays at its port, and the one that walks; of a port with one
    reading the pair's own pads.
    """
    plan = plan_for(batch, board)
    port = plan.port_of(pair.key)
    if port is None or len(port.readings) < 2 or pair.purpose == "value":
        return pair.a, pair.b
    stays = plan.park[port.name]
    walks = pair.b if pair.a.net == stays.net else pair.a
    reach = batch.as_built(board).checks.reach.get(walks.net or "", ())
    near = walks if walks in reach or not reach else reach[0]
    return stays, pair.b if pair.purpose == "joined" else near


def level_of(batch: Batch, board: Board, pair: ProbePair) -> Level | None:
    """What a board's reading of a pair says of joint and bridge; None where it was not read."""
    reading = board.readings.get(pair.key)
    if reading is None:
        return None
    value, text = reading
    if text == NO_BEEP:
        return weigh(exactly(value), (HEARD_FROM_OHM, math.inf), [every("beeps", 1)], hard=(-math.inf, math.inf))
    return pair.level(value, leaves_open(batch))


def silent(board: Board) -> set[str]:
    """Pairs of a board that were walked over without a beep."""
    return {key for key, (_, text) in board.readings.items() if text == NO_BEEP}


def _counts(batch: Batch) -> dict[str, int]:
    """On how many boards each pair was read, or was bad."""
    found: dict[str, int] = {}
    for board in batch.state.boards.values():
        for key in board.readings:
            found[key] = found.get(key, 0) + 1
    for key, boards in batch.state[Testing].bad.items():
        found[key] = found.get(key, 0) + sum(key not in batch.state.boards[b].readings for b in boards)
    return found


@lru_cache(maxsize=64)
def _planned(
    built: Built,
    minutes: float | None,
    sampled: bool,
    doubts: Doubts,
    seen: tuple[tuple[str, int, int], ...],
    pins: tuple[ProbePair, ...],
    marked: frozenset[str],
    amiss: frozenset[str],
) -> ProbePlan:
    checks, odds = built.checks, dict(doubts)
    learnt = {key: Learnt(boards, bad) for key, boards, bad in seen}
    around = amiss | marked
    wider = [p for p in built.wider if p.a.ref in around or p.b.ref in around] if around else []
    mended = [p for p in (*checks.joints, *checks.values) if not marked.isdisjoint((p.a.ref, p.b.ref))]
    if sampled:
        in_doubt = [p for p in checks.apart if any(odds.get(ref, 1.0) > HIDDEN_TIMES for ref in (p.a.ref, p.b.ref))]
        wanted: Sequence[ProbePair] = [*_rails(built), *in_doubt, *wider, *mended]
    elif minutes is None:
        wanted = [*checks.apart, *pins, *wider, *mended]
    else:
        wanted = [*checks.all, *pins, *wider]
    pairs = list({p.key: p for p in wanted}.values())
    must = {p.key for p in _rails(built)} if minutes is not None and not sampled else set()
    return plan_readings(checks, tuple(built.by_ref.values()), None if sampled else minutes, odds, learnt, pairs, must)


def _rails(built: Built) -> list[ProbePair]:
    """Supplies off ground and each other: read on every board before it gets power."""
    checks = built.checks
    rails = {p.key for p in checks.rails}
    return [p for p in checks.apart if p.key in rails]
