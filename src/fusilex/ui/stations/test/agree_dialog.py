"""What a command would do, word by word, before it is run here for the first time."""

from __future__ import annotations

from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QPlainTextEdit, QVBoxLayout, QWidget

from fusilex.devices.command import Plan
from fusilex.ui.theme import theme
from fusilex.ui.widgets.words import plain_label

_SHELL = "It is a shell: it does whatever its words say. Read them all."


def plan_words(plan: Plan) -> str:
    """All of it as text: the program, every word as it is handed over, files with their SHA-256, the time limit."""
    words = [f"Word {n}: {word}" for n, word in enumerate(plan.filled[1:], 1)]
    files = [f"File {path}, SHA-256\n{sha}" for path, sha in plan.files[1:]]
    program = f"Program: {plan.program}, SHA-256\n{plan.files[0][1]}"
    until = f"Ended after {plan.most_s:g} s. It runs in an empty folder of its own."
    return "\n".join([program, *((_SHELL,) if plan.shell else ()), *words, *files, until])


class AgreeDialog(QDialog):
    """Enter and Esc leave it; only the button (Alt+R) runs it."""

    def __init__(self, parent: QWidget, plan: Plan) -> None:
        super().__init__(parent)
        self.setWindowTitle("Run this command?")
        self.resize(round(theme.base * 66), round(theme.base * 46))
        asked = "This command has not been run on this computer yet, or something of it has changed. It can do anything"
        asked += " that you can do here. Run it only if you know what each word does."
        self.text = QPlainTextEdit(plan_words(plan))
        self.text.setReadOnly(True)
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName("The command, word by word")
        buttons = QDialogButtonBox()
        leave = buttons.addButton("Do not run it", QDialogButtonBox.ButtonRole.RejectRole)
        run = buttons.addButton("&Run it from now on", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(plain_label(asked, wrapped=True))
        column.addWidget(self.text, 1)
        column.addWidget(buttons)
        if run and leave:
            run.setAutoDefault(False)
            leave.setDefault(True)
            leave.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event and not event.isAutoRepeat():  # a key held down answers nothing
            super().keyPressEvent(event)
