"""The frame: head, line, bench, Now card, judgements, keys. Every key goes through here."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from fusilex.bench.commands import Overrule, Redo, Undo
from fusilex.bench.judging import judgements
from fusilex.bench.session import Bench
from fusilex.journal.projection import STATIONS
from fusilex.journal.store import Journal
from fusilex.ui.ask import Ask
from fusilex.ui.canvas.paths import BoardArt
from fusilex.ui.desk import Desk
from fusilex.ui.head import Head, Units
from fusilex.ui.keys import Key, KeyStrip, key_name
from fusilex.ui.line import Line
from fusilex.ui.opening import Opening
from fusilex.ui.side import Facts, Judgements, NowCard
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
from fusilex.ui.theme import DIM, GAP, LIGHT, SIDE_WIDTH, theme, use
from fusilex.ui.view import ViewedStation
from fusilex.ui.why import Why

STATION_CLASSES: dict[str, type[Station]] = {
    c.name: c for c in (Ready, Kit, Print, Place, Reflow, Hand, Inspect, Rework, Test, Release)
}


STATION_KEYS = " ".join(f"Ctrl+{(i + 1) % 10}" for i in range(len(STATIONS)))


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
        self.line.chosen.connect(self._go)
        self.head.units_clicked.connect(self.turn_units)
        self.judged.why.connect(self._why_of)
        self.desk: Desk
        self.stations: dict[str, Station] = {}
        self.opening = Opening(self)
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
        self.desk.choosing_file.connect(self._choose_file)
        self.desk.saving_file.connect(self._save_file)
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
            judgements(bench, station.name), {k: v["reason"] for k, v in bench.state.overruled.items()}
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

    def _go(self, station: str) -> None:
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
        return [*own, *(key for key in self._everywhere() if key.keys not in taken)]

    def _everywhere(self) -> list[Key]:
        canvas = self.station.canvas
        return [
            Key("[ ]", "board", lambda key: self._step_board(1 if key == "]" else -1)),
            Key("N", "next board here", lambda _: self._next_here()),
            Key("/", "find part", lambda _: self._find()) if canvas else Key("/", "", lambda _: None),
            Key("F", "flip", lambda _: canvas.flip()) if canvas else Key("F", "", lambda _: None),
            Key(STATION_KEYS, "station", lambda key: self._go(STATIONS[(int(key[-1]) - 1) % 10])),
            Key("F1", "why", lambda _: self._why()),
            Key("F10", "menu", lambda _: self.opening.menu()),
            Key("+ - = Home", "", self._zoom),
            Key("Ctrl+Left Ctrl+Right Ctrl+Up Ctrl+Down", "", self._pan),
            Key("PgUp PgDown", "", lambda key: self._judgement(1 if key == "PgDown" else -1)),
            Key("F2", "", lambda _: self._overrule()),
            Key("Ctrl+Z", "", lambda _: self.undo(Undo())),
            Key("Ctrl+Shift+Z", "", lambda _: self.undo(Redo())),
            Key("Ctrl+D", "", lambda _: self.turn_theme()),
            Key("Ctrl+U", "", lambda _: self.turn_units()),
            Key("Ctrl+O", "", lambda _: self.opening.choose_folder()),
            Key("Ctrl+Shift+O", "", lambda _: self.opening.choose_zip()),
            Key("Ctrl+B", "", lambda _: self.opening.choose_batch()),
            Key("Ctrl+Q", "", lambda _: self.close()),
        ]

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

    def _step_board(self, step: int) -> None:
        serials = list(self.desk.bench.state.boards)
        at = serials.index(self.desk.bench.state.board)
        self.desk.said = ""
        self.desk.go(board=serials[(at + step) % len(serials)])

    def _next_here(self) -> None:
        state = self.desk.bench.state
        here = [b.serial for b in state.at(state.station)]
        if not here:
            self.desk.say(f"No board is at {state.station}.")
            return
        at = here.index(state.board) if state.board in here else -1
        self.desk.said = ""
        self.desk.go(board=here[(at + 1) % len(here)])

    def view_before(self) -> None:
        """The picture before the one in view, where a station has several."""
        if isinstance(self.station, ViewedStation):
            self.station.show_view(self.station.tabs.current - 1)

    def _judgement(self, step: int) -> None:
        self.judged.choose(self.judged.chosen + step)
        self.desk.judgement = self.judged.current
        self.station.refresh()

    def _find(self) -> None:
        self.desk.ask("Find part", self._found)

    def _found(self, text: str) -> None:
        part = self.desk.bench.design.part_by_ref.get(text.strip().upper())
        canvas = self.station.canvas
        if part is None or canvas is None:
            self.desk.say(f"There is no part {text.strip()}.")
            return
        canvas.look_at(part)
        self.desk.say(f"{part.ref}: {part.value}, {part.body.code}, {part.side}.")

    def _zoom(self, key: str) -> None:
        if canvas := self.station.canvas:
            canvas.fit() if key == "Home" else canvas.zoom(1 / 1.25 if key == "-" else 1.25)

    def _pan(self, key: str) -> None:
        if canvas := self.station.canvas:
            dx, dy = {"Left": (80, 0), "Right": (-80, 0), "Up": (0, 80), "Down": (0, -80)}[key.removeprefix("Ctrl+")]
            canvas.pan(dx, dy)

    def undo(self, command: Undo | Redo) -> None:
        """Undo or do again, and say what it was."""
        events = self.desk.do(command)
        if events:
            what = next(e.kind for e in self.desk.bench.history if e.deed == events[0].body["deed"])
            self.desk.say(f"{'Undone' if isinstance(command, Undo) else 'Done again'}: {what.replace('_', ' ')}.")

    def _why(self) -> None:
        if judgement := self.judged.current:
            overruled = self.desk.bench.state.overruled.get(judgement.key, {}).get("reason", "")
            Why(self, judgement, overruled).exec()
            self.setFocus()

    def _why_of(self, index: int) -> None:
        self._judgement(index - self.judged.chosen)
        self._why()

    def _overrule(self) -> None:
        if judgement := self.judged.current:
            self.desk.ask(
                f"Overrule “{judgement.headline}” because",
                lambda reason: self._overruled(judgement.key, judgement.headline, reason),
            )

    def _overruled(self, key: str, headline: str, reason: str) -> None:
        self.desk.do(Overrule(key, reason, headline), "Overruled, with your reason on record.")

    # looks

    def turn_theme(self) -> None:
        """Light to dim and back."""
        use(DIM if theme.tokens is LIGHT else LIGHT)
        self.settings.setValue("theme", theme.tokens.name)
        self.refresh()

    def turn_units(self) -> None:
        """mm and °C, inch and °C, mm and °F, inch and °F, round and round."""
        state = (2 * Units.fahrenheit + Units.inch + 1) % 4
        Units.inch, Units.fahrenheit = bool(state % 2), bool(state // 2)
        self.settings.setValue("inch", Units.inch)
        self.settings.setValue("fahrenheit", Units.fahrenheit)
        self.refresh()

    # files

    def _choose_file(self, prompt: str, pattern: str, then: Callable[[str], None]) -> None:
        name, _ = QFileDialog.getOpenFileName(self, prompt, str(self.settings.value("folder", "")), pattern)
        if name:
            self._remember_folder(name)
            then(name)

    def _save_file(self, prompt: str, name: str, then: Callable[[str], None]) -> None:
        folder = str(self.settings.value("folder", "") or "")
        chosen, _ = QFileDialog.getSaveFileName(self, prompt, f"{folder}/{name}" if folder else name)
        if chosen:
            self._remember_folder(chosen)
            then(chosen)

    def _remember_folder(self, name: str) -> None:
        from pathlib import Path

        self.settings.setValue("folder", str(Path(name).parent))

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
