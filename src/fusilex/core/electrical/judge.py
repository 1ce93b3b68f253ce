"""What readings say of a board, and what no reading reaches."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence

from fusilex.core.design.model import Design, Part
from fusilex.core.electrical.checks import Checks
from fusilex.core.electrical.probes import MAX_GAP_MM, OPEN_ABOVE_OHM, ProbePair, natural, nets_known
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.measuring.guard import EXACT, Uncertainty
from fusilex.core.units import show_resistance


def judge_plan(design: Design, plan: Sequence[ProbePair], max_gap: float = MAX_GAP_MM) -> list[Judgement]:
    """Can't tell where no file names nets, or pads without a net were left out; go where nothing stands close enough
    to bridge.
    """
    without = sum(not pad.net for pad in design.pads)
    numbers = (Because("pads", len(design.pads)), Because("without a net", without), Because("gap", max_gap, "mm"))
    do = "Add a netlist (IPC-D-356A) or copper layers with net attributes (X2)."
    if not nets_known(design):
        return [Judgement("test.nets", Level.UNKNOWN, "nets", "No file says which net a pad is on", numbers, do)]
    if not plan:
        return [
            Judgement("test.nets", Level.GO, "nets", "No pads of different nets stand close enough to bridge", numbers)
        ]
    return []


def judge_supply(checks: Checks) -> list[Judgement]:
    """Can't tell which supplies must be off ground where no net is called so."""
    if checks.ground is not None or not checks.reach:
        return []
    text = "No net is called ground: supplies that must be apart from it are not in the plan"
    do = "Name it GND, VSS or 0V in the netlist, or ring out the supplies by hand before power."
    return [Judgement("test.nets", Level.UNKNOWN, "ground", text, (Because("nets", len(checks.reach)),), do)]


def judge_unseen(plan: Sequence[ProbePair], hidden: Sequence[Part]) -> list[Judgement]:
    """Can't tell, part by part, for joints that nobody sees and no pair of the plan has."""
    in_plan = {name for p in plan for name in (p.a.name, p.b.name, *(n for pair in p.also for n in pair.split(" – ")))}
    found = []
    for part in hidden:
        pins = sorted({pad.pin for pad in part.pads if pad.name not in in_plan}, key=natural)
        if pins:
            shown = ", ".join(pins[:6]) + (" …" if len(pins) > 6 else "")
            text = f"{len(pins)} joints of {part.ref} can neither be seen nor are they probed"
            if len(pins) == 1:
                text = f"1 joint of {part.ref} can neither be seen nor is it probed"
            do = "Test the function that needs them, or have the board X-rayed."
            found.append(
                Judgement("test.hidden", Level.UNKNOWN, part.ref, text, (Because("pins", shown),), do, (part.ref,))
            )
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
        near = () if closest is None else (Because("closest unread", closest, "mm"),)
        text = f"{len(unread)} of {len(plan)} pairs not read"
        found.append(Judgement("test.unread", Level.UNKNOWN, "readings", text, near))
    elif plan and not any(j.level in (Level.STOP, Level.UNKNOWN) for j in found):
        numbers = (Because("pairs", len(plan)), Because("limit", OPEN_ABOVE_OHM, "Ω"))
        found.append(Judgement("test.short", Level.GO, "readings", f"None of {len(plan)} pairs read is bad", numbers))
    return found


def _told(pair: ProbePair, value: float, meter: Uncertainty) -> list[Judgement]:
    """What one reading says; nothing where all is well."""
    level = pair.level(value, meter)
    if level is not Level.GO:
        return [_open(pair, value, level, meter) if pair.purpose == "joined" else _short(pair, value, level, meter)]
    worth = pair.value_level(value, meter)
    return [] if worth is Level.GO else [_value(pair, value, worth, meter)]


def _numbers(pair: ProbePair, value: float, wanted: Because, meter: Uncertainty) -> tuple[Because, ...]:
    room = meter.of(value)
    open_ = (Because("meter leaves open", room, "Ω"),) if room else ()
    return Because("read", value, "Ω"), wanted, *open_


def _short(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    numbers = _numbers(pair, value, Because("wanted above", pair.limit, "Ω"), meter)
    if level is Level.STOP:
        text, do = f"{a.net} and {b.net} are joined", f"Look for a bridge between {a.name} and {b.name}."
    elif math.isnan(pair.expected):
        text = f"{a.net} and {b.net} may be joined: a resistor between them has no value that can be read"
        do = "Correct its value in the bill of materials, or lift one end and read again."
    else:
        text = f"{a.net} and {b.net} read too near the limit for this meter"
        do = "Read again on a finer range, or with a better meter."
    numbers = (*numbers, Because("gap", pair.gap, "mm"))
    return Judgement("test.short", level, pair.key, text, numbers, do, (a.ref, b.ref))


def _open(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    numbers = _numbers(pair, value, Because("wanted below", pair.limit, "Ω"), meter)
    text = f"{b.name} {'is' if level is Level.STOP else 'may be'} not joined to {a.name}, both {a.net}"
    do = f"Look for a cold joint or a lifted leg at {b.name}, then at {a.name}."
    return Judgement("test.open", level, pair.key, text, numbers, do, (b.ref, a.ref))


def _value(pair: ProbePair, value: float, level: Level, meter: Uncertainty) -> Judgement:
    a, b = pair.a, pair.b
    wanted = Because("its parts give", f"{show_resistance(pair.least)} to {show_resistance(pair.most)}")
    what = a.ref if a.ref == b.ref else f"{a.net} to {b.net}"
    if level is Level.STOP:
        text, do = f"{what} reads more than its resistors give", "A wrong part, or an open joint: read marks, look."
    elif level is Level.CARE:
        text = f"{what} reads less than its resistors give"
        do = "Compare with another board; a part beside it may conduct. If this board alone: read the marks."
    else:
        text, do = f"{what} reads too near its limits for this meter", "Read again on a finer range."
    return Judgement("test.value", level, pair.key, text, _numbers(pair, value, wanted, meter), do, (a.ref, b.ref))
