"""How designers' files were settled here before, and packages as measured here: the next design is read in the same
ways.
"""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec
from msgspec import Struct, field

from fusilex.bench.intake.design import Choices
from fusilex.bench.intake.lists import table_of
from fusilex.bench.state import WorkshopState
from fusilex.core.packages.catalogue import Catalogue, Package
from fusilex.core.problems import BadInput
from fusilex.formats.bundle import Files
from fusilex.formats.identify import ending
from fusilex.formats.lists.design_lists import older_field
from fusilex.journal.entries import Entry, Event


class Habits(Struct):
    """Roles by the ending of a file's name, columns by a list's header, packages by their code."""

    columns: dict[str, dict[str, int]] = field(default_factory=dict)
    roles: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    packages: dict[str, PackageSet] = field(default_factory=dict)

    @property
    def catalogue(self) -> Catalogue:
        """The catalogue with the packages that were corrected here."""
        return Catalogue(False, {code: p.package for code, p in self.packages.items()})

    def of(self, files: Files) -> Choices:
        """How files like these were settled before."""
        roles = {f: self.roles[e] for f in files if (e := ending(f, files)) in self.roles}
        columns = {}
        for file, data in files.items() if self.columns else ():
            try:
                table = table_of(data, file, roles.get(file, (None,))[0])
            except BadInput:
                continue
            if table is not None and table.signature in self.columns:
                columns[file] = self.columns[table.signature]
        return Choices(roles, columns)


class ColumnsRemembered(Event, frozen=True):
    """Lists with this header have these columns."""

    kind: ClassVar[str] = "columns_remembered"
    signature: str
    columns: dict[str, int]

    @classmethod
    def upcast(cls, body: dict[str, Any]) -> dict[str, Any]:
        return {**body, "columns": {older_field(k): v for k, v in body["columns"].items()}}

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Habits].columns[self.signature] = dict(self.columns)


class RoleRemembered(Event, frozen=True):
    """Files of this ending are taken for this."""

    kind: ClassVar[str] = "role_remembered"
    signature: str
    role: str
    side: str | None = None

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Habits].roles[self.signature] = self.role, self.side


class PackageSet(Event, frozen=True):
    """A package as measured here; it serves every batch."""

    kind: ClassVar[str] = "body_set"
    code: str
    size_x: float
    size_y: float
    height: float
    mass_mg: float
    family: str
    mount: str
    polarised: bool = False
    told: bool = True

    def apply(self, state: WorkshopState, entry: Entry) -> None:
        state[Habits].packages[self.code] = self

    @property
    def package(self) -> Package:
        return Package(**msgspec.structs.asdict(self), known=True, mass_from="workshop")


EVENTS = (ColumnsRemembered, RoleRemembered, PackageSet)
SLICES = (Habits,)
