"""Place: parts onto paste, by hand or by machine."""

from fusilex.bench.station import Station
from fusilex.bench.stations.place import commands, events, judging, now
from fusilex.bench.stations.place.rules import RULES

STATION = Station(
    name="Place",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    slices=(events.Placing,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
    work=judging.work,
)
