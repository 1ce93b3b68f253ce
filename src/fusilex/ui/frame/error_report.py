"""What nobody foresaw: said once, written down, and never the end of the session. Whatever was acknowledged is in the
journal.
"""

from __future__ import annotations

import sys
import traceback
from types import TracebackType

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget

from fusilex.bench.computer.mishaps import write_down
from fusilex.core.shown import shown


class Mishaps:
    """Takes the place of the interpreter's last resort, which would end the program."""

    def __init__(self, window: QWidget | None = None) -> None:
        self.window = window
        self.box: QMessageBox | None = None
        self._told: set[str] = set()
        sys.excepthook = self.take

    def take(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if not issubclass(kind, Exception):
            sys.__excepthook__(kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        print(text, file=sys.stderr)
        place = "".join(traceback.format_tb(trace)[-1:])
        if place in self._told:  # a picture that cannot be painted would say so at every frame
            return
        self._told.add(place)
        self.box = QMessageBox(
            QMessageBox.Icon.Warning,
            "Something went wrong",
            f"This went wrong in Fusilex: {kind.__name__}: {shown(str(error)[:200])}\n\n"
            f"All that you did before is saved. {write_down(error)}",
            QMessageBox.StandardButton.Ok,
            self.window,
        )
        self.box.setTextFormat(Qt.TextFormat.PlainText)
        self.box.open()
