"""Hand: what is soldered with the iron, short before tall."""

from fusilex.bench.station import Station
from fusilex.bench.stations.hand import commands, events, judging, now, thread
from fusilex.bench.stations.hand.rules import RULES

STATION = Station(
    name="Hand",
    commands=commands.COMMANDS,
    events=events.EVENTS,
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    cautions=now.CAUTIONS,
    work=judging.work,
)
