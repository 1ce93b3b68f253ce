"""Long work that somebody waits for: off the window's thread, with how far it is and a way to leave it."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtCore import QCoreApplication, QEvent, QEventLoop, QObject, QThread, pyqtSignal
from PyQt6.QtWidgets import QProgressDialog, QWidget

from fusilex.core.progress import Left, Step
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label

T = TypeVar("T")
SHOWN_AFTER_MS = 300
BETWEEN_S = 0.05
"""No more often is it said how far it is."""
_BY_HAND = {
    QEvent.Type.KeyPress,
    QEvent.Type.MouseButtonPress,
    QEvent.Type.Shortcut,
    QEvent.Type.Drop,
    QEvent.Type.Close,
}


class Leavable(QThread):
    """Work that says how far it is, and ends at its next step once `left` is set."""

    progress = pyqtSignal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.left, self._said = False, 0.0

    def step(self, share: float, what: str) -> None:
        """Say how far it is, in per cent. Raises `Left` once it was left."""
        if self.left:
            raise Left
        if time.monotonic() - self._said >= BETWEEN_S:
            self._said = time.monotonic()
            self.progress.emit(round(100 * share), what)


class _Work(Leavable):
    def __init__(self, work: Callable[[Step], object]) -> None:
        super().__init__()
        self.work = work
        self.found: object = None
        self.problem: BaseException | None = None

    def run(self) -> None:
        try:
            self.found = self.work(self.step)
        except BaseException as problem:  # it is raised where it is waited for
            self.problem = problem


class _HandsOff(QObject):
    """Until the dialog is there, keys and clicks must not reach what is behind it."""

    def __init__(self, waiting: QWidget) -> None:
        super().__init__(waiting)
        self.waiting = waiting

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        return event is not None and event.type() in _BY_HAND and not self.waiting.isVisible()


def waited_for(parent: QWidget, title: str, work: Callable[[Step], T]) -> T:
    """What the work gives. The window goes on painting and takes no keys but the one that leaves.

    Raises what the work raises, and `Left` where it was left.
    """
    waiting = QProgressDialog("", "Leave it", 0, 100, parent)
    waiting.setWindowTitle(title)
    waiting.setLabel(plain_label(title))
    waiting.setModal(True)
    waiting.setMinimumWidth(round(theme.base * 28))
    waiting.setMinimumDuration(SHOWN_AFTER_MS)
    beside, loop, hands_off = _Work(work), QEventLoop(), _HandsOff(waiting)
    waiting.canceled.connect(lambda: setattr(beside, "left", True))
    beside.progress.connect(lambda share, _: waiting.setValue(min(share, 99)))
    beside.progress.connect(lambda _, what: waiting.setLabelText(what))
    beside.finished.connect(loop.quit)
    application = QCoreApplication.instance()
    assert application is not None
    application.installEventFilter(hands_off)
    try:
        beside.start()
        loop.exec()
        beside.wait()
    finally:
        application.removeEventFilter(hands_off)
        waiting.deleteLater()
    if beside.problem is not None:
        raise beside.problem
    found: T = beside.found  # type: ignore[assignment]
    return found
