"""Inspect: eyes over every board."""

from fusilex.bench.station import Station
from fusilex.bench.stations.inspect import commands, deciding, events, judging, now, pictures
from fusilex.bench.stations.inspect.rules import RULES

STATION = Station(
    name="Inspect",
    commands=(*commands.COMMANDS, *pictures.COMMANDS),
    events=(*events.EVENTS, *deciding.EVENTS, *pictures.EVENTS),
    slices=(*events.SLICES, *pictures.SLICES),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=deciding.CAUTIONS,
    lacks=judging.lacks,
    remarks=judging.remarks,
    papers=judging.papers,
    doubts=pictures.doubts,
)
