"""The same measurement on many boards: limits, the odd board, capability, drift; and when the instrument is to be
doubted before the boards.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.drift import Drift, drift
from fusilex.core.measuring.guard import Uncertainty
from fusilex.core.measuring.ratio import Measured, differs
from fusilex.core.measuring.spread import (
    GOOD_CPK,
    ODD_FROM,
    Capability,
    capability,
    is_odd,
    robust_z,
)
from fusilex.core.quantities import Quantity
from fusilex.core.wording import Said, say

REFERENCE = re.compile(r"(?:golden|gold|reference|ref|master)[\W_]*(?:board|unit|sample)?[\W_]*\d*", re.I)
"""Names of the board that is measured again and again to prove the instrument."""
ALIKE_FROM, ALIKE_SHARE = 3, 0.5
"""Three boards or more, and more than half of them, out on the same side: not the boards, until the instrument has
measured the reference board again.
"""


class Taken(Struct, frozen=True):
    """A reading of a board, with its limits (infinite: none), expanded uncertainty and the step in which it was read,
    in one unit.
    """

    board: str
    measurement: str
    value: float
    unit: str = ""
    low: float = -math.inf
    high: float = math.inf
    uncertainty: float = 0.0
    step: float = 0.0

    @property
    def limited(self) -> bool:
        return math.isfinite(self.low) or math.isfinite(self.high)

    @property
    def level(self) -> Level:
        """Within its limits, drawn in by the uncertainty and by what the step hides (a uniform error: 95 % of half a
        step); can't tell without any.
        """
        if not self.limited:
            return Level.UNKNOWN
        hidden = math.hypot(self.uncertainty, 0.95 * self.step / 2)
        return Uncertainty(fixed=hidden).within(self.value, self.low, self.high)


class Lot(Struct, frozen=True, eq=False):
    """One measurement: the latest reading of each board, how odd each is (NaN where too few), capability and drift of
    the boards in order, drift of the reference board. `while_off` are boards that were read after the reference was out
    of its limits and before it was back; `reference_uncertain` where it moved and nobody says by how much it may;
    `reference_open` where it was read too coarsely to be told from beyond its limits.
    """

    name: str
    taken: tuple[Taken, ...]
    z: tuple[float, ...]
    capability: Capability | None
    drift: Drift | None
    reference: Drift | None
    reference_off: bool = False
    reference_moved: bool = False
    reference_value: float | None = None
    while_off: tuple[str, ...] = ()
    reference_proofs: int = 0
    reference_uncertain: bool = False
    reference_open: bool = False

    @property
    def unit(self) -> str:
        return self.taken[0].unit

    @property
    def odd(self) -> list[tuple[Taken, float]]:
        """Boards that do not belong with the others, oddest first."""
        found = [(t, z) for t, z in zip(self.taken, self.z, strict=True) if is_odd(z)]
        return sorted(found, key=lambda row: -abs(row[1]))

    @property
    def outside(self) -> list[Taken]:
        """Boards outside their limits."""
        return [t for t in self.taken if t.level is Level.STOP]

    @property
    def reference_wrong(self) -> Said | None:
        """What is wrong with the reference board's own readings: the instrument, then; None where all is well."""
        if self.reference_off:
            return say("golden board outside")
        if self.reference_moved:
            return say("golden board moved")
        return say("golden board drifts") if self.reference and self.reference.told else None

    @property
    def instrument_first(self) -> Said | None:
        """Why the reference board is to be measured again before a board is blamed, None where nothing says so."""
        if wrong := self.reference_wrong:
            return wrong
        below = sum(t.value < t.low for t in self.outside)
        most = max(below, len(self.outside) - below)
        if most >= ALIKE_FROM and most > ALIKE_SHARE * len(self.taken):
            return say("out alike", out=most, boards=len(self.taken))
        steady = self.reference_proofs > 1 and not self.reference_uncertain
        return say("readings drift") if self.drift and self.drift.told and not steady else None


def is_reference(board: str) -> bool:
    """True for the name of the reference board."""
    return REFERENCE.fullmatch(board.strip()) is not None


def lots(taken: Sequence[Taken]) -> list[Lot]:
    """Readings by measurement, in the order in which they were taken."""
    by_name: dict[str, list[Taken]] = {}
    for reading in taken:
        by_name.setdefault(reading.measurement, []).append(reading)
    return [_lot(name, rows) for name, rows in by_name.items()]


def _lot(name: str, rows: Sequence[Taken]) -> Lot:
    boards = [t for t in rows if not is_reference(t.board)]
    proof = [t for t in rows if is_reference(t.board)]
    latest = tuple({t.board: t for t in boards}.values())
    values = [t.value for t in latest]
    limits = {(t.low, t.high) for t in latest}
    able = capability(values, *next(iter(limits))) if len(limits) == 1 else None
    off = bool(proof) and proof[-1].level is Level.STOP
    first, last = (Measured(t.value, t.uncertainty) for t in (proof[0], proof[-1])) if proof else (None, None)
    moved = first is not None and last is not None and differs(last, first, 0.0) is True
    return Lot(
        name,
        latest or tuple(proof[-1:]),
        tuple(robust_z(values).tolist()) if latest else (math.nan,),
        able,
        drift([t.value for t in boards]),
        drift([t.value for t in proof]),
        off,
        moved and first is not None and first.uncertainty > 0,
        last.value if last else None,
        _while_off(rows),
        len(proof),
        moved and first is not None and first.uncertainty == 0,
        bool(proof) and proof[-1].limited and proof[-1].level is Level.UNKNOWN,
    )


