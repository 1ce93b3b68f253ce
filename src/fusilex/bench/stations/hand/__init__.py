"""Hand: what is soldered with the iron, short before tall."""

from fusilex.bench.station import Station
from fusilex.bench.stations.hand import commands, events, extra, judging, now, thread
from fusilex.bench.stations.hand.rules import RULES

STATION = Station(
    name="Hand",
    commands=(*commands.COMMANDS, *extra.COMMANDS),
    events=(*events.EVENTS, *extra.EVENTS),
    slices=(events.Soldering, *extra.SLICES),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    cautions={**now.CAUTIONS, **extra.CAUTIONS},
    papers=judging.papers,
    remarks=judging.remarks,
    work=judging.work,
)
