"""Ready: do the files belong together, and is everything there to start?"""

from fusilex.bench.station import Station
from fusilex.bench.stations.ready import bare, events, files, judging, now, options, panel, route
from fusilex.bench.stations.ready.rules import RULES

STATION = Station(
    name="Ready",
    about="batch",
    commands=(*files.COMMANDS, *panel.COMMANDS, *route.COMMANDS, *options.COMMANDS, *bare.COMMANDS),
    events=(*events.EVENTS, *options.EVENTS),
    slices=(events.Readied,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    cautions=now.CAUTIONS,
)