def _while_off(rows: Sequence[Taken]) -> tuple[str, ...]:
    """Boards whose latest reading follows one of the reference board that was outside its limits."""
    bad, found = False, dict[str, bool]()
    for t in rows:
        if is_reference(t.board):
            bad = t.level is Level.STOP
        else:
            found[t.board] = bad
    return tuple(board for board, off in found.items() if off)


def judge_lots(found: Sequence[Lot]) -> list[Judgement]:
    """What the readings say of the boards, the instrument first."""
    judged = [j for lot in found for j in _judge(lot)]
    boards = list(dict.fromkeys(t.board for lot in found for t in lot.taken if not is_reference(t.board)))
    have = {(t.board, lot.name) for lot in found for t in lot.taken}
    gaps = tuple(b for b in boards if any((b, lot.name) not in have for lot in found))
    read = (Coverage("readings", len(have), max(len(have), len(boards) * len(found))),)
    if gaps:
        text, do, missing = say("some missing", boards=gaps), say("measure them"), ("readings of these boards",)
        judged.append(Judgement("test.reading", Level.UNKNOWN, "missing", text, (), do, (), missing, read))
    if not judged:
        numbers = (Quantity("boards", len(boards)), Quantity("measurements", len(found)))
        text = say("all within")
        return [Judgement("test.reading", seen(*read), "readings", text, numbers, coverage=read)] if found else []
    return judged


def _judge(lot: Lot) -> list[Judgement]:
    judged = []
    if why := lot.instrument_first:
        text, do = say("verify first", name=lot.name, why=why), say("measure golden board")
        numbers = tuple(
            Quantity(f"change a reading, {what}", float(d.per_reading), lot.unit)
            for what, d in (("boards", lot.drift), ("reference", lot.reference))
            if d and d.told
        )
        judged.append(Judgement("test.instrument", Level.CARE, lot.name, text, numbers, do))
    elif lot.drift and lot.drift.told:
        change = (Quantity("change a reading, boards", float(lot.drift.per_reading), lot.unit),)
        text, do = say("boards drift", name=lot.name), say("find the cause")
        judged.append(Judgement("test.instrument", Level.CARE, lot.name, text, change, do))
    missing: tuple[str, ...]
    if lot.while_off:
        text, do = say("while off", name=lot.name, boards=lot.while_off), say("measure them again")
        missing = ("readings with a proved instrument",)
        judged.append(Judgement("test.instrument", Level.UNKNOWN, f"{lot.name} while off", text, (), do, (), missing))
    if lot.reference_uncertain:
        text, do, missing = say("moved unknown", name=lot.name), say("state it"), ("uncertainty of the instrument",)
        judged.append(Judgement("test.instrument", Level.UNKNOWN, f"{lot.name} moved", text, (), do, (), missing))
    if lot.reference_open:
        text, do, missing = say("golden board open", name=lot.name), say("measure again"), ("a finer reading",)
        judged.append(Judgement("test.instrument", Level.UNKNOWN, f"{lot.name} open", text, (), do, (), missing))
    odd = {t.board: z for t, z in lot.odd}
    for t in lot.taken:
        numbers = _numbers(t)
        if t.limited and t.level is not Level.GO:
            outside = t.level is Level.STOP
            text = say("outside" if outside else "near a limit", name=lot.name, board=t.board)
            do, missing = say("find out why" if outside else "measure again"), () if outside else ("a finer reading",)
            subject = f"{t.board} {lot.name}"
            judged.append(Judgement("test.reading", t.level, subject, text, numbers, do, (), missing))
        if t.board in odd:
            odd_numbers = (*numbers, Quantity("robust z", odd[t.board]))
            text, do = say("outlier", name=lot.name, board=t.board), say("look at it alone")
            judged.append(Judgement("test.odd", Level.CARE, f"{t.board} {lot.name}", text, odd_numbers, do))
    judged += _open_questions(lot)
    return judged


def _open_questions(lot: Lot) -> list[Judgement]:
    """What the numbers are too few, or the limits missing, to tell; and a lot too near its limits."""
    judged = []
    if not all(t.limited for t in lot.taken):
        text, do, missing = say("no limits", name=lot.name), say("set limits"), ("limits",)
        judged.append(Judgement("test.reading", Level.UNKNOWN, lot.name, text, (), do, (), missing))
    if len(lot.taken) < ODD_FROM:
        text, do, missing = say("too few", name=lot.name), say("measure more"), ("readings of more boards",)
        numbers = (Quantity("boards", len(lot.taken)), Quantity("wanted", ODD_FROM))
        judged.append(Judgement("test.odd", Level.UNKNOWN, lot.name, text, numbers, do, (), missing))
    if lot.capability and lot.capability.cpk < GOOD_CPK:
        numbers = (Quantity("Cpk", lot.capability.cpk, limit=(GOOD_CPK, math.inf)), Quantity("wanted", GOOD_CPK))
        text, do = say("near its limits", name=lot.name), say("find the spread")
        judged.append(Judgement("test.cpk", Level.CARE, lot.name, text, numbers, do))
    return judged


def _numbers(t: Taken) -> tuple[Quantity, ...]:
    limits = [Quantity(w, v, t.unit) for w, v in (("low", t.low), ("high", t.high)) if math.isfinite(v)]
    room = [Quantity("uncertainty", t.uncertainty, t.unit)] if t.uncertainty else []
    inside = (t.value - t.uncertainty, t.value + t.uncertainty) if t.uncertainty else None
    return Quantity("read", t.value, t.unit, inside), *limits, *room


def median_of(lot: Lot) -> float:
    """The middle of a lot."""
    return float(np.median([t.value for t in lot.taken]))
