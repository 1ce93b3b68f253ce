"""What this workshop knows beyond one batch: how its designers' files are read, bodies measured here, stock."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fusilex.bench.intake.design import Choices
from fusilex.bench.intake.lists import table_of
from fusilex.core.bare_boards.etching import EtchRun, Refit, refit
from fusilex.core.kit.losses import Logged
from fusilex.core.packages.catalogue import Catalogue, Package
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.formats.identify import ending
from fusilex.journal.store import Event, Journal
from fusilex.journal.workshop import WorkshopState, apply_workshop, project_workshop


class Workshop:
    """The workshop's stream of a journal. It is written through a bench's commands, so that undo covers it."""

    def __init__(self, journal: Journal) -> None:
        self.journal, self.id = journal, journal.workshop
        self.history: list[Event] = journal.since(self.id)
        self.state: WorkshopState = project_workshop(self.history)

    def refresh(self) -> bool:
        """Take in what was recorded elsewhere; True when there was something."""
        fresh = self.journal.since(self.id, self.state.last_id)
        if fresh:
            self.history += fresh
            self.state = project_workshop(self.history)
        return bool(fresh)

    def take(self, happened: Sequence[Event]) -> None:
        """Add events that are on the disk already."""
        for item in happened:
            self.history.append(item)
            apply_workshop(self.state, item)
            self.state.undone.clear()  # what was undone before cannot come back after something new

    def knows(self, deed: str) -> bool:
        return any(item.deed == deed for item in self.history)

    @property
    def catalogue(self) -> Catalogue:
        """The catalogue with the bodies that were corrected here."""
        return Catalogue(False, {code: package_from(data) for code, data in self.state.packages.items()})

    @property
    def losses(self) -> dict[str, Logged]:
        """Pieces placed and lost here, by body."""
        state = self.state
        return {k: Logged(state.placed.get(k, 0), state.lost.get(k, 0)) for k in {*state.placed, *state.lost}}

    @property
    def etch_rate(self) -> Refit:
        """Minutes here against minutes by rule, from the logged runs."""
        return refit([EtchRun(**run) for run in self.state.etched])

    def habits(self, files: Files) -> Choices:
        """How files like these were settled before: roles by the ending of their names, columns by their header."""
        roles = {f: self.state.roles[e] for f in files if (e := ending(f, files)) in self.state.roles}
        columns = {}
        for file, data in files.items() if self.state.columns else ():
            try:
                table = table_of(data, file, roles.get(file, (None,))[0])
            except BadInput:
                continue
            if table is not None and table.signature in self.state.columns:
                columns[file] = self.state.columns[table.signature]
        return Choices(roles, columns)


def package_from(data: dict[str, Any]) -> Package:
    """A body as the journal keeps it."""
    return Package(
        data["code"],
        float(data["size_x"]),
        float(data["size_y"]),
        float(data["height"]),
        float(data["mass_mg"]),
        data["family"],
        data["mount"],
        bool(data["polarised"]),
        True,
        "workshop",
    )
