"""What is worked out, or painted, once: nothing that changed is shown as it was."""

from __future__ import annotations

import random
from pathlib import Path

import asked as c
import pytest
from asked import acknowledge_all, taught
from conftest import OpenWindow
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from test_every_command import made_up
from three_causes import at_the_eyes

from fusilex.bench.memo import Memo
from fusilex.bench.record.bench import Bench
from fusilex.bench.stations.inspect.touring import fields_of
from fusilex.bench.stations.place.programmed import choice
from fusilex.bench.stations.test.planning import plan_for
from fusilex.core.problems import BadInput
from fusilex.journal.trouble import NotSaved
from fusilex.ui.frame.window import Window
from fusilex.ui.stations.place.bin_row import BinRow
from fusilex.ui.widgets.board_strip import BoardStrip

K = Qt.Key


def test_a_memo_keeps_what_stands_and_lets_go_of_the_rest() -> None:
    memo, state, made = Memo(), object(), []

    def work() -> int:
        made.append(1)
        return len(made)

    memo.look(state, 1)
    assert (memo.of("a", work), memo.of("a", work), memo.of("b", work)) == (1, 1, 2)
    memo.look(state, 1)
    assert memo.of("a", work) == 1
    memo.look(state, 2)
    assert memo.of("a", work) == 3, "the record is longer"
    memo.look(object(), 2)
    assert memo.of("a", work) == 4, "another state"
    memo.forget()
    memo.look(state, 2)
    assert memo.of("a", work) == 5


def answers(bench: Bench) -> list[object]:
    """Much of what is asked of a batch."""
    batch = bench.batch
    found: list[object] = [
        bench.route.steps,
        batch.panel,
        batch.builds,
        batch.used,
        batch.bin_number,
        bench.derived.shop,
    ]
    for serial in ("H7-01", "H7-08"):
        board = bench.state.boards[serial]
        here = batch.about(serial)
        found += [plan_for(here, board).order, [batch.left_in_bin(line.key) for line in batch.lines]]
        for step in bench.route.steps:
            there = batch.about(serial, step.id)
            found.append([j.as_dict() for j in bench.route.judgements(there, step.id)])
            found.append(bench.route.now(there, step.id))
            if step.station == "Place":
                found.append(choice(there, board.panel))
            if step.station == "Inspect":
                found.append(fields_of(there))
    return found


@pytest.mark.parametrize("seed", (0, 2))
def test_nothing_that_changed_is_answered_from_memory(bench: Bench, tmp_path: Path, seed: int) -> None:
    """After every command, whatever it is, the bench answers as one does that opens the batch anew."""
    acknowledge_all(bench)
    pick = random.Random(seed)
    done = 0
    for _ in range(120):
        command = made_up(pick.choice(c.COMMANDS), bench, pick)
        try:
            bench.do(command)
        except (c.Refused, BadInput, ValueError, NotSaved):
            continue
        done += 1
        if done % 4 == 0:
            anew = Bench(bench.journal, bench.id)
            anew.go(bench.view.step, bench.view.board)
            for mine, theirs in zip(answers(bench), answers(anew), strict=True):
                assert mine == theirs, command
    assert done > 12


class Halfway(c.Command, frozen=True):
    """Asks, and then thinks better of it."""

    def decide(self, batch):  # type: ignore[no-untyped-def]
        assert batch.memo.of("half", lambda: "half") == "half"
        raise c.Refused("no")


def test_what_was_refused_half_way_is_not_remembered(bench: Bench) -> None:
    with pytest.raises(c.Refused):
        bench.do(Halfway())
    assert bench.memo.of("half", lambda: "anew") == "anew"


def painted(widget: QWidget) -> QImage:
    return widget.grab().toImage()


def on_screen(window: Window) -> list[QWidget]:
    strips = [s for s in window.station.findChildren(BoardStrip) if s.isVisible()]
    bins = [b for b in window.station.findChildren(BinRow) if b.isVisible()]
    return [window.head, window.line, window.strip, window.now_card, window.facts, *strips, *bins]


class Screen:
    """Pictures of widgets as Qt keeps them: painted only when somebody asked for it."""

    def __init__(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        self.window, self.stale = window, set[str]()
        self.seen: dict[int, QImage] = {}
        self.asked: set[int] = set()
        plain = QWidget.update

        def update(widget: QWidget, *where: object) -> None:
            self.asked.add(id(widget))
            plain(widget, *where)

        monkeypatch.setattr(QWidget, "update", update)

    def look(self) -> None:
        """What was not asked to paint must look as it did."""
        for widget in on_screen(self.window):
            now, before = painted(widget), self.seen.get(id(widget))
            if before is not None and id(widget) not in self.asked and now != before and now.size() == before.size():
                self.stale.add(type(widget).__name__)
            self.seen[id(widget)] = now
        self.asked.clear()


def test_whatever_changes_is_painted_anew(
    tmp_path: Path, open_window: OpenWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Keys and commands over the line: no picture of the frame stays as it was where what it shows is another."""
    bench = at_the_eyes(tmp_path / "eyes.sqlite")
    window = open_window(bench)
    window.resize(1280, 800)
    window._warm.stop()
    screen = Screen(window, monkeypatch)
    desk = window.desk

    def press(*keys: Qt.Key) -> None:
        for key in keys:
            QTest.keyClick(window, key)
            QApplication.processEvents()
            screen.look()

    desk.go("Inspect", "H7-01")
    press(K.Key_Space, K.Key_BracketRight, K.Key_BracketLeft)
    with_fault = next(p.ref for p in bench.batch.all_parts if p.side == "top")
    for change in (
        lambda: desk.do(c.MarkFault("H7-01", with_fault, "missing"), ""),
        lambda: desk.do(c.Undo(), ""),
        lambda: desk.do(c.Redo(), ""),
        lambda: desk.do(c.MarkFault("H7-02", with_fault, "missing"), ""),
        lambda: desk.go("Place", "H7-03"),
        lambda: desk.go("Test", "H7-01"),
        lambda: desk.do(c.SetRecord("person", {"id": "AB", "name": "Ada"}), ""),
        lambda: desk.sit("AB"),
    ):
        change()
        QApplication.processEvents()
        screen.look()
    for key in "OOO":
        QTest.keyClicks(window, key.lower())
        QApplication.processEvents()
        screen.look()
    press(K.Key_BracketRight, K.Key_Backspace)
    assert not screen.stale


def test_bins_and_clocks_are_painted_as_hands_go(bench: Bench, open_window: OpenWindow, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    acknowledge_all(bench)
    bench.do(c.AcceptFiles())
    for line in bench.batch.lines:
        bench.do(c.FillBin(line.key, line.pull + 40))
    bench.do(c.CloseKit())
    window = open_window(bench)
    window.resize(1280, 800)
    window._warm.stop()
    window.desk.go("Print", "H7-01")
    screen = Screen(window, monkeypatch)
    screen.look()
    window.desk.do(c.PrintPanel(1, 0.12, "leaded"), "")
    screen.look()
    assert "paste out" in dict(window.head._clocks())
    taught(bench)
    window.desk.go("Place", "H7-01")
    screen.look()
    for _ in range(12):
        QTest.keyClick(window, K.Key_Space)
        QApplication.processEvents()
        screen.look()
    assert len(bench.state.boards["H7-01"].placed) == 12 and not screen.stale
