"""Whatever keys are pressed and whatever is typed: the window stays whole, and a second look at the journal sees the
same.
"""

from __future__ import annotations

import random
from pathlib import Path

import exports
import pytest
from asked import RULES
from conftest import HERON, OpenWindow
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from fusilex.bench.bench import Bench
from fusilex.bench.rooms import open_journal
from fusilex.core.design.model import Design
from fusilex.formats.bundle import Files
from fusilex.journal.place import sqlite_url

K, CTRL = Qt.Key, Qt.KeyboardModifier.ControlModifier
LETTERS = [getattr(K, f"Key_{letter}") for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"]
OTHERS = [
    *(K.Key_Space,) * 8,
    *(K.Key_Tab,) * 4,
    *(K.Key_Left, K.Key_Right, K.Key_Up, K.Key_Down, K.Key_PageDown, K.Key_PageUp, K.Key_Home, K.Key_Plus, K.Key_Minus),
    *(K.Key_BracketLeft, K.Key_BracketRight, K.Key_Slash, K.Key_Escape, K.Key_Backspace, K.Key_F2),
]
ANSWERS = """
| 12 | -3 | x | yes | no | because it fits | 27 | 0.12 | 1.1M | OL | U1 | H7-01 | ĂŸ“ | 999999999999999999999999 | paste top
| nothing | ref | y | 100 nF 0402 | SR-0410 | opened 3 d ago | baked | strip 400 | weight 50 10 | 4 9 | 2.1 | 1 x 1
| 2 x 2 gap 2 2 rail 5 0 | reel, SR-1777, 1 uF, 0402, 5000, a, 3 | own etching 0.2 | 14 38 35 | SR-9: same part
| 10.2 x 8.2 x 10 mm 2.5 g marked""".replace("\n", " ").split(" | ")


@pytest.mark.parametrize("seed", [3, 5, 8])
def test_any_keys_leave_it_whole(
    seed: int,
    heron: Design,
    heron_files: Files,
    open_window: OpenWindow,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    dice = random.Random(seed)
    files = [heron_files, exports.habit_mirrored_inch(heron, heron_files), exports.habit_no_outline(heron, heron_files)]
    somewhere = sorted(HERON.iterdir())
    dialogs = "fusilex.ui.frame.file_dialogs.QFileDialog."
    monkeypatch.setattr(dialogs + "getSaveFileName", lambda *_: (str(tmp_path / f"out{dice.randrange(5)}"), ""))
    monkeypatch.setattr(dialogs + "getOpenFileName", lambda *_: (str(dice.choice(somewhere)), ""))
    bench = Bench.open_batch(
        open_journal(sqlite_url(tmp_path / "j.sqlite")), files[seed % 3], "Heron", 6, prefix="H", number=7
    )
    window = open_window(bench)
    window.resize(1100, 700)
    for _ in range(250):
        chance = dice.random()
        if chance < 0.05:
            QTest.keyClick(window, dice.choice(LETTERS[26:]), CTRL)
        elif chance < 0.12:
            QTest.keyClick(window, K.Key_Z, CTRL)
        else:
            QTest.keyClick(window, dice.choice(LETTERS if chance < 0.6 else OTHERS))
        if window.ask.isVisible():
            window.ask.line.setText(dice.choice(ANSWERS))
            QTest.keyClick(window.ask.line, K.Key_Return)
        QApplication.processEvents()
    window.grab()
    again = Bench(open_journal(sqlite_url(tmp_path / "j.sqlite")), bench.id)
    assert again.state == bench.state and again.workshop == bench.workshop
    again.go(bench.view.step, bench.view.board)
    for station in bench.road.steps.ids:
        assert [j.key for j in again.judgements(station)] == [j.key for j in bench.judgements(station)]
        assert {j.rule for j in again.judgements(station)} <= set(RULES)
