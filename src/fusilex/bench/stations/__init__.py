"""The stations, in the order boards go through them. Each is a room that declares itself; none knows another."""

from __future__ import annotations

from fusilex.bench.station import Station
from fusilex.bench.stations import hand, inspect, kit, make, place, print, ready, reflow, release, rework, test

STATIONS: tuple[Station, ...] = tuple(
    room.STATION for room in (ready, make, kit, print, place, reflow, hand, inspect, rework, test, release)
)
