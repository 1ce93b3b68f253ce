"""Rework: faults repaired one by one, without harm to the neighbours."""

from fusilex.bench.station import Station
from fusilex.bench.stations.rework import commands, events, judging, now
from fusilex.bench.stations.rework.rules import RULES

STATION = Station(
    name="Rework",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
    aside=True,
)
