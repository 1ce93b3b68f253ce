"""Test: neighbours rung out, the board proved."""

from fusilex.bench.station import Station
from fusilex.bench.stations.test import commands, events, judging, now

STATION = Station(
    name="Test",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    now=now.now,
    cautions=now.CAUTIONS,
    cautions_here=now.cautions_here,
    lacks=judging.lacks,
    papers=judging.papers,
)
