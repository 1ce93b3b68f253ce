"""Reflow: panels through the oven, with the run's log or seen by eye."""

from fusilex.bench.common.heat import hot_air
from fusilex.bench.station import Station
from fusilex.bench.stations.reflow import commands, events, judging, now, thread, twin
from fusilex.bench.stations.reflow.rules import RULES

STATION = Station(
    name="Reflow",
    about="panel",
    commands=(*commands.COMMANDS, *twin.COMMANDS),
    events=events.EVENTS,
    slices=(events.Reflowing,),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    doubts=thread.doubts,
    cautions={**now.CAUTIONS, **hot_air.CAUTIONS},
    lacks=judging.lacks,
    papers=judging.papers,
    remarks=judging.remarks,
    work=judging.work,
)
