"""A key: what it does here, now, and what it is called."""

from __future__ import annotations

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence


class Key(Struct, frozen=True):
    """A key (or several, space-separated as in ``+ -``), what it does in words, and the action; hidden when `label`
    is ''. One that `works_on_board` is hidden while the board in hand is elsewhere; pressed all the same, it says so.
    """

    keys: str
    label: str
    action: Callable[[str], object]
    works_on_board: bool = False


def key_name(event: QKeyEvent) -> str:
    """Name of a pressed key as used in `Key.keys`: ``Space``, ``Ctrl+Z``, ``[``, ``Left``."""
    combination = event.keyCombination()
    name = QKeySequence(combination).toString(QKeySequence.SequenceFormat.PortableText)
    text = event.text()
    plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    if plain and text and text.isprintable() and not text.isspace():
        return text.upper() if text.isalpha() else text
    return name.removeprefix("Num+").replace("Backtab", "Tab").replace("Return", "Enter")
