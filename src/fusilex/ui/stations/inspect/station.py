"""Inspect: eyes over a board, pictures of it, and what faults have in common."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QTimer

from fusilex.bench.stations.inspect.touring import is_settled, settle, ways_of
from fusilex.formats.pictures import ENDINGS
from fusilex.ui.desk import Desk
from fusilex.ui.search import Aside
from fusilex.ui.stations.inspect.look_view import LookView
from fusilex.ui.stations.inspect.patterns_view import PatternsView
from fusilex.ui.stations.inspect.photo_view import PhotoView
from fusilex.ui.tabbed import TabbedStation

SETTLED_AFTER_MS = 600
"""A shorter way is looked for once the first picture is there."""


class InspectPicture(TabbedStation):
    name = "Inspect"
    view_classes = (LookView, PhotoView, PatternsView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
        self.aside = Aside(self, lambda said: self._settled())  # the way there is will do
        QTimer.singleShot(SETTLED_AFTER_MS, self._settle)

    def _settle(self) -> None:
        """Over a large board there is a way at once; a shorter one is worked out beside the window."""
        steps = [self.batch.about(self.bench.board.serial, s.id) for s in self.batch.steps.at_station(self.name)]
        way = next((way for batch in steps for way in ways_of(batch) if not is_settled(way)), None)
        if way is not None:
            self.aside.look(lambda: settle(way), lambda found: self._settled())

    def _settled(self) -> None:
        self._settle()
        self.desk.changed.emit()

    def take_files(self, names: Sequence[str]) -> bool:
        """Pictures that are dropped on the bench are compared one after another."""
        if not all(Path(name).suffix.lower() in ENDINGS for name in names):
            return False
        self.show_view(self.view_classes.index(PhotoView))
        for name in names:
            assert isinstance(self.view, PhotoView)
            self.view.take(name)
        return True
