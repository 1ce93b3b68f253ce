"""A question at the foot of the bench: one line of text, Enter to answer, Esc to leave it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label


class Ask(QWidget):
    """Hidden until something is asked."""

    def __init__(self) -> None:
        super().__init__()
        self.label, self.line = plain_label(), QLineEdit()
        self.label.setFont(theme.font("body", bold=True))
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 0, 4, 0)
        row.addWidget(self.label)
        row.addWidget(self.line, 1)
        self.line.returnPressed.connect(self._answer)
        self._then: Callable[[str], object] | None = None
        self.hide()

    def ask(self, prompt: str, given: str, then: Callable[[str], object]) -> None:
        self._then = then
        self.label.setText(prompt)
        self.line.setAccessibleName(prompt)
        self.line.setText(given)
        self.show()
        self.line.setFocus()
        if len(given) > 1:
            self.line.selectAll()

    def _answer(self) -> None:
        then, text = self._then, self.line.text()
        self.leave()
        if then and text.strip():
            then(text.strip())

    def leave(self) -> None:
        self._then = None
        self.hide()
        if window := self.window():
            window.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_Escape:
            self.leave()
