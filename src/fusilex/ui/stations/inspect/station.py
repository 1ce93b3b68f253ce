"""Inspect: eyes over a board, and what faults have in common."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.inspect.look_view import LookView
from fusilex.ui.stations.inspect.patterns_view import PatternsView
from fusilex.ui.tabbed import TabbedStation


class InspectPicture(TabbedStation):
    name = "Inspect"
    view_classes = (LookView, PatternsView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
