"""Rework: faults repaired one by one, without harm to the neighbours."""

from fusilex.bench.station import Station
from fusilex.bench.stations.rework import commands, events, judging, now

STATION = Station(
    name="Rework",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    now=now.now,
    cautions=now.CAUTIONS,
    aside=True,
)
