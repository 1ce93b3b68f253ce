"""Inspect: eyes over a board, pictures of it, and what faults have in common."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fusilex.bench.stations.inspect.touring import fields_of
from fusilex.formats.pictures import ENDINGS
from fusilex.ui.desk import Desk
from fusilex.ui.stations.inspect.look_view import LookView
from fusilex.ui.stations.inspect.patterns_view import PatternsView
from fusilex.ui.stations.inspect.photo_view import PhotoView
from fusilex.ui.tabbed import TabbedStation


class InspectPicture(TabbedStation):
    name = "Inspect"
    view_classes = (LookView, PhotoView, PatternsView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
        for step in self.batch.steps.at_station(self.name):  # while nobody waits: the first tour loads the solver
            fields_of(self.batch.about(self.bench.board.serial, step.id))

    def take_files(self, names: Sequence[str]) -> bool:
        """Pictures that are dropped on the bench are compared one after another."""
        if not all(Path(name).suffix.lower() in ENDINGS for name in names):
            return False
        self.show_view(self.view_classes.index(PhotoView))
        for name in names:
            assert isinstance(self.view, PhotoView)
            self.view.take(name)
        return True
