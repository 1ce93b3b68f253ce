"""The list of tests a board goes through once it has power: asked, pressed, looked, measured, compared, run."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from datetime import datetime
from typing import ClassVar

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command, Result
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.events import Functioned, FunctionTested, Testing
from fusilex.bench.stations.test.power import for_design, next_step
from fusilex.bench.workshop.fixtures import FixtureClosed, Fixtures
from fusilex.bench.workshop.proof_kinds import ASKS, Fixture, FunctionTest, TestList
from fusilex.bench.workshop.records import Records
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement
from fusilex.core.measuring.guard import Uncertainty
from fusilex.core.measuring.lots import Lot, Taken, lots
from fusilex.core.measuring.ratio import Measured, differs, ratio
from fusilex.core.quantities import Quantity
from fusilex.core.spelling import PREFIX, tidy
from fusilex.core.wording import Said, say
from fusilex.journal.entries import Event

GOLDEN = "golden"
YES, NO = ("yes", "y", "ok"), ("no", "n")
_NUMBER = re.compile(r"([-+]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][-+]?\d+)?)\s*([pnuµmkMG]?)([^\d\s.,]*)$")
_PRINTED = re.compile(r"[-+]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?")
MOST_NOTE = 4_000


def list_of(batch: Batch) -> TestList | None:
    """The list for this batch's design."""
    return next((t for t in batch.workshop[Records].all(TestList).values() if for_design(batch, t.design)), None)


def tests_for(batch: Batch, board: Board | None) -> list[FunctionTest]:
    """Tests a board of its options goes through; for the golden board (None) those that measure, all where none
    does.
    """
    found = list_of(batch)
    if found is None:
        return []
    if board is None:
        return [t for t in found.tests if t.kind in ("measure", "ratio")] or list(found.tests)
    words = " ".join([*(c.words for c in board.variant), *(c.what for c in board.otherwise)]).lower()
    return [t for t in found.tests if not t.option or t.option.lower() in words]


def standing(batch: Batch, serial: str, tests: Sequence[FunctionTest]) -> dict[str, Functioned]:
    """What counts of a board's tests: those no repair has touched since."""
    done = batch.state[Testing].functions.get(serial, {})
    board = batch.state.boards.get(serial)
    mended = board.mended if board else []
    found = {}
    for test in tests:
        one = done.get(test.name)
        if one and not any(at >= one.at and _reached(refs, test.parts) for at, refs in mended):
            found[test.name] = one
    return found


def _reached(refs: Sequence[str], parts: Sequence[str]) -> bool:
    """A repair reached what a test proves: nobody says which parts either is about, or they share one."""
    return not refs or not parts or bool(set(refs) & set(parts))


def next_test(batch: Batch, board: Board) -> FunctionTest | None:
    """The test to do next, None when all are done."""
    tests = tests_for(batch, board)
    done = standing(batch, board.serial, tests)
    return next((t for t in tests if t.name not in done), None)


class DoTest(Command, frozen=True):
    """A test of the list was done on a board, or on the golden one: ``yes`` or ``no``, what was read, or of a command
    what it printed and whether it ended well.
    """

    board: str
    test: str
    text: str = ""
    ended_well: bool = True
    cautions: ClassVar[str] = "Test"

    def decide(self, batch: Batch) -> Result:
        golden = self.board == GOLDEN
        board = None if golden else batch.board_at(self.board, "Test")
        tests = tests_for(batch, board)
        test = next((t for t in tests if t.name == self.test), None)
        if test is None:
            raise Refused(f"There is no test {self.test} for {'the golden board' if golden else self.board}.")
        if board is not None and next_step(batch, board) is not None:
            raise Refused(f"Board {board.serial} has not had its first power yet.")
        done = standing(batch, self.board, tests)
        event = self._tested(batch, test, done)
        fixture = list_of(batch)
        stands = fixture.fixture if fixture else ""
        first = bool(stands) and not done
        return Result([event], [FixtureClosed(stands)] if first else [])

    def _tested(self, batch: Batch, test: FunctionTest, done: dict[str, Functioned]) -> Event:
        """What it came to, as an event."""
        made = self._measured(test, done)
        note = self.text.strip()[-MOST_NOTE:] if made is None or test.kind == "run" else ""
        level = self._answered(test) if made is None else _level(batch, test, made)
        value, room = (None, 0.0) if made is None else (made.value, made.uncertainty)
        unit, limits = ("", (None, None)) if made is None else (test.unit, (test.low, test.high))
        found = list_of(batch)
        stands = found.fixture if found else ""
        return FunctionTested(self.board, Functioned(test.name, level.value, value, unit, *limits, room, note, stands))

    def _answered(self, test: FunctionTest) -> Level:
        """Of a test without a number: yes or no, or how its command ended. Raises `Refused`."""
        if test.kind == "run":
            return seen(every("runs", 1)) if self.ended_well else Level.STOP
        word = self.text.strip().lower()
        if word not in YES + NO:
            raise Refused(f"{test.name}: yes or no.")
        return seen(every("answers", 1)) if word in YES else Level.STOP

    def _measured(self, test: FunctionTest, done: dict[str, Functioned]) -> Measured | None:
        """The number of a test, None where it has none. Raises `Refused`."""
        if test.kind in ASKS or (test.kind == "run" and not (self.ended_well and test.unit)):
            return None
        if test.kind == "ratio":
            return _ratio(test, done)
        if test.kind == "run":
            printed = _PRINTED.findall(self.text)
            if not printed:
                raise Refused(f"{test.name}: the command printed no number.")
            return Measured(float(printed[-1]), test.uncertainty)
        return Measured(read_in(self.text.strip(), test.unit), test.uncertainty)


