"""Words on the screen that may come from a file: shown as they are, never read as markup."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from fusilex.core.shown import shown


class PlainLabel(QLabel):
    """A label in whose text every letter shows."""

    def setText(self, text: str | None) -> None:
        super().setText(shown(text or "", lines=True))


def plain_label(text: str = "", wrapped: bool = False) -> QLabel:
    """A label that shows a text as it is."""
    label = PlainLabel()
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(wrapped)
    label.setText(text)
    return label


def plain_tip(text: str) -> str:
    """A text for a tool tip, which would take some texts for markup.

    >>> plain_tip("<b>.gbr")
    '<qt>&lt;b&gt;.gbr</qt>'
    """
    return f"<qt>{escape(shown(text, lines=True))}</qt>".replace("\n", "<br>")


def menu_words(text: str) -> str:
    """A text for a menu, where ``&`` underlines and a tab begins the key.

    >>> menu_words("R&D")
    'R&&D'
    """
    return " ".join(text.split()).replace("&", "&&")
