"""Kit: the right parts, enough of them, in reach."""

from fusilex.bench.station import Station
from fusilex.bench.stations.kit import bins, events, judging, now, stock, thread
from fusilex.bench.stations.kit.rules import RULES

STATION = Station(
    name="Kit",
    about="batch",
    commands=(*stock.COMMANDS, *bins.COMMANDS),
    events=events.EVENTS,
    slices=(events.Kitted,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    cautions=now.CAUTIONS,
    remarks=judging.remarks,
    papers=judging.papers,
)
