"""Make: bare boards made at home, panel by panel; a station of those routes only that have it."""

from fusilex.bench.station import Station
from fusilex.bench.stations.make import commands, events, judging, now
from fusilex.bench.stations.make.rules import RULES

STATION = Station(
    name="Make",
    about="panel",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    slices=(events.Making,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
    papers=judging.papers,
)
