"""The stations on the screen, each in the room of its name; found by what the road declares."""

from __future__ import annotations

from fusilex.ui.picture import StationPicture
from fusilex.ui.stations.hand.station import HandPicture
from fusilex.ui.stations.inspect.station import InspectPicture
from fusilex.ui.stations.kit.station import KitPicture
from fusilex.ui.stations.make.station import MakePicture
from fusilex.ui.stations.place.station import PlacePicture
from fusilex.ui.stations.print.station import PrintPicture
from fusilex.ui.stations.ready.station import ReadyPicture
from fusilex.ui.stations.reflow.station import ReflowPicture
from fusilex.ui.stations.release.station import ReleasePicture
from fusilex.ui.stations.rework.station import ReworkPicture
from fusilex.ui.stations.test.station import TestPicture

_PICTURES: tuple[type[StationPicture], ...] = (
    ReadyPicture,
    MakePicture,
    KitPicture,
    PrintPicture,
    PlacePicture,
    ReflowPicture,
    HandPicture,
    InspectPicture,
    ReworkPicture,
    TestPicture,
    ReleasePicture,
)
STATION_PICTURES = {picture.name: picture for picture in _PICTURES}
