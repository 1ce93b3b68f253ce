"""Pass, fail and mark: the same keys in every picture of Test."""

from __future__ import annotations

from collections.abc import Callable

from fusilex.bench.common.faults import MarkFault
from fusilex.bench.stations.test.commands import TestBoard, doubt
from fusilex.bench.stations.test.functions import standing, tests_for
from fusilex.bench.stations.test.planning import unread
from fusilex.bench.stations.test.typed_input import fault
from fusilex.bench.stations.test.verdicts import likely, stops
from fusilex.core.evidence import Level
from fusilex.ui.desk import Desk
from fusilex.ui.widgets.keys import Key


class VerdictKeys:
    """`gone` is told the serial of a board that has left."""

    def __init__(self, desk: Desk, gone: Callable[[str], None]) -> None:
        self.desk, self.gone = desk, gone

    def keys(self) -> list[Key]:
        return [
            Key("Space", "board passes", lambda _: self._pass(), True),
            Key("X", "board fails", lambda _: self._judged(False), True),
            Key("W", "mark what you saw", lambda _: self._mark(), True),
        ]

    def _mark(self) -> None:
        """Asked with the part that failed tests are about, the one its record doubts most first."""
        batch, board = self.desk.batch, self.desk.bench.board
        parts = [ref for _, own in self._failed() for ref in likely(batch, board, own)]
        first = f"Part and fault, {parts[0]} suspected, for example" if parts else "Part and fault, for example"
        self.desk.ask(f"{first}  {parts[0] if parts else 'U1'} cold joint", self._seen)

    def _seen(self, text: str) -> None:
        command: MarkFault | None = self.desk.read(lambda: fault(self.desk.bench.board.serial, text))
        if command:
            self.desk.do(command, f"{command.ref}: {command.word}.")

    def _failed(self) -> list[tuple[str, tuple[str, ...]]]:
        """Tests of the board in hand that failed, with the parts they prove."""
        batch, board = self.desk.batch, self.desk.bench.board
        tests = {t.name: t for t in tests_for(batch, board)}
        done = standing(batch, board.serial, list(tests.values()))
        return [(name, tests[name].parts) for name, one in done.items() if one.level == Level.STOP.value]

    def _pass(self) -> None:
        batch, board = self.desk.batch, self.desk.bench.board
        here = board.station == "Test"
        why = doubt(batch, board) if here else ""
        if why and not unread(batch, board) and not stops(batch, board):
            self.desk.ask(f"{why}. How was it tested?", lambda note: self._judged(True, note.strip()))
        else:
            self._judged(True)

    def _judged(self, passed: bool, note: str = "") -> None:
        board = self.desk.bench.board
        seen = [j.headline for j in stops(self.desk.batch, board)] + [f"{name} fails" for name, _ in self._failed()]
        tag = "" if passed else "; ".join([*seen, *(f"{f.place}: {f.word}" for f in board.open_faults)])
        if self.desk.do(TestBoard(board.serial, passed, note, tag)):
            on_tag = f" Its tag says: {tag}." if tag else ""
            self.desk.say(f"{'Passed' if passed else 'Failed'}. {self.desk.went(board.serial)}{on_tag}")
            self.gone(board.serial)
