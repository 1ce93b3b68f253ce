"""Widgets that are painted anew only when what they show is another."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from fusilex.ui.theme import theme


class Shown(QWidget):
    """A widget that says what its picture is made of. Whoever changed something asks it to look; it is painted where
    that is not what it was painted of before.
    """

    _seen: object = None

    def look(self) -> object:
        """Everything that the picture depends on, but for size and theme."""
        raise NotImplementedError

    def look_again(self) -> None:
        seen = theme.tokens.name, theme.base, self.look()
        if seen != self._seen:
            self._seen = seen
            self.update()
