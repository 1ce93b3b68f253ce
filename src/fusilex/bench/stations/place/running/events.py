"""What happens while a machine runs, and what is looked at to prove its programme."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from typing import ClassVar

from msgspec import Struct, field
from msgspec.structs import replace

from fusilex.bench.common.bins import OfBins
from fusilex.bench.state import BatchState
from fusilex.bench.stations.place.setup_events import SetUp
from fusilex.journal.entries import Entry, Event

DRY, FIRST = "dry run", "first article"
PROOFS = (DRY, FIRST)
RIGHT, WRONG = "right", "wrong"


class Proof(Struct):
    """By step and kind: verdicts by part and cell (1 …) since the programme was last put right; who signed, when, and
    how parts lay by then.
    """

    looked: dict[tuple[str, str], dict[tuple[str, int], str]] = field(default_factory=lambda: defaultdict(dict))
    signed: dict[tuple[str, str], tuple[str, str, str]] = field(default_factory=dict)


class Runs(Struct):
    """By what is counted (slot, nozzle, line), its name: tries, and rejects by how they showed; panels run by step."""

    tries: dict[tuple[str, str], int] = field(default_factory=lambda: defaultdict(int))
    rejects: dict[tuple[str, str], dict[str, int]] = field(default_factory=lambda: defaultdict(dict))
    panels: dict[str, list[int]] = field(default_factory=lambda: defaultdict(list))


class PartJudged(Event, frozen=True):
    """A part was looked at, in the dry run or on the first article."""

    kind: ClassVar[str] = "part_judged"
    step: str
    proof: str
    ref: str
    cell: int
    verdict: str

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Proof].looked[self.step, self.proof][self.ref, self.cell] = self.verdict

    @property
    def words(self) -> str:
        return f"the look at {self.ref}"


class ProofSigned(Event, frozen=True):
    """Every part was looked at and is right: the programme is proven so far."""

    kind: ClassVar[str] = "proof_signed"
    step: str
    proof: str
    lies: str = ""

    def apply(self, state: BatchState, entry: Entry) -> None:
        state[Proof].signed[self.step, self.proof] = (entry.who, entry.at, self.lies)

    @property
    def words(self) -> str:
        return f"signing the {self.proof}"


class ProofVoided(Event, frozen=True):
    """The programme changed: looks at it count no more for these lines' parts (all where none is named)."""

    kind: ClassVar[str] = "proof_voided"
    step: str
    refs: list[str]

    def apply(self, state: BatchState, entry: Entry) -> None:
        proof = state[Proof]
        for kind in PROOFS:
            proof.signed.pop((self.step, kind), None)
            looked = proof.looked[self.step, kind]
            for key in [k for k in looked if not self.refs or k[0] in self.refs]:
                del looked[key]
        if not self.refs:  # another programme: nothing was built by it yet
            state[Runs].panels.pop(self.step, None)

    @property
    def words(self) -> str:
        return "what the programme was proven by"


class PanelRun(OfBins, frozen=True):
    """The machine went through a panel: tries as (slot, nozzle, line, how it was rejected or nothing, how often)."""

    kind: ClassVar[str] = "panel_run"
    about: ClassVar[str] = "panel"
    panel: int
    step: str
    tallies: list[tuple[str, str, str, str, int]]

    @property
    def bins(self) -> list[str]:
        return [line for _, _, line, _, _ in self.tallies]

    def under(self, names: Mapping[str, str]) -> PanelRun:
        own = [(slot, nozzle, names.get(line, line), *rest) for slot, nozzle, line, *rest in self.tallies]
        return replace(self, tallies=own)

    def apply(self, state: BatchState, entry: Entry) -> None:
        runs, loaded = state[Runs], state[SetUp].loaded.get(self.step, {})
        runs.panels[self.step].append(self.panel)
        for slot, nozzle, line, seen, count in self.tallies:
            for what, name in (("slot", slot), ("nozzle", nozzle), ("line", line)):
                runs.tries[what, name] += count
                if seen:
                    shown = runs.rejects[what, name]
                    shown[seen] = shown.get(seen, 0) + count
            if slot in loaded and loaded[slot].line == line:
                loaded[slot].gone += count

    @property
    def words(self) -> str:
        return f"the machine's run with panel {self.panel}"


EVENTS = (PartJudged, ProofSigned, ProofVoided, PanelRun)
SLICES = (Proof, Runs)
