"""The frame: head, line, bench, Now card, judgements, keys. Every key goes through here."""

from __future__ import annotations

import hashlib
import threading
import time

from PyQt6.QtCore import QEventLoop, QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from fusilex.bench.common.standing import title
from fusilex.bench.record.bench import Bench
from fusilex.core.problems import BadInput
from fusilex.core.shown import shown
from fusilex.journal.store import Journal
from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.desk import Desk
from fusilex.ui.frame.ask import Ask
from fusilex.ui.frame.batches.dialogs import BatchDialogs
from fusilex.ui.frame.batches.thumbnails import keep
from fusilex.ui.frame.file_dialogs import FileDialogs
from fusilex.ui.frame.frame_keys import FrameKeys
from fusilex.ui.frame.head import Head
from fusilex.ui.frame.journal_care import JournalCare
from fusilex.ui.frame.judgement_list import Judgements
from fusilex.ui.frame.key_strip import KeyStrip
from fusilex.ui.frame.line import Line
from fusilex.ui.frame.menu import Menu
from fusilex.ui.frame.now_card import Facts, NowCard
from fusilex.ui.picture import StationPicture
from fusilex.ui.stations import picture_of
from fusilex.ui.tabbed import TabbedStation
from fusilex.ui.theme import GAP, LEAST_HIGH, LEAST_WIDE, theme
from fusilex.ui.widgets.board_strip import BoardStrip
from fusilex.ui.widgets.keys import Key, key_name
from fusilex.ui.workshop.dialog import Workshop

SAID_AFTER_S = 0.4
"""A wait for another program's turn is said after as long."""
KEPT_AFTER_MS = 100
"""What is looked at is written down so soon: not while a key is answered."""
STILL_MS = 250
"""The stations not visited yet are built when the hands have been still for as long."""