def read_in(text: str, unit: str) -> float:
    """A typed reading in a test's unit: the bare number, or with a prefix. Raises `Refused`.

    >>> read_in("3.3", "V"), read_in("3300 mV", "V"), read_in(",2 mA", "mA"), read_in("120 uA", "mA")
    (3.3, 3.3, 0.2, 0.12)
    """
    found = _NUMBER.match(text.strip())
    number = float(found[1].replace(",", ".")) if found else math.nan
    if not found or not math.isfinite(number):
        raise Refused(f"“{text}” is no reading: type a number, such as 3.31{f' {unit}' if unit else ''}.")
    typed = f"{found[2]}{found[3]}"
    if typed in ("", unit):
        return number
    if found[3] == unit and found[2]:
        return tidy(number * PREFIX[found[2]])
    own = re.match(r"([pnuµmkMG])(\S+)$", unit)
    if own and found[3] == own[2]:
        return tidy(number * PREFIX[found[2]] / PREFIX[own[1]])
    raise Refused(f"“{text}” is not in {unit or 'a bare number'}.")


def _ratio(test: FunctionTest, done: dict[str, Functioned]) -> Measured:
    try:
        over, under = (Measured(done[name].value or 0.0, done[name].uncertainty) for name in test.of)
        return ratio(over, under)
    except KeyError as missing:
        raise Refused(f"{test.name}: {missing.args[0]} is not measured yet.") from missing
    except ValueError as problem:
        raise Refused(f"{test.name}: {problem}.") from problem


def _level(batch: Batch, test: FunctionTest, made: Measured) -> Level:
    if test.kind == "compare":
        golden = batch.state[Testing].functions.get(GOLDEN, {}).get(test.of[0] if test.of else test.name)
        if golden is None or golden.value is None or test.allowed is None:
            return Level.UNKNOWN
        off = differs(made, Measured(golden.value, golden.uncertainty), test.allowed)
        return Level.UNKNOWN if off is None else Level.STOP if off else seen(every("comparisons", 1))
    if test.low is None and test.high is None:
        return Level.UNKNOWN
    low, high = -math.inf if test.low is None else test.low, math.inf if test.high is None else test.high
    return Uncertainty(fixed=made.uncertainty).within(made.value, low, high)


def measured_lots(batch: Batch) -> list[Lot]:
    """Everything measured in this batch by test, the golden board's beside it."""
    return batch.memo.of("measured lots", lambda: lots(_rows(batch.state[Testing])))


def _rows(testing: Testing) -> list[Taken]:
    return [
        Taken(
            serial,
            one.test,
            one.value,
            one.unit,
            -math.inf if one.low is None else one.low,
            math.inf if one.high is None else one.high,
            one.uncertainty,
        )
        for serial, one in testing.taken
        if one.value is not None
    ]


