"""The design as its files are read in this batch: files as handed in, the user's choices, fixes. Read and joined anew
only when these change.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Sequence
from functools import cached_property

from msgspec import Struct
from msgspec.structs import replace

from fusilex.bench.common.files import DesignFiles
from fusilex.bench.intake.design import Choices, unjoined_design
from fusilex.bench.state import BatchState
from fusilex.bench.workshop.habits import Habits
from fusilex.core.checks.fixes import Fix, apply_fixes
from fusilex.core.design.join import join
from fusilex.core.design.model import Design
from fusilex.core.packages.catalogue import Catalogue
from fusilex.core.problems import UNREADABLE_ZIP, BadInput
from fusilex.core.progress import Step, part_of, quiet
from fusilex.formats.bundle import Files


class Reading(Struct, frozen=True, eq=False):
    """Files read in the ways a workshop settled before: its choices, the design as the files state it, and joined."""

    choices: Choices
    unjoined: Design
    design: Design


def read_for(habits: Habits, files: Files, name: str, step: Step = quiet) -> Reading:
    """Read a design's files as this workshop does. Raises `BadInput`, or what `step` raises."""
    choices = habits.of(files)
    raw = unjoined_design(files, name, choices, part_of(step, 0.0, 0.9))
    step(0.9, "Joining pads, parts and lists")
    return Reading(choices, raw, join(replace(raw, catalogue=habits.catalogue)))


class Source:
    """Keeps the design as last read and as last mended, by what they were made from."""

    def __init__(self, attachment: Callable[[str], bytes], state: BatchState, habits: Habits) -> None:
        self.attachment, self.state, self.habits = attachment, state, habits
        self._raw: tuple[object, Design] | None = None
        self._mended: tuple[object, Design] | None = None

    def look(self, state: BatchState, habits: Habits) -> None:
        """Take another state for the one to read by."""
        self.state, self.habits = state, habits

    def take(self, read: Reading) -> None:
        """What was read already need not be read again."""
        self._raw = self._raw_key, read.unjoined
        self._mended = self._mended_key(()), read.design

    @property
    def _settled(self) -> DesignFiles:
        return self.state[DesignFiles]

    @property
    def _raw_key(self) -> object:
        settled = self._settled
        return repr((settled.added, settled.roles, settled.columns))

    def _mended_key(self, fixes: Sequence[Fix]) -> object:
        return self._raw_key, repr([f.as_dict() for f in fixes]), repr(self.habits.packages)

    @cached_property
    def opened(self) -> Files:
        """The files the batch was opened with."""
        with zipfile.ZipFile(io.BytesIO(self.attachment(self.state.opened["files"]))) as archive:
            return {name: archive.read(name) for name in archive.namelist()}

    def check(self) -> None:
        """Raises `BadInput` where the files the design is read from are missing or damaged."""
        try:
            _ = self.files
        except (*UNREADABLE_ZIP, KeyError) as problem:
            raise BadInput("The journal", "the design's files as handed in", str(problem)) from problem

    @property
    def files(self) -> Files:
        """Contents of the design's files by name, those added later among them."""
        return self.opened | {name: self.attachment(sha) for name, sha in self._settled.added.items()}

    @property
    def choices(self) -> Choices:
        return Choices(self._settled.roles, self._settled.columns)

    @property
    def fixes(self) -> list[Fix]:
        return self._settled.fixes

    @property
    def catalogue(self) -> Catalogue:
        return self.habits.catalogue

    def tried(self, files: Files, choices: Choices) -> Design:
        """The design read in a way that is only tried out, the fixes of the batch on it. Raises `BadInput`."""
        raw = unjoined_design(files, self.state.opened["design"], choices)
        return join(apply_fixes(replace(raw, catalogue=self.catalogue), self.fixes))

    @property
    def unjoined(self) -> Design:
        """The design as its files state it, without fixes."""
        key = self._raw_key
        if self._raw is None or self._raw[0] != key:
            self._raw = key, unjoined_design(self.files, self.state.opened["design"], self.choices)
        return self._raw[1]

    def mended(self, fixes: Sequence[Fix]) -> Design:
        """The design as read, with fixes: joined anew, its files not read again. The last one made is kept."""
        key = self._mended_key(fixes)
        if self._mended is None or self._mended[0] != key:
            whole = replace(self.unjoined, catalogue=self.catalogue)
            self._mended = key, join(apply_fixes(whole, fixes))
        return self._mended[1]

    @property
    def design(self) -> Design:
        return self.mended(self.fixes)
