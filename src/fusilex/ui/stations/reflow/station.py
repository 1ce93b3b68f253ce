"""Reflow: runs and their logs, what the oven's twin predicts, the run live, and hot air in held steps."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.reflow.hot_air import ReflowHotAir
from fusilex.ui.stations.reflow.live_view import LiveView
from fusilex.ui.stations.reflow.run_view import RunView
from fusilex.ui.stations.reflow.twin_view import TwinView
from fusilex.ui.tabbed import TabbedStation


class ReflowPicture(TabbedStation):
    name = "Reflow"
    view_classes = (RunView, TwinView, LiveView, ReflowHotAir)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