def instrument_doubt(batch: Batch) -> dict[str, Said]:
    """Tests whose instrument comes before the boards, and why; until the golden board is measured well again."""
    golden = batch.state[Testing].functions.get(GOLDEN, {})
    last = {one.test: one.at for serial, one in batch.state[Testing].taken if serial != GOLDEN}
    found = {}
    for lot in measured_lots(batch):
        proof = golden.get(lot.name)
        proved = proof is not None and proof.level == Level.GO.value and proof.at > last.get(lot.name, "")
        if (why := lot.instrument_first) and not (proved and not lot.reference_wrong):
            found[lot.name] = why
    return found


def judge_functions(batch: Batch, board: Board) -> list[Judgement]:
    """Tests of a board that failed or told nothing, the instrument first; and the fixture."""
    tests = tests_for(batch, board)
    done, doubt = standing(batch, board.serial, tests), instrument_doubt(batch)
    found = []
    for name, why in doubt.items():
        text, do = say("verify first", name=name, why=why), say("measure golden board")
        found.append(Judgement("test.instrument", Level.CARE, name, text, (), do))
    for test in tests:
        one = done.get(test.name)
        if one is None or one.level == Level.GO.value:
            continue
        found.append(_failed(board, test, one))
    return [*found, *judge_fixture(batch)]


def _failed(board: Board, test: FunctionTest, one: Functioned) -> Judgement:
    stop = one.level == Level.STOP.value
    text = say("failed" if stop else "not conclusive", name=test.name, serial=board.serial)
    limits = [Quantity(w, v, one.unit) for w, v in (("low", one.low), ("high", one.high)) if v is not None]
    read = (
        [Quantity("read", one.value, one.unit)] if one.value is not None else [Quantity("answer", one.note[:80] or "–")]
    )
    do, missing = say("to rework" if stop else "near a limit"), () if stop else ("a finer reading, or limits",)
    level = Level.STOP if stop else Level.UNKNOWN
    subject, refs = f"{test.name} of {board.serial}", tuple(test.parts)
    return Judgement("test.function", level, subject, text, (*read, *limits), do, refs, missing)


def fixture_of(batch: Batch) -> Fixture | None:
    """The fixture the list names."""
    found = list_of(batch)
    return batch.workshop[Records].all(Fixture).get(found.fixture) if found and found.fixture else None


def proved_at(batch: Batch) -> str:
    """When the golden board last read well in every test that measures, '' where it did not."""
    golden = batch.state[Testing].functions.get(GOLDEN, {})
    wanted = [golden.get(t.name) for t in tests_for(batch, None)]
    if not wanted or any(one is None or one.level != Level.GO.value for one in wanted):
        return ""
    return min(one.at for one in wanted if one)


def proved_ago(batch: Batch) -> float:
    """Hours since the golden board last read well, infinite where it did not."""
    at = proved_at(batch)
    return (batch.at - datetime.fromisoformat(at)).total_seconds() / 3600 if at else math.inf


def fixture_proved(batch: Batch) -> bool:
    """True where no fixture is used, or the golden board proved it within its hours."""
    fixture = fixture_of(batch)
    return fixture is None or proved_ago(batch) <= fixture.proof_h


def judge_fixture(batch: Batch) -> list[Judgement]:
    """Has the golden board proved the fixture of late, and do its contacts last?"""
    fixture = fixture_of(batch)
    if fixture is None:
        return []
    found = []
    known = {pad.net for pad in batch.design.pads}
    if strange := [net for net in fixture.contacts if net not in known]:
        text, do, missing = say("other nets", fixture=fixture.id, nets=tuple(strange)), say("right one"), ("its nets",)
        found.append(Judgement("test.fixture", Level.UNKNOWN, f"{fixture.id} nets", text, (), do, (), missing))
    hours = proved_ago(batch)
    if hours > fixture.proof_h:
        ago = Quantity("ago", hours, "h", runs=True)
        text = say("verified" if math.isfinite(hours) else "not verified", fixture=fixture.id, ago=ago)
        do, missing = say("measure golden board"), ("a reading of the golden board",)
        found.append(Judgement("test.fixture", Level.UNKNOWN, fixture.id, text, (), do, (), missing))
    cycles = batch.workshop[Fixtures].cycles.get(fixture.id, 0)
    if cycles >= fixture.cycles_last:
        numbers = (Quantity("cycles", cycles, runs=True), Quantity("contacts last", fixture.cycles_last))
        text = say("worn", fixture=fixture.id)
        found.append(Judgement("test.fixture", Level.CARE, f"{fixture.id} contacts", text, numbers, say("change")))
    return found


COMMANDS = (DoTest,)
