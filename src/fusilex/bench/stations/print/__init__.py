"""Print: paste through the stencil, panel by panel."""

from fusilex.bench.station import Station
from fusilex.bench.stations.print import commands, dots, events, foil, foil_events, jars, judging, now, thread
from fusilex.bench.stations.print.rules import RULES

STATION = Station(
    name="Print",
    about="panel",
    commands=(*commands.COMMANDS, *foil.COMMANDS, *jars.COMMANDS, *dots.COMMANDS),
    events=(*events.EVENTS, *foil_events.EVENTS, *jars.EVENTS, *dots.EVENTS),
    slices=(events.Printing, *foil_events.SLICES, *dots.SLICES),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    doubts=thread.doubts,
    cautions=now.CAUTIONS,
    lacks=judging.lacks,
    papers=judging.papers,
    work=judging.work,
)
