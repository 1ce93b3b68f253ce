"""Whatever keys are pressed and whatever is typed: the window stays whole, and a second look at the journal sees the
same.
"""

from __future__ import annotations

import os
import random
import sys
import time
from collections import Counter
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import exports
from asked import RULES, project, project_workshop
from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QMessageBox

from fusilex.bench.intake.design import read_design
from fusilex.bench.record.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.formats.bundle import read_files
from fusilex.journal.place import sqlite_url
from fusilex.ui.frame.start import make_application, make_window
from torture.bombs import HERON
from torture.mutated import NASTY

K, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier
LETTERS = [getattr(K, f"Key_{letter}") for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"]
OTHERS = [
    *(K.Key_Space,) * 8,
    *(K.Key_Tab,) * 4,
    *(K.Key_Left, K.Key_Right, K.Key_Up, K.Key_Down, K.Key_PageDown, K.Key_PageUp, K.Key_Home, K.Key_Plus, K.Key_Minus),
    *(K.Key_BracketLeft, K.Key_BracketRight, K.Key_Slash, K.Key_Escape, K.Key_Backspace, K.Key_F2, K.Key_F3),
]
ANSWERS = """
| 12 | -3 | x | yes | no | because it fits | 27 | 0.12 | 1.1M | OL | U1 | H7-01 | ĂŸ“ | 999999999999999999999999 | paste top
| nothing | ref | y | 100 nF 0402 | SR-0410 | opened 3 d ago | baked | strip 400 | weight 50 10 | 4 9 | 2.1 | 1 x 1
| 2 x 2 gap 2 2 rail 5 0 | reel, SR-1777, 1 uF, 0402, 5000, a, 3 | own etching 0.2 | 14 38 35 | SR-9: same part
| 10.2 x 8.2 x 10 mm 2.5 g marked""".replace("\n", " ").split(" | ")


class Hands:
    """Presses keys at a window without looking; what goes wrong is counted."""

    def __init__(self, place: Path, seed: int, settings: QSettings) -> None:
        self.dice, self.place, self.found = random.Random(seed), place, Counter[str]()
        heron, whole = read_design(HERON), read_files(HERON)
        files = [whole, exports.habit_mirrored_inch(heron, whole), exports.habit_no_outline(heron, whole)][seed % 3]
        self.url = sqlite_url(place / f"keys-{seed}.sqlite")
        self.bench = Bench.open_batch(open_journal(self.url), files, "Heron", 6, prefix="H", number=7)
        self.window: Any = make_window(self.bench, settings)
        self.window.resize(1100, 700)
        self.window.show()
        sys.excepthook = self._fell
        somewhere = sorted(HERON.iterdir())
        QFileDialog.getSaveFileName = lambda *_: (str(place / f"out{self.dice.randrange(5)}"), "")  # type: ignore[method-assign,assignment]
        QFileDialog.getOpenFileName = lambda *_: (str(self.dice.choice(somewhere)), "")  # type: ignore[method-assign,assignment]

    def _fell(self, kind: Any, error: BaseException, trace: Any) -> None:
        self.found["tracebacks"] += 1
        sys.__excepthook__(kind, error, trace)

    def press(self, count: int) -> None:
        for _ in range(count):
            chance = self.dice.random()
            QTimer.singleShot(0, self._close_dialogs)
            started = time.monotonic()
            if chance < 0.05:
                QTest.keyClick(self.window, self.dice.choice(LETTERS[26:]), CTRL)
            elif chance < 0.12:
                QTest.keyClick(self.window, K.Key_Z, CTRL)
            else:
                QTest.keyClick(self.window, self.dice.choice(LETTERS if chance < 0.6 else OTHERS))
            if self.window.ask.isVisible():
                self.window.ask.line.setText(self.dice.choice(ANSWERS if self.dice.random() < 0.7 else NASTY))
                QTest.keyClick(self.window.ask.line, K.Key_Return)
            QApplication.processEvents()
            self.found["keys"] += 1
            self.found["over budget"] += time.monotonic() - started > 10

    def _close_dialogs(self) -> None:
        """A dialog that a key opened gets nonsense and is closed."""
        top = QApplication.activeModalWidget()
        if isinstance(top, QMessageBox):
            top.reject()
        elif isinstance(top, QDialog):
            for _ in range(5):
                QTest.keyClick(top, self.dice.choice(OTHERS))
            top.reject()

    def compare(self) -> None:
        """What the window shows against a second look at the journal."""
        bench = self.window.desk.bench
        self.window.grab()
        again = Bench(open_journal(self.url), bench.id)
        journal = again.journal
        alike = again.state == bench.state and again.workshop == bench.workshop
        alike &= project(journal.since(bench.id)) == bench.state
        alike &= project_workshop(journal.since(bench.shop.id)) == bench.workshop
        again.go(bench.view.step, bench.view.board)
        for step in bench.route.steps.ids:
            alike &= [j.key for j in again.judgements(step)] == [j.key for j in bench.judgements(step)]
            alike &= {j.rule for j in again.judgements(step)} <= set(RULES)
        self.found["states unlike the replay"] += not alike
        journal.close()


def keys(count: int, place: Path, seed: int) -> Counter[str]:
    """`count` keys at one window, compared with the journal every thousand."""
    app = make_application()
    hands = Hands(place, seed, QSettings(str(place / f"s{seed}.ini"), QSettings.Format.IniFormat))
    while hands.found["keys"] < count:
        hands.press(min(1000, count - hands.found["keys"]))
        hands.compare()
    hands.window.close()
    del app
    return hands.found
