"""The judgements of Ready: files, sides, bare boards, bath."""

from __future__ import annotations

import math
from functools import lru_cache

from fusilex.bench.batch import Batch
from fusilex.bench.common.route import Laid
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
from fusilex.core.evidence import Level, every, seen
from fusilex.core.judgement import Judgement, worst_first
from fusilex.core.quantities import Quantity
from fusilex.core.route.hanging import judge_turned
from fusilex.core.route.steps import Step, faults
from fusilex.core.wording import say


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
        text, missing = say("no netlist"), ("a netlist",)
        return [Judgement("ready.netlist", Level.UNKNOWN, "copper", text, missing=missing)]
    hidden = inner_missing(design)
    faults = compare_with_netlist(design)
    found = [
        Judgement(
            "ready.netlist",
            Level.STOP,
            " ".join(fault.nets),
            say(fault.kind, nets=tuple(fault.nets)),
            (Quantity("near x", round(fault.points[0][0], 2), "mm"), Quantity("y", round(fault.points[0][1], 2), "mm")),
            say("one revision"),
        )
        for fault in faults
        if not (hidden and fault.kind == "open")
    ]
    if hidden:
        opens = sum(fault.kind == "open" for fault in faults)
        text, do, missing = say("inner layer missing"), say("add inner layers"), ("inner copper layers",)
        numbers = (Quantity("nets in pieces without it", opens),)
        found.append(Judgement("ready.netlist", Level.UNKNOWN, "inner layers", text, numbers, do, (), missing))
    nets = {p.net for p in design.netpoints if p.net}
    behind = (Quantity("nets", len(nets)), Quantity("points", len(design.netpoints)))
    points = (every("points", len(design.netpoints)),)
    return found or [Judgement("ready.netlist", seen(*points), "copper", say("agree"), behind, coverage=points)]


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
    """Can boards go along the route, and does some step put on every part?"""
    do = say("fix the route")
    found = [
        Judgement("ready.road", Level.STOP, f"road {n}", say("fault", fault=fault), (), do)
        for n, fault in enumerate(faults(batch.steps), 1)
    ]
    left = tuple(p.ref for p in batch.parts_of(""))
    if left:
        text, numbers = say("not placed"), (Quantity("parts", len(left)),)
        found.append(Judgement("ready.road", Level.STOP, "parts", text, numbers, say("add a step"), left))
    return found


def step_judgements(batch: Batch, step: Step) -> list[Judgement]:
    """What may go wrong at a step of this route: parts that hang below when their side was soldered before."""
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
        unit = "panels" if batch.panel.count > 1 else "boards"
        text = say(f"{unit} short", short=short) if short else say(f"{unit} here", here=count)
        numbers = (Quantity("counted", count, limit=(wanted, math.inf)), Quantity("wanted", wanted))
        counted = (every("wipes", 1),)
        level = Level.STOP if short else seen(*counted) if readied.clean else Level.CARE
        do = None if readied.clean else say("wipe them")
        found.append(Judgement("ready.bare", level, "bare boards", text, numbers, do, coverage=counted))
    if shown := batch.workshop[Etching].shown:
        found += judge_finest(batch.derived.finest, sorted(shown.items()))
    return found


def judge_bath(batch: Batch, foil_um: float, celsius: float) -> list[Judgement]:
    """Minutes to expect for one board in the bath, and how much of the bath is left."""
    etching = batch.workshop[Etching]
    bath = etching.bath
    if bath is None:
        text, do, missing = say("no bath"), say("enter litres"), ("the bath",)
        return [Judgement("ready.bath", Level.UNKNOWN, "bath", text, (), do, (), missing)]
    removed = batch.derived.copper_to_remove_g(foil_um)
    fit = etching.rate
    minutes = fit.factor * etch_minutes(foil_um, celsius, bath.held_g, removed, bath.litres)
    return judge_etch(removed, minutes, fit, bath.held_g, bath.litres)
