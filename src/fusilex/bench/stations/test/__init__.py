"""Test: neighbours rung out, the board proved."""

from fusilex.bench.station import Station
from fusilex.bench.stations.test import commands, events, judging, now
from fusilex.bench.stations.test.rules import RULES

STATION = Station(
    name="Test",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
    cautions_here=now.cautions_here,
    lacks=judging.lacks,
    papers=judging.papers,
    remarks=judging.remarks,
    slices=events.SLICES,
)
