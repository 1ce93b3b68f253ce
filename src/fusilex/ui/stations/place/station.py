"""Place: the work by hand or at the machine, who places which line, the machine's bed and programme, its proof."""

from __future__ import annotations

from fusilex.ui.desk import Desk
from fusilex.ui.stations.place.bed_view import BedView
from fusilex.ui.stations.place.camera_view import CameraView
from fusilex.ui.stations.place.lines_view import LinesView
from fusilex.ui.stations.place.log_view import LogView
from fusilex.ui.stations.place.place_view import PlaceView
from fusilex.ui.stations.place.proof_view import ProofView
from fusilex.ui.tabbed import TabbedStation


class PlacePicture(TabbedStation):
    name = "Place"
    view_classes = (PlaceView, LinesView, BedView, ProofView, CameraView, LogView)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.add_strip()
