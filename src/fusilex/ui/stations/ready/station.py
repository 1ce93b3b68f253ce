"""Ready: do the files belong together, and is everything there to start?"""

from __future__ import annotations

from fusilex.bench.stations.ready.files import AcceptFiles
from fusilex.core.route.steps import FIRST
from fusilex.ui.stations.ready.bare import BareView
from fusilex.ui.stations.ready.board import BoardView
from fusilex.ui.stations.ready.lists import ListsView
from fusilex.ui.stations.ready.next_time import NextTimeView
from fusilex.ui.stations.ready.options import OptionsView
from fusilex.ui.stations.ready.packages import PackagesView
from fusilex.ui.stations.ready.panel import PanelView
from fusilex.ui.stations.ready.route import RouteView
from fusilex.ui.stations.ready.sides import SidesView
from fusilex.ui.tabbed import TabbedStation
from fusilex.ui.widgets.keys import Key


class ReadyPicture(TabbedStation):
    name = "Ready"
    view_classes = (
        BoardView,
        ListsView,
        PackagesView,
        PanelView,
        SidesView,
        RouteView,
        OptionsView,
        BareView,
        NextTimeView,
    )

    def keys(self) -> list[Key]:
        accept = [Key("Space", "accept the files", lambda _: self._accept())] if self.bench.state.at(FIRST[0]) else []
        return [*accept, *super().keys()]

    def _accept(self) -> None:
        if self.desk.do(AcceptFiles(), "Files accepted."):
            self.desk.go(FIRST[1])
