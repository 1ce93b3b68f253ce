"""The design's files and what was settled about them: taken for what, columns, fixes. They are events; the files stay
as handed in.
"""

from __future__ import annotations

from typing import Any, ClassVar

from msgspec import Struct, field

from fusilex.bench.state import BatchState
from fusilex.core.checks.fixes import Fix, older_fix
from fusilex.formats.lists.design_lists import older_field
from fusilex.journal.entries import Entry, Event


class DesignFiles(Struct):
    """Files added later by digest, roles and columns as the user picked them, fixes in the order they were applied."""

    added: dict[str, str] = field(default_factory=dict)
    roles: dict[str, tuple[str, str | None]] = field(default_factory=dict)
    columns: dict[str, dict[str, int]] = field(default_factory=dict)
    fixes: list[Fix] = field(default_factory=list)


class FileAdded(Event, frozen=True):
    """A file came to the design, or took another's place."""

    kind: ClassVar[str] = "file_added"
    name: str
    sha256: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[DesignFiles].added[self.name] = self.sha256

    @property
    def words(self) -> str:
        return f"adding {self.name}"


class FileAssigned(Event, frozen=True):
    """A file is taken for something else."""

    kind: ClassVar[str] = "file_assigned"
    file: str
    role: str
    side: str | None = None

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[DesignFiles].roles[self.file] = self.role, self.side

    @property
    def words(self) -> str:
        return f"taking {self.file} for {self.role}"


class ColumnsPicked(Event, frozen=True):
    """Which column of a list is which."""

    kind: ClassVar[str] = "columns_picked"
    file: str
    columns: dict[str, int]

    @classmethod
    def upcast(cls, body: dict[str, Any]) -> dict[str, Any]:
        return {**body, "columns": {older_field(k): v for k, v in body["columns"].items()}}

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[DesignFiles].columns[self.file] = dict(self.columns)

    @property
    def words(self) -> str:
        return f"the columns of {self.file}"


class OfFix(Event, frozen=True):
    """A fix, written as its dictionary."""

    fix: dict[str, Any]

    @classmethod
    def upcast(cls, body: dict[str, Any]) -> dict[str, Any]:
        return body if "fix" in body else {"fix": older_fix(body).as_dict()}

    @property
    def meant(self) -> Fix:
        return Fix.from_dict(self.fix)


class FixApplied(OfFix, frozen=True):
    """A correction to what the lists say."""

    kind: ClassVar[str] = "fix_applied"

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[DesignFiles].fixes.append(self.meant)

    @property
    def words(self) -> str:
        return f"the fix “{self.meant.words or self.meant.kind}”"


class FixWithdrawn(OfFix, frozen=True):
    """A correction taken back by itself."""

    kind: ClassVar[str] = "fix_withdrawn"

    def apply(self, state: BatchState, entry: Entry) -> None:
        fixes = state[DesignFiles].fixes
        if self.meant in fixes:
            fixes.remove(self.meant)

    @property
    def words(self) -> str:
        return f"withdrawing “{self.meant.words or self.meant.kind}”"


EVENTS = (FileAdded, FileAssigned, ColumnsPicked, FixApplied, FixWithdrawn)
