"""Verbs of Place: programme, simulate."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fusilex.bench.intake.design import read_design
from fusilex.bench.programming import Programme, as_values, clock, hand_of, job_for, usual_seconds, who_places
from fusilex.bench.verbs.answer import Answer
from fusilex.bench.workshop.machine_file import read_machine
from fusilex.core.judgement import Because, Judgement, Level
from fusilex.core.kit.quantities import pull_for
from fusilex.core.machine.rs274 import BadBlock
from fusilex.core.panel.layout import single
from fusilex.core.placing.order import placed_by_paste
from fusilex.core.problems import BadInput
from fusilex.core.programme.optimise import optimise
from fusilex.core.programme.pieces import in_corner
from fusilex.devices.placer import run_through
from fusilex.devices.placer_world import NEVER, Chances, World
from fusilex.formats.bundle import read_one
from fusilex.formats.written.gcode import to_gcode
from fusilex.formats.written.templated import render
from fusilex.formats.written.whole import write_whole

MOST_BOARDS, MOST_GCODE = 10_000, 48 * 2**20


def programme(
    folder: str,
    machine_file: str,
    boards: int | None = None,
    seconds: float | None = None,
    seed: int = 0,
    gcode: str | None = None,
    template: str | None = None,
    side: str = "top",
) -> Answer:
    """Who places what, and the machine's programme for one panel, its corner in the machine's corner."""
    design, machine = read_design(folder), read_machine(machine_file)
    x0, y0, x1, y1 = design.outline.bounds
    panel = design.panel or single(x1 - x0, y1 - y0)
    boards = len(panel.cells) if boards is None else boards
    if not 1 <= boards <= MOST_BOARDS:
        raise BadInput("--boards", f"1 to {MOST_BOARDS} boards", str(boards))
    if seconds is not None and not 0 <= seconds <= 3600:
        raise BadInput("--seconds", "0 to 3600 seconds", f"{seconds:g}")
    own = [p for p in design.parts if placed_by_paste(p, side)]
    if not own:
        raise BadInput(Path(folder).name, f"parts on paste on the {side}", "none")
    parts = dict.fromkeys(panel.cells[:boards], own)
    runs = -(-boards // len(panel.cells))
    names = {ref: line.key for line in pull_for([(own, boards)]) for ref in line.refs}
    line_of = lambda cell, part: names[part.ref]  # noqa: E731
    choice = who_places(machine, design, panel, parts, line_of, runs, side)
    try:
        job, pieces = job_for(machine, design, panel, parts, line_of, in_corner(machine, side), choice, runs)
        found = optimise(job, clock(usual_seconds(len(job)) if seconds is None else seconds), seed)
    except ValueError as problem:
        raise BadInput(Path(machine_file).name, f"a machine for {design.name}", str(problem)) from problem
    made = Programme(job, found, choice, pieces, hand_of(choice, parts, line_of))
    data = as_values(made)
    text = [
        f"{data['placements']} placements in {len(data['trips'])} trips: {data['time_s']:.1f} s a panel,"
        f" no programme takes less than {data['bound_s']:.1f} s (gap {100 * data['gap']:.1f} %)",
        *(f"slot {s['slot']:<4} {s['line']}  {s['width_mm']:g} mm tape, {s['pieces']} a panel" for s in data["slots"]),
        *(f"by hand {h['ref']}: {h['why']}" for h in data["hand"]),
    ]
    if template:
        words = read_one(Path(template)).decode("utf-8", "replace")
        data["templated"] = render(words, {**data, "design": design.name}, Path(template).name)
        text = [data["templated"]]
    if gcode:
        write_whole({Path(gcode): to_gcode(job, made.found.plan, f"{design.name}, {side}").encode()})
    numbers = (
        Because("time a panel", made.found.time_s, "s"),
        Because("no programme is faster than", made.found.bound_s, "s"),
        Because("by hand", len(data["hand"]), "parts of a board"),
    )
    level = Level.CARE if data["hand"] else Level.GO
    headline = f"The machine places {len(job)} parts of a panel in {made.found.time_s:.0f} s"
    do = "Place the others by hand after it." if data["hand"] else ""
    return Answer([Judgement("place.programme", level, design.name, headline, numbers, do)], data, "\n".join(text))


def simulate(file: str, machine_file: str, seed: int = 0, faults: bool = False) -> Answer:
    """What a machine would do with a programme: its time, every part put down, and what goes wrong on the way."""
    machine = read_machine(machine_file)
    name = Path(file).name
    text = read_one(Path(file), MOST_GCODE).decode("utf-8", "replace")
    world = World(machine, Chances() if faults else NEVER, seed)
    try:
        for _ in run_through(text, machine, world):
            pass
    except BadBlock as problem:
        place, _, what = str(problem).partition(": ")
        raise BadInput(name, "a programme of the dialect in docs/formats.md", what, place) from problem
    slots, nozzles = machine.slots, machine.nozzles
    data: dict[str, Any] = {
        "time_s": world.time_s,
        "placed": [
            {
                "slot": slots[p.slot].name,
                "nozzle": nozzles[p.nozzle].name if p.nozzle >= 0 else None,
                "head": machine.heads[p.head].name,
                "x_mm": p.x,
                "y_mm": p.y,
                "z_mm": p.z,
                "rotation_deg": p.turned,
                "at_s": p.at_s,
            }
            for p in world.placed
        ],
        "faults": [
            {
                "kind": f.kind,
                "at_s": f.at_s,
                "slot": slots[f.slot].name if f.slot >= 0 else None,
                "head": machine.heads[f.head].name,
                "nozzle": nozzles[f.nozzle].name if f.nozzle >= 0 else None,
                "line": f.line,
            }
            for f in world.faults
        ],
        "used": {slots[s].name: n for s, n in sorted(world.used.items())},
    }
    held = [machine.heads[k].name for k, part in enumerate(world.held) if part is not None]
    level = Level.CARE if world.faults or held or not world.placed else Level.GO
    headline = f"{len(world.placed)} parts put down in {world.time_s:.1f} s, {len(world.faults)} faults"
    numbers = (Because("time", world.time_s, "s"), Because("faults", len(world.faults)))
    do = f"Head {held[0]} still holds a part at the end." if held else ""
    lines = [f"{f['at_s']:8.1f} s  {f['kind']}, slot {f['slot']}, head {f['head']}" for f in data["faults"]]
    found = Judgement("place.simulated", level, name, headline, numbers, do)
    return Answer([found], data, "\n".join([headline, *lines]))
