"""Place: parts onto paste, by hand or by machine."""

from fusilex.bench.station import Station
from fusilex.bench.stations.place import (
    commands,
    events,
    hand,
    hand_events,
    judging,
    now,
    setup,
    setup_events,
    thread,
)
from fusilex.bench.stations.place.rules import RULES
from fusilex.bench.stations.place.running import commands as run_commands
from fusilex.bench.stations.place.running import events as run_events

STATION = Station(
    name="Place",
    commands=(*commands.COMMANDS, *setup.COMMANDS, *run_commands.COMMANDS, *hand.COMMANDS),
    events=(*events.EVENTS, *setup_events.EVENTS, *run_events.EVENTS, *hand_events.EVENTS),
    slices=(events.Placing, *setup_events.SLICES, *run_events.SLICES, *hand_events.SLICES),
    judge=judging.judge,
    rules=RULES,
    now=now.now,
    thread=thread.thread,
    doubts=thread.doubts,
    cautions=now.CAUTIONS,
    work=judging.work,
)
