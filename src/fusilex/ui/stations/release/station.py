"""Release: cuts and boards, labels and parcels, papers, cost."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.release.cost_view import CostView
from fusilex.ui.stations.release.cuts_view import CutsView
from fusilex.ui.stations.release.label_view import LabelView
from fusilex.ui.stations.release.papers_view import PapersView
from fusilex.ui.tabbed import TabbedStation


class ReleasePicture(TabbedStation):
    name = "Release"
    view_classes = (CutsView, LabelView, PapersView, CostView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
