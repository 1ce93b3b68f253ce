"""A template and what it makes of the programme, side by side, made anew while it is typed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from fusilex.core.problems import BadInput
from fusilex.formats.written.templated import render
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label

AFTER_MS, MOST_SHOWN = 250, 20_000
FIRST = """{# one line a placement; see docs/formats.md for what there is #}
{% for trip in trips %}
{% for p in trip.places %}
{{ p.ref }},{{ p.cell }},{{ p.x_mm|fixed(3) }},{{ p.y_mm|fixed(3) }},{{ p.rotation_deg|fixed(2) }}
{% endfor %}
{% endfor %}
"""


class TemplateDialog(QDialog):
    """`opened` is asked for another template, `saved` is told what to write."""

    def __init__(
        self, parent: QWidget | None, values: dict[str, Any], opened: Callable[[], None], saved: Callable[[str], None]
    ) -> None:
        super().__init__(parent)
        self.values, self.saved, self.made = values, saved, ""
        self.setWindowTitle("The programme by a template")
        self.resize(round(theme.base * 84), round(theme.base * 48))
        self.words, self.shown = QPlainTextEdit(FIRST), QPlainTextEdit()
        self.words.setAccessibleName("Template")
        self.shown.setAccessibleName("What it makes")
        self.shown.setReadOnly(True)
        self.said = plain_label(wrapped=True)
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.shown, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Close)
        other = QPushButton("Open a template")
        other.clicked.connect(opened)
        buttons.addButton(other, QDialogButtonBox.ButtonRole.ActionRole)
        buttons.accepted.connect(self._save)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        column.addWidget(self.said)
        column.addWidget(buttons)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AFTER_MS)
        self._timer.timeout.connect(self.preview)
        self.words.textChanged.connect(self._timer.start)
        self.preview()

    def preview(self) -> None:
        """What the template makes now, or the sentence that says where it is wrong; the last that was right stays."""
        try:
            self.made = render(self.words.toPlainText(), self.values)
        except BadInput as problem:
            self.said.setText(str(problem))
            return
        lines = len(self.made.splitlines())
        self.said.setText(f"{lines} lines.")
        self.shown.setPlainText(self.made[:MOST_SHOWN])

    def _save(self) -> None:
        self._timer.stop()
        self.preview()
        if self.said.text().endswith("lines."):
            self.saved(self.made)
