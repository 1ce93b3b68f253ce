"""Rework: the fault in hand and its neighbours, and hot air in held steps."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.rework.hot_air import ReworkHotAir
from fusilex.ui.stations.rework.repair_view import RepairView
from fusilex.ui.tabbed import TabbedStation


class ReworkPicture(TabbedStation):
    name = "Rework"
    view_classes = (RepairView, ReworkHotAir)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
