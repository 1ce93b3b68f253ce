"""Release: out of the panel, into the bag, with its papers."""

from fusilex.bench.station import Station
from fusilex.bench.stations.release import commands, events, getting_ready, judging, now
from fusilex.bench.stations.release.rules import RULES

STATION = Station(
    name="Release",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
    papers=getting_ready.papers_of,
    slices=events.SLICES,
)
