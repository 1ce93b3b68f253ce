"""Rework: faults repaired one by one, without harm to the neighbours."""

from fusilex.bench.station import Station
from fusilex.bench.stations.rework import commands, events, judging, mending, now
from fusilex.bench.stations.rework.rules import RULES

STATION = Station(
    name="Rework",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    slices=(mending.Repairs,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    papers=judging.papers,
    cautions=now.CAUTIONS,
    aside=True,
)
