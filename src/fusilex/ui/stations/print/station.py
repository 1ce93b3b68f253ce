"""Print: the run of panels, every aperture by its risk, the foil in two loupes, the jig, the paste in its jar."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.print.apertures_view import AperturesView
from fusilex.ui.stations.print.foil_view import FoilView
from fusilex.ui.stations.print.jig_view import JigView
from fusilex.ui.stations.print.paste_view import PasteView
from fusilex.ui.stations.print.run_view import RunView
from fusilex.ui.tabbed import TabbedStation


class PrintPicture(TabbedStation):
    name = "Print"
    view_classes = (RunView, AperturesView, FoilView, JigView, PasteView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
