"""The clock of held steps: which step is held, over which part, and for how long."""

from __future__ import annotations

from PyQt6.QtCore import QCoreApplication, QObject, QTimer, pyqtSignal

TICK_MS = 250


class HotAirClock(QObject):
    """Emits `ticked` as time goes on. `at` is the step in hand, −1 while none is."""

    ticked = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.at, self.held_s = -1, 0.0
        self.serial = self.ref = ""
        self.timer = QTimer(self)
        self.timer.setInterval(TICK_MS)
        self.timer.timeout.connect(lambda: self.tick(TICK_MS / 1000))

    @property
    def running(self) -> bool:
        return self.at >= 0

    def start(self, serial: str, ref: str, at: int) -> None:
        self.serial, self.ref, self.at, self.held_s = serial, ref, at, 0.0
        if app := QCoreApplication.instance():
            app.aboutToQuit.connect(self.timer.stop)
        self.timer.start()

    def next(self) -> None:
        self.at, self.held_s = self.at + 1, 0.0

    def stop(self) -> None:
        self.timer.stop()
        self.at, self.held_s = -1, 0.0

    def tick(self, seconds: float) -> None:
        """Time goes on."""
        if self.running:
            self.held_s += seconds
            self.ticked.emit()
