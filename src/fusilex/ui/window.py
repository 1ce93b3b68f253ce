"""The frame: head, line, bench, Now card, judgements, keys. Every key goes through here."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from fusilex.bench.judging import judgements
from fusilex.bench.session import Bench
from fusilex.journal.projection import STATIONS
from fusilex.journal.store import Journal
from fusilex.ui.ask import Ask
from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.desk import Desk
from fusilex.ui.everywhere import Everywhere
from fusilex.ui.head import Head
from fusilex.ui.judged import Judgements
from fusilex.ui.keys import Key, KeyStrip, key_name
from fusilex.ui.line import Line
from fusilex.ui.opening import Opening
from fusilex.ui.side import Facts, NowCard
from fusilex.ui.station import Station
from fusilex.ui.stations.hand import Hand
from fusilex.ui.stations.inspect import Inspect
from fusilex.ui.stations.kit import Kit
from fusilex.ui.stations.place import Place
from fusilex.ui.stations.print import Print
from fusilex.ui.stations.ready import Ready
from fusilex.ui.stations.reflow import Reflow
from fusilex.ui.stations.release import Release
from fusilex.ui.stations.rework import Rework
from fusilex.ui.stations.test import Test
from fusilex.ui.strip import BoardStrip
from fusilex.ui.theme import GAP, SIDE_WIDTH, theme
from fusilex.ui.view import ViewedStation

STATION_CLASSES: dict[str, type[Station]] = {
    c.name: c for c in (Ready, Kit, Print, Place, Reflow, Hand, Inspect, Rework, Test, Release)
}


class Window(QMainWindow):
    """One batch on the screen. Stations are built when first visited."""

    def __init__(self, bench: Bench, settings: QSettings, home: Journal | None = None) -> None:
        """`home` is the journal new batches go to, when the one on the screen comes from another."""
        super().__init__()
        self.settings = settings
        self.home = home or bench.journal
        self.setWindowTitle("Fusilex")
        self.setMinimumSize(1000, 640)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.head, self.line, self.strip, self.ask = Head(), Line(), KeyStrip(), Ask()
        self.now_card, self.judged, self.facts = NowCard(), Judgements(), Facts()
        self.stack = QStackedWidget()
        self._lay_out()
        self.line.chosen.connect(self.go)
        self.desk: Desk
        self.stations: dict[str, Station] = {}
        self.opening = Opening(self)
        self.everywhere = Everywhere(self)
        self.head.units_clicked.connect(self.everywhere.turn_units)
        self.judged.why.connect(self.everywhere.why_of)
        self.show_bench(bench)
        self._warm = QTimer(self)  # the other stations are built while the hands are still
        self._warm.timeout.connect(self.build_next)
        self._warm.start(150)
        self._watch = QTimer(self)
        self._watch.timeout.connect(self._look_for_others)
        self._watch.start(1500)

    def _lay_out(self) -> None:
        side = QWidget()
        side.setFixedWidth(max(SIDE_WIDTH, round(theme.base * 34)))
        right = QVBoxLayout(side)
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
        middle.addWidget(side)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.head, self.line):
            column.addWidget(widget)
        column.addLayout(middle, 1)
        column.addWidget(self.strip)
        self.setCentralWidget(whole)

    # batch and stations

    def show_bench(self, bench: Bench) -> None:
        """Put a batch on the screen, where it was left."""
        for old in self.stations.values():
            self.stack.removeWidget(old)
            old.deleteLater()
        self.stations.clear()
        if hasattr(self, "_warm"):
            self._warm.start(150)
        self.desk = Desk(bench)
        self.desk.changed.connect(self.refresh)
        self.desk.asked.connect(self.ask.ask)
        self.desk.choosing_file.connect(self.opening.choose_file)
        self.desk.saving_file.connect(self.opening.save_file)
        self.setWindowTitle(f"{bench.state.opened['design']} batch {bench.state.opened['batch']} – Fusilex")
        self.refresh()

    def _redraw_design(self) -> None:
        """The design reads otherwise now: every picture of it is made anew, the views stay where they are."""
        at = {n: s.tabs.current for n, s in self.stations.items() if isinstance(s, ViewedStation)}
        for old in self.stations.values():
            self.stack.removeWidget(old)
            old.deleteLater()
        self.stations.clear()
        self.desk.art = BoardArt(self.desk.bench.design)
        for name, view in at.items():
            if view:
                self._built(name).take(view)  # type: ignore[attr-defined]
        self._warm.start(150)

    @property
    def station(self) -> Station:
        """The station in view, built at its first visit or before."""
        return self._built(self.desk.bench.state.station)

    def _built(self, name: str) -> Station:
        if name not in self.stations:
            self.stations[name] = STATION_CLASSES[name](self.desk)
            self.stack.addWidget(self.stations[name])
        return self.stations[name]

    def build_next(self) -> bool:
        """Build one more station and paint it out of sight; False when all are there."""
        name = next((n for n in STATIONS if n not in self.stations), None)
        if name is None:
            self._warm.stop()
            return False
        station = self._built(name)
        station.resize(self.stack.size())
        station.refresh()
        station.grab()
        return True

    def refresh(self) -> None:
        """Show the state as it is now."""
        if self.desk.art.design is not self.desk.bench.design:
            self._redraw_design()
        bench, station = self.desk.bench, self.station
        if self.stack.currentWidget() is not station:
            self.stack.setCurrentWidget(station)
        self.judged.show_judgements(
            judgements(bench, station.name),
            {k: v["reason"] for k, v in bench.state.overruled.items()},
            (bench.batch, station.name),
        )
        self.desk.judgement = self.judged.current
        station.refresh()
        for strip in station.findChildren(BoardStrip):
            strip.update()
        self.head.show_bench(bench)
        self.line.show_bench(bench, station.name)
        self.now_card.show_now(station.now(), self.desk.said)
        self.facts.show_facts(*station.facts())
        self.strip.show_keys(self.keys())

    def go(self, station: str) -> None:
        """Look at another station."""
        self.desk.said = ""
        self.desk.go(station)

    def _look_for_others(self) -> None:
        """Take in what another window recorded; keep the clocks going."""
        if self.desk.bench.refresh():
            self.refresh()
        self.head.update()

    # keys

    def keys(self) -> list[Key]:
        """Keys that work now: the station's first, then those that work everywhere, as far as the station leaves them free."""
        own = self.station.keys()
        taken = {name for key in own for name in key.keys.split(" ")}
        return [*own, *(key for key in self.everywhere.keys() if key.keys not in taken)]

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        name = key_name(event)
        for key in self.keys():
            if name in key.keys.split(" ") or (name == "Space" and key.keys == "Space"):
                key.action(name)
                self.strip.show_keys(self.keys())
                return
        super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        return False  # Tab is a station's key; nothing but the question ever takes the focus

    # files

    def dragEnterEvent(self, event: Any) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: Any) -> None:
        paths = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            self.opening.dropped(*paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.settings.setValue("geometry", self.saveGeometry())
        super().closeEvent(event)
