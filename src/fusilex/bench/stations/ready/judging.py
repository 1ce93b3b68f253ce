"""The judgements of Ready: files, sides, bare boards, bath."""

from __future__ import annotations

from functools import lru_cache

from fusilex.bench.batch import Batch
from fusilex.bench.common.road import Laid
from fusilex.bench.stations.ready.events import Readied
from fusilex.bench.workshop.etching import Etching
from fusilex.core.bare_boards.etching import etch_minutes, judge_etch
from fusilex.core.bare_boards.finest import judge_finest
from fusilex.core.checks.findings import Finding
from fusilex.core.checks.judge import judge_files
from fusilex.core.checks.layer_agreement import judge_layers
from fusilex.core.checks.layer_shift import layers_elsewhere
from fusilex.core.checks.reconcile import reconcile
from fusilex.core.checks.side_order import judge_sides
from fusilex.core.design.connectivity import compare_with_netlist, inner_missing
from fusilex.core.design.model import Design
from fusilex.core.judgement import Because, Judgement, Level, worst_first
from fusilex.core.road.hanging import judge_turned
from fusilex.core.road.steps import Step, faults


@lru_cache(maxsize=8)
def ready_findings(design: Design) -> tuple[list[Finding], list[Judgement]]:
    """Findings and judgements of a design's files; cached, a design does not change."""
    layers = judge_layers(design)
    # off its copper, a layer makes every part look wrong
    findings = layers_elsewhere(design, layers) or reconcile(design)
    files = judge_files(design, findings)
    said = {j.key for j in files}
    return findings, worst_first([*(j for j in layers if j.key not in said), *files, *_copper(design)])


def _copper(design: Design) -> list[Judgement]:
    """Copper against the netlist."""
    if not design.netpoints:
        return [Judgement("ready.netlist", Level.UNKNOWN, "copper", "No netlist to check the copper with")]
    words = {"open": "is in pieces", "short": "touch", "bare": "has no copper"}
    hidden = inner_missing(design)
    faults = compare_with_netlist(design)
    found = [
        Judgement(
            "ready.netlist",
            Level.STOP,
            " ".join(fault.nets),
            f"{' and '.join(fault.nets)} {words[fault.kind]}",
            (Because("near x", round(fault.points[0][0], 2), "mm"), Because("y", round(fault.points[0][1], 2), "mm")),
            "Ask the designer for files of one revision.",
        )
        for fault in faults
        if not (hidden and fault.kind == "open")
    ]
    if hidden:
        opens = sum(fault.kind == "open" for fault in faults)
        text = "An inner copper layer is missing: what it joins is not checked"
        do = "Add every inner layer as positive copper; R takes a file for inner 2, inner 3 and so on."
        found.append(
            Judgement(
                "ready.netlist", Level.UNKNOWN, "inner layers", text, (Because("nets in pieces without it", opens),), do
            )
        )
    nets = {p.net for p in design.netpoints if p.net}
    numbers = (Because("nets", len(nets)), Because("points", len(design.netpoints)))
    return found or [Judgement("ready.netlist", Level.GO, "copper", "Copper and netlist agree", numbers)]


def judge(batch: Batch) -> list[Judgement]:
    """Files first; sides and bare boards as far as they say something."""
    found = list(ready_findings(batch.design)[1])
    found += [j for j in judge_sides(batch.design, side_order(batch)) if j.level is not Level.GO]
    said = {j.key for j in found}
    found += [j for step in batch.steps for j in step_judgements(batch, step) if j.key not in said]
    return [*found, *judge_steps(batch), *judge_bare(batch)]


def side_order(batch: Batch) -> str:
    """The order of sides as chosen, else as the design suggests."""
    return batch.state[Laid].order or batch.derived.usual_order


def judge_steps(batch: Batch) -> list[Judgement]:
    """Can boards go along the road, and does some step put on every part?"""
    do = "Mend it in the Road picture, or take the proposal again with S."
    found = [
        Judgement("ready.road", Level.STOP, f"road {n}", f"The road: {w}", (), do)
        for n, w in enumerate(faults(batch.steps), 1)
    ]
    left = tuple(p.ref for p in batch.parts_of(""))
    if left:
        shown = ", ".join(left[:4]) + (f" and {len(left) - 4} more" if len(left) > 4 else "")
        text, numbers = f"No step puts on {shown}", (Because("parts", len(left)),)
        found.append(
            Judgement(
                "ready.road", Level.STOP, "parts", text, numbers, "Add a step for them, or do not fit them.", left
            )
        )
    return found


def step_judgements(batch: Batch, step: Step) -> list[Judgement]:
    """What may go wrong at a step of this road: parts that hang below when their side was soldered before."""
    if step.station != "Reflow":
        return []
    before = batch.steps.all[: batch.steps.index(step.id)]
    there = {p.ref for s in before for p in batch.parts_of(s.id)}
    held = batch.state[Laid].order == "glued"
    return worst_first(judge_turned(batch.design, step.side, there, held))


def judge_bare(batch: Batch) -> list[Judgement]:
    """Incoming count, and the finest feature once a process is on record."""
    found = []
    readied = batch.state[Readied]
    if readied.bare_panels is not None:
        count, wanted = readied.bare_panels, len(batch.state.panels)
        short = max(0, wanted - count)
        unit = "panel" if batch.panel.count > 1 else "board"
        here = f"{count} bare {unit}{'' if count == 1 else 's'} {'is' if count == 1 else 'are'} here"
        text = f"{short} bare {unit}{'s' if short > 1 else ''} short" if short else here
        numbers = (Because("counted", count), Because("wanted", wanted))
        wipe = "Wipe them with 99 % isopropyl and a lint-free cloth; touch only edges."
        level = Level.STOP if short else Level.GO if readied.clean else Level.CARE
        found.append(Judgement("ready.bare", level, "bare boards", text, numbers, "" if readied.clean else wipe))
    if shown := batch.workshop[Etching].shown:
        found += judge_finest(batch.derived.finest, sorted(shown.items()))
    return found


def judge_bath(batch: Batch, foil_um: float, celsius: float) -> list[Judgement]:
    """Minutes to expect for one board in the bath, and how much of the bath is left."""
    etching = batch.workshop[Etching]
    bath = etching.bath
    if bath is None:
        return [Judgement("ready.bath", Level.UNKNOWN, "bath", "No bath on record", (), "Note its litres with N.")]
    removed = batch.derived.copper_to_remove_g(foil_um)
    fit = etching.rate
    minutes = fit.factor * etch_minutes(foil_um, celsius, bath.held_g, removed, bath.litres)
    return judge_etch(removed, minutes, fit, bath.held_g, bath.litres)
