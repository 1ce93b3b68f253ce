"""Inspect: eyes over every board."""

from fusilex.bench.station import Station
from fusilex.bench.stations.inspect import commands, events, judging, now

STATION = Station(
    name="Inspect",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    now=now.now,
    lacks=judging.lacks,
    remarks=judging.remarks,
    papers=judging.papers,
)