class Window(QMainWindow):
    """One batch on the screen. Stations are built when first visited."""

    def __init__(self, bench: Bench, settings: QSettings, home: Journal | None = None) -> None:
        """`home` is the journal new batches go to, when the one on the screen comes from another."""
        super().__init__()
        self.settings = settings
        self.home = home or bench.journal
        self.setWindowTitle("Fusilex")
        self.setMinimumSize(round(theme.base * LEAST_WIDE), round(theme.base * LEAST_HIGH))
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.head, self.line, self.strip, self.ask = Head(), Line(), KeyStrip(), Ask()
        self.now_card, self.judged, self.facts = NowCard(), Judgements(), Facts()
        self.stack = QStackedWidget()
        self._lay_out()
        self.line.chosen.connect(self.go)
        self._shown = 0
        self.desk: Desk
        self.stations: dict[str, StationPicture] = {}
        self.files, self.batches, self.frame_keys = FileDialogs(self), BatchDialogs(self), FrameKeys(self)
        self.menus = Menu(self, self.frame_keys)
        self.head.units_clicked.connect(self.frame_keys.turn_units)
        self.judged.why.connect(self.frame_keys.why_of)
        self._keep = QTimer(self)  # a window that is killed opens where it was, too
        self._keep.setSingleShot(True)
        self._keep.timeout.connect(settings.sync)
        self._warm = QTimer(self)
        self._warm.timeout.connect(self.build_next)
        self.show_bench(bench)
        self.care = JournalCare(self)
        self._watch = QTimer(self)
        self._watch.timeout.connect(self._look_for_others)
        self._watch.start(1500)

    def _lay_out(self) -> None:
        self.side = QWidget()
        right = QVBoxLayout(self.side)
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(GAP)
        right.addWidget(self.now_card)
        right.addWidget(self.judged, 1)
        right.addWidget(self.facts)
        middle = QHBoxLayout()
        middle.setContentsMargins(14, 6, 14, 6)
        middle.setSpacing(14)
        left = QVBoxLayout()
        left.addWidget(self.stack, 1)
        left.addWidget(self.ask)
        middle.addLayout(left, 1)
        middle.addWidget(self.side)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.head, self.line):
            column.addWidget(widget)
        column.addLayout(middle, 1)
        column.addWidget(self.strip)
        self.setCentralWidget(whole)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The column at the right takes a third of a narrow window, and no more than its lines need of a wide one."""
        self.side.setFixedWidth(round(theme.base * min(36.0, max(26.0, self.width() / theme.base / 3))))
        super().resizeEvent(event)
        self._share_out()

    def _share_out(self) -> None:
        """Facts stand where there is room for them beside the thing to do and a judgement or two."""
        self.facts.room = self.side.height() - self.now_card.height() - theme.base * 13
        self.facts.fit()

    def widget(self) -> QWidget:
        return self

    def workshop(self) -> None:
        Workshop(self, self.desk).exec()
        self.setFocus()

    def menu(self) -> None:
        self.menus.open()

    # batch and stations

    def show_bench(self, bench: Bench) -> None:
        """Put a batch on the screen, where this window left it."""
        self._drop_stations()
        self.desk = Desk(bench)
        for journal in (self.home, bench.journal):
            journal.turn.waiting = self._wait_for_turn
        self.desk.changed.connect(self.refresh)
        self.desk.ticked.connect(self._tick)
        self.desk.looked.connect(self._remember)
        self.desk.sat.connect(lambda who: self.settings.setValue("who", who))
        bench.who = str(self.settings.value("who") or bench.who)
        self.desk.asked.connect(self.ask.ask)
        self.desk.choosing_file.connect(self.files.choose_file)
        self.desk.saving_file.connect(self.files.save_file)
        step, _, board = str(self.settings.value(self._remembered, "")).partition("\n")
        if step in bench.route.steps.by_id and board in bench.state.boards:
            bench.go(step, board)
        self.refresh()

    def _wait_for_turn(self, seconds: float) -> None:
        """Another program holds the journal: the window goes on painting meanwhile, and says so before long."""
        if threading.current_thread() is not threading.main_thread():
            time.sleep(0.01)  # beside the window, which goes on by itself
            return
        if seconds > SAID_AFTER_S:
            self.now_card.show_said("Another program holds the journal. Waiting for it…")
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)

    @property
    def _remembered(self) -> str:
        """Where this computer keeps what was looked at last of the batch."""
        bench = self.desk.bench
        return f"view/{hashlib.sha256(bench.journal.url.encode()).hexdigest()[:12]}-{bench.id}"

    def _remember(self) -> None:
        view = self.desk.bench.view
        self.settings.setValue(self._remembered, f"{view.step}\n{view.board}")
        self._keep.start(KEPT_AFTER_MS)

    def _drop_stations(self) -> None:
        """Every picture is made anew when it is seen next."""
        for old in self.stations.values():
            self.stack.removeWidget(old)
            old.deleteLater()
        self.stations.clear()

    def _redraw_design(self) -> None:
        """The design reads otherwise now: every picture of it is made anew, the views stay where they are."""
        at = {n: s.tabs.current for n, s in self.stations.items() if isinstance(s, TabbedStation)}
        self._drop_stations()
        self.desk.art = BoardArt(self.desk.bench.design)
        for name, view in at.items():
            built = self._built(name)
            if view and isinstance(built, TabbedStation):
                built.take(view)

    @property
    def station(self) -> StationPicture:
        """The station in view, built at its first visit or before."""
        return self._built(self.desk.batch.step.station)

    def _built(self, name: str) -> StationPicture:
        if name not in self.stations:
            self.stations[name] = picture_of(name)(self.desk)
            self.stack.addWidget(self.stations[name])
        return self.stations[name]

    def build_next(self) -> bool:
        """Build one more station and paint it out of sight; False when all are there."""
        name = next((s.station for s in self.desk.bench.route.steps if s.station not in self.stations), None)
        if name is None:
            self._warm.stop()
            keep(self.desk.art, self.desk.bench.state.opened["files"])
            return False
        station = self._built(name)
        station.resize(self.stack.size())
        station.refresh()
        station.grab()
        return True

    def refresh(self) -> None:
        """Show the state as it is now."""
        self._shown += 1
        if self.desk.art.design is not self.desk.bench.design:
            self._redraw_design()
        bench, station = self.desk.bench, self.station
        if self.stack.currentWidget() is not station:
            self.stack.setCurrentWidget(station)
        step = bench.view.step
        judged = station.judgements(bench.judgements(step))
        reasons = {j.key: why.reason for j in judged if (why := bench.state.overruling(j))}
        self.judged.show_judgements(judged, reasons, (bench.id, step))
        self.desk.judgement = self.judged.current
        station.face()
        station.refresh()
        for strip in station.findChildren(BoardStrip):
            strip.look_again()
        self.setWindowTitle(f"{shown(title(bench.state))} – Fusilex")
        self.head.show_bench(bench)
        self.line.show_bench(bench)
        self.now_card.show_now(station.now(), self.desk.said)
        self.facts.show_facts(*station.facts())
        self._share_out()
        self.strip.show_keys(self.keys())
        if any(s.station not in self.stations for s in bench.route.steps):
            self._warm.start(STILL_MS)

    def _tick(self) -> None:
        """A clock went on: the picture and what is to be done, nothing else."""
        self.station.refresh()
        self.now_card.show_now(self.station.now(), self.desk.said)

    def go(self, step: str) -> None:
        """Look at another step."""
        self.desk.go(step)

    def _look_for_others(self) -> None:
        """Take in what another window recorded; keep the clocks going."""
        try:
            if self.desk.bench.refresh():
                self.refresh()
        except BadInput as problem:  # held by another program, gone, or damaged since
            if self.desk.said != str(problem):
                self.desk.say(str(problem))
        self.head.look_again()

    # keys

    def keys(self) -> list[Key]:
        """Keys that work now: the station's first, then the frame's, as far as the station leaves them free."""
        own = self.station.keys_now()
        taken = {name for key in own for name in key.keys.split(" ")}
        return [*own, *(key for key in self.frame_keys.keys() if key.keys not in taken)]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        name = key_name(event)
        for key in self.keys():
            if name in key.keys.split(" "):
                shown = self._shown
                key.action(name)
                if self._shown == shown:  # a key that changed nothing of the batch may have changed what keys do
                    self.strip.show_keys(self.keys())
                return
        super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        return False  # Tab is a station's key; nothing but the question ever takes the focus

    # files

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        paths = [url.toLocalFile() for url in data.urls() if url.isLocalFile()] if data else []
        if paths and not self.station.take_files(paths):
            self.files.dropped(*paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.settings.setValue("geometry", self.saveGeometry())
        super().closeEvent(event)
