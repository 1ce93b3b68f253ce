"""The bench: one open batch, driven by commands. What a test drives without a window and what the window drives."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime

from fusilex.bench.batch import Batch
from fusilex.bench.boards import Board
from fusilex.bench.command import Command
from fusilex.bench.common.bins import Bins, naming
from fusilex.bench.common.commands import Redo, Undo
from fusilex.bench.common.events import Moved
from fusilex.bench.common.mended import Mended
from fusilex.bench.common.standing import WORDS, Standing
from fusilex.bench.computer.user import user_name
from fusilex.bench.derived import Derived
from fusilex.bench.memo import Memo
from fusilex.bench.now import Now
from fusilex.bench.record.beginning import UNPREPARED, Prepared, Wanted, begin
from fusilex.bench.record.carrying_on import carry_on
from fusilex.bench.record.older_bins import as_meant
from fusilex.bench.record.stream import Stream, as_far_as
from fusilex.bench.record.undoing import turned_by
from fusilex.bench.refusal import Refused
from fusilex.bench.rooms import BY_NAME, batch_state, workshop_state
from fusilex.bench.route import Route, steps_of
from fusilex.bench.source import Reading, Source
from fusilex.bench.state import BatchState, WorkshopState
from fusilex.bench.view import View, last_place
from fusilex.bench.workshop.habits import Habits
from fusilex.bench.workshop.shop import shop_of
from fusilex.core.design.model import Design
from fusilex.core.judgement import Judgement
from fusilex.core.kit.losses import Logged
from fusilex.formats.bundle import Files
from fusilex.journal.entries import Entry, Event
from fusilex.journal.folding import Deed, Redone, Undone
from fusilex.journal.pen import Pen
from fusilex.journal.store import Journal
from fusilex.journal.trouble import NotRead, NotSaved, Torn

SCOPES = ("lot",)
"""What commands make up names for, beside a new batch."""


class Bench:
    """An open batch. `state` is what happened so far; `do` is the only way to change it."""

    def __init__(self, journal: Journal, batch: int, read: Reading | None = None, as_far: bool = False) -> None:
        """Open a batch of the journal; its design is read again from the files kept with it, or was `read` already.

        Raises `BadInput` for a batch that is damaged; with `as_far` it is opened as far as it can be read, and
        `damage` says what is wrong: nothing is done with it then.
        """
        self.journal, self.id, self.damage, self.busy = journal, batch, "", False
        self.record = Stream[BatchState](batch, batch_state, self._entries(batch, batch_state, as_far))
        shop = self._entries(journal.workshop, workshop_state, as_far)
        self.shop = Stream[WorkshopState](journal.workshop, workshop_state, shop)
        if not self.state.opened:
            raise NotRead(journal.name, f"the first entry of batch {batch}", "it is missing")
        for stream in (self.record, self.shop):
            if self.damage:  # what cannot be read is lost to every judgement and paper made from here
                stream.state[Mended].losses.append((datetime.now(UTC).isoformat(), 1, self.damage))
        self.who = user_name()
        self.source = Source(journal.attachment, self.state, self.workshop[Habits])
        self.source.check()
        if read is not None:
            self.source.take(read)
        self._derived: Derived | None = None
        self._memo = Memo()
        self._view = last_place(self.state)
        if (meant := as_meant(self.record.history, lambda: self.batch)) is not None:
            self.record = Stream[BatchState](batch, batch_state, meant)

    @classmethod
    def open_batch(
        cls,
        journal: Journal,
        files: Files,
        name: str,
        boards: int,
        *,
        prefix: str = "B",
        paste: str = "lead-free",
        foil_mm: float | None = None,
        number: int | None = None,
        prepared: Prepared = UNPREPARED,
    ) -> Bench:
        """Start a batch from a design's files, read as this workshop does, or as they were read already. Raises
        `BadInput` and records nothing when the files cannot be read.
        """
        wanted = Wanted(boards, prefix, paste, foil_mm, number)
        return cls(journal, *begin(journal, files, name, wanted, prepared))

    def _entries(self, stream: int, start: Callable[[], BatchState | WorkshopState], as_far: bool) -> list[Entry]:
        if not as_far:
            return self.journal.since(stream)
        entries, wrong = as_far_as(self.journal, stream, start)
        self.damage = self.damage or wrong
        return entries

    @property
    def state(self) -> BatchState:
        return self.record.state

    @property
    def workshop(self) -> WorkshopState:
        return self.shop.state

    @property
    def board(self) -> Board:
        """The board in hand."""
        return self.state.boards[self.view.board]

    @property
    def view(self) -> View:
        """Where the eyes are; the first step where the one they were at is no longer on the route."""
        if self._view.step not in self.route.steps.by_id:
            self._view.step = self.route.steps.ids[0]
        return self._view

    def go(self, step: str | None = None, board: str | None = None) -> None:
        """Look at another step or board. Raises `Refused` where there is no such one."""
        to = View(step or self.view.step, board or self.view.board)
        if to.step not in self.route.steps.by_id or to.board not in self.state.boards:
            raise Refused(f"There is no {to.step} with board {to.board}.")
        self._view = to

    @property
    def route(self) -> Route:
        """The batch's route: as it was laid, before that as proposed."""
        return self.memo.of("route", lambda: Route(steps_of(self.state, self.derived), BY_NAME))

    @property
    def design(self) -> Design:
        return self.derived.design

    @property
    def memo(self) -> Memo:
        """What was worked out of the batch as it stands."""
        self._memo.look(self.state, self.record.last, self.workshop, self.shop.last)
        return self._memo

    @property
    def derived(self) -> Derived:
        """What follows from the design; made anew when files, readings, fixes, packages or the order of placing
        change.
        """
        return self.memo.of("derived", self._derive)

    def _derive(self) -> Derived:
        self.source.look(self.state, self.workshop[Habits])
        design, order, boards = self.source.design, self.state[Bins].order, len(self.state.boards)
        held, shop = self._derived, shop_of(self.workshop)
        if held is None or held.design is not design or (held.school, held.boards, held.shop) != (order, boards, shop):
            log = {key: Logged(*counts) for key, counts in self.state.opened["losses"].items()}
            self._derived = Derived(design, boards, order, log, shop)
        assert self._derived is not None
        return self._derived

    @property
    def batch(self) -> Batch:
        """The batch as rules and pictures see it now."""
        view = self.view
        found = self.memo.of(("batch", view.step, view.board), lambda: self._seen({}))
        found.at = datetime.now(UTC)
        return found

    def _seen(self, taken: dict[str, set[str]]) -> Batch:
        at, steps, view = datetime.now(UTC), self.route.steps, View(self.view.step, self.view.board)
        return Batch(self.state, self.workshop, self.derived, self.source, BY_NAME, steps, view, at, taken, self.memo)

    def now(self, step: str) -> Now:
        """What to do now at a step with the board in hand."""
        return self.route.now(self.batch, step)

    def judgements(self, step: str) -> list[Judgement]:
        """Judgements of a step for the board in hand, worst first."""
        return self.route.judgements(self.batch, step)

    def do(self, command: Command) -> list[Entry]:
        """Carry out a command: looked, decided and written as one; its entries are on the disk when this returns.

        Raises `Refused` when it makes no sense now, `BadInput` for files that cannot be read, `NotSaved` when the
        journal cannot be written; the batch is untouched then.
        """
        if self.damage:
            raise Refused(f"Nothing can be done with a batch that is damaged. {self.damage}")
        if self.busy:  # a window that waits for its turn goes on painting, and its clocks go on
            raise NotSaved("Not saved: the last thing is still being saved.")
        self.busy = True
        sure = self.record.last, self.shop.last
        try:
            with self.journal.writing(self.who, self.id, self.shop.id, place=self.view.step) as pen:
                self._look(pen)
                sure = self.record.last, self.shop.last
                return self._turn(pen, command) if isinstance(command, Undo | Redo) else self._carry_out(pen, command)
        except BaseException as problem:
            self.record.forget(sure[0])  # what was taken in and then not kept
            self.shop.forget(sure[1])
            self._memo.forget()
            if isinstance(problem, Torn):
                raise carry_on(self.journal, (self.record, self.shop), self.source, problem) from problem
            raise
        finally:
            self.busy = False

    def check(self, command: Command) -> None:
        """Asked before anything is done that reaches beyond the record: raises what `do` would, and records nothing."""
        if self.damage:
            raise Refused(f"Nothing can be done with a batch that is damaged. {self.damage}")
        self.refresh()
        self._may(command)
        command.decide(self._seen({}))

    def _may(self, command: Command) -> None:
        if self.route.unread(self.batch, command.cautions) is not None:
            raise Refused(f"Read and acknowledge the cautions of {command.cautions} first.")
        if not command.at_rest and (resting := WORDS.get(self.state[Standing].status)):
            raise Refused(f"The batch is {resting}: take it up again first, in Batches with F5.")
        command.check_kinds()

    def _carry_out(self, pen: Pen, command: Command) -> list[Entry]:
        self._may(command)
        result = command.decide(self._seen({scope: pen.taken(scope) for scope in SCOPES}))
        came_from = self._boards_moved(result.events)
        for name, data in result.files.items():
            pen.attach(name, data)
        happened = [*naming(result.events, self.batch.lines, self.state[Bins].named), *result.events]
        kept, stocked = pen.write(self.id, happened), pen.write(self.shop.id, result.workshop)
        self.record.take(kept)
        self.shop.take(stocked)
        if came_from:
            self.route.gate(self.batch, came_from)
        return [*kept, *stocked]

    def _boards_moved(self, happened: Sequence[Event]) -> list[tuple[Board, str]]:
        """Boards that events move, and where they come from."""
        serials = [serial for event in happened if isinstance(event, Moved) for serial in event.boards]
        return [(board, board.step) for serial in serials if (board := self.state.boards[serial])]

    def turned_by(self, command: Undo | Redo) -> Deed:
        """The deed that would be taken back or done again at the step in view. Raises `Refused`."""
        return turned_by(command, self.state, self.view.step, self.route.steps)

    def _turn(self, pen: Pen, command: Undo | Redo) -> list[Entry]:
        """Take back or do again, in the workshop's stream too where the deed left entries there; eyes return to its
        board.
        """
        deed = self.turned_by(command)
        turned = Undone(deed.id) if isinstance(command, Undo) else Redone(deed.id)
        stocked = pen.write(self.shop.id, [turned]) if self.shop.knows(deed.id) else []
        kept = pen.write(self.id, [turned])
        self.shop.take(stocked)
        self.record.take(kept)
        if deed.boards and self.view.board not in deed.boards:
            self._view = View(self.view.step, min(deed.boards))
        return [*kept, *stocked]

    def _look(self, pen: Pen | Journal) -> bool:
        fresh = pen.since(self.id, self.record.last)
        stocked = pen.since(self.shop.id, self.shop.last)
        return self.record.take(fresh) | self.shop.take(stocked)

    def refresh(self) -> bool:
        """Take in what another window recorded; True when there was something. Raises `BadInput`."""
        return not (self.damage or self.busy) and self._look(self.journal)
