"""Every room there is, in one list: what is declared is walked from here."""

from __future__ import annotations

from functools import partial

from fusilex.bench.common import (
    bins,
    commands,
    events,
    faults,
    files,
    mended,
    paces,
    pieces,
    records,
    route,
    standing,
)
from fusilex.bench.common.heat import hot_air
from fusilex.bench.state import BatchState, WorkshopState, fresh
from fusilex.bench.station import Room
from fusilex.bench.stations import STATIONS
from fusilex.bench.workshop import etching, finished, fixtures, habits, losses, paste_care, put_right, stock
from fusilex.bench.workshop import records as owned
from fusilex.journal.entries import Event
from fusilex.journal.folding import Redone, Undone
from fusilex.journal.store import Journal

COMMON = (
    Room(commands.COMMANDS, events.EVENTS),
    Room(faults.COMMANDS, faults.EVENTS),
    Room(pieces.COMMANDS, (*bins.EVENTS, *pieces.EVENTS), (bins.Bins,)),
    Room((), files.EVENTS, (files.DesignFiles,)),
    Room((), route.EVENTS, (route.Laid,)),
    Room(hot_air.COMMANDS, hot_air.EVENTS, hot_air.SLICES),
    Room(records.COMMANDS, records.EVENTS),
    Room((), mended.EVENTS, (mended.Mended,)),
    Room((), (), (paces.Paces,)),
    Room(standing.COMMANDS, standing.EVENTS, (standing.Standing,)),
)
WORKSHOP = tuple(
    Room((), room.EVENTS, room.SLICES)
    for room in (etching, finished, fixtures, habits, losses, paste_care, put_right, stock, owned)
)
_SHARED = (mended.Mended,)
"""Slices that both streams have."""
ROOMS: tuple[Room, ...] = (*COMMON, *STATIONS, *WORKSHOP)

COMMANDS = tuple(command for room in ROOMS for command in room.commands)
EVENTS: tuple[type[Event], ...] = (Undone, Redone, *(event for room in ROOMS for event in room.events))
EVENT_KINDS = {event.kind: event for event in EVENTS}
BY_NAME = {station.name: station for station in STATIONS}
RULES = {name: rule for station in STATIONS for name, rule in station.rules.items()}
"""The rules behind all judgements, by name."""


def batch_state() -> BatchState:
    """A batch nothing has happened to."""
    return BatchState(fresh(kind for room in (*COMMON, *STATIONS) for kind in room.slices))


def workshop_state() -> WorkshopState:
    """A workshop nothing has happened to."""
    return WorkshopState(fresh(kind for room in WORKSHOP for kind in room.slices) | fresh(_SHARED))


open_journal = partial(Journal, kinds=EVENT_KINDS)
"""A journal by its URL, reading every kind of event there is. Raises `NotSaved`."""
