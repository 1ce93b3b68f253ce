"""What readings say of a board, and what no reading reaches."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence

from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.checks import Checks
from fusilex.core.electrical.probes import MAX_GAP_MM, OPEN_ABOVE_OHM, ProbePair, natural, nets_known
from fusilex.core.evidence import Coverage, Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.guard import EXACT, Uncertainty
from fusilex.core.quantities import Quantity
from fusilex.core.units import show_resistance
from fusilex.core.wording import listed, say


def judge_plan(design: Design, plan: Sequence[ProbePair], max_gap: float = MAX_GAP_MM) -> list[Judgement]:
    """Can't tell where no file names nets, or pads without a net were left out; go where nothing stands close enough
    to bridge.
    """
    without = sum(not pad.net for pad in design.pads)
    numbers = (Quantity("pads", len(design.pads)), Quantity("without a net", without), Quantity("gap", max_gap, "mm"))
    if not nets_known(design):
        missing = ("nets of the pads",)
        return [Judgement("test.nets", Level.UNKNOWN, "nets", say("no nets"), numbers, say("add netlist"), (), missing)]
    if not plan:
        pads = (Coverage("pads", len(design.pads) - without, len(design.pads)),)
        if (level := seen(*pads)) is not Level.GO:
            return []
        return [Judgement("test.nets", level, "nets", say("none close"), numbers, coverage=pads)]
    return []


def judge_supply(checks: Checks) -> list[Judgement]:
    """Can't tell which supplies must be off ground where no net is called so."""
    if checks.ground is not None or not checks.reach:
        return []
    text, do, missing = say("no ground"), say("name it"), ("which net is ground",)
    numbers = (Quantity("nets", len(checks.reach)),)
    return [Judgement("test.nets", Level.UNKNOWN, "ground", text, numbers, do, (), missing)]


def judge_unseen(plan: Sequence[ProbePair], hidden: Sequence[Part]) -> list[Judgement]:
    """Can't tell, part by part, for joints that nobody sees and no pair of the plan has."""
    in_plan = {name for p in plan for name in (p.a.name, p.b.name, *(n for pair in p.also for n in pair.split(" – ")))}
    found = []
    for part in hidden:
        pins = sorted({pad.pin for pad in part.pads if pad.name not in in_plan}, key=natural)
        if pins:
            numbers = (Quantity("pins", listed(pins, 6)),)
            text, do, missing = say("not probed", pins=len(pins)), say("test function"), ("a reading of these joints",)
            found.append(Judgement("test.hidden", Level.UNKNOWN, part.ref, text, numbers, do, (part.ref,), missing))
    return found


def judge_readings(
    plan: Sequence[ProbePair],
    readings: Mapping[str, float],
    meter: Uncertainty = EXACT,
    silent: Collection[str] = (),
) -> list[Judgement]:
    """Shorts, open joints and wrong values among the readings (Ω by pair key), and what is still unread; nothing for an
    empty plan. Of `silent` ones is only known that no beeper sounded.
    """
    found = []
    for pair in plan:
        if pair.key in readings and pair.key not in silent:
            found += _told(pair, readings[pair.key], meter)
    unread = [p for p in plan if p.key not in readings]
    if unread:
        closest = min((p.gap for p in unread if p.want == "above"), default=None)
        near = () if closest is None else (Quantity("closest unread", closest, "mm"),)
        text, missing = say("unread", unread=len(unread), pairs=len(plan)), ("readings of these pairs",)
        found.append(Judgement("test.unread", Level.UNKNOWN, "readings", text, near, missing=missing))
    elif plan and not any(j.level in (Level.STOP, Level.UNKNOWN) for j in found):
        numbers = (Quantity("pairs", len(plan)), Quantity("limit", OPEN_ABOVE_OHM, "Ω"))
        pairs = (every("pairs", len(plan)),)
        found.append(Judgement("test.short", seen(*pairs), "readings", say("no shorts"), numbers, coverage=pairs))
    return found


def _told(pair: ProbePair, value: float, meter: Uncertainty) -> list[Judgement]:
    """What one reading says; nothing where all is well."""
    level = pair.level(value, meter)
    if level is not Level.GO:
        return [_open(pair, value, level, meter) if pair.purpose == "joined" else _short(pair, value, level, meter)]
    worth = pair.value_level(value, meter)
    return [] if worth is Level.GO else [_value(pair, value, worth, meter)]


def _numbers(pair: ProbePair, value: float, wanted: Quantity, meter: Uncertainty) -> tuple[Quantity, ...]:
    room = meter.of(value)
    own = (Quantity("meter uncertainty", room, "Ω"),) if room else ()
    return Quantity("read", value, "Ω", (value - room, value + room) if room else None), wanted, *own


def _short(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    numbers = _numbers(pair, value, Quantity("wanted above", pair.limit, "Ω"), meter)
    if level is Level.STOP:
        case, do = "shorted", say("find the bridge", pad=a.name, other=b.name)
    elif math.isnan(pair.expected):
        case, do = "possible short", say("correct the value")
    else:
        case, do = "near the limit", say("read again")
    numbers = (*numbers, Quantity("gap", pair.gap, "mm"))
    missing = ("a finer reading",) if level is Level.UNKNOWN else ()
    text = say(case, net=a.net, other=b.net)
    return Judgement("test.short", level, pair.key, text, numbers, do, (a.ref, b.ref), missing)


def _open(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    numbers = _numbers(pair, value, Quantity("wanted below", pair.limit, "Ω"), meter)
    text = say("open" if level is Level.STOP else "possible open", pad=b.name, other=a.name, net=a.net)
    do, missing = say("inspect joints", pad=b.name, other=a.name), ("a finer reading",)
    refs = (b.ref, a.ref)
    return Judgement("test.open", level, pair.key, text, numbers, do, refs, missing if level is Level.UNKNOWN else ())


def _value(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    wanted = Quantity("its parts give", f"{show_resistance(pair.least)} to {show_resistance(pair.most)}")
    what = a.ref if a.ref == b.ref else f"{a.net} to {b.net}"
    case, act = {Level.STOP: ("above", "look for open"), Level.CARE: ("below", "compare")}.get(
        level, ("near a limit", "read again")
    )
    text, numbers = say(case, what=what), _numbers(pair, value, wanted, meter)
    missing = ("a finer reading",) if level is Level.UNKNOWN else ()
    return Judgement("test.value", level, pair.key, text, numbers, say(act), (a.ref, b.ref), missing)
