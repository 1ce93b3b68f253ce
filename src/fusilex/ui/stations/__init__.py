"""The stations on the screen, each in the room of its name; found by what the road declares."""

from __future__ import annotations

from fusilex.ui.picture import Station
from fusilex.ui.stations.hand.station import Hand
from fusilex.ui.stations.inspect.station import Inspect
from fusilex.ui.stations.kit.station import Kit
from fusilex.ui.stations.place.station import Place
from fusilex.ui.stations.print.station import Print
from fusilex.ui.stations.ready.station import Ready
from fusilex.ui.stations.reflow.station import Reflow
from fusilex.ui.stations.release.station import Release
from fusilex.ui.stations.rework.station import Rework
from fusilex.ui.stations.test.station import Test

STATION_CLASSES: dict[str, type[Station]] = {
    c.name: c for c in (Ready, Kit, Print, Place, Reflow, Hand, Inspect, Rework, Test, Release)
}
