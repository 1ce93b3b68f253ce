"""Power, programme and functions of the board in hand: each step with its clock, each test with its limits."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout

from fusilex.bench.common.meters import read_quantity
from fusilex.bench.now import Now
from fusilex.bench.refusal import Refused
from fusilex.bench.stations.test.functions import GOLDEN, DoTest, list_of, next_test, standing, tests_for
from fusilex.bench.stations.test.planning import meter
from fusilex.bench.stations.test.power import CAUTION, due_before, next_step, power_of
from fusilex.bench.stations.test.programming import (
    BY_COMMAND,
    BY_HAND,
    RecordProgrammed,
    digest_of,
    firmware_of,
    plan_for,
    written,
)
from fusilex.bench.stations.test.typed_input import power
from fusilex.bench.workshop.proof_kinds import ASKS, FunctionTest
from fusilex.core.evidence import Level
from fusilex.core.problems import BadInput
from fusilex.core.units import clock
from fusilex.devices.bench_meter import quantity_of
from fusilex.devices.command import LEFT, WELL, Ran, plan_command
from fusilex.ui.desk import Desk
from fusilex.ui.reading import Reading
from fusilex.ui.stations.test.beside import Beside
from fusilex.ui.stations.test.power_card import PowerCard
from fusilex.ui.stations.test.verdict_keys import VerdictKeys
from fusilex.ui.tabbed import View
from fusilex.ui.widgets.keys import Key
from fusilex.ui.widgets.rows import Column, Rows

_TICK_MS = 200


class ProveView(View):
    name = "Power and functions"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.card = PowerCard(desk)
        columns = (Column("test", 4), Column("read", 2, True), Column("limits", 3), Column("what to do", 6))
        empty = "No test list of this design is on record: note one in the workshop (F4), Test lists."
        self.tests = Rows("Functions", columns, empty)
        row = QHBoxLayout()
        row.addWidget(self.card, 2)
        row.addWidget(self.tests, 3)
        self.column.addLayout(row, 1)
        self.verdict = VerdictKeys(desk, self.go_on)
        self.beside = Beside(self, desk)
        self.port = Reading(self, desk)
        self._since: tuple[str, float] | None = None
        self._golden = False
        self._ticks = QTimer(self)
        self._ticks.timeout.connect(self._tick)

    # what is shown

    @property
    def cautions(self) -> str:
        return CAUTION if power_of(self.batch) is not None else ""

    @property
    def subject(self) -> str:
        """The board the list is gone through with: the one in hand, or the golden one."""
        return GOLDEN if self._golden else self.bench.board.serial

    @property
    def holding(self) -> bool:
        """True while a step of power is held on the board in hand."""
        return self._since is not None and self._since[0] == self.bench.board.serial

    @property
    def held_s(self) -> float:
        """Seconds it is held."""
        return time.monotonic() - self._since[1] if self.holding and self._since else 0.0

    def refresh(self) -> None:
        self.card.seconds, self.card.ready = self.held_s if self.holding else None, not self._due_before()
        self.card.update()
        board = None if self._golden else self.bench.board
        tests = tests_for(self.batch, board)
        done = standing(self.batch, self.subject, tests)
        rows, marks = [], []
        for test in tests:
            one = done.get(test.name)
            read = "" if one is None else one.note if one.value is None else f"{one.value:g} {one.unit}"
            rows.append((test.name, read.splitlines()[-1][:14] if read else "", _limits(test), test.say or test.kind))
            marks.append(Level(one.level) if one else None)
        self.tests.title = "Functions of the golden board" if self._golden else f"Functions of {self.subject}"
        self.tests.show_rows(rows, marks)

    def now(self) -> Now | None:
        if self.beside.busy:
            return Now("Running", "Esc leaves it; its output is kept.")
        if self._golden and list_of(self.batch) is None:
            return Now("No test list", "Nothing says what the golden board is measured for: F4, Test lists. G back.")
        if self._golden:
            test = self._next()
            told = f"{test.say or test.name}. T answers; G back to the boards." if test else "G back to the boards."
            return Now(f"Golden board: {test.name if test else 'all measured'}", told)
        if not self.holding and (first := self._due_before()):
            return Now("Readings first", f"{first} Shift+Tab goes to the tips.")
        step = next_step(self.batch, self.bench.board)
        if step is not None and self.holding:
            left = max(0.0, step.hold_s - self.held_s)
            told = f"{clock(left)} to hold" if left else "Held long enough"
            return Now(f"{step.volts:g} V is on", f"{told}. P takes volts and milliamps; at the limit: supply off.")
        return None

    def _due_before(self) -> str:
        board = self.bench.board
        return due_before(self.batch, board) if board.step == self.batch.step.id else ""

    # keys

    def keys(self) -> list[Key]:
        if self.beside.busy:
            return [Key("Esc", "leave it", lambda _: self.beside.leave())]
        return [
            Key("P", "power: clock, then read", lambda _: self._power(), True),
            Key("R", "programme", lambda _: self._programme(), True),
            Key("T", "answer the test", lambda _: self._test(), not self._golden),
            Key("Y", "yes", lambda _: self._answer("yes"), not self._golden),
            Key("O", "no", lambda _: self._answer("no"), not self._golden),
            Key("G", "golden board", lambda _: self._turn_golden()),
            Key("Up Down", "choose a test", lambda key: self._choose(1 if key == "Down" else -1)),
            *self.verdict.keys(),
        ]

    def _turn_golden(self) -> None:
        self._golden = not self._golden
        self.desk.changed.emit()

    def _choose(self, by: int) -> None:
        self.tests.step(by)
        self.desk.changed.emit()

    def _power(self) -> None:
        board = self.bench.board
        step = next_step(self.batch, board)
        if step is None:
            self.desk.say("It has its power, or nothing says how it gets it: First power in the workshop (F4).")
        elif not self.holding and (first := self._due_before()):
            self.desk.say(first)
        elif not self.holding:
            self._since = board.serial, time.monotonic()
            self._ticks.start(_TICK_MS)
            self.desk.say("")
        else:
            seconds = self.held_s
            ask = "Volts at the board and mA drawn, such as 5.0 18, and a part that got warm"
            self.desk.ask(ask, lambda text: self._held(seconds, text))

    def _held(self, seconds: float, text: str) -> None:
        command = self.desk.read(lambda: power(self.bench.board.serial, seconds, text))
        if command is not None and self.desk.do(command):
            self._since = None
            self._ticks.stop()
            last = self.bench.judgements(self.batch.step.id)
            bad = next((j for j in last if j.rule == "test.power" and j.level is not Level.GO), None)
            self.desk.say(bad.headline if bad else "Held well.")

    def _tick(self) -> None:
        self.card.seconds = self.held_s if self.holding else None
        self.card.update()
        self.desk.ticked.emit()

    # programming and commands, off the window's thread

    def _programme(self) -> None:
        firmware, board = firmware_of(self.batch), self.bench.board
        if firmware is None:
            self.desk.say("Nothing says what is written into this design: Firmware in the workshop (F4).")
            return
        try:
            digest = digest_of(firmware.file) if firmware.file and firmware.command else ""
            how, checked = (BY_COMMAND, digest) if firmware.command else (BY_HAND, firmware.sha256)
            self.bench.check(RecordProgrammed(board.serial, how, WELL, checked))
            if firmware.command:
                then = partial(self._programmed, board.serial, digest)
                self.beside.start(plan_for(firmware, board), then, self._programme)
                return
        except (BadInput, Refused) as problem:
            self.desk.say(str(problem))
            return
        ask = f"Digest (SHA-256) of what was written into {board.serial}, or  well  /  failed"
        self.desk.ask(ask, self._by_hand)

    def _by_hand(self, text: str) -> None:
        word = text.strip().lower()
        ended, digest = (word, "") if word in ("well", "failed") else ("well", word)
        command = RecordProgrammed(self.bench.board.serial, BY_HAND, ended, digest)
        self.desk.do(command, f"Programmed by hand: {ended}.")

    def _programmed(self, serial: str, digest: str, ran: Ran) -> None:
        command = RecordProgrammed(serial, BY_COMMAND, ran.ended, digest, ran.output)
        self.desk.do(command, f"Programming ended {ran.ended}. {ran.said}")

    def _tested(self, subject: str, test: str, ran: Ran) -> None:
        if ran.ended == LEFT:
            self.desk.say("The command was left: nothing is on record.")
        else:
            done = DoTest(subject, test, ran.output, ran.ended == WELL)
            self.desk.do(done, f"{test}: {ran.said or 'it ended well'}.")

    # tests

    def _next(self) -> FunctionTest | None:
        """The test chosen, else the next one to do."""
        tests = tests_for(self.batch, None if self._golden else self.bench.board)
        done = standing(self.batch, self.subject, tests)
        first = next((t for t in tests if t.name not in done), None)
        return first if first else tests[self.tests.chosen] if tests else None

    def _test(self) -> None:
        test = self._next() if self._golden else next_test(self.batch, self.bench.board) or self._next()
        subject = self.subject  # what is answered later is of the board in hand now
        if test is None:
            found = list_of(self.batch)
            self.desk.say("Every test is done." if found else "No test list of this design is on record.")
        elif test.kind == "run":
            try:
                self.bench.check(DoTest(subject, test.name, "", ended_well=False))
                plan = plan_command(test.command, {}, test.most_s)
                self.beside.start(plan, partial(self._tested, subject, test.name), self._test)
            except (BadInput, Refused) as problem:
                self.desk.say(str(problem))
        elif test.kind == "ratio":
            self._do(test, "")
        elif test.kind in ASKS:
            self.desk.ask(f"{test.say or test.name}: yes or no", lambda text: self._do(test, text, subject))
        elif (port := self._port()) and (what := quantity_of(test.unit)):
            unit = test.unit if len(test.unit) == 1 or test.unit == "Hz" else test.unit[1:]
            self.port.ask(
                lambda: read_quantity(port, what), lambda value: self._do(test, f"{value:.6g} {unit}", subject)
            )
        else:
            unit = f" in {test.unit}" if test.unit else ""
            self.desk.ask(f"{test.name}{unit} ({_limits(test)})", lambda text: self._do(test, text, subject))

    def _answer(self, word: str) -> None:
        test = self._next()
        if test is None or test.kind not in ASKS:
            self.desk.say("That test wants a reading: T.")
        else:
            self._do(test, word)

    def _do(self, test: FunctionTest, text: str, subject: str = "") -> None:
        """Of the board in hand, or the one it was asked for: eyes may be elsewhere by then."""
        self.desk.do(DoTest(subject or self.subject, test.name, text), f"{test.name}: {text or 'worked out'}.")

    def _port(self) -> str:
        one = meter(self.batch)
        return one.port if one and one.port not in ("", "stand-in") else ""

    def facts(self) -> tuple[str, list[tuple[str, str]]]:
        last = written(self.batch, self.bench.board)
        tests = tests_for(self.batch, self.bench.board)
        done = len(standing(self.batch, self.bench.board.serial, tests))
        return f"Board {self.bench.board.serial}", [
            ("programme", f"{last.name} {last.version}, {last.ended}" if last else "none yet"),
            ("digest", last.sha256[:16] if last and last.sha256 else "–"),
            ("tests done", f"{done} of {len(tests)}"),
        ]


def _limits(test: FunctionTest) -> str:
    """Its limits in words."""
    if test.kind in ASKS:
        return "yes"
    if test.kind == "compare":
        return f"golden board ± {test.allowed:g} {test.unit}".strip()
    if test.low is None and test.high is None:
        return "ends well" if test.kind == "run" else "none"
    if test.low is None:
        return f"up to {test.high:g} {test.unit}".strip()
    if test.high is None:
        return f"from {test.low:g} {test.unit}".strip()
    return f"{test.low:g} to {test.high:g} {test.unit}".strip()
