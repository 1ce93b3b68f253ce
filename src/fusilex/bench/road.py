"""The batch's road: its stations in order, who may pass, and where the work is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cached_property

from fusilex.bench.batch import Batch, key_to, texts_of
from fusilex.bench.boards import DONE, Board
from fusilex.bench.now import Now
from fusilex.bench.station import Station
from fusilex.core.judgement import Judgement, Rule, worst_first


class Road:
    """Stations in the order boards go through them."""

    def __init__(self, stations: Sequence[Station]) -> None:
        self.stations = tuple(stations)

    @cached_property
    def by_name(self) -> dict[str, Station]:
        return {station.name: station for station in self.stations}

    @cached_property
    def names(self) -> tuple[str, ...]:
        return tuple(self.by_name)

    @cached_property
    def rules(self) -> dict[str, Rule]:
        """The rules behind all judgements, by name."""
        return {name: rule for station in self.stations for name, rule in station.rules.items()}

    def index(self, station: str) -> int:
        """Where a station stands on the road; after all of them for boards that are done. ValueError for an unknown
        one.
        """
        return len(self.stations) if station == DONE else self.names.index(station)

    def key(self, station: str) -> str:
        """The key that goes to a station."""
        return key_to(self.names, station)

    def progress(self, station: str) -> float:
        """How far along the road a station is: one that is only for repairs stands where its boards come from."""
        at = self.index(station)
        while at < len(self.stations) and self.stations[at].aside:
            at -= 1
        return at

    def judgements(self, batch: Batch, station: str) -> list[Judgement]:
        """Judgements of a station for the board in hand, worst first."""
        return worst_first(self.by_name[station].judge(batch))

    def open_stops(self, batch: Batch, station: str) -> list[Judgement]:
        """Stops of a station that nobody has overruled."""
        return batch.not_overruled(self.by_name[station].judge(batch))

    def gate(self, batch: Batch, was: Iterable[tuple[Board, str]]) -> None:
        """No board leaves a step forward while a stop of that step is open and not overruled with a reason.

        `was` gives boards and the stations they come from; they stand where they go to by now. Raises `Refused`.
        """
        asked: set[tuple[str, object]] = set()
        for board, station in was:
            if board.scrapped or not self.goes_on(station, board.station):
                continue
            about = self.by_name[station].about
            whom = {"batch": 0, "panel": board.panel}.get(about, board.serial)
            if (station, whom) in asked:
                continue
            asked.add((station, whom))
            who = {"batch": "The batch", "panel": f"Panel {board.panel}"}.get(about, f"Board {board.serial}")
            with_it = batch.about(board.serial)
            with_it.hold_at(self.by_name[station].judge(with_it), f"{who} stays at {station}")

    def goes_on(self, start: str, end: str) -> bool:
        """True for a move past a station, not to a repair or back."""
        if end == DONE:
            return True
        return not self.by_name[end].aside and self.index(end) > self.index(start)

    def shares_past(self, boards: Iterable[Board]) -> list[float]:
        """Share of the boards that have gone past each station."""
        at = [self.progress(b.station) for b in boards]
        return [sum(a > n for a in at) / max(1, len(at)) for n in range(len(self.stations))]

    def now(self, batch: Batch, station: str) -> Now:
        """What to do now at a station with the board in hand; its cautions before anything else."""
        unread = self.unread(batch, station)
        return unread or self.by_name[station].now(batch)

    def unread(self, batch: Batch, cautions: str) -> Now | None:
        """The cautions of a name as the thing to do, None once they were read."""
        texts = texts_of(batch, cautions)
        if not texts or cautions in batch.state.cautions:
            return None
        return Now("Read first", "Space when you have read it.", None, texts)
