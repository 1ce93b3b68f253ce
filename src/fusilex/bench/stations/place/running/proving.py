"""Proof of a programme before it is trusted: what has to be looked at, and what may not run until it is signed."""

from __future__ import annotations

from hashlib import sha256

from fusilex.bench.batch import Batch
from fusilex.bench.common.bins import older_name
from fusilex.bench.stations.place.machine import place_step
from fusilex.bench.stations.place.programmed import kept_of, machine_of
from fusilex.bench.stations.place.running.events import DRY, FIRST, WRONG, Proof, Runs
from fusilex.bench.workshop.put_right import PutRight
from fusilex.core.evidence import Coverage, Level, seen
from fusilex.core.judgement import Judgement
from fusilex.core.placing.rejects import Tally, judge_rejects
from fusilex.core.quantities import Quantity
from fusilex.core.wording import say

Label = tuple[str, int]


def parts_to_look_at(batch: Batch) -> list[Label]:
    """Parts of the first article, (ref, cell from 1), in placing order: each once for every line it comes from; other
    cells have the same parts from the same slots.
    """
    kept = kept_of(batch)
    if kept is None:
        return []
    order = [(ref, cell) for _, _, places in kept.trips for _, ref, cell in places]
    bins = {b.cell + 1: batch.lines_of(b) for b in batch.state.panel_boards(batch.board.panel)}
    seen: dict[tuple[str, str], Label] = {}
    for ref, cell in sorted(order, key=lambda label: label[1]):
        line = bins.get(cell, {}).get(ref)
        seen.setdefault((ref, line.key if line else ""), (ref, cell))
    looked = set(seen.values())
    return [label for label in order if label in looked]


def lies_of(batch: Batch, older: bool = False) -> str:
    """A print of all that settles how parts come to lie: how slots are turned, what was put right for lines. Another
    one than was signed is another programme. The `older` one calls bins as older journals did.
    """
    kept, put = kept_of(batch), batch.workshop[PutRight]
    if kept is None:
        return ""
    turned = {slot.name: slot.turn for slot in machine_of(batch).slots}
    right = {line.key: (r.turn, r.dx, r.dy) for line in batch.lines if (r := put.of(line)).source}
    names = {line.key: older_name(line) for line in batch.lines} if older else {}
    rows = sorted(
        (names.get(bin, bin), slot, turned.get(slot), *right.get(bin, ())) for bin, slot in kept.slots.items()
    )
    return sha256(repr(rows).encode()).hexdigest()[:16]


def next_look(batch: Batch, proof: str) -> Label | None:
    """The next part to look at, those that were wrong and put right first by their place in the order."""
    looked = batch.state[Proof].looked.get((place_step(batch).id, proof), {})
    return next((label for label in parts_to_look_at(batch) if label not in looked), None)


def judge_proof(batch: Batch, panel: int) -> list[Judgement]:
    """Nothing runs on paste before the dry run is signed, nothing but the first article before that is signed, too."""
    step = place_step(batch)
    if kept_of(batch) is None:
        return []
    proof, run = batch.state[Proof], batch.state[Runs].panels.get(step.id, [])
    first = not run or (panel in run and len(set(run)) == 1)
    wanted = DRY if first else FIRST
    looked = proof.looked.get((step.id, wanted), {})
    wrong = sorted({ref for (ref, _), verdict in looked.items() if verdict == WRONG})
    numbers = (Quantity("looked at", len(looked)), Quantity("to look at", len(parts_to_look_at(batch))))
    about = f"{step.id}, {wanted}"
    signed = proof.signed.get((step.id, wanted))
    if signed and signed[2] not in (lies_of(batch), lies_of(batch, older=True)):
        text = say("changed since", check=wanted)
        return [Judgement("place.proof", Level.STOP, about, text, numbers, say("sign again"))]
    if signed:
        text = say("signed by" if signed[0] else "signed", check=wanted, who=signed[0])
        parts = (Coverage("parts", len(looked), len(parts_to_look_at(batch))),)
        return [Judgement("place.proof", seen(*parts), about, text, numbers, coverage=parts)]
    if wrong:
        text = say("wrong", check=wanted)
        return [Judgement("place.proof", Level.STOP, about, text, numbers, say("correct it"), tuple(wrong))]
    text, do = say("not signed", check=wanted), say("run on tape" if wanted == DRY else "inspect first board")
    return [Judgement("place.proof", Level.STOP, about, text, numbers, do)]


def tallies(batch: Batch, kind: str) -> dict[str, Tally]:
    """Tries and rejects of the slots, nozzles or lines of this batch, by name."""
    runs = batch.state[Runs]
    found = {}
    for (what, name), tries in runs.tries.items():
        if what == kind:
            seen = runs.rejects.get((what, name), {})
            found[name] = Tally(tries, sum(seen.values()), tuple(seen.items()))
    return found


def judge_runs(batch: Batch) -> list[Judgement]:
    """Feeders, nozzles and lines that are surely worse than the others."""
    slots = tallies(batch, "slot")
    said = list(slots.values())  # one slot is one line, as a rule: then the slot has said it
    lines = {name: tally for name, tally in tallies(batch, "line").items() if tally not in said}
    return [
        *judge_rejects("slot", slots),
        *judge_rejects("nozzle", tallies(batch, "nozzle")),
        *judge_rejects("line", lines),
    ]
